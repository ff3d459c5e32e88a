//! A small part of a raster, as colours and as lightness.

use crate::pixels::{Area, Gamut, Raster};

/// A part of a raster, on white.
pub(super) struct Patch {
    width: u32,
    pub gamut: Gamut,
    pub colours: Vec<[u8; 3]>,
    /// Luma, in levels.
    luma: Vec<f32>,
}

/// A pixel, and whether the step to it comes from the left or else from above.
pub(super) type Place = (u32, u32, bool);

/// The same part of two rasters; `None` where it does not lie in both.
pub(super) fn pair(one: &Raster, two: &Raster, area: Area) -> Option<(Patch, Patch)> {
    Some((Patch::of(one, area)?, Patch::of(two, area)?))
}

impl Patch {
    /// A part of a raster; `None` where it does not lie in it.
    pub fn of(raster: &Raster, area: Area) -> Option<Patch> {
        let part = raster.cut(area)?.over([255; 3]);
        let colours = part.samples().as_chunks().0.to_vec();
        Some(Patch {
            width: area.size.width(),
            gamut: raster.gamut(),
            luma: colours.iter().map(|&colour| luma(colour)).collect(),
            colours,
        })
    }

    /// The difference in lightness to another patch of the same size.
    pub fn less(&self, other: &Patch) -> Patch {
        let pairs = self.luma.iter().zip(&other.luma);
        Patch {
            width: self.width,
            gamut: self.gamut,
            colours: Vec::new(),
            luma: pairs.map(|(a, b)| a - b).collect(),
        }
    }

    /// The steps in lightness between neighbours.
    pub fn steps(&self) -> impl Iterator<Item = (Place, f32)> {
        let width = self.width as usize;
        let across = self.luma.iter().enumerate().filter_map(move |(at, here)| {
            let x = at % width;
            (x > 0).then(|| {
                (
                    (x as u32, (at / width) as u32, true),
                    here - self.luma[at - 1],
                )
            })
        });
        let down = self.luma.iter().enumerate().skip(width);
        let down = down.map(move |(at, here)| {
            let place = ((at % width) as u32, (at / width) as u32, false);
            (place, here - self.luma[at - width])
        });
        across.chain(down)
    }

    /// The second differences of lightness, at all pixels with four neighbours.
    pub fn bends(&self) -> impl Iterator<Item = f32> {
        let width = self.width as usize;
        let inner = move |at: &usize| {
            let (x, y) = (at % width, at / width);
            x > 0 && x + 1 < width && y > 0 && (y + 1) * width < self.luma.len()
        };
        let bend = move |at: usize| {
            let luma = &self.luma;
            4.0 * luma[at] - luma[at - 1] - luma[at + 1] - luma[at - width] - luma[at + width]
        };
        (0..self.luma.len()).filter(inner).map(bend)
    }
}

/// Lightness as it is coded, in levels.
pub(super) fn luma([r, g, b]: [u8; 3]) -> f32 {
    0.299 * f32::from(r) + 0.587 * f32::from(g) + 0.114 * f32::from(b)
}
