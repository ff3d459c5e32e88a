//! The quantiser (section 7.12).

use crate::picture::Depth;
use crate::shape::Shape;
use crate::tables::{steps, weights};
use crate::transform::Kind;
use crate::wide::{body, widely};

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
}

/// How much finer steps are where errors are seen most, as a level of the standard: 0 for most, 15 for alike.
pub(crate) type Weights = u8;

/// The level that serves a quantiser best: found on photographs, by bytes at equal visual scores from 55 to 90.
pub(crate) fn weights(quantiser: u8) -> Weights {
    8 - quantiser.div_ceil(30).min(8)
}

/// All steps alike.
pub(crate) const ALIKE: Weights = 15;

/// How transform blocks of a frame are quantised.
#[derive(Clone, Debug)]
pub(crate) struct Scales {
    pub steps: Steps,
    /// For luma and chroma.
    pub weights: [Weights; 2],
    /// For luma and chroma, without weights and with them, by shape.
    scales: [[Vec<Scale>; 2]; 2],
}

/// The steps of a transform block, column by column.
#[derive(Clone, Debug, Default)]
pub(crate) struct Scale {
    pub steps: Vec<i32>,
    /// One divided by each.
    pub parts: Vec<f32>,
    /// How much a squared error of each coefficient counts: the less, the larger its step is made by weights.
    pub worth: Vec<f32>,
}

impl Scales {
    /// For a quantiser from 0 to 255.
    pub fn new(quantiser: u8, depth: Depth, weights: [Weights; 2]) -> Scales {
        let steps = Steps::new(quantiser, depth);
        let scales = [0, 1].map(|chroma: usize| {
            [ALIKE, weights[chroma]].map(|weights| {
                let shapes = (0..16).map(|at| Shape::new(2 + at / 4, 2 + at % 4));
                shapes
                    .map(|shape| Scale::new(steps, shape, (chroma, weights)))
                    .collect()
            })
        });
        Scales {
            steps,
            weights,
            scales,
        }
    }

    /// The scale of a transform block.
    pub fn of(&self, plane: usize, shape: Shape, kind: Kind) -> &Scale {
        let coded = shape.within(5);
        // Where one way is left as it is there are no weights (7.12.3).
        let is_weighted = !matches!(kind, Kind::Identity | Kind::CosineDown | Kind::CosineAcross);
        let shapes = &self.scales[plane.min(1)][usize::from(is_weighted)];
        &shapes[usize::from((coded.w - 2) * 4 + coded.h - 2)]
    }
}

impl Scale {
    fn new(steps: Steps, shape: Shape, (chroma, weights): (usize, Weights)) -> Scale {
        if shape.longer() - shape.shorter() > 2 {
            // There are no such transforms.
            return Scale::default();
        }
        let places = (0..shape.width()).flat_map(|x| (0..shape.height()).map(move |y| (x, y)));
        let weight = |place| match weights {
            ALIKE => SAME,
            level => i32::from(weight(level, chroma, shape, place)),
        };
        let weights: Vec<i32> = places.map(weight).collect();
        let step = |(place, weight): (usize, &i32)| {
            let step = if place == 0 {
                steps.first
            } else {
                steps.others
            };
            (step * weight + SAME / 2) / SAME
        };
        let steps: Vec<i32> = weights.iter().enumerate().map(step).collect();
        let worth = weights.iter().map(|&weight| SAME as f32 / weight as f32);
        Scale {
            parts: steps.iter().map(|&step| 1.0 / step as f32).collect(),
            steps,
            worth: worth.collect(),
        }
    }

    /// How much more squared coefficients count than if all counted once.
    pub fn beyond(&self, coefs: &[i32]) -> f32 {
        widely(Beyond, (coefs, &self.worth[..]))
    }
}

/// The weight that leaves a step as it is.
const SAME: i32 = 32;

struct Beyond;

body!(['a] Beyond = beyond, (coefs: &'a [i32], worth: &'a [f32]) -> f32);

#[inline(always)]
fn beyond(coefs: &[i32], worth: &[f32]) -> f32 {
    // In lanes, so that sums are the same however wide the units are.
    let mut lanes = [0.0f32; 8];
    for (coefs, worth) in coefs.chunks_exact(8).zip(worth.chunks_exact(8)) {
        for ((lane, &coef), worth) in lanes.iter_mut().zip(coefs).zip(worth) {
            *lane += (coef as f32 * coef as f32) * (worth - 1.0);
        }
    }
    lanes.iter().sum()
}

/// The weight of a coefficient, in 32nds.
fn weight(level: Weights, chroma: usize, shape: Shape, (x, y): (usize, usize)) -> u8 {
    let level = usize::from(level);
    // Those of the largest shape stand for all others, each that is next to the middle of several.
    let within = |at: usize, side: u8, whole: u8| {
        let each = 1usize << (whole - side);
        at * each + (each - 1) / 2
    };
    let (long, short) = match shape.w >= shape.h {
        true => ((x, shape.w), (y, shape.h)),
        false => ((y, shape.h), (x, shape.w)),
    };
    let far = within(long.0, long.1, 5);
    if shape.w == shape.h {
        let near = within(short.0, short.1, 5);
        let (row, column) = (far.max(near), far.min(near));
        return weights::SQUARE[level][chroma][row * (row + 1) / 2 + column];
    }
    let near = within(short.0, short.1, 4);
    weights::WIDE[level][chroma][near * 32 + far]
}

/// How far the values of large transforms are shifted.
pub(crate) fn shift(shape: Shape) -> u32 {
    shape.class().saturating_sub(2) as u32
}

/// The nearest levels of coefficients.
pub(crate) fn quantise(coefs: &[i32], scale: &Scale, shift: u32, depth: Depth, levels: &mut [i32]) {
    // No decoder has to cut off what is no larger (7.12.3).
    let most = (1 << (7 + depth.bits())) - 1;
    widely(Nearest, (coefs, scale, (shift, most), levels));
}

struct Nearest;

body!(['a] Nearest = nearest,
    (coefs: &'a [i32], scale: &'a Scale, most: (u32, i32), levels: &'a mut [i32]) -> ());

#[inline(always)]
fn nearest(coefs: &[i32], scale: &Scale, (shift, most): (u32, i32), levels: &mut [i32]) {
    // Numbers beyond this one have no room for fractions: what is below it is a whole number.
    const WHOLE: f32 = (1 << 23) as f32;
    let larger = (1 << shift) as f32;
    let scale = scale.steps.iter().zip(&scale.parts);
    for ((&coef, level), (step, part)) in coefs.iter().zip(levels).zip(scale) {
        let size = coef.abs().min(most - (step >> shift)) as f32 * (larger * part) + WHOLE;
        let size = (size.to_bits() & 0x7f_ffff) as i32;
        *level = if coef < 0 { -size } else { size };
    }
}
