//! Leaves put together as a decoder does.

use super::{Place, Row};
use crate::block::{Leaf, Luma, Offset, TRANSFORMS, Tint};
use crate::coefs::{self, Context, Told};
use crate::context::Side;
use crate::palette::Palette;
use crate::picture::Plane;
use crate::predict::{self, Edges};
use crate::quant;
use crate::range::Counter;
use crate::shape::Shape;
use crate::transform::{self, Kind};
use crate::wide::{body, widely};

/// A transform block that is to be coded.
#[derive(Clone, Copy)]
pub(super) struct Wanted {
    pub plane: usize,
    /// Within the plane, in samples.
    pub at: (usize, usize),
    /// The size of its block in the plane.
    pub block: Shape,
    pub transform: Shape,
    pub kind: Kind,
    /// What its type is told by, where it is told.
    pub told: Option<Told>,
}

/// What a transform block comes to.
#[derive(Clone, Copy)]
pub(super) struct Quantised {
    /// What its coefficients cost, in parts of a bit.
    pub bits: f32,
    /// What its errors cost.
    pub errors: f32,
    pub context: Context,
}

impl Quantised {
    pub fn cost(self) -> f32 {
        self.bits + self.errors
    }
}

impl Row<'_> {
    /// Predicts a leaf, and codes and adds what it differs.
    pub(super) fn render(&mut self, at: (usize, usize), shape: Shape, leaf: &Leaf) {
        self.price = self.price_in(at, shape);
        let ends = self.render_lumas(at, shape, leaf);
        self.render_tints(at, shape, leaf, ends);
    }

    /// Chroma, where the block has any, beside luma that is shown up to some ends.
    pub(super) fn render_tints(
        &mut self,
        at: (usize, usize),
        shape: Shape,
        leaf: &Leaf,
        ends: (usize, usize),
    ) {
        if !self.has_chroma(at, shape) {
            return;
        }
        let palettes = leaf.tint_palettes();
        let is_luma_blank = self.skips();
        for plane in 1..3 {
            let shift = self.frame.chroma.shift(plane);
            let own = shape.in_plane(shift);
            let transform = match self.frame.is_lossless() {
                true => Shape::square(2),
                false => own.within(5),
            };
            let (origin, _) = self.area(plane, at, shape);
            let smooth = self.is_beside_smooth(plane, origin);
            for place in self.blocks(plane, origin, own, transform) {
                let wanted = Wanted {
                    plane,
                    at: place,
                    block: own,
                    transform,
                    kind: match leaf.copied {
                        None => kind_of_tint(leaf.tint, transform),
                        Some(_) => kind_of_copy(leaf, is_luma_blank, transform),
                    },
                    told: None,
                };
                match leaf.copied {
                    None => self.render_tint(&wanted, (leaf.tint, &palettes, smooth), ends),
                    Some(offset) => self.render_copy(&wanted, offset),
                }
            }
        }
    }

    /// Luma alone; returns where it ends.
    pub(super) fn render_lumas(
        &mut self,
        at: (usize, usize),
        shape: Shape,
        leaf: &Leaf,
    ) -> (usize, usize) {
        self.places.clear();
        self.levels.clear();
        let (transform, palette) = (self.transform(shape, leaf), leaf.palette(0));
        let origin = (at.0 * 4, at.1 * 4);
        let smooth = self.is_beside_smooth(0, origin);
        for (index, place) in self
            .blocks(0, origin, shape, transform)
            .into_iter()
            .enumerate()
        {
            let kind = match self.frame.is_lossless() || transform.longer() > 4 {
                true => Kind::Cosine,
                false => leaf.kinds[index.min(TRANSFORMS - 1)],
            };
            let wanted = Wanted {
                plane: 0,
                at: place,
                block: shape,
                transform,
                kind,
                told: match leaf.copied {
                    None => self.frame.told(transform, leaf.luma),
                    Some(_) => self.frame.told_copied(transform),
                },
            };
            match leaf.copied {
                None => self.render_luma(&wanted, (leaf.luma, &palette), smooth),
                Some(offset) => self.render_copy(&wanted, offset),
            }
        }
        self.luma_ends(at, shape, transform)
    }

    /// The transform of a leaf in luma.
    pub(super) fn transform(&self, shape: Shape, leaf: &Leaf) -> Shape {
        match self.frame.is_lossless() {
            true => Shape::square(2),
            false => leaf.transform(shape),
        }
    }

    /// Where the last transform block of luma ends, of those within the picture.
    pub(super) fn luma_ends(
        &self,
        at: (usize, usize),
        shape: Shape,
        transform: Shape,
    ) -> (usize, usize) {
        let (across, down) = self.frame.units();
        let end = |at: usize, length: usize, step: usize, ends: usize| {
            let inside = (ends * 4 - at * 4).min(length);
            at * 4 + inside.div_ceil(step) * step
        };
        (
            end(at.0, shape.width(), transform.width(), across),
            end(at.1, shape.height(), transform.height(), down),
        )
    }

    /// Where the transform blocks of a block begin in a plane, those within the picture.
    pub(super) fn blocks(
        &self,
        plane: usize,
        (x, y): (usize, usize),
        block: Shape,
        transform: Shape,
    ) -> Vec<(usize, usize)> {
        let (across, down) = self.frame.units();
        let shift = self.frame.chroma.shift(plane);
        let rows = (y..y + block.height()).step_by(transform.height());
        let columns = (x..x + block.width()).step_by(transform.width());
        let all = rows.flat_map(|y| columns.clone().map(move |x| (x, y)));
        all.filter(|(x, y)| x << shift.0 < across * 4 && y << shift.1 < down * 4)
            .collect()
    }

    pub(super) fn edges(&self, plane: usize, at: (usize, usize), shape: Shape) -> Edges {
        self.frame
            .edges(&self.known, (plane, &self.shown[plane]), at, shape)
    }

    /// Whether a neighbour of a block was predicted smoothly.
    pub(super) fn is_beside_smooth(&self, plane: usize, (x, y): (usize, usize)) -> bool {
        let rows = 16 >> self.frame.chroma.shift(plane).1;
        let mode = |side: &Side, at: usize| match plane {
            0 => side.cells[at].mode,
            _ => side.tints[at].mode,
        };
        let above = y > 0 && mode(&self.above, x / 4).is_smooth();
        above || (x > 0 && mode(&self.left, (y / 4) & (rows - 1)).is_smooth())
    }

    fn render_luma(&mut self, wanted: &Wanted, luma: (Luma, &Palette), smooth: bool) {
        let edges = self.edges(0, wanted.at, wanted.transform);
        let mut predicted = std::mem::take(&mut self.predicted);
        let place = (wanted.at, wanted.transform);
        self.predict_luma(luma, place, (&edges, smooth), &mut predicted);
        self.difference(wanted, &predicted);
        self.predicted = predicted;
    }

    fn render_copy(&mut self, wanted: &Wanted, offset: Offset) {
        let mut predicted = std::mem::take(&mut self.predicted);
        self.copy(
            wanted.plane,
            wanted.at,
            wanted.transform,
            offset,
            &mut predicted,
        );
        self.difference(wanted, &predicted);
        self.predicted = predicted;
    }

    fn render_tint(
        &mut self,
        wanted: &Wanted,
        (tint, palettes, smooth): (Tint, &[Palette; 2], bool),
        ends: (usize, usize),
    ) {
        let &Wanted {
            plane,
            at,
            transform: shape,
            ..
        } = wanted;
        let edges = self.edges(plane, at, shape);
        let mut predicted = std::mem::take(&mut self.predicted);
        let mut differences = std::mem::take(&mut self.differences);
        if let Tint::Luma(_) = tint {
            let shift = self.frame.chroma.shift(plane);
            predict::luma_differences(&self.shown[0], at, shape, shift, ends, &mut differences);
        }
        let beside = (&differences[..shape.area()], self.frame.depth.bits());
        if palettes[0].is_empty() {
            predict_tint(&edges, (plane, tint), smooth, beside, &mut predicted);
        } else {
            self.predict_tint_palette((plane, palettes), (at, shape), &mut predicted);
        }
        self.difference(wanted, &predicted);
        (self.predicted, self.differences) = (predicted, differences);
    }

    /// Quantises what a block differs from its prediction.
    pub(super) fn quantise(&mut self, wanted: &Wanted, predicted: &[u16]) -> Quantised {
        let &Wanted {
            plane,
            at: (x, y),
            transform: shape,
            kind,
            ..
        } = wanted;
        let (frame, depth) = (self.frame, self.frame.depth);
        let (width, area) = (shape.width(), shape.area());
        let coded = shape.within(5).area();
        let context = self.context(plane, (x, y), (wanted.block, shape));
        let residual = &mut self.residual[..area];
        let source = &self.ground.source[plane];
        let square = widely(
            Differences,
            (source, (x, y), width, predicted, &mut *residual),
        );
        let held = &mut self.quantised[0];
        let (levels, values) = (&mut held.levels[..coded], &mut held.values[..coded]);
        if frame.is_lossless() {
            let (mut block, mut turned) = ([0; 16], [0; 16]);
            block.copy_from_slice(residual);
            transform::forward_lossless(&block, &mut turned);
            values.copy_from_slice(&turned);
            levels.copy_from_slice(&turned.map(|coef| coef / 4));
            let mut counter = Counter::default();
            coefs::code(
                &mut counter,
                (&mut self.odds, &mut self.seen),
                (shape, plane),
                (kind, None),
                levels,
                context,
            );
            return Quantised {
                bits: counter.cost as f32,
                errors: 0.0,
                context,
            };
        }
        let coefs = &mut self.coefs[..coded];
        transform::forward(
            residual,
            shape,
            kind,
            depth.bits(),
            (&mut self.middle, coefs),
        );
        let (scale, shift) = (self.scales.of(plane, shape, kind), quant::shift(shape));
        quant::quantise(coefs, scale, shift, depth, levels);
        let price = self.price.of(plane);
        let block = coefs::Block {
            shape,
            plane,
            kind,
            told: wanted.told,
            all_zero: context.all_zero,
            coefs,
            scale,
            shift,
            // By Parseval's theorem.
            price: price / (64 >> (2 * shift)) as f32,
        };
        let beyond = block.price * scale.beyond(coefs);
        let chosen = coefs::choose((&mut self.odds, &mut self.seen), &block, levels, values);
        Quantised {
            bits: chosen.cost,
            errors: (square * price + beyond - chosen.saved).max(0.0),
            context,
        }
    }

    /// Quantises what a block differs from its prediction, and shows what comes back.
    fn difference(&mut self, wanted: &Wanted, predicted: &[u16]) {
        let quantised = self.quantise(wanted, predicted);
        self.put(wanted, predicted, quantised);
    }

    /// Changes places of what was quantised last, the first, and what was put aside.
    pub(super) fn swap(&mut self, a: usize, b: usize) {
        self.quantised.swap(a, b);
    }

    /// Shows what comes back of the block that was quantised last.
    pub(super) fn put(&mut self, wanted: &Wanted, predicted: &[u16], quantised: Quantised) {
        let &Wanted {
            plane,
            at: (x, y),
            transform: shape,
            kind,
            ..
        } = wanted;
        let Quantised {
            errors, context, ..
        } = quantised;
        self.spent += quantised.cost();
        let depth = self.frame.depth;
        let (width, area) = (shape.width(), shape.area());
        let coded = shape.within(5).area();
        let start = self.levels.len();
        let held = &self.quantised[0];
        let (levels, values) = (&held.levels[..coded], &held.values[..coded]);
        self.levels.extend_from_slice(levels);
        let residual = &mut self.residual[..area];
        if self.frame.is_lossless() {
            let (mut turned, mut block) = ([0; 16], [0; 16]);
            turned.copy_from_slice(values);
            transform::inverse_lossless(&turned, &mut block);
            residual.copy_from_slice(&block);
        } else if levels.iter().any(|&level| level != 0) {
            transform::inverse(values, shape, kind, depth.bits(), residual);
        } else {
            residual.fill(0);
        }
        let (residual, shown) = (&self.residual[..area], &mut self.shown[plane]);
        widely(
            Sums,
            (residual, predicted, depth.bits(), shown, (x, y), width),
        );
        self.places.push(Place {
            plane,
            shape,
            kind,
            levels: start,
            errors,
            context,
            at: (x, y),
        });
        let trace = coefs::trace(&self.levels[start..]);
        self.trace(plane, (x, y), shape, trace);
        let unit = self.unit(plane, (x, y));
        self.known
            .set(plane, unit, (shape.width4(), shape.height4()));
    }

    /// Where samples of a plane lie within their superblock, in units of four.
    pub(super) fn unit(&self, plane: usize, (x, y): (usize, usize)) -> (usize, usize) {
        let shift = self.frame.chroma.shift(plane);
        let within = |at: usize, shift: u8| (at & ((64 >> shift) - 1)) / 4;
        (within(x, shift.0), within(y, shift.1))
    }
}

