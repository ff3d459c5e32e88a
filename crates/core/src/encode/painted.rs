//! Pictures for tests, painted pixel by pixel.

use crate::pixels::{Channels, Raster, Size};

/// A raster whose pixel at (x, y) is `paint(x, y)`; without alpha where that is idle.
pub(super) fn painted((width, height): (u32, u32), paint: impl Fn(u32, u32) -> [u8; 4]) -> Raster {
    let pixels = (0..height).flat_map(|y| (0..width).map(move |x| (x, y)));
    let samples = pixels.flat_map(|(x, y)| paint(x, y)).collect();
    let size = Size::new(width, height).expect("a size");
    let raster = Raster::new(size, Channels::Rgba, samples).expect("whole rows");
    raster.without_idle_alpha()
}
