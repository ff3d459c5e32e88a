//! What blocks cost whole and split, told before any is coded: each is predicted from the picture itself, in the mode
//! that served best there, and transformed.

use super::Row;
use super::render::Differences;
use crate::frame::SUPERBLOCK;
use crate::ground::{self, SMALLEST};
use crate::predict::Edges;
use crate::quant::{self, Scale};
use crate::range::BIT;
use crate::shape::{Cut, Shape};
use crate::transform::{self, Kind};
use crate::wide::{body, widely};

/// What the square blocks of a superblock cost, in parts of a bit.
pub(super) struct Foretold {
    /// Whole, and split; size by size, row by row.
    costs: [(f32, f32); BLOCKS],
}

/// Those of all sizes in a superblock.
const BLOCKS: usize = 256 + 64 + 16 + 4 + 1;

/// What tells of a transform block what it costs.
pub(super) type Signs = [f32; 7];

/// What each sign weighs, by the size of the block. Fitted on photographs to what blocks came to
/// (`benches/fit_foretold.py`).
const WEIGHTS: [Signs; 5] = [
    [0.898, 0.652, 3.75, 4.3, 0.932, -3.0, -0.256],
    [5.75, 0.688, 4.25, 3.3, -1.36, -2.55, 3.45],
    [8.85, 0.838, 3.9, 0.704, -1.16, -1.67, 8.28],
    [12.9, 0.955, 4.51, 0.807, -1.35, -2.84, 8.38],
    [21.7, 1.05, 5.5, 0.596, -2.22, -3.19, 0.177],
];

/// Up to so many steps coefficients are counted, in three ways.
const MARKS: [f32; 3] = [0.3, 0.5, 0.8];

/// What is lost of a coefficient is at most about its square where it has so many steps.
const LOST: f32 = 0.55;

/// What a cut costs about, in parts of a bit, and, without loss, a block.
const CUT: f32 = 3.0 * BIT as f32;
const LEAF: f32 = 4.0 * BIT as f32;

impl Foretold {
    /// What a block costs whole beside what it costs split; without an end where it cannot be whole.
    pub fn whole(&self, at: (usize, usize), side: u8) -> f32 {
        let (whole, split) = self.costs[place(at, side)];
        whole / split
    }

    fn least(&self, at: (usize, usize), side: u8) -> f32 {
        let (whole, split) = self.costs[place(at, side)];
        whole.min(split)
    }
}

impl Row<'_> {
    /// What the blocks of a superblock cost, whatever is shown by now.
    pub(super) fn foretell(&mut self, at: (usize, usize)) -> Foretold {
        let mut foretold = Foretold {
            costs: [(f32::INFINITY, f32::INFINITY); BLOCKS],
        };
        let (frame, ground) = (self.frame, self.ground);
        for side in SMALLEST..=SUPERBLOCK {
            let shape = Shape::square(side);
            ground::each_block(frame, at, side, |known, at| {
                let origin = (at.0 * 4, at.1 * 4);
                let edges = frame.edges(known, (0, &ground.source[0]), origin, shape);
                let costs = &mut foretold.costs[place(at, side)];
                if side == SMALLEST {
                    costs.0 = self.foretold(at, shape, &edges);
                    return;
                }
                if self.may_cut(at, side) == (true, true) {
                    costs.0 = self.foretold(at, shape, &edges);
                }
                let parts = self.inside(at, Cut::Split.parts(side)).into_iter();
                let split: f32 = parts.map(|(at, part)| foretold.least(at, part.w)).sum();
                foretold.costs[place(at, side)].1 = split + CUT;
            });
        }
        foretold
    }

    /// What a block costs whole.
    fn foretold(&mut self, at: (usize, usize), shape: Shape, edges: &Edges) -> f32 {
        if self.frame.is_lossless() {
            let off = self.ground.guess(self.frame, at, shape.w).off as f32;
            return off * self.price_in(at, shape).difference(0) + LEAF;
        }
        weighed(shape, &self.signs(at, shape, edges))
    }

    /// The signs of a block whose luma is transformed in one, or in four where it is largest: that serves most often.
    pub(super) fn signs(&mut self, at: (usize, usize), shape: Shape, edges: &Edges) -> Signs {
        self.price = self.price_in(at, shape);
        let luma = self.ground.guess(self.frame, at, shape.w).modes[0];
        let kind = self.likely(shape, luma);
        let mut predicted = std::mem::take(&mut self.predicted);
        luma.predict(edges, false, &mut predicted);
        let origin = (at.0 * 4, at.1 * 4);
        let mut all = Signs::default();
        if shape.longer() < 6 {
            self.differ(origin, shape, &predicted);
            all = self.signs_as(shape, kind);
        } else {
            let quarter = shape.within(5);
            let mut own = vec![0; quarter.area()];
            for (x, y) in [(0, 0), (32, 0), (0, 32), (32, 32)] {
                let rows = predicted[y * 64..].chunks(64).take(32);
                let each = own.chunks_exact_mut(32).zip(rows);
                each.for_each(|(own, row)| own.copy_from_slice(&row[x..x + 32]));
                self.differ((origin.0 + x, origin.1 + y), quarter, &own);
                let signs = self.signs_as(quarter, kind);
                all.iter_mut().zip(signs).for_each(|(sum, own)| *sum += own);
            }
            // Those that are of the whole.
            all[0] = BIT as f32;
            all[6] = all[6].min(BIT as f32);
        }
        self.predicted = predicted;
        all
    }

    /// Tells what luma differs from a prediction.
    pub(super) fn differ(&mut self, origin: (usize, usize), shape: Shape, predicted: &[u16]) {
        let (source, residual) = (&self.ground.source[0], &mut self.residual[..shape.area()]);
        widely(
            Differences,
            (source, origin, shape.width(), predicted, residual),
        );
    }

    /// What it costs to transform in a way what differs.
    pub(super) fn foretold_as(&mut self, shape: Shape, kind: Kind) -> f32 {
        weighed(shape, &self.signs_as(shape, kind))
    }

    /// The signs of what differs, transformed in a way.
    fn signs_as(&mut self, shape: Shape, kind: Kind) -> Signs {
        let residual = &self.residual[..shape.area()];
        let coefs = &mut self.coefs[..shape.area()];
        let room = (&mut self.middle[..], &mut *coefs);
        transform::forward(residual, shape, kind, self.frame.depth.bits(), room);
        let scale = self.scales.of(0, shape, kind);
        let price = self.price.of(0);
        widely(SignsOf, (&*coefs, scale, quant::shift(shape), price))
    }
}

