//! Predictions within a picture (section 7.11.2 to 7.11.5).

use crate::picture::Plane;
use crate::shape::Shape;
use crate::tables::{DERIVATIVE, FILTER_TAPS, SMOOTH};
use crate::wide::widely;

/// How samples are told from their neighbours, in the order of the standard.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Mode {
    Mean,
    Vertical,
    Horizontal,
    D45,
    D135,
    D113,
    D157,
    D203,
    D67,
    Smooth,
    SmoothVertical,
    SmoothHorizontal,
    Paeth,
}

impl Mode {
    pub const ALL: [Mode; 13] = [
        Mode::Mean,
        Mode::Vertical,
        Mode::Horizontal,
        Mode::D45,
        Mode::D135,
        Mode::D113,
        Mode::D157,
        Mode::D203,
        Mode::D67,
        Mode::Smooth,
        Mode::SmoothVertical,
        Mode::SmoothHorizontal,
        Mode::Paeth,
    ];

    /// The angle of a direction, in degrees from the right, counter-clockwise, before finer ones.
    pub fn angle(self) -> Option<i32> {
        Some(match self {
            Mode::Vertical => 90,
            Mode::Horizontal => 180,
            Mode::D45 => 45,
            Mode::D135 => 135,
            Mode::D113 => 113,
            Mode::D157 => 157,
            Mode::D203 => 203,
            Mode::D67 => 67,
            _ => return None,
        })
    }

    pub fn is_smooth(self) -> bool {
        matches!(
            self,
            Mode::Smooth | Mode::SmoothVertical | Mode::SmoothHorizontal
        )
    }
}

/// A finer angle is so many degrees away for each step.
const ANGLE_STEP: i32 = 3;

/// What is known around a block.
#[derive(Clone, Copy)]
pub(crate) struct Around {
    pub above: bool,
    pub left: bool,
    pub above_right: bool,
    pub below_left: bool,
    /// The last column and row that hold samples of the picture.
    pub last: (usize, usize),
    /// Whether edges are filtered for directions.
    pub is_filtered: bool,
}

/// Samples before an edge's first: the corner, and one more where the edge is made finer.
const BEFORE: usize = 16;

/// The neighbours of a block. Each edge begins with the corner.
pub(crate) struct Edges {
    above: [i32; BEFORE + 144],
    left: [i32; BEFORE + 144],
    around: Around,
    at: (usize, usize),
    shape: Shape,
    depth: u32,
}

impl Edges {
    /// Those of a block at a place in a plane.
    pub fn new(
        plane: &Plane,
        (x, y): (usize, usize),
        shape: Shape,
        around: Around,
        depth: u32,
    ) -> Edges {
        let (width, height) = (shape.width(), shape.height());
        let both = width + height;
        let mut edges = Edges {
            above: [0; BEFORE + 144],
            left: [0; BEFORE + 144],
            around,
            at: (x, y),
            shape,
            depth,
        };
        let middle = 1 << (depth - 1);
        let above = &mut edges.above[BEFORE..][..both];
        if around.above {
            let known = if around.above_right {
                both.min(2 * width)
            } else {
                width
            };
            let known = known.min(around.last.0 + 1 - x);
            let row = plane.row(x, y - 1, known);
            above
                .iter_mut()
                .zip(row)
                .for_each(|(edge, &sample)| *edge = sample.into());
            let last = above[known - 1];
            above[known..].fill(last);
        } else {
            above.fill(if around.left {
                plane.at(x - 1, y).into()
            } else {
                middle - 1
            });
        }
        let left = &mut edges.left[BEFORE..][..both];
        if around.left {
            let known = if around.below_left {
                both.min(2 * height)
            } else {
                height
            };
            let known = known.min(around.last.1 + 1 - y);
            for (row, edge) in left[..known].iter_mut().enumerate() {
                *edge = plane.at(x - 1, y + row).into();
            }
            let last = left[known - 1];
            left[known..].fill(last);
        } else {
            left.fill(if around.above {
                plane.at(x, y - 1).into()
            } else {
                middle + 1
            });
        }
        let corner = match (around.above, around.left) {
            (true, true) => plane.at(x - 1, y - 1).into(),
            (true, false) => plane.at(x, y - 1).into(),
            (false, true) => plane.at(x - 1, y).into(),
            (false, false) => middle,
        };
        edges.above[BEFORE - 1] = corner;
        edges.left[BEFORE - 1] = corner;
        edges
    }

    fn above(&self, at: usize) -> i32 {
        self.above[BEFORE + at]
    }

    fn left(&self, at: usize) -> i32 {
        self.left[BEFORE + at]
    }

    /// A prediction, row by row. With smooth neighbours directions are filtered more.
    pub fn predict(&self, mode: Mode, delta: i32, smooth: bool, out: &mut [u16]) {
        if let Some(angle) = mode.angle() {
            return self.directed(angle + ANGLE_STEP * delta, smooth, out);
        }
        match mode {
            Mode::Paeth => self.paeth(out),
            Mode::Mean => out[..self.shape.area()].fill(self.mean() as u16),
            _ => self.smooth(mode, out),
        }
    }

