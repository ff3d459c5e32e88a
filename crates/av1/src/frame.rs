//! Which tools a frame uses, how it is quantised, and what errors cost in it.

use std::sync::{Arc, OnceLock};

use crate::block::Luma;
use crate::coefs::Told;
use crate::context::Known;
use crate::picture::{Chroma, Depth, Plane};
use crate::predict::{Around, Edges};
use crate::quant::{Scales, Steps};
use crate::range::BIT;
use crate::shape::Shape;

/// The side of a superblock, as a logarithm.
pub(crate) const SUPERBLOCK: u8 = 6;

/// Which tools a frame uses, and how it is quantised.
#[derive(Clone, Debug)]
pub(crate) struct Frame {
    pub chroma: Chroma,
    pub depth: Depth,
    /// Width and height in samples.
    pub size: (usize, usize),
    /// From 0 to 255; 0 is lossless.
    pub quantiser: u8,
    pub scales: Arc<Scales>,
    /// Whether only five transform types are told apart.
    pub few_kinds: bool,
    /// Whether blocks may have palettes.
    pub has_palettes: bool,
    /// Whether blocks may be copied from what is shown by then; nothing is filtered then.
    pub has_copies: bool,
    /// Whether edges are filtered for directions.
    pub filters_edges: bool,
    /// How superblocks are quantised otherwise, if they are.
    pub spread: Option<Arc<Spread>>,
    pub price: Price,
    /// How busy the picture is, as the mean of standard deviations.
    pub busy: f32,
}

/// About the logarithm to the base of two, from how numbers are held.
pub(crate) fn digits(number: f32) -> f32 {
    let bits = number.to_bits() as i32 - 1.0f32.to_bits() as i32;
    bits as f32 / (1 << 23) as f32
}

/// Scales of quantisers around that of the frame, made as they are needed.
#[derive(Debug, Default)]
pub(crate) struct Spread {
    scales: [OnceLock<Arc<Scales>>; 2 * SPREAD + 1],
}

/// Superblocks are so many steps off at most, each of so many quantisers.
pub(crate) const SPREAD: usize = 12;
pub(crate) const SPREAD_STEP: usize = 4;

/// So many steps a superblock is off where errors count twice as much. With 9 errors would be as the price of bits has
/// it; what was best by the score is less.
const PER_DOUBLE: f32 = 4.0;

/// What a squared error in luma and in chroma costs, in parts of a bit.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Price {
    errors: [f32; 2],
}

/// What is gained by a bit at the right price, in squared steps.
const WORTH: f32 = 0.09;

/// Errors of chroma count so many times.
const TINT: f32 = 2.0;

/// How busy the calmest picture counts, as a standard deviation.
const CALM: f32 = 6.0;

/// What a unit of the transformed difference counts beside the root of the price of errors.
const DIFFERENCE: f32 = 11.0;

impl Price {
    /// The price at which steps are worth their bits.
    pub fn new(steps: Steps) -> Price {
        let price = |steps: Steps| {
            let step = steps.others as f32 / 8.0;
            BIT as f32 / (WORTH * step * step)
        };
        Price {
            errors: [price(steps), price(steps) * TINT],
        }
    }

    pub fn of(&self, plane: usize) -> f32 {
        self.errors[plane.min(1)]
    }

    /// What a unit of the transformed difference costs, as far as that can be told before it is quantised.
    pub fn difference(&self, plane: usize) -> f32 {
        self.of(plane).sqrt() * DIFFERENCE
    }
}

impl Frame {
    pub fn is_lossless(&self) -> bool {
        self.quantiser == 0
    }

    /// The same for a tile that begins at a superblock and has so many.
    pub fn part(&self, at: (usize, usize), size: (usize, usize)) -> Frame {
        let side = |at: usize, size: usize, whole: usize| (size * 64).min(whole - at * 64);
        Frame {
            size: (
                side(at.0, size.0, self.size.0),
                side(at.1, size.1, self.size.1),
            ),
            ..self.clone()
        }
    }

