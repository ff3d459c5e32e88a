//! Pixels laid out so that what is worked on together lies together.

use crate::blur::{LANES, Lanes, Pixel};
use crate::light::Planes;

/// Columns that are worked on at once: what that takes stays in the nearest caches.
pub(crate) const TILE: usize = 16;

/// Vectors in a row of a tile.
pub(crate) const ACROSS: usize = TILE / 2;

/// Pixels in tiles of so many columns, tile by tile, each from the top down: what is worked on
/// together lies together.
pub(crate) struct Tiled {
    rows: usize,
    pixels: Vec<Pixel>,
}

impl Tiled {
    pub(crate) fn new(width: usize, rows: usize) -> Tiled {
        let tiles = width.div_ceil(TILE);
        Tiled {
            rows,
            pixels: vec![[0.0; 4]; tiles * rows * TILE],
        }
    }

    /// Puts a row.
    pub(crate) fn put(&mut self, y: usize, row: &Planes) {
        let [xs, ys, bs] = row;
        let parts = xs.chunks(TILE).zip(ys.chunks(TILE)).zip(bs.chunks(TILE));
        for (tile, ((xs, ys), bs)) in parts.enumerate() {
            let pixels = &mut self.pixels[(tile * self.rows + y) * TILE..][..TILE];
            for (((pixel, &x), &y), &b) in pixels.iter_mut().zip(xs).zip(ys).zip(bs) {
                *pixel = [x, y, b, 0.0];
            }
        }
    }

    /// A row, tile by tile.
    pub(crate) fn row(&self, y: usize) -> impl Iterator<Item = &[Pixel]> {
        let tiles = self.pixels.chunks_exact(self.rows * TILE);
        tiles.map(move |tile| &tile[y * TILE..][..TILE])
    }

    /// Two columns of a row, side by side.
    #[inline(always)]
    pub(crate) fn lanes(&self, tile: usize, across: usize, y: usize) -> &Lanes {
        let (lanes, _) = self.pixels.as_flattened().as_chunks::<LANES>();
        &lanes[(tile * self.rows + y) * ACROSS + across]
    }
}