    pub fn mean(&self) -> i32 {
        let (width, height) = (self.shape.width(), self.shape.height());
        let sum = |edge: &[i32], count: usize| edge[BEFORE..][..count].iter().sum::<i32>();
        let (above, left) = (sum(&self.above, width), sum(&self.left, height));
        let (sum, count) = match (self.around.above, self.around.left) {
            (true, true) => (above + left, width + height),
            (true, false) => (above, width),
            (false, true) => (left, height),
            (false, false) => return 1 << (self.depth - 1),
        };
        (sum + count as i32 / 2) / count as i32
    }

    fn paeth(&self, out: &mut [u16]) {
        let corner = self.above[BEFORE - 1];
        for (y, row) in out
            .chunks_exact_mut(self.shape.width())
            .take(self.shape.height())
            .enumerate()
        {
            let left = self.left(y);
            for (x, sample) in row.iter_mut().enumerate() {
                let above = self.above(x);
                let base = above + left - corner;
                let off = |edge: i32| (base - edge).abs();
                let (to_left, to_above, to_corner) = (off(left), off(above), off(corner));
                *sample = if to_left <= to_above && to_left <= to_corner {
                    left
                } else if to_above <= to_corner {
                    above
                } else {
                    corner
                } as u16;
            }
        }
    }

    fn smooth(&self, mode: Mode, out: &mut [u16]) {
        let (width, height) = (self.shape.width(), self.shape.height());
        let across = &SMOOTH[width - 4..][..width];
        let down = &SMOOTH[height - 4..][..height];
        let (right, bottom) = (self.above(width - 1), self.left(height - 1));
        for (y, row) in out.chunks_exact_mut(width).take(height).enumerate() {
            let (left, below) = (self.left(y), i32::from(down[y]));
            for (x, sample) in row.iter_mut().enumerate() {
                let beside = i32::from(across[x]);
                let vertical = below * self.above(x) + (256 - below) * bottom;
                let horizontal = beside * left + (256 - beside) * right;
                *sample = match mode {
                    Mode::SmoothVertical => (vertical + 128) >> 8,
                    Mode::SmoothHorizontal => (horizontal + 128) >> 8,
                    _ => (vertical + horizontal + 256) >> 9,
                } as u16;
            }
        }
    }

    /// Along a direction (7.11.2.4).
    fn directed(&self, angle: i32, smooth: bool, out: &mut [u16]) {
        let (width, height) = (self.shape.width(), self.shape.height());
        let both = width + height;
        if angle == 90 || angle == 180 {
            for (y, row) in out.chunks_exact_mut(width).take(height).enumerate() {
                match angle {
                    90 => (0..width).for_each(|x| row[x] = self.above(x) as u16),
                    _ => row.fill(self.left(y) as u16),
                }
            }
            return;
        }
        let (mut above, mut left) = (self.above, self.left);
        let filters = self.around.is_filtered;
        if filters && angle > 90 && angle < 180 && both >= 24 {
            let corner = above[BEFORE] * 5 + above[BEFORE - 1] * 6 + left[BEFORE] * 5;
            above[BEFORE - 1] = (corner + 8) >> 4;
            left[BEFORE - 1] = above[BEFORE - 1];
        }
        // How far each edge is looked at, beyond the block where the direction leads there.
        let further = |is: bool, by: usize| if is { by } else { 0 };
        let beyond_above = further(angle < 90, height);
        let beyond_left = further(angle > 180, width);
        if filters && self.around.above {
            let count = width.min(self.around.last.0 + 1 - self.at.0) + beyond_above + 1;
            filter(&mut above, count, strength(both, angle - 90, smooth));
        }
        if filters && self.around.left {
            let count = height.min(self.around.last.1 + 1 - self.at.1) + beyond_left + 1;
            filter(&mut left, count, strength(both, angle - 180, smooth));
        }
        let finer_above = filters && is_finer(both, angle - 90, smooth);
        let finer_left = filters && is_finer(both, angle - 180, smooth);
        let most = (1 << self.depth) - 1;
        if finer_above {
            make_finer(&mut above, width + beyond_above, most);
        }
        if finer_left {
            make_finer(&mut left, height + beyond_left, most);
        }
        let (finer_above, finer_left) = (i32::from(finer_above), i32::from(finer_left));
        let derivative = |angle: i32| i32::from(DERIVATIVE[(angle / 2) as usize]);
        if angle < 90 {
            let last = ((both - 1) as i32) << finer_above;
            widely(|| {
                towards(
                    &above,
                    derivative(angle),
                    finer_above,
                    Some(last),
                    (width, height),
                    out,
                )
            });
        } else if angle > 180 {
            // The same with columns for rows.
            let mut turned = [0; 64 * 64];
            widely(|| {
                towards(
                    &left,
                    derivative(270 - angle),
                    finer_left,
                    None,
                    (height, width),
                    &mut turned,
                )
            });
            for (y, row) in out.chunks_exact_mut(width).take(height).enumerate() {
                (0..width).for_each(|x| row[x] = turned[x * height + y]);
            }
        } else {
            let across = (derivative(180 - angle), finer_above);
            let down = (derivative(angle - 90), finer_left);
            widely(|| between((&above, across), (&left, down), (width, height), out));
        }
    }

