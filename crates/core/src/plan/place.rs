//! What is wanted: places, and the wish that each has for its pictures.

use std::fmt;

use globset::{GlobBuilder, GlobMatcher};
use serde::{Deserialize, Serialize};

use super::look::CodingWish;
use super::name::{Pattern, plain_name};
use super::sizes::Extent;
use super::total::Total;
use crate::credits::{Credits, Field, Inscription};
use crate::encode::{Format, Pace, Passes};
use crate::pixels::{Backdrop, Framing, Rendering, Size};
use crate::source::Kind;

/// What is wanted of every original of a place.
#[derive(Clone, Debug, PartialEq)]
pub struct Wish {
    /// How large it is displayed.
    pub extent: Extent,
    /// Whether it may be made larger than it is.
    pub enlarge: bool,
    /// Which part is shown, and how.
    pub framing: Framing,
    /// How its pixels are computed.
    pub rendering: Rendering,
    /// Device pixel ratios that each measure is made for.
    pub densities: Vec<f64>,
    /// The pieces to make of each size: for each the formats that it may have.
    pub formats: Vec<Choice>,
    /// The most that a piece may weigh, in bytes.
    pub max_weight: Option<u64>,
    /// The size that an original should at least have.
    pub min_size: Option<Size>,
    /// How samples are coded.
    pub coding: CodingWish,
    /// How much time a piece may cost.
    pub pace: Pace,
    /// Whether pieces come in several passes, in formats that know both.
    pub passes: Passes,
    /// Whether pieces stay that are outdone by those in a format that more browsers show.
    pub keep_all: bool,
    /// What stands around a padded picture, and behind transparent pixels in a format without
    /// transparency.
    pub backdrop: Backdrop,
    /// How pieces are named.
    pub name: Pattern,
    /// What pieces say of themselves.
    pub credits: CreditsWish,
}

impl Wish {
    /// Every format that a piece may have.
    pub fn all_formats(&self) -> impl Iterator<Item = Format> {
        self.formats.iter().flat_map(Choice::formats)
    }
}

impl Default for Wish {
    /// One WebP piece of the original's own size.
    fn default() -> Self {
        Wish {
            extent: Extent::Own,
            enlarge: false,
            framing: Framing::default(),
            rendering: Rendering::default(),
            densities: vec![1.0],
            formats: vec![Format::WebP.into()],
            max_weight: None,
            min_size: None,
            coding: CodingWish::default(),
            pace: Pace::default(),
            passes: Passes::default(),
            keep_all: false,
            backdrop: Backdrop::WHITE,
            name: Pattern::default(),
            credits: CreditsWish::default(),
        }
    }
}

/// The formats that a piece may have, at least one and each once: the one that serves best is kept.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
pub struct Choice(Vec<Format>);

impl Choice {
    /// A choice between formats; where several serve alike, the first is kept. `None` between none.
    pub fn between(formats: impl IntoIterator<Item = Format>) -> Option<Choice> {
        let once = once(formats);
        (!once.is_empty()).then_some(Choice(once))
    }

    /// The lightest of those that every current browser shows, and of others that are named.
    pub fn everywhere(others: impl IntoIterator<Item = Format>) -> Choice {
        let everywhere = [Format::WebP, Format::Jpeg, Format::Png];
        let mut all = once(everywhere.into_iter().chain(others));
        // What is often far lighter than all others spares most of their trials.
        all.sort_by_key(|format| !format.is_scalable());
        Choice(all)
    }

    /// Those of its formats that a size of an original may have: what is sharp at every size is made once,
    /// of the largest, and among others not of photos that are known as such by their format.
    pub(super) fn at(&self, largest: bool, of: Kind) -> Option<Choice> {
        let alone = self.0.len() == 1;
        let traced = alone || of != Kind::Jpeg;
        let formats = self.formats();
        Choice::between(formats.filter(|format| !format.is_scalable() || (largest && traced)))
    }

    /// The formats.
    pub fn formats(&self) -> impl Iterator<Item = Format> {
        self.0.iter().copied()
    }
}

/// Each format once, in the order of its first mention.
fn once(formats: impl IntoIterator<Item = Format>) -> Vec<Format> {
    let mut once = Vec::new();
    for format in formats {
        if !once.contains(&format) {
            once.push(format);
        }
    }
    once
}

