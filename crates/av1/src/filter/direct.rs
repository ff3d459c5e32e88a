//! The constrained directional enhancement filter (section 7.15): cells of 8 × 8 smoothed along what they show.

// Lanes are counted, so that they are seen to be as many.
#![allow(clippy::needless_range_loop)]

use super::{Outline, Strength, Strip};
use crate::picture::Plane;
use crate::wide::{body, widely};

/// Steps along each of eight directions, as columns and rows: one, and two (section 7.15.2).
const STEPS: [[(isize, isize); 2]; 8] = [
    [(1, -1), (2, -2)],
    [(1, 0), (2, -1)],
    [(1, 0), (2, 0)],
    [(1, 0), (2, 1)],
    [(1, 1), (2, 2)],
    [(0, 1), (1, 2)],
    [(0, 1), (0, 2)],
    [(0, 1), (-1, 2)],
];

/// Stands for samples beyond the picture: too far off to count.
const BEYOND: i16 = 30_000;

/// A cell of a plane with two samples around it.
pub(super) struct Cell {
    samples: [[i16; 12]; 12],
    at: (usize, usize),
    size: (usize, usize),
    is_luma: bool,
    deeper: u32,
}

/// So many times a squared error counts how far the deviation of a cell is off.
const CONTRAST: f32 = 2.0;

/// Where cells of 8 × 8 begin in a superblock, in units of four samples, those with coefficients.
pub(super) fn cells(
    outline: &Outline,
    (left, top): (usize, usize),
) -> impl Iterator<Item = (usize, usize)> + '_ {
    let rows = (top..(top + 16).min(outline.down)).step_by(2);
    let columns = (left..(left + 16).min(outline.across)).step_by(2);
    let all = rows.flat_map(move |y| columns.clone().map(move |x| (x, y)));
    all.filter(|&(x, y)| {
        let skips = |x: usize, y: usize| outline.skips[y * outline.across + x];
        !(skips(x, y) && skips(x + 1, y) && skips(x, y + 1) && skips(x + 1, y + 1))
    })
}

