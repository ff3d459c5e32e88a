//! The constrained directional enhancement filter (section 7.15): cells of 8 × 8 smoothed along what they show.

use super::{Outline, Strength};
use crate::picture::Plane;

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

/// Filters a superblock, that begins at a unit, from deblocked planes into others.
pub(crate) fn enhance(
    from: &[Plane],
    to: &mut [Plane],
    outline: &Outline,
    (left, top): (usize, usize),
    (strength, damping): (Strength, u8),
) {
    for y in (top..(top + 16).min(outline.down)).step_by(2) {
        for x in (left..(left + 16).min(outline.across)).step_by(2) {
            let skips = |x: usize, y: usize| outline.skips[y * outline.across + x];
            if skips(x, y) && skips(x + 1, y) && skips(x, y + 1) && skips(x + 1, y + 1) {
                continue;
            }
            let cell = direction(&from[0], (x * 4, y * 4), outline.depth.bits());
            for plane in 0..from.len() {
                let own = if plane == 0 {
                    strength.luma
                } else {
                    strength.chroma
                };
                filter(
                    &from[plane],
                    &mut to[plane],
                    outline,
                    (plane, x, y),
                    (own, damping),
                    cell,
                );
            }
        }
    }
}

/// The direction of a cell, and how clear it is (7.15.2).
fn direction(luma: &Plane, (x, y): (usize, usize), bits: u32) -> (usize, i32) {
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
#[inline]
fn constrained(difference: i32, strength: i32, shift: i32) -> i32 {
    let size = difference.abs();
    let counted = (strength - (size >> shift)).clamp(0, size);
    if difference < 0 { -counted } else { counted }
}

/// Part of a cell that lies in a plane.
fn filter(
    from: &Plane,
    to: &mut Plane,
    outline: &Outline,
    (plane, x, y): (usize, usize, usize),
    ((first, second), damping): ((u8, u8), u8),
    (direction, clearness): (usize, i32),
) {
    let deeper = outline.depth.bits() as i32 - 8;
    let (shift_x, shift_y) = outline.chroma.shift(plane);
    let (mut along, beside) = (i32::from(first) << deeper, i32::from(second) << deeper);
    let direction = if along == 0 { 0 } else { direction };
    if plane == 0 {
        let clear = match clearness >> 6 {
            0 => 0,
            clear => clear.ilog2().min(12) as i32,
        };
        along = if clearness == 0 {
            0
        } else {
            (along * (4 + clear) + 8) >> 4
        };
    }
    if along == 0 && beside == 0 {
        return;
    }
    let damping = i32::from(damping) + deeper - i32::from(plane > 0);
    let shift = |strength: i32| {
        if strength == 0 {
            0
        } else {
            (damping - strength.ilog2() as i32).max(0)
        }
    };
    let (shift_along, shift_beside) = (shift(along), shift(beside));
    let taps = if along >> deeper & 1 == 1 {
        [3, 3]
    } else {
        [4, 2]
    };
    let (across, down) = outline.units(plane);
    let ends = ((across * 4) as isize, (down * 4) as isize);
    let (left, top) = (x * 4 >> shift_x, y * 4 >> shift_y);
    let sides = [STEPS[(direction + 2) & 7], STEPS[(direction + 6) & 7]];
    for y in top..top + (8 >> shift_y) {
        for x in left..left + (8 >> shift_x) {
            let own = i32::from(from.at(x, y));
            let (mut sum, mut least, mut most) = (0, own, own);
            let mut count = |(dx, dy): (isize, isize), tap: i32, strength: i32, shift: i32| {
                for sign in [1, -1] {
                    let (x, y) = (x as isize + sign * dx, y as isize + sign * dy);
                    if x < 0 || y < 0 || x >= ends.0 || y >= ends.1 {
                        continue;
                    }
                    let other = i32::from(from.at(x as usize, y as usize));
                    sum += tap * constrained(other - own, strength, shift);
                    least = least.min(other);
                    most = most.max(other);
                }
            };
            for step in 0..2 {
                if along > 0 {
                    count(STEPS[direction][step], taps[step], along, shift_along);
                }
                if beside > 0 {
                    for side in sides {
                        count(side[step], 2 - step as i32, beside, shift_beside);
                    }
                }
            }
            let moved = own + ((8 + sum - i32::from(sum < 0)) >> 4);
            to.row_mut(x, y, 1)[0] = moved.clamp(least, most) as u16;
        }
    }
}
