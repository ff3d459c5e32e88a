//! How much a block differs from its prediction, by the sum of its differences after a Hadamard transform: about what
//! is left to code.

// Lanes are counted, so that they are seen to be as many.
#![allow(clippy::needless_range_loop)]

use crate::picture::Plane;
use crate::shape::Shape;

/// The sum of transformed differences, scaled so that it grows with sides as those of the coder's transforms do.
pub(crate) fn satd(source: &Plane, (x, y): (usize, usize), shape: Shape, predicted: &[u16]) -> u32 {
    let (width, height) = (shape.width(), shape.height());
    if shape.shorter() == 2 {
        return cells::<4>(source, (x, y), (width, height), predicted) / 2;
    }
    cells::<8>(source, (x, y), (width, height), predicted) / 4
}

fn cells<const N: usize>(
    source: &Plane,
    (x, y): (usize, usize),
    (width, height): (usize, usize),
    predicted: &[u16],
) -> u32 {
    let mut sum = 0;
    for top in (0..height).step_by(N) {
        for left in (0..width).step_by(N) {
            let mut cell = [[0i32; N]; N];
            for (row, cell) in cell.iter_mut().enumerate() {
                let samples = source.row(x + left, y + top + row, N);
                let predicted = &predicted[(top + row) * width + left..][..N];
                for ((value, &sample), &predicted) in cell.iter_mut().zip(samples).zip(predicted) {
                    *value = i32::from(sample) - i32::from(predicted);
                }
            }
            hadamard(&mut cell);
            let mut turned = [[0i32; N]; N];
            for (row, cell) in cell.iter().enumerate() {
                for (column, &value) in cell.iter().enumerate() {
                    turned[column][row] = value;
                }
            }
            hadamard(&mut turned);
            sum += turned
                .iter()
                .flatten()
                .map(|value| value.unsigned_abs())
                .sum::<u32>();
        }
    }
    sum
}

fn hadamard<const N: usize>(rows: &mut [[i32; N]; N]) {
    let mut step = 1;
    while step < N {
        for at in (0..N).filter(|at| at & step == 0) {
            for lane in 0..N {
                let (a, b) = (rows[at][lane], rows[at + step][lane]);
                rows[at][lane] = a + b;
                rows[at + step][lane] = a - b;
            }
        }
        step *= 2;
    }
}