/// Filters a superblock, that begins at a unit, from deblocked planes into others.
pub(super) fn enhance(
    from: &[Plane],
    to: &mut [Strip<'_>],
    outline: &Outline,
    at: (usize, usize),
    (strength, damping): (Strength, u8),
) {
    if strength == Strength::default() {
        return;
    }
    for at in cells(outline, at) {
        let shown = direction(&from[0], (at.0 * 4, at.1 * 4), outline.depth.bits());
        for plane in 0..from.len() {
            let cell = Cell::new(&from[plane], outline, plane, at);
            let own = if plane == 0 {
                strength.luma
            } else {
                strength.chroma
            };
            let Some(filtered) = cell.filtered((own, damping), shown) else {
                continue;
            };
            for (y, row) in filtered.iter().enumerate().take(cell.size.1) {
                let Strip {
                    samples,
                    width,
                    top,
                } = &mut to[plane];
                let start = (cell.at.1 + y - *top) * *width + cell.at.0;
                samples[start..start + cell.size.0]
                    .iter_mut()
                    .zip(row)
                    .for_each(|(target, &sample)| *target = sample as u16);
            }
        }
    }
}

/// The direction of a cell, and how clear it is (7.15.2).
pub(super) fn direction(luma: &Plane, (x, y): (usize, usize), bits: u32) -> (usize, i32) {
    let mut sums = [[0i32; 15]; 8];
    for row in 0..8 {
        for (column, &sample) in luma.row(x, y + row, 8).iter().enumerate() {
            let value = i32::from(sample >> (bits - 8)) - 128;
            sums[0][row + column] += value;
            sums[1][row + column / 2] += value;
            sums[2][row] += value;
            sums[3][3 + row - column / 2] += value;
            sums[4][7 + row - column] += value;
            sums[5][3 + column - row / 2] += value;
            sums[6][column] += value;
            sums[7][row / 2 + column] += value;
        }
    }
    // Each line counts by how many samples it has: 840 divided by that.
    const BY_LENGTH: [i32; 9] = [0, 840, 420, 280, 210, 168, 140, 120, 105];
    let mut costs = [0; 8];
    for (which, (cost, sums)) in costs.iter_mut().zip(&sums).enumerate() {
        for (line, sum) in sums.iter().enumerate() {
            let length = match which {
                0 | 4 => 8 - line.abs_diff(7),
                2 | 6 => {
                    if line < 8 {
                        8
                    } else {
                        0
                    }
                }
                _ => match line {
                    0..3 => 2 * (line + 1),
                    3..8 => 8,
                    8..11 => 2 * (11 - line),
                    _ => 0,
                },
            };
            *cost += sum * sum * BY_LENGTH[length];
        }
    }
    let mut best = 0;
    for (which, &cost) in costs.iter().enumerate() {
        if cost > costs[best] {
            best = which;
        }
    }
    (best, (costs[best] - costs[best ^ 4]) >> 10)
}

/// How much a difference counts (7.15.3).
#[inline(always)]
fn constrained(difference: i16, strength: i16, shift: u32) -> i16 {
    let size = difference.abs();
    let counted = (strength - (size >> shift)).max(0).min(size);
    if difference < 0 { -counted } else { counted }
}

impl Cell {
    /// The part of a cell, that begins at a unit of luma, that lies in a plane.
    pub fn new(from: &Plane, outline: &Outline, plane: usize, (x, y): (usize, usize)) -> Cell {
        let (shift_x, shift_y) = outline.chroma.shift(plane);
        let (across, down) = outline.units(plane);
        let (width, height) = (8 >> shift_x, 8 >> shift_y);
        let (left, top) = ((x * 4) >> shift_x, (y * 4) >> shift_y);
        let mut samples = [[BEYOND; 12]; 12];
        let first = 2 - left.min(2);
        let last = (across * 4 - left + 2).min(width + 4);
        for (row, target) in samples.iter_mut().enumerate().take(height + 4) {
            let inside = top + row >= 2 && top + row - 2 < down * 4;
            if inside {
                let known = from.row(left + first - 2, top + row - 2, last - first);
                let targets = target[first..last].iter_mut().zip(known);
                targets.for_each(|(target, &sample)| *target = sample as i16);
            }
        }
        Cell {
            samples,
            at: (left, top),
            size: (width, height),
            is_luma: plane == 0,
            deeper: outline.depth.bits() - 8,
        }
    }

    /// What filtered samples are off, or those as they are: the sum of squared errors, and that of how far their deviation
    /// is off, for contrast that goes is seen more than squares tell.
    pub fn error(&self, source: &Plane, filtered: Option<&[[i16; 8]; 8]>) -> u64 {
        let mut sum = 0;
        // Sums of samples and of their squares.
        let mut sums = [(0u32, 0u32); 2];
        for y in 0..self.size.1 {
            let wanted = source.row(self.at.0, self.at.1 + y, self.size.0);
            for (x, &wanted) in wanted.iter().enumerate() {
                let shown = filtered.map_or(self.samples[y + 2][x + 2], |filtered| filtered[y][x]);
                let difference = i32::from(shown) - i32::from(wanted);
                sum += (difference * difference) as u32;
                for (sums, sample) in sums.iter_mut().zip([shown as u32, wanted.into()]) {
                    *sums = (sums.0 + sample, sums.1 + sample * sample);
                }
            }
        }
        // So many times the deviation.
        let count = (self.size.0 * self.size.1) as u64;
        let [shown, wanted] = sums.map(|(sum, squares)| {
            (count * u64::from(squares) - u64::from(sum) * u64::from(sum)) as f32
        });
        let off = shown.sqrt() - wanted.sqrt();
        u64::from(sum) + (CONTRAST * off * off / count as f32) as u64
    }

    /// The cell filtered, by what it shows; `None` where that changes nothing.
    pub fn filtered(
        &self,
        ((first, second), damping): ((u8, u8), u8),
        (direction, clearness): (usize, i32),
    ) -> Option<[[i16; 8]; 8]> {
        let (mut along, beside) = (
            i16::from(first) << self.deeper,
            i16::from(second) << self.deeper,
        );
        let direction = if along == 0 { 0 } else { direction };
        if self.is_luma {
            let clear = match clearness >> 6 {
                0 => 0,
                clear => clear.ilog2().min(12) as i16,
            };
            along = if clearness == 0 {
                0
            } else {
                (along * (4 + clear) + 8) >> 4
            };
        }
        if along == 0 && beside == 0 {
            return None;
        }
        let damping = u32::from(damping) + self.deeper - u32::from(!self.is_luma);
        let shift = |strength: i16| match strength {
            0 => 0,
            _ => damping.saturating_sub(strength.ilog2()),
        };
        let taps = if (along >> self.deeper) & 1 == 1 {
            [3, 3]
        } else {
            [4, 2]
        };
        let ways = Ways {
            along: (along, shift(along), taps),
            beside: (beside, shift(beside)),
            direction,
        };
        Some(widely(Filtered, (&ways, &self.samples, self.size.1)))
    }
}

/// What is counted of neighbours, and how much.
struct Ways {
    along: (i16, u32, [i16; 2]),
    beside: (i16, u32),
    direction: usize,
}

struct Filtered;

body!(['a] Filtered = Ways::filtered,
    (ways: &'a Ways, samples: &'a [[i16; 12]; 12], height: usize) -> [[i16; 8]; 8]);

impl Ways {
    #[inline(always)]
    fn filtered(&self, samples: &[[i16; 12]; 12], height: usize) -> [[i16; 8]; 8] {
        let sides = [
            STEPS[(self.direction + 2) & 7],
            STEPS[(self.direction + 6) & 7],
        ];
        let mut filtered = [[0; 8]; 8];
        for (y, target) in filtered.iter_mut().enumerate().take(height) {
            let mut own = [0i16; 8];
            own.copy_from_slice(&samples[y + 2][2..10]);
            let (mut sum, mut least, mut most) = ([0i16; 8], own, own);
            let mut count = |(dx, dy): (isize, isize), tap: i16, (strength, shift): (i16, u32)| {
                for (dx, dy) in [(dx, dy), (-dx, -dy)] {
                    let row = &samples[(y as isize + 2 + dy) as usize];
                    let start = (2 + dx) as usize;
                    let mut others = [0i16; 8];
                    others.copy_from_slice(&row[start..start + 8]);
                    for lane in 0..8 {
                        let other = others[lane];
                        sum[lane] += tap * constrained(other - own[lane], strength, shift);
                        least[lane] = least[lane].min(other);
                        most[lane] =
                            most[lane].max(if other == BEYOND { own[lane] } else { other });
                    }
                }
            };
            for step in 0..2 {
                let (strength, shift, taps) = self.along;
                if strength > 0 {
                    count(STEPS[self.direction][step], taps[step], (strength, shift));
                }
                if self.beside.0 > 0 {
                    for side in sides {
                        count(side[step], 2 - step as i16, self.beside);
                    }
                }
            }
            for lane in 0..8 {
                let moved = own[lane] + ((8 + sum[lane] - i16::from(sum[lane] < 0)) >> 4);
                target[lane] = moved.max(least[lane]).min(most[lane]);
            }
        }
        filtered
    }
}
