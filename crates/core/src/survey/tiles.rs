//! What a graphic would weigh, from some of its tiles: what makes it heavy stands in a few places, so tiles are
//! drawn the more often the busier they are (systematic sampling with probability proportional to size; Madow,
//! On the theory of systematic sampling II, 1949), laid side by side and encoded as one picture; its weight is
//! scaled by how busy the whole is.

use crate::pixels::Raster;

/// The side of a tile.
const SIDE: usize = 128;

/// Tiles in a row of the sample, and rows of them.
const ACROSS: usize = 4;

/// A graphic is sampled where it has so many times the tiles of a sample.
const LARGER: usize = 2;

/// How busy a pixel is at least: something is paid for the calmest too.
const CALM: f64 = 0.02;

/// Some tiles of a picture.
pub(super) struct Tiles {
    /// Laid side by side.
    pub raster: Raster,
    /// So many times the whole is busier than they are together.
    pub times: f64,
}

impl Tiles {
    /// Those of a picture that is much larger than a sample.
    pub(super) fn of(raster: &Raster) -> Option<Tiles> {
        let (width, height) = (
            raster.size().width() as usize,
            raster.size().height() as usize,
        );
        let (columns, rows) = (width / SIDE, height / SIDE);
        if columns * rows < ACROSS * ACROSS * LARGER {
            return None;
        }
        let busy = busy(raster);
        // What is left over at the right and at the bottom counts with the whole.
        let whole: f64 = busy.cells.iter().sum();
        let full = |&at: &usize| at % busy.columns < columns && at / busy.columns < rows;
        let mut all: Vec<usize> = (0..busy.cells.len()).filter(full).collect();
        // Alike ones lie together, so that each kind is met as often as it is worth.
        all.sort_by(|a, b| busy.cells[*a].total_cmp(&busy.cells[*b]));
        let sum: f64 = all.iter().map(|&at| busy.cells[at]).sum();
        let step = sum / (ACROSS * ACROSS) as f64;
        let (mut chosen, mut passed, mut next) = (Vec::new(), 0.0, step / 2.0);
        for (place, &at) in all.iter().enumerate() {
            passed += busy.cells[at];
            // One that is busy enough for several is taken once.
            let must = all.len() - place <= ACROSS * ACROSS - chosen.len();
            if chosen.len() < ACROSS * ACROSS && (passed >= next || must) {
                chosen.push(at);
                while next <= passed {
                    next += step;
                }
            }
        }
        chosen.sort_unstable();
        let taken: f64 = chosen.iter().map(|&at| busy.cells[at]).sum();
        let corner = |&at: &usize| {
            let (x, y) = (at % busy.columns * SIDE, at / busy.columns * SIDE);
            (x as u32, y as u32)
        };
        let places: Vec<_> = chosen.iter().map(corner).collect();
        Some(Tiles {
            raster: raster.side_by_side(SIDE as u32, ACROSS as u32, &places)?,
            times: whole / taken,
        })
    }
}

/// How busy each cell of a grid is.
struct Busy {
    columns: usize,
    cells: Vec<f64>,
}

/// The sum over the pixels of each cell of log₂(1 + difference to the pixels at the left and above), of all channels:
/// about the bits that its details take.
fn busy(raster: &Raster) -> Busy {
    let step = raster.channels().count();
    let (width, height) = (
        raster.size().width() as usize,
        raster.size().height() as usize,
    );
    let columns = width.div_ceil(SIDE);
    let bits: [f64; 1024] = std::array::from_fn(|off| libm::log2(1.0 + off as f64 / 2.0) + CALM);
    let mut cells = vec![0.0; columns * height.div_ceil(SIDE)];
    let mut above: Option<&[u8]> = None;
    for (y, row) in raster.rows().enumerate() {
        let upper = above.unwrap_or(row);
        let cells = &mut cells[y / SIDE * columns..][..columns];
        let mut left = &row[..step];
        for (x, (here, up)) in row
            .chunks_exact(step)
            .zip(upper.chunks_exact(step))
            .enumerate()
        {
            let off: u32 = (0..step)
                .map(|i| u32::from(here[i].abs_diff(left[i])) + u32::from(here[i].abs_diff(up[i])))
                .sum();
            cells[x / SIDE] += bits[off.min(1023) as usize];
            left = here;
        }
        above = Some(row);
    }
    Busy { columns, cells }
}
