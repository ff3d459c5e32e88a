//! From transformed blocks to quantised coefficients.
//!
//! At the quick pace each coefficient is rounded. Else all coefficients of a block are chosen together,
//! so that what is lost and what is paid for it are least in sum (Crouse and Ramchandran, Joint
//! thresholding and quantizer selection for transform image coding, 1997): along the zigzag sequence
//! the best way to end with each coefficient is kept. What a symbol costs is told by the tables that
//! fit the rounded coefficients.

use pulp::Arch;

use super::code::magnitude;
use super::forward::FRACTION;
use super::headroom::{self, Cut};
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
    /// So often a block is let swing farther beyond black and white.
    pub swings: usize,
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
pub(crate) fn rounded(arch: Arch, transformed: &Transformed, steps: &Steps) -> Vec<Block> {
    let scales = Scales::new(steps);
    let blocks = transformed.blocks.iter();
    arch.dispatch(|| blocks.map(|block| round(block, &scales)).collect())
}

/// What is added to a number so that its last bits are those of the nearest whole number.
const WHOLE: f32 = (3 << 22) as f32;

#[inline(always)]
fn round(block: &Block, scales: &Scales) -> Block {
    let mut out = [0i16; 64];
    for place in 0..64 {
        let value = f32::from(block[place]) * scales.0[place];
        out[place] = (value + WHOLE).to_bits() as i16;
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
        Costs {
            symbols: tables::costs(&counts),
        }
    }

    /// What the AC symbols of a block cost.
    fn of_block(&self, block: &Block) -> f32 {
        let (mut cost, mut next) = (0.0, 1);
        for (k, &place) in PLACE.iter().enumerate().skip(1) {
            let value = block[usize::from(place)];
            if value != 0 {
                cost += self.of_symbol(k - next, magnitude(value.into()).0);
                next = k + 1;
            }
        }
        if next < 64 {
            cost + self.symbols[0]
        } else {
            cost
        }
    }

    #[inline(always)]
    fn of_symbol(&self, run: usize, size: u32) -> f32 {
        let long = (run >> 4) as f32 * self.symbols[0xF0];
        long + self.symbols[(run & 15) << 4 | size as usize]
    }
}

/// All coefficients of each block chosen together.
pub(crate) fn chosen(
    arch: Arch,
    (transformed, rounded): (&Transformed, &[Block]),
    component: &Component,
    steps: &Steps,
    costs: &Costs,
    balance: Balance,
) -> Vec<Block> {
    let scales = Scales::new(steps);
    let mut out = rounded.to_vec();
    let (across, stride) = (component.blocks.0, component.padded.0);
    let rows = transformed.blocks.chunks_exact(stride);
    let rows = rows.zip(out.chunks_exact_mut(stride));
    for (y, (exact, row)) in rows.enumerate() {
        let across = if y < component.blocks.1 { across } else { 0 };
        let (shown, beyond) = row.split_at_mut(across);
        arch.dispatch(|| {
            for (exact, quantised) in exact.iter().zip(&mut *shown) {
                choose(exact, quantised, &scales, costs, balance);
            }
        });
        // What fills up the last units shows nothing: it costs as little as can be.
        beyond.fill([0; 64]);
    }
    arch.dispatch(|| {
        for cut in &transformed.cut {
            swing(cut, &mut out[cut.block], steps, (&scales, costs, balance));
        }
    });
    out
}

/// Lets a block swing beyond black and white, where it comes nearer to what is wanted then, for what it
/// costs.
#[inline(always)]
fn swing(
    cut: &Cut,
    quantised: &mut Block,
    steps: &Steps,
    (scales, costs, balance): (&Scales, &Costs, Balance),
) {
    let loss = |block: &Block, shown: &[f32; 64]| {
        let lost = cut.lost(shown);
        let mut squares = [0.0; 64];
        for (square, (lost, scale)) in squares.iter_mut().zip(lost.iter().zip(&scales.0)) {
            *square = (lost * scale) * (lost * scale);
        }
        sum(&squares) + balance.bit * costs.of_block(block)
    };
    let before = headroom::shown(quantised, steps);
    let (mut shown, mut next) = (before, *quantised);
    for _ in 0..balance.swings {
        let wanted = cut.wanted(&shown);
        let mut other = round(&wanted, scales);
        choose(&wanted, &mut other, scales, costs, balance);
        if other == next {
            break;
        }
        next = other;
        shown = headroom::shown(&next, steps);
    }
    if next != *quantised && loss(&next, &shown) < loss(quantised, &before) {
        *quantised = next;
    }
}

