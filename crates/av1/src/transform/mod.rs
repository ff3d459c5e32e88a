//! Transforms (section 7.13): the inverse ones to the bit as the standard has them, and those that they undo.
//!
//! What is turned in one go lies in lanes beside each other. Coefficients stand column by column, so that both
//! directions read and write whole lanes. The forward transforms run the same networks backwards, each step transposed.

// Lanes are counted, so that they are seen to be as many.
#![allow(clippy::needless_range_loop)]

mod cosine;
mod sine;
mod turn;

use crate::shape::Shape;
use crate::wide::{body, widely};
use cosine::cosines;
use sine::{sines, sines_4, sines_4_back};
use turn::{Lanes, round};

/// What happens along one axis.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Axis {
    Cosine,
    Sine,
    Identity,
}

/// A transform type of intra blocks, in the order of the standard's larger set.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Kind {
    Identity,
    Cosine,
    /// Cosines down, nothing across.
    CosineDown,
    /// Cosines across, nothing down.
    CosineAcross,
    Sine,
    /// Sines down, cosines across.
    SineDown,
    /// Sines across, cosines down.
    SineAcross,
}

impl Kind {
    pub const ALL: [Kind; 7] = [
        Kind::Identity,
        Kind::Cosine,
        Kind::CosineDown,
        Kind::CosineAcross,
        Kind::Sine,
        Kind::SineDown,
        Kind::SineAcross,
    ];

    /// Those of the smaller set.
    pub const FIVE: [Kind; 5] = [
        Kind::Identity,
        Kind::Cosine,
        Kind::Sine,
        Kind::SineDown,
        Kind::SineAcross,
    ];

    /// Its number among the twelve types of copied blocks of at most 16 × 16 (semantics of `inter_tx_type`).
    pub fn of_twelve(self) -> usize {
        [0, 3, 1, 2, 8, 4, 5][self as usize]
    }

    /// Its number among all sixteen.
    pub fn of_all(self) -> usize {
        [0, 7, 1, 2, 12, 8, 9][self as usize]
    }

    /// What happens down, and across.
    pub fn axes(self) -> (Axis, Axis) {
        match self {
            Kind::Identity => (Axis::Identity, Axis::Identity),
            Kind::Cosine => (Axis::Cosine, Axis::Cosine),
            Kind::CosineDown => (Axis::Cosine, Axis::Identity),
            Kind::CosineAcross => (Axis::Identity, Axis::Cosine),
            Kind::Sine => (Axis::Sine, Axis::Sine),
            Kind::SineDown => (Axis::Sine, Axis::Cosine),
            Kind::SineAcross => (Axis::Cosine, Axis::Sine),
        }
    }
}

/// So many rows or columns are turned in one go, at most.
const LANES: usize = 8;

/// The square root of two, and of one half, times 4096.
const ROOT_TWO: i32 = 5793;
const ROOT_HALF: i32 = 2896;

/// Identity transforms stretch as the others do (7.13.2.15).
#[inline(always)]
fn stretch<const L: usize>(t: &mut [Lanes<L>]) {
    let n = t.len();
    for value in t.iter_mut().flatten() {
        *value = match n {
            4 => round(*value * ROOT_TWO, 12),
            8 => *value * 2,
            16 => round(*value * 2 * ROOT_TWO, 12),
            _ => *value * 4,
        };
    }
}

#[inline(always)]
fn along<const L: usize, const BACK: bool>(axis: Axis, t: &mut [Lanes<L>]) {
    match (axis, t.len()) {
        (Axis::Cosine, 4) => cosines::<L, BACK, 2>(t),
        (Axis::Cosine, 8) => cosines::<L, BACK, 3>(t),
        (Axis::Cosine, 16) => cosines::<L, BACK, 4>(t),
        (Axis::Cosine, 32) => cosines::<L, BACK, 5>(t),
        (Axis::Cosine, _) => cosines::<L, BACK, 6>(t),
        (Axis::Sine, 4) if BACK => sines_4_back(t),
        (Axis::Sine, 4) => sines_4(t),
        (Axis::Sine, _) => sines::<L, BACK>(t),
        (Axis::Identity, _) => stretch(t),
    }
}

