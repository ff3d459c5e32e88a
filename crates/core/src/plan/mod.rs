//! Pure, serialisable decisions, made from headers alone: which pieces each original becomes.

mod digest;
mod draft;
mod look;
mod name;
mod parts;
mod place;
mod recipe;
mod sizes;
mod total;
mod trouble;

use serde::{Deserialize, Serialize};

pub use digest::{Digest, Digesting, NoDigest, digest, digest_of};
pub use draft::Draft;
pub use look::{CodingWish, LOOKS, Look, LookWish, look_name};
pub use name::{Pattern, PatternError, plain_name, says_nothing, slug, stem};
pub use parts::{Encodes, NoPart, PartOf};
pub use place::{Choice, CreditsWish, Glob, Place, Site, Wish};
pub use sizes::Extent;
pub use total::{SharedTotal, SharingPicture, Total};
pub use trouble::{Trouble, Why, concerns};

use crate::credits::{Credits, Field, Inscription};
use crate::encode::{Format, Pace, Passes};
use crate::pixels::{Area, Backdrop, Framing, Kernel, Rendering, Size};
use crate::source::Probe;
use name::Filling;
use recipe::{Revisions, recipe};

/// An original that was found and whose headers were read.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Original {
    /// Its path as found, for people.
    pub path: String,
    /// Its path below the folder that was given, with `/` between the parts.
    pub name: String,
    /// Its size in bytes.
    pub weight: u64,
    /// What its headers say.
    pub probe: Probe,
    /// The digest of its bytes, where a name needs it.
    pub digest: Option<Digest>,
    /// What it shows beside uniform borders, as stored, where those are to be taken off.
    pub content: Option<Area>,
    /// What it says of itself.
    pub credits: Credits,
    /// What the label sheet says of it.
    pub label: Credits,
}

/// All that a firing will do.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Plan {
    /// One job for each original that is shown anywhere, in the order in which they were given.
    pub jobs: Vec<Job>,
    /// Originals that no place shows, by their indices among those given, in order.
    pub left_out: Vec<usize>,
    /// Places that show no original.
    pub idle: Vec<String>,
    /// What pictures share.
    pub totals: Vec<SharedTotal>,
}

/// What one original becomes.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Job {
    /// The original.
    pub original: Original,
    /// The places where it is shown, in the order of the site.
    pub placements: Vec<Placement>,
}

/// An original in one place.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Placement {
    /// The place's name; `None` for what is made without one.
    pub place: Option<String>,
    /// The size that the place would want at least, where the original is smaller.
    pub too_small: Option<Size>,
    /// Which part of it is shown, and how.
    pub framing: Framing,
    /// How its pixels are computed.
    pub rendering: Rendering,
    /// The most that a piece may weigh, in bytes.
    pub max_weight: Option<u64>,
    /// How samples shall be coded.
    pub coding: CodingWish,
    /// How much time a piece may cost.
    pub pace: Pace,
    /// Whether pieces come in several passes, in formats that know both.
    pub passes: Passes,
    /// Whether pieces stay that are outdone by those in a format that more browsers show.
    pub keep_all: bool,
    /// What stands behind transparent pixels in a format without transparency, and around a
    /// padded picture.
    pub backdrop: Backdrop,
    /// What is written into the pieces beside their pixels.
    pub inscription: Inscription,
    /// The totals that it shares: the page, if it is one, and bytes.
    pub totals: Vec<(Option<String>, u64)>,
    /// The sizes to make, the smallest first.
    pub sizes: Vec<PlannedSize>,
}

/// One pixel size of an original.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct PlannedSize {
    /// Width and height, upright.
    pub size: Size,
    /// The width that it is displayed at, in CSS pixels; the largest, where it stands for several.
    pub displayed: f64,
    /// The larger sizes that it is made through, the largest first.
    pub through: Vec<Size>,
    /// The lowest device pixel ratio that it is for.
    pub density: f64,
    /// The lowest ratio of its pixels to those of a spot that may show it: what its files are scored
    /// for.
    pub seen: f64,
    /// The measure that was asked for and that the original cannot fill without enlarging.
    pub short_of: Option<u32>,
    /// Near-equal measures that it stands for as well.
    pub stands_for: Vec<u32>,
    /// The files to make of this size.
    pub pieces: Vec<PlannedPiece>,
}

/// One file to make.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct PlannedPiece {
    /// What it may become, at least one: what is tried first stands first. Which one it is, its
    /// pixels decide; all their names are reserved until then.
    pub candidates: Vec<Candidate>,
    /// The digest of all that decides its bytes, but for the original's bytes.
    pub recipe: Digest,
}

/// What a piece may become.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Candidate {
    /// Its format.
    pub format: Format,
    /// Its path below the out folder, with `/` between the parts.
    pub name: String,
}

impl PlannedPiece {
    /// What tells it from all others: its first name.
    pub fn key(&self) -> &str {
        self.candidates.first().map_or("", |first| &first.name)
    }

    /// All names that it may have.
    pub fn names(&self) -> impl Iterator<Item = &str> {
        self.candidates.iter().map(|one| one.name.as_str())
    }

    /// All formats that it may have.
    pub fn formats(&self) -> impl Iterator<Item = Format> {
        self.candidates.iter().map(|one| one.format)
    }

    /// Its name in a format.
    pub fn name_as(&self, format: Format) -> Option<&str> {
        let named = self.candidates.iter().find(|one| one.format == format);
        named.map(|one| one.name.as_str())
    }
}

impl AsRef<Original> for Original {
    fn as_ref(&self) -> &Original {
        self
    }
}