/// The best way to end with a coefficient: what comes behind does not depend on its value.
#[derive(Clone, Copy)]
struct Way {
    /// The index of the zigzag sequence.
    k: usize,
    value: i16,
    cost: f32,
    /// What is lost if all up to it are zero.
    zeroed: f32,
    /// The way before it.
    before: usize,
}

/// Beyond so many coefficients in a row hardly any are made zero together, but at the end of a block.
const REACH: usize = 6;

#[inline(always)]
fn choose(block: &Block, quantised: &mut Block, scales: &Scales, costs: &Costs, balance: Balance) {
    let ac = quantised[1..].iter().fold(0, |any, value| any | value);
    if ac == 0 {
        return;
    }
    let mut squares = [0.0f32; 64];
    for place in 1..64 {
        let exact = f32::from(block[place]) * scales.0[place];
        squares[place] = exact * exact;
    }
    let mut ways = [Way {
        k: 0,
        value: 0,
        cost: 0.0,
        zeroed: 0.0,
        before: 0,
    }; 64];
    let total = sum(&squares);
    let bit = balance.bit * (1.0 + balance.hidden * (total / 63.0).min(16.0));
    let (mut count, mut zeroed) = (1usize, 0.0f32);
    for (k, &place) in PLACE.iter().enumerate().skip(1) {
        let place = usize::from(place);
        let (before, nearest) = (zeroed, quantised[place]);
        zeroed += squares[place];
        if nearest == 0 {
            continue;
        }
        let exact = f32::from(block[place]) * scales.0[place];
        let mut best = Way {
            k,
            value: nearest,
            cost: f32::MAX,
            zeroed,
            before: 0,
        };
        // One nearer to zero, where that has a shorter symbol: else it is only farther away.
        let size = 16 - nearest.unsigned_abs().leading_zeros();
        let lower = nearest - nearest.signum();
        let shorter = lower != 0 && nearest.unsigned_abs().is_power_of_two();
        for (value, size) in [(nearest, size), (lower, size - 1)]
            .into_iter()
            .take(1 + usize::from(shorter))
        {
            let lost = exact - f32::from(value);
            let lost = lost * lost;
            let first = count.saturating_sub(REACH);
            for (index, way) in (first..).zip(&ways[first..count]) {
                let between = before - way.zeroed;
                let symbol = bit * costs.of_symbol(k - way.k - 1, size);
                let cost = way.cost + between + symbol + lost;
                if cost < best.cost {
                    (best.value, best.cost, best.before) = (value, cost, index);
                }
            }
        }
        ways[count] = best;
        count += 1;
    }
    let mut best = (f32::MAX, 0);
    for (index, way) in ways[..count].iter().enumerate() {
        let end = if way.k < 63 {
            bit * costs.symbols[0]
        } else {
            0.0
        };
        let cost = way.cost + (zeroed - way.zeroed) + end;
        if cost < best.0 {
            best = (cost, index);
        }
    }
    quantised[1..].fill(0);
    let mut at = best.1;
    while at > 0 {
        let way = ways[at];
        quantised[usize::from(PLACE[way.k])] = way.value;
        at = way.before;
    }
}

/// By eight sums side by side: their order is the same on every machine.
#[inline(always)]
fn sum(values: &[f32; 64]) -> f32 {
    let mut sums = [0.0; 8];
    for values in values.as_chunks::<8>().0 {
        for (sum, value) in sums.iter_mut().zip(values) {
            *sum += value;
        }
    }
    sums.iter().sum()
}
