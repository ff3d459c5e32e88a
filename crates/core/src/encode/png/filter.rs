//! Filters: each row is told as what differs from what its neighbours foretell (W3C PNG, third
//! edition, section 9).

use super::form::Form;

/// How the filter of each row is chosen.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Choice {
    /// One for all rows.
    All(Filter),
    /// The one whose differences add up to the least, taken as signed bytes.
    LeastSum,
    /// The one whose bytes carry the least information by their own frequencies.
    LeastEntropy,
    /// The one with the fewest kinds of neighbouring bytes.
    FewestPairs,
    /// The one whose pairs of neighbouring bytes carry the least information.
    LeastPairEntropy,
}

impl Choice {
    pub const ALL: [Choice; 9] = [
        Choice::All(Filter::None),
        Choice::All(Filter::Sub),
        Choice::All(Filter::Up),
        Choice::All(Filter::Average),
        Choice::All(Filter::Paeth),
        Choice::LeastSum,
        Choice::LeastEntropy,
        Choice::FewestPairs,
        Choice::LeastPairEntropy,
    ];
}

/// What a byte is foretold from.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[repr(u8)]
pub(super) enum Filter {
    /// Nothing.
    None,
    /// The pixel to the left.
    Sub,
    /// The pixel above.
    Up,
    /// The mean of both.
    Average,
    /// Of left, above and above left, the one nearest to their gradient.
    Paeth,
}

impl Filter {
    pub const ALL: [Filter; 5] = [
        Filter::None,
        Filter::Sub,
        Filter::Up,
        Filter::Average,
        Filter::Paeth,
    ];

    /// A row, and the filter before it.
    fn apply(self, row: &[u8], above: &[u8], step: usize, into: &mut [u8]) {
        into[0] = self as u8;
        let into = &mut into[1..];
        // Left of the first pixel there is nothing.
        let (first, rest) = into.split_at_mut(step.min(row.len()));
        let around = |i: usize| (row[i], above[i]);
        for (i, out) in first.iter_mut().enumerate() {
            let (here, up) = around(i);
            *out = here.wrapping_sub(match self {
                Filter::None | Filter::Sub => 0,
                Filter::Up | Filter::Paeth => up,
                Filter::Average => up / 2,
            });
        }
        let left = row.iter().zip(above);
        let here = row.iter().zip(above).skip(step);
        let both = rest.iter_mut().zip(here.zip(left));
        match self {
            Filter::None => rest.copy_from_slice(&row[step.min(row.len())..]),
            Filter::Sub => {
                both.for_each(|(out, ((here, _), (left, _)))| *out = here.wrapping_sub(*left))
            }
            Filter::Up => both.for_each(|(out, ((here, up), _))| *out = here.wrapping_sub(*up)),
            Filter::Average => both.for_each(|(out, ((here, up), (left, _)))| {
                let mean = (u16::from(*left) + u16::from(*up)) / 2;
                *out = here.wrapping_sub(mean as u8);
            }),
            Filter::Paeth => both.for_each(|(out, ((here, up), (left, corner)))| {
                *out = here.wrapping_sub(paeth(*left, *up, *corner));
            }),
        }
    }
}

/// Of three neighbours the one nearest to left + up - corner (section 9.4).
fn paeth(left: u8, up: u8, corner: u8) -> u8 {
    let [a, b, c] = [left, up, corner].map(i16::from);
    let (to_left, to_up, to_corner) = ((b - c).abs(), (a - c).abs(), (a + b - 2 * c).abs());
    if to_left <= to_up && to_left <= to_corner {
        left
    } else if to_up <= to_corner {
        up
    } else {
        corner
    }
}

