//! Where the eye would see a difference.

use crate::blur::{LANES, Lanes};
use crate::score::{COMPONENTS, KINDS, Scale, Sums, score};

/// Pixels on a side of a cell.
const CELL: usize = 16;

/// The score of every cell of a grid over a picture, each taken as if it were a picture of its
/// own, but for its coarsest scales, which look beyond it.
#[derive(Clone, Debug, PartialEq)]
pub struct Map {
    /// Pixels on a side of a cell; those at the right and bottom border may be cut off.
    pub cell: usize,
    /// Cells in a row.
    pub columns: usize,
    /// Rows of cells.
    pub rows: usize,
    /// Their scores, row by row from the top; 100 where there is no difference.
    pub scores: Vec<f32>,
    /// The score of the whole picture.
    pub score: f32,
}

impl Map {
    /// The mean score, none below 0, of the cells that a part touches, given by its upper left pixel,
    /// its width and its height; `None` where it lies outside.
    pub fn mean(&self, x: u32, y: u32, width: u32, height: u32) -> Option<f32> {
        let cells = |from: u32, length: u32, all: usize| {
            let first = from as usize / self.cell;
            let behind = (from as usize + length as usize).div_ceil(self.cell);
            first..behind.min(all)
        };
        let columns = cells(x, width, self.columns);
        let (mut sum, mut count) = (0.0, 0u32);
        for row in cells(y, height, self.rows) {
            for score in self
                .scores
                .get(row * self.columns..)?
                .get(columns.clone())?
            {
                sum += score.max(0.0);
                count += 1;
            }
        }
        (count > 0).then(|| sum / count as f32)
    }

    /// The lower score of both, in every cell and as a whole.
    pub(crate) fn worse(mut self, other: Map) -> Map {
        for (score, other) in self.scores.iter_mut().zip(&other.scores) {
            *score = score.min(*other);
        }
        self.score = self.score.min(other.score);
        self
    }
}

/// Sums for every cell of every scale.
pub(crate) struct Cells {
    scales: Vec<Grid>,
}

/// The cells of one scale. A cell has at least one pixel: at the coarsest scales one pixel stands
/// for several cells.
pub(crate) struct Grid {
    side: usize,
    width: usize,
    height: usize,
    columns: usize,
    sums: Vec<[Sums; COMPONENTS]>,
}

impl Cells {
    pub(crate) fn new(sizes: &[(usize, usize)]) -> Cells {
        let grid = |(scale, &(width, height)): (usize, &(usize, usize))| {
            let side = (CELL >> scale).max(1);
            let columns = width.div_ceil(side);
            let sums = vec![Default::default(); columns * height.div_ceil(side)];
            Grid {
                side,
                width,
                height,
                columns,
                sums,
            }
        };
        Cells {
            scales: sizes.iter().enumerate().map(grid).collect(),
        }
    }

    pub(crate) fn of_scale(&mut self, scale: usize) -> &mut Grid {
        &mut self.scales[scale]
    }

    /// The map of a picture of so many pixels, each of which was repeated so often, and of the score
    /// of the whole.
    pub(crate) fn finish(self, width: usize, height: usize, repeats: usize, whole: f32) -> Map {
        let (columns, rows) = (width.div_ceil(CELL), height.div_ceil(CELL));
        let mut scores = Vec::with_capacity(columns * rows);
        for y in (0..rows).map(|row| row * CELL * repeats) {
            for x in (0..columns).map(|column| column * CELL * repeats) {
                let scales = self.scales.iter().enumerate();
                let area: Vec<Scale> = scales.map(|(s, grid)| grid.at(x >> s, y >> s)).collect();
                scores.push(score(&area) as f32);
            }
        }
        Map {
            cell: CELL,
            columns,
            rows,
            scores,
            score: whole,
        }
    }
}

impl Grid {
    /// Adds the errors of some pixels of a component, the last of which may lie beyond the border.
    pub(crate) fn add(
        &mut self,
        (component, x, y): (usize, usize, usize),
        errors: &[Lanes; KINDS],
    ) {
        for (lane, x) in (x..self.width.min(x + LANES)).enumerate() {
            let cell = y / self.side * self.columns + x / self.side;
            let sums = &mut self.sums[cell][component];
            for (kind, errors) in errors.iter().enumerate() {
                let error = f64::from(errors[lane]);
                sums.plain[kind] += error;
                let squared = error * error;
                sums.fourth[kind] += squared * squared;
            }
        }
    }

    /// The sums of the cell around a pixel of this scale, and the pixels in it.
    fn at(&self, x: usize, y: usize) -> Scale {
        let (x, y) = (x.min(self.width - 1), y.min(self.height - 1));
        let (column, row) = (x / self.side, y / self.side);
        let across = self.side.min(self.width - column * self.side);
        let down = self.side.min(self.height - row * self.side);
        (self.sums[row * self.columns + column], across * down)
    }
}

#[cfg(test)]
mod tests {
    use pulp::Arch;

    use super::*;
    use crate::compare::Prepared;
    use crate::picture::{Ground, Picture, View};
    use crate::scales::sizes;

    #[test]
    fn the_errors_of_all_cells_are_those_of_the_score() {
        let (width, height) = (203, 90);
        let of = |off: usize| -> Vec<u8> {
            let sample = |at: usize| (at / 7 + at * at / 5000 + off * (at % 11)) as u8;
            (0..width * height * 3).map(sample).collect()
        };
        let (one, two) = (of(0), of(2));
        let view = |samples| View::new(samples, Ground::Black);
        let picture = |samples| Picture::rgb(width, height, samples).expect("a picture");
        let (one, two) = (picture(&one), picture(&two));
        let prepared = Prepared::new(Arch::new(), &view(one));
        let mut cells = Cells::new(&sizes(width, height));
        let whole = prepared.compare(Arch::new(), &view(two), Some(&mut cells));
        let summed = cells.scales.iter().map(|grid| {
            let mut all: [Sums; COMPONENTS] = Default::default();
            for cell in &grid.sums {
                for (all, cell) in all.iter_mut().zip(cell) {
                    for kind in 0..KINDS {
                        all.plain[kind] += cell.plain[kind];
                        all.fourth[kind] += cell.fourth[kind];
                    }
                }
            }
            (all, grid.width * grid.height)
        });
        let summed: Vec<Scale> = summed.collect();
        let (found, expected) = (score(&summed), score(&whole));
        assert!((found - expected).abs() < 1e-3, "{found} {expected}");
        assert!(expected < 90.0);
        // The mean of a part is that of the cells that it touches.
        let map = cells.finish(width, height, 1, expected as f32);
        let touched = [map.scores[0], map.scores[1]].map(|score| score.max(0.0));
        assert_eq!(
            map.mean(10, 3, 20, 4),
            Some((touched[0] + touched[1]) / 2.0)
        );
        assert_eq!(map.mean(0, 96, 5, 5), None);
    }
}
