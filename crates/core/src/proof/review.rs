//! Finished pieces beside the original that they were made from, as a report shows them.

use std::borrow::Cow;

use super::spots::worst;
use super::{Judges, Loss, Spot};
use crate::decode::{Allowance, Input};
use crate::encode::Format;
use crate::pipeline::{self, FireError, Rasters};
use crate::pixels::{Backdrop, Framing, Raster};
use crate::plan::{Extent, Job, Original, Wish};

/// The long side of a small picture, in pixels.
const SMALL: u32 = 360;

/// Spots of a piece that are worth a client's time.
const SPOTS: usize = 2;

/// A part of a piece where a difference is seen, and the same part of its original.
#[derive(Clone, Debug)]
pub struct Sight {
    /// Where it is, and what it shows.
    pub spot: Spot,
    /// What it has lost.
    pub loss: Loss,
    /// The original there, as it was sized.
    pub original: Raster,
    /// The piece there.
    pub piece: Raster,
}

/// A small picture of an original, upright.
pub fn small<'a>(
    input: impl Into<Input<'a>>,
    original: &Original,
    allowance: Allowance,
) -> Result<Option<Raster>, FireError> {
    within(input, original, allowance, SMALL)
}

/// An original, upright, its longer side of at most so many pixels.
pub fn within<'a>(
    input: impl Into<Input<'a>>,
    original: &Original,
    allowance: Allowance,
    side: u32,
) -> Result<Option<Raster>, FireError> {
    let wish = Wish {
        extent: Extent::LongSide(vec![side]),
        ..Wish::default()
    };
    let whole = Original {
        content: None,
        ..original.clone()
    };
    let job = Job::new(whole, &wish);
    let rasters = Rasters::new(input, &job, allowance)?;
    let placement = job.placements.first();
    let sized = placement.and_then(|placement| Some((placement, placement.sizes.first()?)));
    Ok(sized.and_then(|(placement, size)| rasters.sized(placement, size).cloned()))
}

/// A small picture of a finished piece.
pub fn small_piece(piece: &Raster) -> Raster {
    let size = piece.size();
    if size.long_side() <= SMALL {
        return piece.clone();
    }
    let size = Framing::default().frame(size).at_long_side(SMALL);
    let small = pipeline::reduced(piece, size);
    small.unwrap_or_else(|| piece.clone())
}

/// Where a piece in a format differs most from the picture that it was made from, on that backdrop,
/// and how: the worst first, and nothing where no difference is seen.
pub fn sights(sized: &Raster, backdrop: Backdrop, format: Format, piece: &Raster) -> Vec<Sight> {
    // It may have been made smaller to keep its weight.
    let reduced = if sized.size() == piece.size() {
        Some(Cow::Borrowed(sized))
    } else {
        pipeline::reduced(sized, piece.size()).map(Cow::Owned)
    };
    let Some(sized) = reduced else {
        return Vec::new();
    };
    let gamut = sized.gamut();
    let judges = Judges::new(sized, backdrop);
    let judge = judges.of(format);
    let piece = piece.clone().in_gamut(gamut);
    let Some(map) = judge.judge(&piece).map else {
        return Vec::new();
    };
    let sight = |spot: Spot| {
        Some(Sight {
            loss: judge.loss(&piece, &map, spot.area),
            original: judge.raster.cut(spot.area)?,
            piece: piece.cut(spot.area)?,
            spot,
        })
    };
    let spots = worst(&judge.raster, &[&map], SPOTS);
    spots.into_iter().filter_map(sight).collect()
}