/// How far rows are rounded (7.13.3).
fn row_shift(shape: Shape) -> u32 {
    match (shape.shorter(), shape.longer()) {
        (2, 2 | 3) => 0,
        (2, _) | (3, 3 | 4) | (4, 5) | (5, 6) => 1,
        _ => 2,
    }
}

fn is_two_to_one(shape: Shape) -> bool {
    shape.longer() - shape.shorter() == 1
}

/// From coefficients to what is added to a prediction, row by row (7.13.3). Of sides of 64 there are 32 coefficients.
pub(crate) fn inverse(coefs: &[i32], shape: Shape, kind: Kind, depth: u32, residual: &mut [i32]) {
    match shape.shorter() {
        2 => widely(Inverse::<4>, (coefs, shape, kind, depth, residual)),
        _ => widely(Inverse::<LANES>, (coefs, shape, kind, depth, residual)),
    }
}

struct Inverse<const L: usize>;

body!(['a, const L: usize] Inverse<L> = inverse_by::<L>,
    (coefs: &'a [i32], shape: Shape, kind: Kind, depth: u32, residual: &'a mut [i32]) -> ());

#[inline(always)]
fn inverse_by<const L: usize>(
    coefs: &[i32],
    shape: Shape,
    kind: Kind,
    depth: u32,
    residual: &mut [i32],
) {
    let coded = shape.within(5);
    let (width, height, tall) = (shape.width(), shape.height(), coded.height());
    let (down, across) = kind.axes();
    let shift = row_shift(shape);
    let limit = |value: i32, bits: u32| value.clamp(-(1 << (bits - 1)), (1 << (bits - 1)) - 1);
    let columns = (depth + 6).max(16);
    let mut held = [[0; L]; 64];
    let middle = &mut residual[..shape.area()];
    for top in (0..tall).step_by(L) {
        let t = &mut held[..width];
        for (x, lanes) in t.iter_mut().enumerate() {
            match x < coded.width() {
                true => lanes.copy_from_slice(&coefs[x * tall + top..][..L]),
                false => *lanes = [0; L],
            }
        }
        if t.iter().flatten().all(|&value| value == 0) {
            (0..L).for_each(|lane| middle[(top + lane) * width..][..width].fill(0));
            continue;
        }
        for value in t.iter_mut().flatten() {
            if is_two_to_one(shape) {
                *value = round(*value * ROOT_HALF, 12);
            }
            *value = limit(*value, depth + 8);
        }
        along::<L, false>(across, t);
        for (x, lanes) in t.iter().enumerate() {
            for (lane, &value) in lanes.iter().enumerate() {
                middle[(top + lane) * width + x] = limit(round(value, shift), columns);
            }
        }
    }
    middle[tall * width..].fill(0);
    for left in (0..width).step_by(L) {
        let t = &mut held[..height];
        for (y, lanes) in t.iter_mut().enumerate() {
            lanes.copy_from_slice(&middle[y * width + left..][..L]);
        }
        along::<L, false>(down, t);
        for (y, lanes) in t.iter().enumerate() {
            for (target, &value) in middle[y * width + left..][..L].iter_mut().zip(lanes) {
                *target = round(value, 4);
            }
        }
    }
}

/// From differences, row by row, to coefficients that [`inverse`] takes back to about the same. Between the two there
/// has to be room for as many values as the block has samples.
pub(crate) fn forward(
    residual: &[i32],
    shape: Shape,
    kind: Kind,
    depth: u32,
    (middle, coefs): (&mut [i32], &mut [i32]),
) {
    match shape.shorter() {
        2 => widely(
            Forward::<4>,
            (residual, shape, kind, depth, (middle, coefs)),
        ),
        _ => widely(
            Forward::<LANES>,
            (residual, shape, kind, depth, (middle, coefs)),
        ),
    }
}

struct Forward<const L: usize>;

body!(['a, const L: usize] Forward<L> = forward_by::<L>,
    (residual: &'a [i32], shape: Shape, kind: Kind, depth: u32, room: (&'a mut [i32], &'a mut [i32])) -> ());

#[inline(always)]
fn forward_by<const L: usize>(
    residual: &[i32],
    shape: Shape,
    kind: Kind,
    depth: u32,
    (middle, coefs): (&mut [i32], &mut [i32]),
) {
    let coded = shape.within(5);
    let (width, height, tall) = (shape.width(), shape.height(), coded.height());
    let (down, across) = kind.axes();
    // Both networks together stretch by the root of a quarter of the area; the inverse takes back what is left.
    let stretched = row_shift(shape) as i32 + 6 - i32::from(shape.w + shape.h);
    // Differences are taken as large as there is room for.
    let finer = 12 - depth;
    let shift = (finer as i32 - stretched) as u32;
    let last = shift.min(11 - depth);
    let between = shift - last;
    let mut held = [[0; L]; 64];
    for left in (0..width).step_by(L) {
        let t = &mut held[..height];
        for (y, lanes) in t.iter_mut().enumerate() {
            let row = &residual[y * width + left..][..L];
            lanes
                .iter_mut()
                .zip(row)
                .for_each(|(lane, &value)| *lane = value << finer);
        }
        along::<L, true>(down, t);
        for (y, lanes) in t[..tall].iter().enumerate() {
            for (lane, &value) in lanes.iter().enumerate() {
                middle[(left + lane) * tall + y] = round(value, between);
            }
        }
    }
    for top in (0..tall).step_by(L) {
        let t = &mut held[..width];
        for (x, lanes) in t.iter_mut().enumerate() {
            lanes.copy_from_slice(&middle[x * tall + top..][..L]);
        }
        along::<L, true>(across, t);
        for (x, lanes) in t[..coded.width()].iter().enumerate() {
            for (target, &value) in coefs[x * tall + top..][..L].iter_mut().zip(lanes) {
                let value = if is_two_to_one(shape) {
                    (value * (ROOT_TWO / 2)) >> 11
                } else {
                    value
                };
                *target = round(value, last);
            }
        }
    }
}

/// The inverse Walsh–Hadamard transform of lossless blocks, 4 × 4 (7.13.2.10).
pub(crate) fn inverse_lossless(coefs: &[i32; 16], residual: &mut [i32; 16]) {
    let turned = |[a, c, d, b]: [i32; 4]| {
        let (a, d) = (a + c, d - b);
        let e = (a - d) >> 1;
        let (b, c) = (e - b, e - c);
        [a - b, b, c, d + c]
    };
    for y in 0..4 {
        let row = turned([0, 1, 2, 3].map(|x| coefs[x * 4 + y] >> 2));
        residual[y * 4..][..4].copy_from_slice(&row);
    }
    for x in 0..4 {
        let column = turned([0, 1, 2, 3].map(|y| residual[y * 4 + x]));
        (0..4).for_each(|y| residual[y * 4 + x] = column[y]);
    }
}

/// What [`inverse_lossless`] undoes, exactly.
pub(crate) fn forward_lossless(residual: &[i32; 16], coefs: &mut [i32; 16]) {
    let turned = |[a, b, c, d]: [i32; 4]| {
        let (a, d) = (a + b, d - c);
        let e = (a - d) >> 1;
        let (b, c) = (e - b, e - c);
        [a - c, c, d + b, b]
    };
    let mut middle = [0; 16];
    for x in 0..4 {
        let column = turned([0, 1, 2, 3].map(|y| residual[y * 4 + x]));
        (0..4).for_each(|y| middle[y * 4 + x] = column[y]);
    }
    for y in 0..4 {
        let row = turned([0, 1, 2, 3].map(|x| middle[y * 4 + x]));
        (0..4).for_each(|x| coefs[x * 4 + y] = row[x] * 4);
    }
}

#[cfg(test)]
mod tests;
