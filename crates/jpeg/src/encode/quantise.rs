//! From transformed blocks to quantised coefficients.
//!
//! At the quick pace each coefficient is rounded. Else all coefficients of a block are chosen together,
//! so that what is lost and what is paid for it are least in sum (Crouse and Ramchandran, Joint
//! thresholding and quantizer selection for transform image coding, 1997): along the zigzag sequence
//! the best way to end with each coefficient is kept. What a symbol costs is told by the tables that
//! fit the rounded coefficients.

use super::code::magnitude;
use super::forward::FRACTION;
use super::prepare::Transformed;
use super::tables::{self, Counts};
use crate::block::{Block, PLACE};
use crate::frame::Component;

/// How bits and losses are weighed against each other.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Balance {
    /// What a bit is worth, in squares of a quantisation step.
    pub bit: f32,
    /// By how much the worth of a bit grows with what else happens in a block, which hides losses.
    pub hidden: f32,
}

/// The steps of a component, by the zigzag sequence.
pub(crate) type Steps = [u16; 64];

/// The reciprocal of each step in the order of blocks.
struct Scales([f32; 64]);

impl Scales {
    fn new(steps: &Steps) -> Scales {
        let mut scales = [0.0; 64];
        for (index, &step) in steps.iter().enumerate() {
            scales[usize::from(PLACE[index])] = 1.0 / (f32::from(step) * (1 << FRACTION) as f32);
        }
        Scales(scales)
    }
}

/// Each coefficient rounded.
pub(crate) fn rounded(transformed: &Transformed, steps: &Steps) -> Vec<Block> {
    let scales = Scales::new(steps);
    let blocks = transformed.blocks.iter();
    blocks.map(|block| round(block, &scales)).collect()
}

#[inline(always)]
fn round(block: &Block, scales: &Scales) -> Block {
    let mut out = [0i16; 64];
    for place in 0..64 {
        let value = f32::from(block[place]) * scales.0[place];
        let half = if value < 0.0 { -0.5 } else { 0.5 };
        out[place] = (value + half) as i16;
    }
    out
}

/// What the AC symbols of blocks cost, in bits.
pub(crate) struct Costs {
    symbols: [f32; 256],
}

impl Costs {
    /// From the blocks that were rounded.
    pub fn of<'b>(planes: impl Iterator<Item = &'b [Block]>) -> Costs {
        let mut counts: Counts = [0; 256];
        for block in planes.flatten() {
            let mut run = 0u32;
            for &place in &PLACE[1..] {
                let value = block[usize::from(place)];
                if value == 0 {
                    run += 1;
                    continue;
                }
                while run > 15 {
                    counts[0xF0] += 1;
                    run -= 16;
                }
                let (size, _) = magnitude(value.into());
                counts[(run << 4 | size.min(15)) as usize] += 1;
                run = 0;
            }
            if run > 0 {
                counts[0] += 1;
            }
        }
        let lengths = tables::lengths(&counts);
        let mut symbols = [0.0; 256];
        for (symbol, cost) in symbols.iter_mut().enumerate() {
            // What did not occur is rare.
            let length = if lengths[symbol] == 0 {
                14
            } else {
                lengths[symbol]
            };
            *cost = f32::from(length) + (symbol & 15) as f32;
        }
        Costs { symbols }
    }

    #[inline(always)]
    fn of_symbol(&self, run: usize, size: u32) -> f32 {
        let long = (run >> 4) as f32 * self.symbols[0xF0];
        long + self.symbols[(run & 15) << 4 | size as usize]
    }
}

/// All coefficients of each block chosen together.
pub(crate) fn chosen(
    (transformed, rounded): (&Transformed, &[Block]),
    component: &Component,
    steps: &Steps,
    costs: &Costs,
    balance: Balance,
) -> Vec<Block> {
    let scales = Scales::new(steps);
    let mut out: Vec<Block> = Vec::with_capacity(transformed.blocks.len());
    for (index, block) in transformed.blocks.iter().enumerate() {
        let (x, y) = (index % component.padded.0, index / component.padded.0);
        let shows = x < component.blocks.0 && y < component.blocks.1;
        let mut quantised = rounded[index];
        if shows {
            choose(block, &mut quantised, &scales, costs, balance);
        } else {
            // What fills up the last units shows nothing: it costs as little as can be.
            let before = if x > 0 { out.last() } else { None };
            let dc = before.map_or(quantised[0], |before| before[0]);
            quantised = [0; 64];
            quantised[0] = dc;
        }
        out.push(quantised);
    }
    out
}

/// A way to end with a coefficient.
#[derive(Clone, Copy)]
struct Way {
    /// The index of the zigzag sequence.
    k: usize,
    value: i16,
    cost: f32,
    /// The way before it.
    before: usize,
}

fn choose(block: &Block, quantised: &mut Block, scales: &Scales, costs: &Costs, balance: Balance) {
    // What is lost if all coefficients up to an index are zero.
    let mut zeroed = [0.0f32; 65];
    let mut exact = [0.0f32; 64];
    for k in 1..64 {
        let place = usize::from(PLACE[k]);
        exact[k] = f32::from(block[place]) * scales.0[place];
        zeroed[k + 1] = zeroed[k] + exact[k] * exact[k];
    }
    let bit = balance.bit * (1.0 + balance.hidden * (zeroed[64] / 63.0).min(16.0));
    let mut ways = [Way {
        k: 0,
        value: 0,
        cost: 0.0,
        before: 0,
    }; 129];
    let mut count = 1;
    for k in 1..64 {
        let place = usize::from(PLACE[k]);
        let nearest = quantised[place];
        if nearest == 0 {
            continue;
        }
        let sign = nearest.signum();
        let candidates = [nearest, nearest - sign];
        let known = count;
        for value in candidates.into_iter().take_while(|&value| value != 0) {
            let lost = exact[k] - f32::from(value);
            let size = 16 - value.unsigned_abs().leading_zeros();
            let mut best = (f32::MAX, 0);
            for (index, way) in ways[..known].iter().enumerate() {
                let between = zeroed[k] - zeroed[way.k + 1];
                let cost = way.cost + between + bit * costs.of_symbol(k - way.k - 1, size);
                if cost < best.0 {
                    best = (cost, index);
                }
            }
            ways[count] = Way {
                k,
                value,
                cost: best.0 + lost * lost,
                before: best.1,
            };
            count += 1;
        }
    }
    let end = |way: &Way| {
        let rest = zeroed[64] - zeroed[way.k + 1];
        let code = if way.k < 63 {
            bit * costs.symbols[0]
        } else {
            0.0
        };
        way.cost + rest + code
    };
    let mut best = (f32::MAX, 0);
    for (index, way) in ways[..count].iter().enumerate() {
        let cost = end(way);
        if cost < best.0 {
            best = (cost, index);
        }
    }
    for &place in &PLACE[1..] {
        quantised[usize::from(place)] = 0;
    }
    let mut at = best.1;
    while at > 0 {
        let way = ways[at];
        quantised[usize::from(PLACE[way.k])] = way.value;
        at = way.before;
    }
}
