//! The first coefficients of a component, which are coded as differences from block to block: they are
//! chosen along the whole chain, so that losses and bits are least in sum (A. Viterbi's algorithm).

use super::code::{self, Step, magnitude};
use super::forward::FRACTION;
use super::prepare::Transformed;
use super::quantise::{Balance, Steps};
use super::tables;
use crate::block::Block;
use crate::frame::Frame;

/// How much more a loss counts in a block that is flat: there it is seen as a step.
const STEP_SEEN: f32 = 2.0;

/// Values that are tried for each: the nearest, and those beside it.
const TRIED: [i32; 3] = [0, -1, 1];

/// The indices of a component's blocks in the order in which they are coded.
fn order(frame: &Frame, index: usize) -> Vec<usize> {
    let all: Vec<usize> = if frame.interleaves() {
        (0..frame.components.len()).collect()
    } else {
        vec![index]
    };
    let mut order = Vec::new();
    code::walk(frame, &all, (0, 1), |step| match step {
        Step::Block(_, component, block) if component == index => order.push(block),
        _ => {}
    });
    order
}

/// What a difference costs, in bits, by its magnitude category.
fn costs(differences: impl Iterator<Item = i32>) -> [f32; 256] {
    let mut counts = [0u32; 256];
    for difference in differences {
        counts[magnitude(difference).0.min(15) as usize] += 1;
    }
    tables::costs(&counts)
}

/// Chooses the first coefficients of all blocks of a component, which were rounded.
pub(crate) fn choose(
    transformed: &Transformed,
    (frame, index): (&Frame, usize),
    blocks: &mut [Block],
    steps: &Steps,
    balance: Balance,
) {
    let component = &frame.components[index];
    let (across, down) = component.blocks;
    let stride = component.padded.0;
    let all = order(frame, index);
    let shows = |index: &&usize| **index % stride < across && **index / stride < down;
    let chain: Vec<usize> = all.iter().filter(shows).copied().collect();
    let rounded: Vec<i32> = chain.iter().map(|&index| blocks[index][0].into()).collect();
    let pairs = rounded.windows(2).map(|pair| pair[1] - pair[0]);
    let costs = costs(pairs.chain(rounded.first().copied()));
    let cost = |difference: i32| balance.bit * costs[magnitude(difference).0.min(15) as usize];
    let scale = 1.0 / (f32::from(steps[0]) * (1 << FRACTION) as f32);
    let lost = |place: usize, tried: i32| {
        let exact = f32::from(transformed.blocks[chain[place]][0]) * scale;
        let apart = exact - rounded[place] as f32;
        // What is farther away was let swing.
        let apart = if apart.abs() > 0.51 { 0.0 } else { apart } - tried as f32;
        let is_flat = blocks[chain[place]][1..].iter().all(|&value| value == 0);
        if is_flat {
            STEP_SEEN * apart * apart
        } else {
            apart * apart
        }
    };
    // For each value of the block before: what the chain up to it costs at least.
    let mut known = [0.0f32; 3];
    let mut before: Vec<[u8; 3]> = Vec::with_capacity(chain.len());
    for (place, &nearest) in rounded.iter().enumerate() {
        let mut next = [f32::MAX; 3];
        let mut from = [0u8; 3];
        for (own, tried) in TRIED.iter().enumerate() {
            let value = nearest + tried;
            let loss = lost(place, *tried);
            for (other, known) in known.iter().enumerate() {
                let previous = match place.checked_sub(1) {
                    Some(previous) => rounded[previous] + TRIED[other],
                    None => 0,
                };
                let sum = known + loss + cost(value - previous);
                if sum < next[own] {
                    (next[own], from[own]) = (sum, other as u8);
                }
            }
        }
        known = next;
        before.push(from);
    }
    let mut own = (0..3).fold(
        0,
        |best, one| if known[one] < known[best] { one } else { best },
    );
    for (place, from) in before.iter().enumerate().rev() {
        blocks[chain[place]][0] = (rounded[place] + TRIED[own]) as i16;
        own = usize::from(from[own]);
    }
    // What fills up the last units shows nothing: it is as the block before.
    let mut last = 0;
    for index in all {
        if shows(&&index) {
            last = blocks[index][0];
        } else {
            blocks[index][0] = last;
        }
    }
}
