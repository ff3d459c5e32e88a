//! Totals: one budget of bytes for all pictures of a page, or of a whole firing.

use serde::{Deserialize, Serialize};

use super::{Glob, Job, Placement, Site};
use crate::encode::Format;

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

/// Pictures that share a total in one format. A visitor loads each of them once, in one size; one
/// that does not come in the format is loaded in the last of its own.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct SharedTotal {
    /// The page's name; `None` for the whole firing.
    pub page: Option<String>,
    /// The format.
    pub format: Format,
    /// Bytes.
    pub max_total: u64,
    /// The pictures.
    pub pictures: Vec<SharingPicture>,
}

/// A picture that shares a total: an original in a place.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
pub struct SharingPicture {
    /// The name of its largest piece.
    pub largest: String,
    /// The names of its smaller ones.
    pub smaller: Vec<String>,
}

impl SharingPicture {
    /// The names of all its pieces, the largest first.
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
        let mut formats: Vec<Format> = placements.iter().flat_map(|p| formats(p)).collect();
        formats.sort_unstable();
        formats.dedup();
        let first = shared.len();
        for format in formats {
            let pictures = placements.iter().filter_map(|p| picture(p, format));
            let pictures: Vec<SharingPicture> = pictures.collect();
            let known = |other: &SharedTotal| other.pictures == pictures;
            if !shared[first..].iter().any(known) {
                shared.push(SharedTotal {
                    page: total.page.clone(),
                    format,
                    max_total: total.max_total,
                    pictures,
                });
            }
        }
    }
    shared
}

/// The formats of a placement, in the order of its wish.
fn formats(placement: &Placement) -> impl Iterator<Item = Format> {
    let first = placement.sizes.first().into_iter();
    first.flat_map(|size| size.pieces.iter().map(|piece| piece.format))
}

fn picture(placement: &Placement, format: Format) -> Option<SharingPicture> {
    let own = formats(placement).find(|&own| own == format);
    let format = own.or(formats(placement).last())?;
    let pieces = placement.sizes.iter().flat_map(|size| &size.pieces);
    let mut names: Vec<String> = pieces
        .filter(|piece| piece.format == format)
        .map(|piece| piece.name.clone())
        .collect();
    // Sizes are planned the smallest first.
    let largest = names.pop()?;
    Some(SharingPicture {
        largest,
        smaller: names,
    })
}