/// Rows of a form, each with the filter before it, chosen one way.
pub(super) fn filtered(form: &Form, rows: impl Iterator<Item = usize>, choice: Choice) -> Vec<u8> {
    let (pitch, mut judge) = (form.pitch + 1, Judge::default());
    let (mut all, mut tries) = (Vec::new(), vec![0; pitch]);
    let nothing = vec![0; form.pitch];
    for y in rows {
        let row = form.row(y);
        let above = y.checked_sub(1).map_or(&nothing[..], |y| form.row(y));
        let start = all.len();
        all.resize(start + pitch, 0);
        let kept = &mut all[start..];
        if let Choice::All(filter) = choice {
            filter.apply(row, above, form.colour.samples(), kept);
            continue;
        }
        let mut least = f32::INFINITY;
        for filter in Filter::ALL {
            filter.apply(row, above, form.colour.samples(), &mut tries);
            let cost = judge.cost(choice, &tries);
            if cost < least {
                least = cost;
                kept.copy_from_slice(&tries);
            }
        }
    }
    all
}

/// Rows of a form whose filters are found by trying: of each row the one that deflates best behind
/// the few rows before it.
pub(super) fn tried(form: &Form, mut deflated: impl FnMut(&[u8]) -> usize) -> Vec<u8> {
    /// So many rows before it are deflated with each row that is tried.
    const BEFORE: usize = 4;
    let pitch = form.pitch + 1;
    let (mut all, mut kept) = (Vec::new(), vec![0; pitch]);
    let nothing = vec![0; form.pitch];
    for y in 0..form.height() {
        let above = y.checked_sub(1).map_or(&nothing[..], |y| form.row(y));
        let start = all.len();
        all.resize(start + pitch, 0);
        let mut least = usize::MAX;
        for filter in Filter::ALL {
            filter.apply(form.row(y), above, form.colour.samples(), &mut all[start..]);
            let length = deflated(&all[start.saturating_sub(BEFORE * pitch)..]);
            if length < least {
                least = length;
                kept.copy_from_slice(&all[start..]);
            }
        }
        all[start..].copy_from_slice(&kept);
    }
    all
}

/// Guesses what a filtered row will cost.
struct Judge {
    bytes: [u32; 256],
    /// How often each pair of bytes occurs.
    pairs: Vec<u16>,
    /// n · log2(n), for small counts.
    information: Vec<f32>,
}

impl Default for Judge {
    fn default() -> Self {
        let information = |n: u16| f32::from(n) * libm::log2f(f32::from(n.max(1)));
        Judge {
            bytes: [0; 256],
            pairs: vec![0; 1 << 16],
            information: (0..1024).map(information).collect(),
        }
    }
}

impl Judge {
    fn cost(&mut self, choice: Choice, row: &[u8]) -> f32 {
        let pair = |pair: &[u8]| usize::from(pair[0]) << 8 | usize::from(pair[1]);
        match choice {
            Choice::All(_) => 0.0,
            Choice::LeastSum => {
                let sizes = row[1..]
                    .iter()
                    .map(|byte| u32::from((*byte as i8).unsigned_abs()));
                sizes.sum::<u32>() as f32
            }
            Choice::LeastEntropy => {
                self.bytes = [0; 256];
                row[1..]
                    .iter()
                    .for_each(|byte| self.bytes[usize::from(*byte)] += 1);
                -self
                    .bytes
                    .iter()
                    .map(|&n| self.information_of(n))
                    .sum::<f32>()
            }
            Choice::FewestPairs => {
                let mut kinds = 0u32;
                for both in row.windows(2) {
                    let count = &mut self.pairs[pair(both)];
                    kinds += u32::from(*count == 0);
                    *count = 1;
                }
                row.windows(2).for_each(|both| self.pairs[pair(both)] = 0);
                kinds as f32
            }
            Choice::LeastPairEntropy => {
                for both in row.windows(2) {
                    let count = &mut self.pairs[pair(both)];
                    *count = count.saturating_add(1);
                }
                let mut information = 0.0;
                for both in row.windows(2) {
                    let count = std::mem::take(&mut self.pairs[pair(both)]);
                    information += self.information_of(u32::from(count));
                }
                -information
            }
        }
    }

    fn information_of(&self, count: u32) -> f32 {
        let known = self.information.get(count as usize).copied();
        known.unwrap_or_else(|| count as f32 * libm::log2f(count as f32))
    }
}
