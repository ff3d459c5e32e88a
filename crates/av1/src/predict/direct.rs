//! Predictions along directions, and what is done to edges for them.

use super::BEFORE;

/// A sample between two of an edge, so many 32nds on the way.
#[inline(always)]
fn mixed(a: i32, b: i32, part: i32) -> u16 {
    ((a * (32 - part) + b * part + 16) >> 5) as u16
}

#[inline(always)]
fn part(at: i32, finer: i32) -> i32 {
    ((at << finer) >> 1) & 31
}

/// Rows told from an edge alone that goes along them, by how far a direction goes along it in a row.
#[inline(always)]
pub(super) fn towards(
    edge: &[i32],
    (derivative, finer): (i32, i32),
    last: Option<i32>,
    (width, height): (usize, usize),
    out: &mut [u16],
) {
    for (y, row) in out.chunks_exact_mut(width).take(height).enumerate() {
        let at = (y as i32 + 1) * derivative;
        let (base, part) = ((at >> (6 - finer)) as usize, part(at, finer));
        // So many are told from two samples of the edge, the others from its last.
        let inside = match last {
            None => width,
            Some(last) => (last as usize)
                .saturating_sub(base)
                .div_ceil(1 << finer)
                .min(width),
        };
        let start = BEFORE + base;
        if finer == 0 {
            let near = &edge[start..][..inside + 1];
            for (x, sample) in row[..inside].iter_mut().enumerate() {
                *sample = mixed(near[x], near[x + 1], part);
            }
        } else {
            for (x, sample) in row[..inside].iter_mut().enumerate() {
                *sample = mixed(edge[start + 2 * x], edge[start + 2 * x + 1], part);
            }
        }
        if let Some(last) = last {
            row[inside..].fill(edge[BEFORE + last as usize] as u16);
        }
    }
}

/// Rows told from both edges: each sample from the one that its direction meets.
#[inline(always)]
pub(super) fn between(
    (above, (dx, finer_above)): (&[i32], (i32, i32)),
    (left, (dy, finer_left)): (&[i32], (i32, i32)),
    (width, height): (usize, usize),
    out: &mut [u16],
) {
    for (y, row) in out.chunks_exact_mut(width).take(height).enumerate() {
        let y = y as i32;
        let start = -(y + 1) * dx;
        let part_above = part(start, finer_above);
        let base = start >> (6 - finer_above);
        // The first sample that meets the edge above.
        let first = ((-base - (1 << finer_above)).max(0) as usize)
            .div_ceil(1 << finer_above)
            .min(width);
        for (x, sample) in row[..first].iter_mut().enumerate() {
            let at = (y << 6) - (x as i32 + 1) * dy;
            let place = (BEFORE as i32 + (at >> (6 - finer_left))) as usize;
            *sample = mixed(left[place], left[place + 1], part(at, finer_left));
        }
        if first < width {
            let step = 1 << finer_above;
            let from = (BEFORE as i32 + base + (first * step) as i32) as usize;
            if step == 1 {
                let near = &above[from..][..width - first + 1];
                for (x, sample) in row[first..].iter_mut().enumerate() {
                    *sample = mixed(near[x], near[x + 1], part_above);
                }
            } else {
                for (x, sample) in row[first..].iter_mut().enumerate() {
                    *sample = mixed(above[from + 2 * x], above[from + 2 * x + 1], part_above);
                }
            }
        }
    }
}

/// How strongly an edge is filtered (7.11.2.9).
pub(super) fn strength(both: usize, angle: i32, smooth: bool) -> usize {
    let angle = angle.abs();
    let from = |steps: [i32; 3]| {
        steps
            .iter()
            .rposition(|&least| angle >= least)
            .map_or(0, |at| at + 1)
    };
    const NEVER: i32 = i32::MAX;
    match (smooth, both) {
        (false, ..=8) => from([56, NEVER, NEVER]),
        (false, ..=16) => from([40, NEVER, NEVER]),
        (false, ..=24) => from([8, 16, 32]),
        (false, ..=32) => from([0, 4, 32]),
        (true, ..=8) => from([40, 64, NEVER]),
        (true, ..=16) => from([20, 48, NEVER]),
        (true, ..=24) => from([NEVER, NEVER, 4]),
        _ => 3,
    }
}

/// An edge with its corner, so many samples of it, softened but for the corner (7.11.2.12).
pub(super) fn filter(edge: &mut [i32], count: usize, strength: usize) {
    const KERNELS: [[i32; 5]; 3] = [[0, 4, 8, 4, 0], [0, 5, 6, 5, 0], [2, 4, 4, 4, 2]];
    if strength == 0 {
        return;
    }
    let edge = &mut edge[BEFORE - 1..][..count];
    let [far, near, own, ..] = KERNELS[strength - 1];
    // The two samples before one, as they were.
    let (mut second, mut first) = (edge[0], edge[0]);
    for at in 1..count {
        let sample = edge[at];
        let (next, after) = (edge[(at + 1).min(count - 1)], edge[(at + 2).min(count - 1)]);
        let sum = far * (second + after) + near * (first + next) + own * sample;
        edge[at] = (sum + 8) >> 4;
        (second, first) = (first, sample);
    }
}

/// Whether an edge gets samples between its own (7.11.2.10).
pub(super) fn is_finer(both: usize, angle: i32, smooth: bool) -> bool {
    let angle = angle.abs();
    angle > 0 && angle < 40 && both <= if smooth { 8 } else { 16 }
}

/// Gives an edge samples between its own (7.11.2.11).
pub(super) fn make_finer(edge: &mut [i32], count: usize, most: i32) {
    let mut held = [0; 64];
    let known = &edge[BEFORE - 1..][..count + 1];
    held[0] = known[0];
    held[1..count + 2].copy_from_slice(known);
    held[count + 2] = known[count];
    edge[BEFORE - 2] = held[0];
    for at in 0..count {
        let sum = 9 * (held[at + 1] + held[at + 2]) - held[at] - held[at + 3];
        edge[BEFORE + 2 * at - 1] = ((sum + 8) >> 4).clamp(0, most);
        edge[BEFORE + 2 * at] = held[at + 2];
    }
}
