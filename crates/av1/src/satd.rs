//! How much a block differs from its prediction, by the sum of its differences after a Hadamard transform: about what
//! is left to code.

// Lanes are counted, so that they are seen to be as many.
#![allow(clippy::needless_range_loop)]

use crate::hadamard::Hadamard;
use crate::picture::Plane;
use crate::shape::Shape;
use crate::wide::{body, widely};

/// The sum of transformed differences, scaled so that it grows with sides as those of the coder's transforms do. Of
/// deeper samples the last bits do not count.
pub(crate) fn satd(
    source: &Plane,
    at: (usize, usize),
    shape: Shape,
    predicted: &[u16],
    depth: u32,
) -> u32 {
    let size = (shape.width(), shape.height());
    let deeper = depth - 8;
    let sum = match shape.shorter() {
        2 => widely(Cells::<4>, (source, at, size, predicted, deeper)) / 2,
        _ => widely(Cells::<8>, (source, at, size, predicted, deeper)) / 4,
    };
    sum << deeper
}

struct Cells<const N: usize>;

body!(['a] Cells<4> = cells::<4>,
    (source: &'a Plane, at: (usize, usize), size: (usize, usize), predicted: &'a [u16], deeper: u32) -> u32);
body!(['a] Cells<8> = cells::<8>,
    (source: &'a Plane, at: (usize, usize), size: (usize, usize), predicted: &'a [u16], deeper: u32) -> u32);

#[inline(always)]
fn cells<const N: usize>(
    source: &Plane,
    (x, y): (usize, usize),
    (width, height): (usize, usize),
    predicted: &[u16],
    deeper: u32,
) -> u32
where
    [[i16; N]; N]: Hadamard,
{
    let mut sum = 0;
    for top in (0..height).step_by(N) {
        for left in (0..width).step_by(N) {
            let mut cell = [[0i16; N]; N];
            for row in 0..N {
                let samples = source.row(x + left, y + top + row, N);
                let predicted = &predicted[(top + row) * width + left..][..N];
                for lane in 0..N {
                    cell[row][lane] = (samples[lane] as i16 - predicted[lane] as i16) >> deeper;
                }
            }
            sum += cell.transformed();
        }
    }
    sum
}
