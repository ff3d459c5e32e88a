//! The quantiser (section 7.12).

use crate::picture::Depth;
use crate::shape::Shape;
use crate::tables::steps;
use crate::wide::widely;

/// The steps of a plane.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Steps {
    pub first: i32,
    pub others: i32,
}

impl Steps {
    /// For a quantiser from 0 to 255.
    pub fn new(quantiser: u8, depth: Depth) -> Steps {
        let at = usize::from(quantiser);
        let (first, others) = match depth {
            Depth::Eight => (steps::DC_8[at], steps::AC_8[at]),
            Depth::Ten => (steps::DC_10[at], steps::AC_10[at]),
        };
        Steps {
            first: first.into(),
            others: others.into(),
        }
    }

    /// That of a coefficient, by its place.
    pub fn of(self, place: usize) -> i32 {
        if place == 0 { self.first } else { self.others }
    }
}

/// How far the values of large transforms are shifted.
pub(crate) fn shift(shape: Shape) -> u32 {
    shape.class().saturating_sub(2) as u32
}

/// The nearest levels of coefficients.
pub(crate) fn quantise(coefs: &[i32], steps: Steps, shift: u32, depth: Depth, levels: &mut [i32]) {
    // No decoder has to cut off what is no larger (7.12.3).
    let most = (1 << (7 + depth.bits())) - 1;
    let all = |coefs: &[i32], step: i32, levels: &mut [i32]| {
        let most = most - (step >> shift);
        let part = (1 << shift) as f32 / step as f32;
        widely(|| nearest(coefs, part, most, levels));
    };
    all(&coefs[..1], steps.first, &mut levels[..1]);
    all(&coefs[1..], steps.others, &mut levels[1..]);
}

#[inline(always)]
fn nearest(coefs: &[i32], part: f32, most: i32, levels: &mut [i32]) {
    // Numbers beyond this one have no room for fractions: what is below it is a whole number.
    const WHOLE: f32 = (1 << 23) as f32;
    for (&coef, level) in coefs.iter().zip(levels) {
        let size = coef.abs().min(most) as f32 * part + WHOLE;
        let size = (size.to_bits() & 0x7f_ffff) as i32;
        *level = if coef < 0 { -size } else { size };
    }
}
