//! Some tiles of a large photo that stand for it. Coded quickly they give a first guess of the dial that reaches a
//! look: it costs a tenth of a whole trial, and is three times nearer than what pictures usually come to. Cut from a
//! finished file they tell its score, where nothing hangs on that.

use super::PieceError;
use super::bench::Bench;
use super::canvas::Canvas;
use super::eye;
use super::terms::Terms;
use crate::budget::{self, Aim, Curve, Trial};
use crate::encode::{Chroma, Coding, Format, Manner, Pace, Way};
use crate::pixels::Raster;
use crate::source::Nature;

/// The side of a tile, in pixels: coarser scales of the score need as many.
const SIDE: u32 = 128;

/// Tiles in a row, and rows of them.
const ACROSS: u32 = 3;

/// A picture that has fewer times the pixels of its tiles is tried as a whole.
const LARGER: u64 = 4;

/// So often the tiles are coded.
const TRIALS: usize = 2;

/// Codecs work in blocks of so many pixels: tiles are cut along them.
const BLOCK: u32 = 16;

/// Where tiles meet, edges hide a part of what a file loses: so much of it is seen (19 photos, JPEG and WebP, scores of
/// 45 to 90: the mean error is then 0, its deviation 0.8 at a score of 80 and 2 at 50).
const SEEN: f32 = 0.92;

/// The tiles of a photo that stand for it: one from the middle of each field of a grid.
pub(super) fn tiles(raster: &Raster, nature: Nature) -> Option<Raster> {
    let size = raster.size();
    let (width, height) = (size.width(), size.height());
    let sampled = u64::from(SIDE * ACROSS).pow(2);
    let is_large = size.pixels() >= sampled * LARGER && width.min(height) >= SIDE * ACROSS;
    if nature != Nature::Photo || !is_large {
        return None;
    }
    let place = |field: u32, length: u32| {
        let middle = u64::from(length) * u64::from(2 * field + 1) / u64::from(2 * ACROSS);
        (middle as u32).saturating_sub(SIDE / 2) / BLOCK * BLOCK
    };
    let fields = (0..ACROSS).flat_map(|y| (0..ACROSS).map(move |x| (x, y)));
    let places: Vec<_> = fields
        .map(|(x, y)| (place(x, width), place(y, height)))
        .collect();
    raster.side_by_side(SIDE, ACROSS, &places)
}

/// About the score of a finished file, at a device pixel ratio, from its tiles; `None` where a canvas has none.
pub(super) fn score(canvas: &Canvas<'_>, finished: &Raster, density: f64) -> Option<f32> {
    let reference = canvas.tiles()?;
    let finished = tiles(finished, canvas.nature)?;
    let score = eye::score(&reference.raster, &finished, || reference.eye(density));
    Some(100.0 - (100.0 - score) / SEEN)
}

/// The curve of a canvas in a format, as its tiles tell; `None` where nothing is known of how tiles score, or they are
/// not worth it.
pub(super) fn curve(
    canvas: &Canvas<'_>,
    format: Format,
    way: &Way,
    (look, terms): (f32, Terms<'_>),
    curve: &Curve,
) -> Result<Option<Curve>, PieceError> {
    let keeps_colours = matches!(way.chroma, Chroma::Halved | Chroma::Full);
    let above = format.tiles_above().filter(|_| keeps_colours);
    let Some((above, tiles)) = above.zip(canvas.tiles()) else {
        return Ok(None);
    };
    let terms = Terms {
        max_weight: None,
        pace: Pace::Quick,
        ..terms
    };
    let bench = Bench::new(tiles, format, terms)?;
    let above = above.at(look);
    let goal = budget::Goal {
        look: look + above,
        least: 0.0,
        max_weight: None,
        aim: Aim::Lightest,
        trials: TRIALS,
        rival: None,
    };
    let outcome = budget::search(
        goal,
        way.dials(format),
        curve,
        Vec::new(),
        |dial| -> Result<Trial, PieceError> {
            let (file, score) = bench.attempt(Manner {
                coding: Coding::Dial(dial),
                chroma: way.chroma,
                pace: Pace::Quick,
            })?;
            let weight = file.len() as u64;
            Ok(Trial {
                dial,
                weight,
                score,
            })
        },
    )?;
    let kept = outcome.kept;
    Ok(Some(curve.seen(kept.dial, kept.score - above)))
}
