//! What blocks say to those below and to the right of them.

use crate::coefs::{Context, Trace};
use crate::palette::Palette;
use crate::picture::Chroma;
use crate::predict::Mode;
use crate::shape::Shape;

/// What stands above four columns, or to the left of four rows.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Cell {
    /// How long the block there is along this side, as a logarithm; 7 outside.
    pub length: u8,
    pub skips: bool,
    pub mode: Mode,
    /// How long the transform there is along this side, as a logarithm; 0 outside.
    pub transform: u8,
    pub is_copied: bool,
    pub trace: Trace,
}

impl Cell {
    /// How long the transform there counts as: of a copied block that is the block.
    pub fn reach(&self) -> u8 {
        match self.is_copied {
            true => self.length,
            false => self.transform,
        }
    }
}

/// The same in chroma, in its own units.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct TintCell {
    pub mode: Mode,
    pub traces: [Trace; 2],
}

/// One side: what stands above each column, or to the left of each row.
#[derive(Clone)]
pub(crate) struct Side {
    pub cells: Vec<Cell>,
    pub tints: Vec<TintCell>,
    /// Those of luma and of the first plane of chroma, where there may be any.
    pub palettes: Vec<[Palette; 2]>,
}

impl Side {
    pub fn new(units: usize, has_palettes: bool) -> Side {
        let cell = Cell {
            length: 7,
            skips: false,
            mode: Mode::Mean,
            transform: 0,
            is_copied: false,
            trace: Trace::default(),
        };
        let tint = TintCell {
            mode: Mode::Mean,
            traces: [Trace::default(); 2],
        };
        Side {
            cells: vec![cell; units],
            tints: vec![tint; units],
            palettes: match has_palettes {
                true => vec![Default::default(); units],
                false => Vec::new(),
            },
        }
    }

    /// What transform blocks of a plane say along some units.
    pub fn traces(&self, plane: usize, at: usize, count: usize) -> Traces {
        let mut traces = Traces::default();
        for unit in at..at + count {
            let trace = match plane {
                0 => self.cells[unit].trace,
                _ => self.tints[unit].traces[plane - 1],
            };
            traces.most = traces.most.max(trace.levels);
            traces.any |= trace != Trace::default();
            traces.signs += [0, -1, 1][usize::from(trace.sign)];
        }
        traces
    }

    /// Says of a transform block what it has along some units.
    pub fn trace(&mut self, plane: usize, at: usize, count: usize, trace: Trace) {
        match plane {
            0 => {
                let end = (at + count).min(self.cells.len());
                self.cells[at..end]
                    .iter_mut()
                    .for_each(|cell| cell.trace = trace);
            }
            _ => {
                let end = (at + count).min(self.tints.len());
                self.tints[at..end]
                    .iter_mut()
                    .for_each(|cell| cell.traces[plane - 1] = trace);
            }
        }
    }
}

/// What several transform blocks say.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Traces {
    /// The largest sum of levels.
    most: u8,
    any: bool,
    /// By how many more of the first coefficients are above zero than below.
    signs: i32,
}

/// Contexts of a transform block, from what is above it and to the left within the picture.
pub(crate) fn of_transform(
    (above, left): (Traces, Traces),
    (block, transform): (Shape, Shape),
    is_luma: bool,
) -> Context {
    let all_zero = if is_luma {
        match (above.most.min(left.most), above.most.max(left.most)) {
            _ if block == transform => 0,
            (_, 0) => 1,
            (0, most) => 2 + usize::from(most > 3),
            (_, ..=3) => 4,
            (..=3, _) => 5,
            _ => 6,
        }
    } else {
        let larger = block.area() > transform.area();
        7 + usize::from(above.any) + usize::from(left.any) + if larger { 3 } else { 0 }
    };
    Context {
        all_zero,
        sign: match above.signs + left.signs {
            0 => 0,
            ..0 => 1,
            1.. => 2,
        },
    }
}

/// Which samples of a superblock are known by now, in units of four in each plane (section 5.11.3).
#[derive(Clone, Copy)]
pub(crate) struct Known {
    /// Rows of bits, with a unit before and after on each side.
    rows: [[u32; 18]; 3],
}

impl Known {
    /// At the start of a superblock with so many units from there to the ends of the picture.
    pub fn new(chroma: Chroma, (across, down): (usize, usize)) -> Known {
        let mut known = Known { rows: [[0; 18]; 3] };
        for plane in 0..chroma.planes() {
            let (x, y) = chroma.shift(plane);
            let rows = &mut known.rows[plane];
            let (side_x, side_y) = (16 >> x, 16 >> y);
            rows[0] = (1 << (1 + (across >> x).min(side_x + 1))) - 1;
            rows[1..=(down >> y).min(side_y)].fill(1);
        }
        known
    }

    /// Whether a unit is known, counted from one before the superblock.
    pub fn is(&self, plane: usize, x: usize, y: usize) -> bool {
        self.rows[plane][y] >> x & 1 == 1
    }

    /// Marks some units of a plane, counted from its first.
    pub fn set(&mut self, plane: usize, (x, y): (usize, usize), (width, height): (usize, usize)) {
        let bits = ((1u32 << width) - 1) << (x + 1);
        for row in &mut self.rows[plane][y + 1..(y + 1 + height).min(18)] {
            *row |= bits;
        }
    }
}
