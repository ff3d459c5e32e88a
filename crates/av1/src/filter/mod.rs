//! What is done to a picture once all blocks are put together (sections 7.14 and 7.15).

mod deblock;
mod direct;
mod pick;

use rayon::prelude::*;

use crate::picture::{Chroma, Depth, Plane};
use crate::shape::Shape;

use deblock::deblock;
use direct::enhance;
pub(crate) use pick::pick;

/// How strongly a picture is filtered.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct Filters {
    /// Across vertical and horizontal edges of luma, of blue and of red chroma: 0 to 63.
    pub levels: [u8; 4],
    /// How far samples may be off to count for the directional filter, as a power of two: 3 to 6.
    pub damping: u8,
    /// One, two, four or eight ways to filter along directions, among which each superblock chooses.
    pub strengths: Vec<Strength>,
}

/// How strongly a superblock is filtered along the directions of its cells, and beside them.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct Strength {
    /// Along directions: 0 to 15; beside them: 0, 1, 2 or 4.
    pub luma: (u8, u8),
    pub chroma: (u8, u8),
}

impl Filters {
    /// How many bits tell the choice of a superblock.
    pub fn bits(&self) -> u32 {
        self.strengths.len().max(1).ilog2()
    }
}

/// What filters have to know of the blocks of a picture, in units of four samples.
#[derive(Clone)]
pub(crate) struct Outline {
    /// Units in a row of luma.
    pub across: usize,
    pub down: usize,
    pub chroma: Chroma,
    pub depth: Depth,
    /// Width and height in samples.
    pub size: (usize, usize),
    /// For each plane, in its own units, the transform there.
    pub transforms: [Vec<Unit>; 3],
    /// For each unit of luma whether its block has no coefficients.
    pub skips: Vec<bool>,
}

/// Where a unit is in its transform block.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Unit {
    /// The size of the transform, as logarithms.
    pub w: u8,
    pub h: u8,
    /// Whether it begins here.
    pub is_left: bool,
    pub is_top: bool,
}

impl Outline {
    pub fn new(
        (across, down): (usize, usize),
        chroma: Chroma,
        depth: Depth,
        size: (usize, usize),
    ) -> Outline {
        let units = |plane: usize| {
            let (x, y) = chroma.shift(plane);
            vec![Unit::default(); (across >> x) * (down >> y)]
        };
        Outline {
            across,
            down,
            chroma,
            depth,
            size,
            transforms: [units(0), units(1), units(2)],
            skips: vec![false; across * down],
        }
    }

    /// Units in a row of a plane, and how many rows.
    pub fn units(&self, plane: usize) -> (usize, usize) {
        let (x, y) = self.chroma.shift(plane);
        (self.across >> x, self.down >> y)
    }

    /// Where superblocks begin, in the order in which they are coded.
    pub fn superblocks(&self) -> impl Iterator<Item = (usize, usize)> + use<> {
        let (across, down) = (self.across, self.down);
        (0..down)
            .step_by(16)
            .flat_map(move |y| (0..across).step_by(16).map(move |x| (x, y)))
    }

    /// Notes a transform block that begins at a unit of a plane.
    pub fn transform(&mut self, plane: usize, (x, y): (usize, usize), shape: Shape) {
        let (across, down) = self.units(plane);
        for row in y..(y + shape.height4()).min(down) {
            for column in x..(x + shape.width4()).min(across) {
                self.transforms[plane][row * across + column] = Unit {
                    w: shape.w,
                    h: shape.h,
                    is_left: column == x,
                    is_top: row == y,
                };
            }
        }
    }

    /// Takes over a part that begins at a unit of luma.
    pub fn paste(&mut self, part: &Outline, (x, y): (usize, usize)) {
        for row in 0..part.down {
            let start = (y + row) * self.across + x;
            let skips = &part.skips[row * part.across..][..part.across];
            self.skips[start..start + part.across].copy_from_slice(skips);
        }
        for plane in 0..self.chroma.planes() {
            let (shift_x, shift_y) = self.chroma.shift(plane);
            let ((across, _), (width, height)) = (self.units(plane), part.units(plane));
            for row in 0..height {
                let start = ((y >> shift_y) + row) * across + (x >> shift_x);
                let units = &part.transforms[plane][row * width..][..width];
                self.transforms[plane][start..start + width].copy_from_slice(units);
            }
        }
    }

    /// Notes whether a block has no coefficients.
    pub fn skip(&mut self, (x, y): (usize, usize), shape: Shape, skips: bool) {
        let end = (x + shape.width4()).min(self.across);
        for row in y..(y + shape.height4()).min(self.down) {
            self.skips[row * self.across + x..row * self.across + end].fill(skips);
        }
    }
}

/// Smooths the edges of blocks in a picture as it was put together.
pub(crate) fn soften(shown: &mut [Plane], outline: &Outline, levels: [u8; 4]) {
    shown
        .par_iter_mut()
        .enumerate()
        .for_each(|(index, plane)| deblock((index, plane), outline, levels, |_| true));
}

/// Filters a picture without edges along what it shows, each superblock by its choice.
pub(crate) fn clear(shown: &mut [Plane], outline: &Outline, filters: &Filters, choices: &[u8]) {
    let before = shown.to_vec();
    // Planes in rows of superblocks.
    let mut rows: Vec<Vec<Strip<'_>>> = Vec::new();
    for (index, plane) in shown.iter_mut().enumerate() {
        let (width, height) = (plane.width(), 64 >> outline.chroma.shift(index).1);
        let strips = plane.samples_mut().chunks_mut(width * height);
        for (row, samples) in strips.enumerate() {
            let strip = Strip {
                samples,
                width,
                top: row * height,
            };
            match rows.get_mut(row) {
                Some(strips) => strips.push(strip),
                None => rows.push(vec![strip]),
            }
        }
    }
    let across = outline.across.div_ceil(16);
    let choices = choices.par_chunks(across).enumerate();
    rows.par_iter_mut()
        .zip(choices)
        .for_each(|(strips, (y, choices))| {
            for (x, &choice) in choices.iter().enumerate() {
                let strength = filters.strengths[usize::from(choice)];
                let damping = filters.damping;
                enhance(
                    &before,
                    strips,
                    outline,
                    (x * 16, y * 16),
                    (strength, damping),
                );
            }
        });
}

/// Some rows of a plane.
struct Strip<'a> {
    samples: &'a mut [u16],
    width: usize,
    /// The first of them.
    top: usize,
}

/// The sum of squared differences in a rectangle.
fn squares(a: &Plane, b: &Plane, (x, y): (usize, usize), (width, height): (usize, usize)) -> u64 {
    let mut sum = 0;
    for row in y..y + height {
        let pairs = a.row(x, row, width).iter().zip(b.row(x, row, width));
        sum += pairs
            .map(|(&a, &b)| {
                let difference = i32::from(a) - i32::from(b);
                (difference * difference) as u64
            })
            .sum::<u64>();
    }
    sum
}