/// A prediction of chroma in a plane, beside what luma differs from its mean at a depth in bits.
pub(super) fn predict_tint(
    edges: &Edges,
    (plane, tint): (usize, Tint),
    smooth: bool,
    (differences, bits): (&[i32], u32),
    out: &mut [u16],
) {
    let (mode, delta) = tint.mode();
    edges.predict(mode, delta.into(), smooth, out);
    if let Tint::Luma(alphas) = tint {
        let alpha = alphas[plane - 1].into();
        predict::add_luma(differences, alpha, bits, &mut out[..differences.len()]);
    }
}

/// The type of a transform block of chroma.
pub(super) fn kind_of_tint(tint: Tint, transform: Shape) -> Kind {
    match transform.longer() > 4 {
        true => Kind::Cosine,
        false => tint.kind(),
    }
}

/// The same of a copied block: that of luma, if that has any coefficients.
fn kind_of_copy(leaf: &Leaf, is_luma_blank: bool, transform: Shape) -> Kind {
    match is_luma_blank || transform.longer() > 4 {
        true => Kind::Cosine,
        false => leaf.kinds[0],
    }
}

/// What a block differs from its prediction; returns the sum of squares.
pub(super) struct Differences;

body!(['a] Differences = differences,
    (source: &'a Plane, at: (usize, usize), width: usize, predicted: &'a [u16], residual: &'a mut [i32]) -> f32);

#[inline(always)]
fn differences(
    source: &Plane,
    (x, y): (usize, usize),
    width: usize,
    predicted: &[u16],
    residual: &mut [i32],
) -> f32 {
    let mut square = 0.0;
    let rows = residual
        .chunks_exact_mut(width)
        .zip(predicted.chunks_exact(width));
    for (row, (target, predicted)) in rows.enumerate() {
        let source = source.row(x, y + row, width);
        let mut sum = 0;
        for ((target, &sample), &predicted) in target.iter_mut().zip(source).zip(predicted) {
            *target = i32::from(sample) - i32::from(predicted);
            sum += *target * *target;
        }
        square += sum as f32;
    }
    square
}

/// Predictions and what they differ put together.
struct Sums;

body!(['a] Sums = sums, (residual: &'a [i32], predicted: &'a [u16], bits: u32, shown: &'a mut Plane,
    at: (usize, usize), width: usize) -> ());

#[inline(always)]
fn sums(
    residual: &[i32],
    predicted: &[u16],
    bits: u32,
    shown: &mut Plane,
    (x, y): (usize, usize),
    width: usize,
) {
    let most = (1 << bits) - 1;
    let rows = residual
        .chunks_exact(width)
        .zip(predicted.chunks_exact(width));
    for (row, (residual, predicted)) in rows.enumerate() {
        let shown = shown.row_mut(x, y + row, width);
        for ((target, &difference), &predicted) in shown.iter_mut().zip(residual).zip(predicted) {
            *target = (i32::from(predicted) + difference).clamp(0, most) as u16;
        }
    }
}