    /// What errors cost where the picture is so busy, as a standard deviation: they are seen less there.
    pub fn price_where(&self, busy: f32) -> Price {
        let weight = self.weight(busy);
        Price {
            errors: self.price.errors.map(|price| price * weight),
        }
    }

    /// How much more errors count where the picture is so busy than on the whole.
    fn weight(&self, busy: f32) -> f32 {
        (CALM + self.busy) / (CALM + busy)
    }

    /// The quantiser of a superblock that is so busy, as a standard deviation: lower where errors are seen more.
    pub fn quantiser_where(&self, busy: f32) -> u8 {
        if self.spread.is_none() {
            return self.quantiser;
        }
        let (own, step) = (i32::from(self.quantiser), SPREAD_STEP as i32);
        let steps = (digits(self.weight(busy)) * -PER_DOUBLE).round() as i32;
        // In whole steps, within all quantisers with loss.
        let far = SPREAD as i32;
        let (least, most) = ((1 - own) / step, (255 - own) / step);
        (own + steps.clamp(least.max(-far), most.min(far)) * step) as u8
    }

    /// How a quantiser scales.
    pub fn scales_of(&self, quantiser: u8) -> Arc<Scales> {
        let spread = self.spread.as_ref();
        let Some(spread) = spread.filter(|_| quantiser != self.quantiser) else {
            return Arc::clone(&self.scales);
        };
        let steps = (i32::from(quantiser) - i32::from(self.quantiser)) / SPREAD_STEP as i32;
        let at = (steps + SPREAD as i32) as usize;
        let scales = || Arc::new(Scales::new(quantiser, self.depth, self.scales.weights));
        Arc::clone(spread.scales[at].get_or_init(scales))
    }

    /// What the type of a transform block of luma is told by, where it is.
    pub fn told(&self, transform: Shape, luma: Luma) -> Option<Told> {
        let is_told = !self.is_lossless() && transform.longer() < 5;
        is_told.then(|| Told {
            mode: Some(luma.likeness() as usize),
            few: self.few_kinds,
        })
    }

    /// The same in a copied block.
    pub fn told_copied(&self, transform: Shape) -> Option<Told> {
        let is_told = !self.is_lossless() && transform.longer() < 6;
        is_told.then_some(Told {
            mode: None,
            few: self.few_kinds,
        })
    }

    /// Whether the picture is filtered once it is put together.
    pub fn is_filtered(&self) -> bool {
        !self.is_lossless() && !self.has_copies
    }

    /// The neighbours of a block in a plane, as far as they are known.
    pub fn edges(
        &self,
        known: &Known,
        (plane, samples): (usize, &Plane),
        (x, y): (usize, usize),
        shape: Shape,
    ) -> Edges {
        let (across, down) = self.units();
        let shift = self.chroma.shift(plane);
        // Within the superblock, from one unit before it.
        let mask = |shift: u8| (64usize >> shift) - 1;
        let unit = |at: usize, shift: u8| ((at & mask(shift)) >> 2) + 1;
        let (column, row) = (unit(x, shift.0), unit(y, shift.1));
        let around = Around {
            above: y > 0,
            left: x > 0,
            above_right: known.is(plane, column + shape.width4(), row - 1),
            below_left: known.is(plane, column - 1, row + shape.height4()),
            last: (((across * 4) >> shift.0) - 1, ((down * 4) >> shift.1) - 1),
            is_filtered: self.filters_edges,
        };
        Edges::new(samples, (x, y), shape, around, self.depth.bits())
    }

    /// Width and height in units of four samples, of which there is an even number.
    pub fn units(&self) -> (usize, usize) {
        let units = |side: usize| side.div_ceil(8) * 2;
        (units(self.size.0), units(self.size.1))
    }
}
