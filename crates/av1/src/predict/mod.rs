//! Predictions within a picture (section 7.11.2 to 7.11.5).

mod direct;

use crate::picture::Plane;
use crate::shape::Shape;
use crate::tables::{DERIVATIVE, FILTER_TAPS, SMOOTH};
use crate::wide::{body, widely};
use direct::{between, filter, is_finer, make_finer, strength, towards};

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
            Mode::Paeth => widely(Paeth, (self, out)),
            Mode::Mean => out[..self.shape.area()].fill(self.mean() as u16),
            _ => widely(Smooth, (self, mode, out)),
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

    #[inline(always)]
    fn paeth(&self, out: &mut [u16]) {
        let (width, height) = (self.shape.width(), self.shape.height());
        let above = &self.above[BEFORE..][..width];
        let corner = self.above[BEFORE - 1];
        let rows = out.chunks_exact_mut(width).take(height);
        for (row, &left) in rows.zip(&self.left[BEFORE..]) {
            for (sample, &above) in row.iter_mut().zip(above) {
                let base = above + left - corner;
                let off = |edge: i32| (base - edge).abs();
                let (to_left, to_above, to_corner) = (off(left), off(above), off(corner));
                let other = if to_above <= to_corner { above } else { corner };
                let is_left = to_left <= to_above.min(to_corner);
                *sample = if is_left { left } else { other } as u16;
            }
        }
    }

    #[inline(always)]
    fn smooth(&self, mode: Mode, out: &mut [u16]) {
        let (width, height) = (self.shape.width(), self.shape.height());
        let across = &SMOOTH[width - 4..][..width];
        let down = &SMOOTH[height - 4..][..height];
        let above = &self.above[BEFORE..][..width];
        let (right, bottom) = (self.above(width - 1), self.left(height - 1));
        let rows = out.chunks_exact_mut(width).zip(down);
        for ((row, &below), &left) in rows.zip(&self.left[BEFORE..]) {
            let below = i32::from(below);
            let each = row.iter_mut().zip(above).zip(across);
            for ((sample, &above), &beside) in each {
                let beside = i32::from(beside);
                let vertical = below * above + (256 - below) * bottom;
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
            let ways = (derivative(angle), finer_above);
            widely(
                Towards,
                (&above[..], ways, Some(last), (width, height), out),
            );
        } else if angle > 180 {
            // The same with columns for rows.
            let derivative = derivative(270 - angle);
            let mut turned = |room: &mut [u16]| {
                let size = (height, width);
                let ways = (derivative, finer_left);
                widely(Towards, (&left[..], ways, None, size, &mut *room));
                for (y, row) in out.chunks_exact_mut(width).take(height).enumerate() {
                    (0..width).for_each(|x| row[x] = room[x * height + y]);
                }
            };
            if width * height <= 16 * 16 {
                turned(&mut [0; 16 * 16]);
            } else {
                turned(&mut [0; 64 * 64]);
            }
        } else {
            let across = (derivative(180 - angle), finer_above);
            let down = (derivative(angle - 90), finer_left);
            widely(
                Between,
                (
                    (&above[..], across),
                    (&left[..], down),
                    (width, height),
                    out,
                ),
            );
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

struct Paeth;
struct Smooth;
struct Towards;
struct Between;

body!(['a] Paeth = Edges::paeth, (edges: &'a Edges, out: &'a mut [u16]) -> ());
body!(['a] Smooth = Edges::smooth, (edges: &'a Edges, mode: Mode, out: &'a mut [u16]) -> ());
body!(['a] Towards = towards, (edge: &'a [i32], ways: (i32, i32), last: Option<i32>, size: (usize, usize),
    out: &'a mut [u16]) -> ());
body!(['a] Between = between, (above: (&'a [i32], (i32, i32)), left: (&'a [i32], (i32, i32)), size: (usize, usize),
    out: &'a mut [u16]) -> ());

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
