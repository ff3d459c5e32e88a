//! Few colours for many: a raster as indices of a palette, for the formats that can hold that.

mod colours;
mod cut;
mod gather;
mod lay;
mod pixels;

use std::sync::OnceLock;

pub(in crate::encode) use pixels::{Indexed, Pixels};

use crate::pixels::Raster;
use gather::Gathered;

/// At this position of a dial a palette is full.
pub(super) const FULL: u8 = 80;

/// The colours of a palette by positions of a dial from 1 to [`FULL`]: from 2 to 256, each eleventh or so
/// twice as many.
pub(super) fn colours_at(dial: u8) -> usize {
    let doublings = f64::from(dial.clamp(1, FULL) - 1) / f64::from(FULL - 1) * 7.0;
    libm::exp2(1.0 + doublings).round() as usize
}

/// The palettes of a raster: what all of them need is gathered once.
pub(super) struct Palettes<'a> {
    raster: &'a Raster,
    gathered: OnceLock<Gathered>,
}

impl<'a> Palettes<'a> {
    pub fn of(raster: &'a Raster) -> Palettes<'a> {
        Palettes {
            raster,
            gathered: OnceLock::new(),
        }
    }

    /// With about so many colours, and what they miss handed on at a strength from 0 to 1.
    pub fn few(&self, colours: usize, diffusion: f32) -> Indexed {
        let pixels = Pixels::of(self.raster);
        let gathered = self.gathered.get_or_init(|| Gathered::of(&pixels));
        let palette = cut::palette(&gathered.samples, colours);
        Indexed {
            width: pixels.width,
            indices: lay::lay(&pixels, gathered, &palette, diffusion),
            palette,
        }
    }
}

#[cfg(test)]
mod tests;