impl Original {
    /// An original of which only its headers are known.
    pub fn new(path: String, name: String, weight: u64, probe: Probe) -> Original {
        Original {
            path,
            name,
            weight,
            probe,
            digest: None,
            content: None,
            credits: Credits::default(),
            label: Credits::default(),
        }
    }

    /// The part of it that a framing shows, as stored.
    pub fn shown(&self, framing: &Framing) -> Area {
        let content = self.content.filter(|_| framing.trim);
        content.unwrap_or(Area::whole(self.probe.stored))
    }

    /// Its title in the label sheet, else its file's name without extension.
    pub fn title(&self) -> &str {
        let file = self.name.rsplit('/').next().unwrap_or(&self.name);
        self.label.get(Field::Title).unwrap_or(stem(file))
    }
}

impl Plan {
    /// Plans the pieces of all originals but those of which a name cannot be: each of them is a
    /// [`Trouble`].
    pub fn new(originals: &[impl AsRef<Original> + Sync], site: &Site) -> (Plan, Vec<Trouble>) {
        let (draft, troubles) = Draft::new(originals, site);
        (draft.plan(originals), troubles)
    }

    /// How many pieces will be made.
    pub fn pieces(&self) -> usize {
        self.jobs.iter().map(|job| job.pieces().count()).sum()
    }
}

impl Job {
    /// Plans the pieces of one original for one wish, without a place.
    pub fn new(original: Original, wish: &Wish) -> Job {
        Job {
            placements: vec![placement(&original, None, wish, (1, 1), Vec::new())],
            original,
        }
    }

    /// Its pieces with their placements and sizes.
    pub fn pieces(&self) -> impl Iterator<Item = (&Placement, &PlannedSize, &PlannedPiece)> {
        let sizes = self
            .placements
            .iter()
            .flat_map(|placement| placement.sizes.iter().map(move |size| (placement, size)));
        sizes.flat_map(|(placement, size)| {
            size.pieces
                .iter()
                .map(move |piece| (placement, size, piece))
        })
    }

    /// The job without some of its pieces.
    pub fn without(&self, done: impl Fn(&PlannedPiece) -> bool) -> Job {
        let mut rest = self.clone();
        for placement in &mut rest.placements {
            for size in &mut placement.sizes {
                size.pieces.retain(|piece| !done(piece));
            }
            placement.sizes.retain(|size| !size.pieces.is_empty());
        }
        rest.placements
            .retain(|placement| !placement.sizes.is_empty());
        rest
    }
}

impl Placement {
    /// The place's name as people read it.
    pub fn label(&self) -> &str {
        self.place.as_deref().unwrap_or("[every]")
    }
}

fn placement(
    original: &Original,
    place: Option<&str>,
    wish: &Wish,
    number: (usize, usize),
    totals: Vec<(Option<String>, u64)>,
) -> Placement {
    let shown = original.shown(&wish.framing).size;
    let own = original.probe.orientation.apply_to_size(shown);
    let drawn = original.probe.is_drawn();
    let fills =
        |least: &Size| drawn || (own.width() >= least.width() && own.height() >= least.height());
    let mut placement = Placement {
        place: place.map(str::to_owned),
        too_small: wish.min_size.filter(|least| !fills(least)),
        framing: wish.framing,
        rendering: wish.rendering,
        max_weight: wish.max_weight,
        coding: wish.coding,
        pace: wish.pace,
        passes: wish.passes,
        keep_all: wish.keep_all,
        backdrop: wish.backdrop,
        inscription: wish.credits.inscription(&original.credits, &original.label),
        totals,
        sizes: Vec::new(),
    };
    let frame = wish.framing.frame(own).coarser(original.probe.fineness);
    let enlarge = wish.enlarge || drawn;
    let targets = sizes::targets(frame, &wish.extent, &wish.densities, enlarge);
    // Other kernels than the sharp one would blur twice; drawings are drawn at every size.
    let ways = match wish.rendering.kernel {
        Kernel::Clear if !drawn => sizes::ways(&targets),
        _ => vec![Vec::new(); targets.len()],
    };
    let count = targets.len();
    for (index, (target, through)) in targets.into_iter().zip(ways).enumerate() {
        let largest = index + 1 == count;
        let piece = |choice: &Choice| {
            let choice = &choice.at(largest, original.probe.kind)?;
            let revisions = Revisions::now(original.probe.kind, choice);
            let size = (target.size, &through[..], target.seen);
            let recipe = recipe(&placement, size, choice, &revisions);
            let content = original.digest.map(|digest| digest.to_string());
            let content = content.unwrap_or_default();
            let name = |format: Format| {
                wish.name.fill(&Filling {
                    title: original.title(),
                    original: &original.name,
                    place,
                    width: target.size.width(),
                    height: target.size.height(),
                    density: target.density,
                    number,
                    digest: digest(format!("{content}{recipe}").as_bytes()),
                    extension: format.extension(),
                    scalable: format.is_scalable(),
                })
            };
            let candidate = |format: Format| Candidate {
                format,
                name: name(format),
            };
            Some(PlannedPiece {
                candidates: choice.formats().map(candidate).collect(),
                recipe,
            })
        };
        let pieces: Vec<PlannedPiece> = wish.formats.iter().filter_map(piece).collect();
        if pieces.is_empty() {
            continue;
        }
        placement.sizes.push(PlannedSize {
            size: target.size,
            displayed: target.displayed,
            through,
            density: target.density,
            seen: target.seen,
            short_of: target.short_of,
            stands_for: target.stands_for,
            pieces,
        });
    }
    placement
}

#[cfg(test)]
mod tests;
