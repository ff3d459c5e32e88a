//! Where a picture shows again what it showed before: letters, signs and lines of drawn pictures.

use crate::picture::{Chroma, Plane};

/// Squares of a tile that are alike, wherever they begin.
pub(crate) struct Repeats {
    /// The side of the squares.
    side: usize,
    across: usize,
    /// What tells squares apart, by their first sample; those that are flat have 0.
    marks: Vec<u32>,
    /// First samples of those that are not flat: those that are alike side by side, in order.
    places: Vec<u32>,
}

/// Of a long row of squares that are alike so many are looked at.
const LOOKED_AT: usize = 64;

/// What samples beside each other and rows below each other are multiplied by (odd, of no other meaning).
const BESIDE: u32 = 0x9e37_79b1;
const BELOW: u32 = 0x85eb_ca77;
const PLANES: [u32; 3] = [1, 0x27d4_eb2f, 0x1656_67b1];

impl Repeats {
    /// Those of a size in the planes of a tile.
    pub fn new(planes: &[Plane], chroma: Chroma, side: usize) -> Repeats {
        let (across, down) = (planes[0].width(), planes[0].height());
        let sample = |x: usize, y: usize| {
            planes.iter().enumerate().fold(0u32, |sum, (index, plane)| {
                let (shift_x, shift_y) = chroma.shift(index);
                let sample = u32::from(plane.at(x >> shift_x, y >> shift_y));
                sum.wrapping_add(sample.wrapping_mul(PLANES[index]))
            })
        };
        let samples: Vec<u32> = (0..across * down)
            .map(|at| sample(at % across, at / across))
            .collect();
        let sums = |at: usize, step: usize, factor: u32, all: &[u32]| {
            (0..side).fold(0u32, |sum, index| {
                sum.wrapping_mul(factor)
                    .wrapping_add(all[at + index * step])
            })
        };
        // What begins too near an end for a whole square counts for none.
        let fits = |at: usize, all: usize| at + side <= all;
        let of_row = |at: usize| match fits(at % across, across) {
            true => sums(at, 1, BESIDE, &samples),
            false => 0,
        };
        let rows: Vec<u32> = (0..samples.len()).map(of_row).collect();
        let of_square = |at: usize| match fits(at / across, down) {
            true => sums(at, across, BELOW, &rows),
            false => 0,
        };
        let mut marks: Vec<u32> = (0..samples.len()).map(of_square).collect();
        // That of a flat square, for each number that its samples have.
        let ones = [1; 64];
        let flat = sums(0, 1, BESIDE, &ones).wrapping_mul(sums(0, 1, BELOW, &ones));
        let mut places = Vec::new();
        for (at, mark) in marks.iter_mut().enumerate() {
            let is_whole = fits(at % across, across) && fits(at / across, down);
            if !is_whole || *mark == samples[at].wrapping_mul(flat) {
                *mark = 0;
            } else if *mark != 0 {
                places.push(at as u32);
            }
        }
        places.sort_unstable_by_key(|&at| (marks[at as usize], at));
        Repeats {
            side,
            across,
            marks,
            places,
        }
    }

    /// Where squares like the one at a place stand before it, the nearest first; none for flat ones.
    pub fn before(&self, (x, y): (usize, usize)) -> impl Iterator<Item = (usize, usize)> {
        let own = (y * self.across + x) as u32;
        let mark = self.marks[own as usize];
        let order = |&at: &u32| (self.marks[at as usize], at) < (mark, own);
        let end = match mark {
            0 => 0,
            _ => self.places.partition_point(order),
        };
        let alike = self.places[..end].iter().rev().take(LOOKED_AT);
        alike
            .take_while(move |&&at| self.marks[at as usize] == mark)
            .map(|&at| (at as usize % self.across, at as usize / self.across))
    }

    /// Of the squares that lie side by side and are not flat, the share that stand at least so many rows above too.
    pub fn share(&self, rows: usize) -> f32 {
        let (mut all, mut again) = (0, 0);
        for y in (0..self.marks.len() / self.across).step_by(self.side) {
            for x in (0..self.across).step_by(self.side) {
                if self.marks[y * self.across + x] != 0 {
                    all += 1;
                    let is_far = |(_, above): (usize, usize)| above + rows <= y;
                    again += usize::from(self.before((x, y)).any(is_far));
                }
            }
        }
        again as f32 / all.max(1) as f32
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn squares_that_are_alike_are_found_wherever_they_begin() {
        let (across, down) = (64, 64);
        let mut plane = Plane::filled(across, down, 9);
        for (x, y) in [(3, 2), (30, 20), (41, 50)] {
            for row in 0..8 {
                let own = plane.row_mut(x, y + row, 8);
                own.iter_mut()
                    .enumerate()
                    .for_each(|(at, sample)| *sample = (at * row) as u16);
            }
        }
        let repeats = Repeats::new(&[plane], Chroma::None, 8);
        let before = |at: (usize, usize)| repeats.before(at).collect::<Vec<_>>();
        assert_eq!(before((41, 50)), [(30, 20), (3, 2)]);
        assert_eq!(before((3, 2)), []);
        assert_eq!(before((12, 40)), []);
    }
}