impl fmt::Display for Choice {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let names: Vec<String> = self.0.iter().map(Format::to_string).collect();
        match names.split_last() {
            Some((last, rest)) if !rest.is_empty() => write!(f, "{} or {last}", rest.join(", ")),
            _ => f.write_str(&names.join("")),
        }
    }
}

impl From<Format> for Choice {
    fn from(format: Format) -> Choice {
        Choice(vec![format])
    }
}

/// What pieces shall say of themselves.
#[derive(Clone, Debug, PartialEq)]
pub struct CreditsWish {
    /// What is kept of what the original and the label sheet say.
    pub keep: Vec<Field>,
    /// What is written into every piece.
    pub write: Credits,
    /// The resolution tag, in dots per inch.
    pub dots_per_inch: Option<u16>,
}

impl Default for CreditsWish {
    /// Rights are kept, all else goes.
    fn default() -> Self {
        CreditsWish {
            keep: Field::RIGHTS.to_vec(),
            write: Credits::default(),
            dots_per_inch: None,
        }
    }
}

impl CreditsWish {
    /// What a piece says: its label before what holds for all, that before the original.
    pub(super) fn inscription(&self, original: &Credits, label: &Credits) -> Inscription {
        let kept = original.only(&self.keep).overlaid(&self.write);
        Inscription {
            credits: kept.overlaid(&label.only(&self.keep)),
            dots_per_inch: self.dots_per_inch,
        }
    }
}

/// A spot on the site.
#[derive(Clone, Debug)]
pub struct Place {
    /// Its name.
    pub name: String,
    /// Which originals it shows, by their paths below their folder.
    pub of: Vec<Glob>,
    /// What it wants of them.
    pub wish: Wish,
}

impl Place {
    /// Whether it shows an original of that name.
    pub fn shows(&self, name: &str) -> bool {
        self.of.iter().any(|glob| glob.matches(name))
    }
}

/// All that is wanted of a site's originals.
#[derive(Clone, Debug, Default)]
pub struct Site {
    /// The places, in the order of the kiln file.
    pub places: Vec<Place>,
    /// What is made of originals that no place shows; `None` where they are left out.
    pub every: Option<Wish>,
    /// Budgets for many pictures together.
    pub totals: Vec<Total>,
}

impl Site {
    /// The wishes that hold for an original of that name.
    pub fn wishes_for(&self, name: &str) -> Vec<&Wish> {
        let wishes = self.shown(name).into_iter();
        wishes.map(|(_, _, wish)| wish).collect()
    }

    /// Where an original of that name is shown: index and name of the place, and its wish. The
    /// index behind the last place is that of `every`.
    pub(super) fn shown(&self, name: &str) -> Vec<(usize, Option<&str>, &Wish)> {
        let places = self.places.iter().enumerate();
        let shown: Vec<_> = places
            .filter(|(_, place)| place.shows(name))
            .map(|(index, place)| (index, Some(place.name.as_str()), &place.wish))
            .collect();
        match (shown.is_empty(), &self.every) {
            (true, Some(every)) => vec![(self.places.len(), None, every)],
            _ => shown,
        }
    }

    /// Every wish in it.
    pub fn wishes(&self) -> impl Iterator<Item = &Wish> {
        self.places
            .iter()
            .map(|place| &place.wish)
            .chain(&self.every)
    }
}

/// A pattern for paths with `/` between their parts: `*` and `?` stay within a part, `**` spans
/// parts, `{a,b}` are alternatives. Case does not matter.
#[derive(Clone, Debug)]
pub struct Glob(GlobMatcher);

impl Glob {
    /// Reads a pattern; what is wrong with it otherwise.
    pub fn new(text: &str) -> Result<Glob, String> {
        // Paths never begin with `./`, and an accent is stored in one way only.
        let text = plain_name(text.trim_start_matches("./"));
        let glob = GlobBuilder::new(&text)
            .literal_separator(true)
            .case_insensitive(true)
            .build();
        glob.map(|glob| Glob(glob.compile_matcher()))
            .map_err(|error| error.kind().to_string())
    }

    /// Whether it matches a path.
    pub fn matches(&self, path: &str) -> bool {
        self.0.is_match(plain_name(path))
    }
}