    /// By a recursive filter, in cells of 4 × 2 (7.11.2.3).
    pub fn filtered(&self, filter: usize, out: &mut [u16]) {
        let width = self.shape.width();
        let most = (1 << self.depth) - 1;
        for y in (0..self.shape.height()).step_by(2) {
            for x in (0..width).step_by(4) {
                let above = |at: usize| match y {
                    0 => self.above[BEFORE + at - 1],
                    _ if at == 0 => self.left[BEFORE + y - 1],
                    _ => out[(y - 1) * width + at - 1].into(),
                };
                let left = |row: usize| match x {
                    0 => self.left(row),
                    _ => out[row * width + x - 1].into(),
                };
                let known = [
                    above(x),
                    above(x + 1),
                    above(x + 2),
                    above(x + 3),
                    above(x + 4),
                    left(y),
                    left(y + 1),
                ];
                for (place, taps) in FILTER_TAPS[filter].iter().enumerate() {
                    let sum: i32 = taps
                        .iter()
                        .zip(known)
                        .map(|(&tap, sample)| i32::from(tap) * sample)
                        .sum();
                    let rounded = if sum < 0 {
                        -((8 - sum) >> 4)
                    } else {
                        (sum + 8) >> 4
                    };
                    out[(y + place / 4) * width + x + place % 4] = rounded.clamp(0, most) as u16;
                }
            }
        }
    }
}

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
fn towards(
    edge: &[i32],
    derivative: i32,
    finer: i32,
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
fn between(
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
            let from = (BEFORE as i32 + base) as usize + first * step;
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
fn strength(both: usize, angle: i32, smooth: bool) -> usize {
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
fn filter(edge: &mut [i32], count: usize, strength: usize) {
    const KERNELS: [[i32; 5]; 3] = [[0, 4, 8, 4, 0], [0, 5, 6, 5, 0], [2, 4, 4, 4, 2]];
    if strength == 0 {
        return;
    }
    let edge = &mut edge[BEFORE - 1..][..count];
    let mut held = [0; 160];
    held[..count].copy_from_slice(edge);
    for (at, sample) in edge.iter_mut().enumerate().skip(1) {
        let taps = KERNELS[strength - 1].iter().enumerate();
        let sum: i32 = taps
            .map(|(tap, weight)| weight * held[(at + tap).saturating_sub(2).min(count - 1)])
            .sum();
        *sample = (sum + 8) >> 4;
    }
}

/// Whether an edge gets samples between its own (7.11.2.10).
fn is_finer(both: usize, angle: i32, smooth: bool) -> bool {
    let angle = angle.abs();
    angle > 0 && angle < 40 && both <= if smooth { 8 } else { 16 }
}

/// Gives an edge samples between its own (7.11.2.11).
fn make_finer(edge: &mut [i32], count: usize, most: i32) {
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

/// Chroma told from luma (7.11.5): what luma differs from its mean, in eighths.
pub(crate) fn luma_differences(
    luma: &Plane,
    (x, y): (usize, usize),
    shape: Shape,
    (across, down): (u8, u8),
    ends: (usize, usize),
    out: &mut [i32],
) {
    let (width, height) = (shape.width(), shape.height());
    let mut sum = 0;
    for row in 0..height {
        let y = ((y + row) << down).min(ends.1 - (1 << down));
        for column in 0..width {
            let x = ((x + column) << across).min(ends.0 - (1 << across));
            let mut total = 0;
            for dy in 0..1 << down {
                total += luma
                    .row(x, y + dy, 1 << across)
                    .iter()
                    .map(|&sample| i32::from(sample))
                    .sum::<i32>();
            }
            let value = total << (3 - across - down);
            out[row * width + column] = value;
            sum += value;
        }
    }
    let bits = shape.w + shape.h;
    let mean = (sum + (1 << (bits - 1))) >> bits;
    out[..width * height]
        .iter_mut()
        .for_each(|value| *value -= mean);
}

/// Adds a part of what luma differs, in eighths, to a prediction.
pub(crate) fn add_luma(differences: &[i32], alpha: i32, depth: u32, out: &mut [u16]) {
    let most = (1 << depth) - 1;
    for (sample, difference) in out.iter_mut().zip(differences) {
        let scaled = alpha * difference;
        let rounded = if scaled < 0 {
            -((32 - scaled) >> 6)
        } else {
            (scaled + 32) >> 6
        };
        *sample = (i32::from(*sample) + rounded).clamp(0, most) as u16;
    }
}
