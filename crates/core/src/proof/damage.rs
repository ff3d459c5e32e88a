//! What kind of damage a patch has taken: told from the pixels of both sides, not from the codec.

use std::fmt;

use serde::Serialize;

use super::patch::{Patch, pair};
use crate::colour::{Lab, lab};
use crate::pixels::{Area, Raster};

/// A kind of damage, by the word that a designer would use.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Damage {
    /// Fine details are gone.
    Soft,
    /// The borders of coding blocks show.
    Blocks,
    /// Echoes beside edges.
    Ringing,
    /// The colour is another.
    Tint,
    /// Smooth tones have steps.
    Banding,
}

impl fmt::Display for Damage {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Damage::Soft => "soft",
            Damage::Blocks => "blocks",
            Damage::Ringing => "ringing",
            Damage::Tint => "tint",
            Damage::Banding => "banding",
        })
    }
}

/// The side of the blocks that codecs of still pictures transform, in pixels.
const BLOCK: u32 = 8;

/// Steps in the difference at the borders of blocks are so many times those within.
const BLOCKY: f32 = 1.5;

/// Or those of the picture itself are so many times what they were.
const BLOCKIER: f32 = 1.3;

/// A shift of all colours is seen from this on, in L*a*b*, where it is this part of all differences.
const SHIFTED: f64 = 1.0;
const MOSTLY_SHIFTED: f64 = 0.6;

/// A tone is smooth where neighbours differ by no more than this, in levels on average.
const SMOOTH: f32 = 3.0;

/// Where it has become stairs, its steps are so many times as high.
const HIGHER: f32 = 1.8;

/// The second difference of a detail, in levels.
const DETAIL: f32 = 6.0;

/// What kind of damage a part of a raster has taken against a reference of the same size; `None`
/// where it is the same.
pub fn damage(reference: &Raster, other: &Raster, area: Area) -> Option<Damage> {
    let (one, two) = pair(reference, other, area)?;
    if one.colours == two.colours {
        return None;
    }
    Some(if is_shifted(&one, &two) {
        Damage::Tint
    } else if is_blocky(&one, &two, area) {
        Damage::Blocks
    } else if is_stepped(&one, &two) {
        Damage::Banding
    } else if is_soft(&one, &two) {
        Damage::Soft
    } else {
        Damage::Ringing
    })
}

/// Whether most of all differences is one shift of colour.
fn is_shifted(one: &Patch, two: &Patch) -> bool {
    let length = |[l, a, b]: Lab| libm::sqrt(l * l + a * a + b * b);
    let (mut shift, mut all) = ([0.0; 3], 0.0);
    for (&a, &b) in one.colours.iter().zip(&two.colours) {
        let (a, b) = (lab(a, one.gamut), lab(b, two.gamut));
        let way = [0, 1, 2].map(|channel| b[channel] - a[channel]);
        shift = [0, 1, 2].map(|channel| shift[channel] + way[channel]);
        all += length(way);
    }
    let shift = length(shift);
    shift >= SHIFTED * one.colours.len() as f64 && shift >= all * MOSTLY_SHIFTED
}

/// Whether it steps where coding blocks meet: more than within them in what was added, or by more than
/// it did before.
fn is_blocky(one: &Patch, two: &Patch, area: Area) -> bool {
    let (added, step) = at_borders(&one.less(two), area);
    let ((before, _), (after, _)) = (at_borders(one, area), at_borders(two, area));
    step >= 0.5 && (added > BLOCKY || after > before * BLOCKIER)
}

/// How many times the steps at the borders of blocks are those within, and how large they are.
fn at_borders(patch: &Patch, area: Area) -> (f32, f32) {
    let (mut at_borders, mut within) = ((0.0, 0u32), (0.0, 0u32));
    for ((x, y, across), step) in patch.steps() {
        let at = if across { area.x + x } else { area.y + y };
        let sum = if at.is_multiple_of(BLOCK) {
            &mut at_borders
        } else {
            &mut within
        };
        sum.0 += step.abs();
        sum.1 += 1;
    }
    let mean = |(sum, count): (f32, u32)| sum / count.max(1) as f32;
    let (at_borders, within) = (mean(at_borders), mean(within));
    (at_borders / within.max(0.1), at_borders)
}

/// Whether a smooth tone has become flat parts with higher steps between them.
fn is_stepped(one: &Patch, two: &Patch) -> bool {
    let (before, after) = (Stairs::of(one), Stairs::of(two));
    let smooth = before.mean <= SMOOTH;
    smooth && after.flat > before.flat && after.height >= before.height * HIGHER
}

/// A patch as steps between flat parts.
struct Stairs {
    /// The mean of all steps.
    mean: f32,
    /// The share of neighbours that are alike.
    flat: f32,
    /// The mean height of the others.
    height: f32,
}

impl Stairs {
    fn of(patch: &Patch) -> Stairs {
        let (mut sum, mut steps, mut all) = (0.0, 0u32, 0u32);
        for (_, step) in patch.steps() {
            all += 1;
            if step.abs() >= 0.5 {
                sum += step.abs();
                steps += 1;
            }
        }
        let all = all.max(1) as f32;
        Stairs {
            mean: sum / all,
            flat: 1.0 - steps as f32 / all,
            height: sum / steps.max(1) as f32,
        }
    }
}

/// Whether more details are gone than there are new ones.
fn is_soft(one: &Patch, two: &Patch) -> bool {
    let (mut lost, mut added) = (0.0, 0.0);
    for (before, after) in one.bends().zip(two.bends()) {
        let (before, after) = (before.abs(), after.abs());
        if before > DETAIL {
            lost += (before - after).max(0.0);
        } else {
            added += (after - before).max(0.0);
        }
    }
    lost >= added
}