/// What signs come to in a block.
fn weighed(shape: Shape, signs: &Signs) -> f32 {
    let size = usize::from((shape.w + shape.h) / 2 - SMALLEST);
    let each = signs.iter().zip(&WEIGHTS[size]);
    each.map(|(sign, weight)| sign * weight).sum()
}

/// The signs of coefficients.
struct SignsOf;

body!(['a] SignsOf = signs, (coefs: &'a [i32], scale: &'a Scale, shift: u32, price: f32) -> Signs);

#[inline(always)]
fn signs(coefs: &[i32], scale: &Scale, shift: u32, price: f32) -> Signs {
    let larger = (1 << shift) as f32;
    // By Parseval's theorem.
    let unit = price / (64 >> (2 * shift)) as f32;
    // In lanes, so that sums are the same however wide the units are.
    let mut lanes = [[0.0f32; 8]; 6];
    let each = coefs.chunks_exact(8).zip(scale.parts.chunks_exact(8));
    let each = each
        .zip(scale.steps.chunks_exact(8))
        .zip(scale.worth.chunks_exact(8));
    for (((coefs, parts), steps), worth) in each {
        for lane in 0..8 {
            let size = coefs[lane].abs() as f32;
            let marks = size * larger * parts[lane];
            let lost = marks.min(LOST) * steps[lane] as f32;
            lanes[0][lane] += lost * lost * worth[lane];
            // The logarithm of one more, about, from how numbers are held.
            let digits = (1.0 + marks).to_bits() - 1.0f32.to_bits();
            lanes[1][lane] += digits as f32;
            for (sum, mark) in lanes[2..5].iter_mut().zip(MARKS) {
                sum[lane] += marks.min(mark);
            }
            lanes[5][lane] = lanes[5][lane].max(marks);
        }
    }
    let sum = |at: usize| lanes[at].iter().sum::<f32>();
    let bit = BIT as f32;
    let any = lanes[5].iter().any(|&marks| marks > 0.6);
    [
        bit,
        sum(0) * unit / (larger * larger),
        sum(1) * (bit / (1 << 23) as f32),
        sum(2) * bit,
        sum(3) * bit,
        sum(4) * bit,
        if any { bit } else { 0.0 },
    ]
}

/// Where a block stands in the list.
fn place((x, y): (usize, usize), side: u8) -> usize {
    let shift = side - SMALLEST;
    let each = 16 >> shift;
    // Those that are smaller come before: 256, 64 and so on.
    let before = (1024 - 4 * each * each) / 3;
    before + ((y & 15) >> shift) * each + ((x & 15) >> shift)
}
