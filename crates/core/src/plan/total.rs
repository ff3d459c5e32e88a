//! Totals: one budget of bytes for all pictures of a page, or of a whole firing.

use serde::{Deserialize, Serialize};

use super::{Choice, Glob, Job, Placement, PlannedPiece, Site};

/// A budget for many pictures together.
#[derive(Clone, Debug)]
pub struct Total {
    /// The page's name; `None` for the whole firing.
    pub page: Option<String>,
    /// The places whose pictures are on it; empty for all.
    pub places: Vec<String>,
    /// Which originals are on it; empty for all.
    pub of: Vec<Glob>,
    /// Bytes that a visitor loads at most who sees every picture once.
    pub max_total: u64,
    /// Whether it is shared now. Where not all of its pictures are fired, it cannot be, and those
    /// that are there stay as they are.
    pub shared: bool,
}

/// Pictures that share a total in one choice of formats. A visitor loads each of them once, in one
/// size; one that does not come in that choice is loaded in the last of its own.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct SharedTotal {
    /// The page's name; `None` for the whole firing.
    pub page: Option<String>,
    /// The formats that the pieces may have.
    pub choice: Choice,
    /// Bytes.
    pub max_total: u64,
    /// The pictures.
    pub pictures: Vec<SharingPicture>,
}

/// A picture that shares a total: an original in a place.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
pub struct SharingPicture {
    /// The key of its largest piece.
    pub largest: String,
    /// The keys of its smaller ones.
    pub smaller: Vec<String>,
}

impl SharingPicture {
    /// The keys of all its pieces, the largest first.
    pub fn pieces(&self) -> impl Iterator<Item = &String> {
        [&self.largest].into_iter().chain(&self.smaller)
    }
}

impl Total {
    /// Whether a picture is on the page.
    pub(super) fn holds(&self, original: &str, place: Option<&str>) -> bool {
        let placed = |place: &str| self.places.iter().any(|known| known == place);
        let of = self.of.is_empty() || self.of.iter().any(|glob| glob.matches(original));
        of && (self.places.is_empty() || place.is_some_and(placed))
    }
}

/// What each total means for the jobs of a plan. Totals of nothing are left out, and formats of
/// which a visitor loads the same as of another.
pub(super) fn shared(jobs: &[Job], site: &Site) -> Vec<SharedTotal> {
    let mut shared: Vec<SharedTotal> = Vec::new();
    for total in site.totals.iter().filter(|total| total.shared) {
        let on_it = |job: &'_ Job| {
            let name = job.original.name.clone();
            move |placement: &&Placement| total.holds(&name, placement.place.as_deref())
        };
        let placements = jobs.iter();
        let placements: Vec<&Placement> = placements
            .flat_map(|job| job.placements.iter().filter(on_it(job)))
            .collect();
        let mut choices: Vec<Choice> = placements.iter().flat_map(|p| choices(p)).collect();
        choices.sort_unstable();
        choices.dedup();
        let first = shared.len();
        for choice in choices {
            let pictures = placements.iter().filter_map(|p| picture(p, &choice));
            let pictures: Vec<SharingPicture> = pictures.collect();
            let known = |other: &SharedTotal| other.pictures == pictures;
            if !shared[first..].iter().any(known) {
                shared.push(SharedTotal {
                    page: total.page.clone(),
                    choice,
                    max_total: total.max_total,
                    pictures,
                });
            }
        }
    }
    shared
}

/// The choices of a placement, in the order of its wish.
fn choices(placement: &Placement) -> impl Iterator<Item = Choice> {
    let first = placement.sizes.first().into_iter();
    first.flat_map(|size| size.pieces.iter().filter_map(choice))
}

fn choice(piece: &PlannedPiece) -> Option<Choice> {
    Choice::between(piece.formats())
}

fn picture(placement: &Placement, wanted: &Choice) -> Option<SharingPicture> {
    let own = choices(placement).find(|own| own == wanted);
    let own = own.or(choices(placement).last())?;
    let pieces = placement.sizes.iter().flat_map(|size| &size.pieces);
    let mut keys: Vec<String> = pieces
        .filter(|piece| piece.formats().eq(own.formats()))
        .map(|piece| piece.key().to_owned())
        .collect();
    // Sizes are planned the smallest first.
    let largest = keys.pop()?;
    Some(SharingPicture {
        largest,
        smaller: keys,
    })
}
