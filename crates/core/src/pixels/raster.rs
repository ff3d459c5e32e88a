//! Finished pixels: 8-bit sRGB with straight alpha.

use serde::{Deserialize, Serialize};

use super::{Area, Size};

/// Which samples each pixel of a [`Raster`] has.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Channels {
    /// Red, green, blue.
    Rgb,
    /// Red, green, blue and straight (not premultiplied) alpha.
    Rgba,
}

impl Channels {
    /// Samples in a pixel.
    pub fn count(self) -> usize {
        match self {
            Channels::Rgb => 3,
            Channels::Rgba => 4,
        }
    }
}

/// What stands around a padded picture, and behind transparent pixels where a format has no
/// transparency.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Backdrop {
    /// Nothing.
    Transparent,
    /// A colour, 8-bit sRGB.
    Colour([u8; 3]),
}

impl Backdrop {
    /// White, the default.
    pub const WHITE: Backdrop = Backdrop::Colour([255; 3]);
}

impl std::fmt::Display for Backdrop {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Backdrop::Transparent => f.write_str("transparent"),
            Backdrop::Colour([255, 255, 255]) => f.write_str("white"),
            Backdrop::Colour([0, 0, 0]) => f.write_str("black"),
            Backdrop::Colour([r, g, b]) => write!(f, "#{r:02x}{g:02x}{b:02x}"),
        }
    }
}

/// The colours that samples stand for. Both have white at D65 and the transfer curve of sRGB.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Gamut {
    /// The primaries of IEC 61966-2-1.
    #[default]
    Srgb,
    /// The primaries of SMPTE EG 432-1.
    DisplayP3,
}

/// A picture in memory: 8-bit samples on the transfer curve of sRGB, row by row, without
/// padding, alpha straight.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Raster {
    size: Size,
    channels: Channels,
    gamut: Gamut,
    samples: Vec<u8>,
}

impl Raster {
    /// Whether no pixel shows anything behind it.
    pub fn is_opaque(&self) -> bool {
        match self.channels {
            Channels::Rgb => true,
            Channels::Rgba => self.samples.chunks_exact(4).all(|pixel| pixel[3] == 255),
        }
    }

    /// A raster in sRGB, or `None` where the number of samples does not fit the size.
    pub fn new(size: Size, channels: Channels, samples: Vec<u8>) -> Option<Self> {
        let wanted = size.pixels().checked_mul(channels.count() as u64)?;
        (samples.len() as u64 == wanted).then_some(Raster {
            size,
            channels,
            gamut: Gamut::Srgb,
            samples,
        })
    }

    /// The same samples, taken for colours of a gamut.
    pub fn in_gamut(self, gamut: Gamut) -> Raster {
        Raster { gamut, ..self }
    }

    /// The same picture with other samples of the same number.
    pub fn with_samples(self, samples: Vec<u8>) -> Raster {
        debug_assert_eq!(samples.len(), self.samples.len());
        Raster { samples, ..self }
    }

    /// What its samples stand for.
    pub fn gamut(&self) -> Gamut {
        self.gamut
    }

    /// Width and height.
    pub fn size(&self) -> Size {
        self.size
    }

    /// The samples of each pixel.
    pub fn channels(&self) -> Channels {
        self.channels
    }

    /// All samples, row by row.
    pub fn samples(&self) -> &[u8] {
        &self.samples
    }

    /// Its samples alone.
    pub fn into_samples(self) -> Vec<u8> {
        self.samples
    }

    /// The samples of each row.
    pub fn rows(&self) -> std::slice::ChunksExact<'_, u8> {
        let pitch = self.size.width() as usize * self.channels.count();
        self.samples.chunks_exact(pitch)
    }

    /// Whether any pixel lets the background through.
    pub fn is_transparent(&self) -> bool {
        self.channels == Channels::Rgba && self.samples.chunks_exact(4).any(|p| p[3] != 255)
    }

    /// Without the alpha channel, where no pixel makes use of it.
    pub fn without_idle_alpha(self) -> Self {
        if self.channels == Channels::Rgb || self.is_transparent() {
            return self;
        }
        self.over([255; 3])
    }

    /// Laid over a colour of its own gamut, as a browser does it: mixed in the samples as they
    /// are.
    pub fn over(&self, colour: [u8; 3]) -> Raster {
        if self.channels == Channels::Rgb {
            return self.clone();
        }
        let mut samples = Vec::with_capacity(self.samples.len() / 4 * 3);
        for pixel in self.samples.chunks_exact(4) {
            let alpha = u32::from(pixel[3]);
            for (&over, &under) in pixel[..3].iter().zip(&colour) {
                let mixed = u32::from(over) * alpha + u32::from(under) * (255 - alpha);
                samples.push(((mixed + 127) / 255) as u8);
            }
        }
        Raster {
            channels: Channels::Rgb,
            samples,
            ..*self
        }
    }

    /// With an alpha channel, whether there is a use for it or not.
    fn with_alpha(self) -> Raster {
        if self.channels == Channels::Rgba {
            return self;
        }
        let pixels = self.samples.chunks_exact(3);
        Raster {
            channels: Channels::Rgba,
            samples: pixels.flat_map(|p| [p[0], p[1], p[2], 255]).collect(),
            ..self
        }
    }

    /// Square parts of it side by side, so many in a row, from these upper left pixels; `None` where they are no whole
    /// rows, or one lies beyond its border.
    pub fn side_by_side(&self, side: u32, across: u32, places: &[(u32, u32)]) -> Option<Raster> {
        let rows = u32::try_from(places.len()).ok()? / across;
        let size = Size::new(across * side, rows * side)?;
        let step = self.channels.count();
        let pitch = self.size.width() as usize * step;
        let part = side as usize * step;
        let mut samples = Vec::with_capacity(size.pixels() as usize * step);
        for row in places.chunks_exact(across as usize) {
            for line in 0..side {
                for &(x, y) in row {
                    let from = (y + line) as usize * pitch + x as usize * step;
                    let inside = x + side <= self.size.width();
                    samples
                        .extend_from_slice(self.samples.get(from..from + part).filter(|_| inside)?);
                }
            }
        }
        Some(Raster::new(size, self.channels, samples)?.in_gamut(self.gamut))
    }

    /// In the middle of a larger one that is filled with a colour of its own gamut, or with
    /// nothing.
    pub fn padded(self, size: Size, colour: Option<[u8; 3]>) -> Raster {
        let (inner, pixel) = match colour {
            Some([r, g, b]) => (self, [r, g, b, 255]),
            None => (self.with_alpha(), [0; 4]),
        };
        let step = inner.channels.count();
        let mut samples = pixel[..step].repeat(size.pixels() as usize);
        let left = (size.width().saturating_sub(inner.size.width()) / 2) as usize;
        let top = (size.height().saturating_sub(inner.size.height()) / 2) as usize;
        let pitch = size.width() as usize * step;
        for (target, row) in samples.chunks_exact_mut(pitch).skip(top).zip(inner.rows()) {
            let room = target.get_mut(left * step..).unwrap_or_default();
            let length = room.len().min(row.len());
            room[..length].copy_from_slice(&row[..length]);
        }
        Raster {
            size,
            samples,
            ..inner
        }
    }

    /// A part of it; `None` where that does not lie in it.
    pub fn cut(&self, area: Area) -> Option<Raster> {
        let step = self.channels.count();
        let (left, width) = (area.x as usize, area.size.width() as usize);
        let mut samples = Vec::with_capacity(area.size.pixels() as usize * step);
        for row in self
            .rows()
            .skip(area.y as usize)
            .take(area.size.height() as usize)
        {
            samples.extend_from_slice(row.get(left * step..(left + width) * step)?);
        }
        let part = Raster::new(area.size, self.channels, samples)?;
        Some(part.in_gamut(self.gamut))
    }

    /// A raster of another size whose pixel at (x, y) is this one's at `from(x, y)`.
    pub(super) fn rearranged(&self, size: Size, from: impl Fn(u32, u32) -> (u32, u32)) -> Raster {
        let step = self.channels.count();
        let mut samples = Vec::with_capacity(self.samples.len());
        for y in 0..size.height() {
            for x in 0..size.width() {
                let (column, row) = from(x, y);
                let at = (row as usize * self.size.width() as usize + column as usize) * step;
                samples.extend_from_slice(&self.samples[at..at + step]);
            }
        }
        Raster {
            size,
            samples,
            ..*self
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn row(pixels: &[[u8; 4]]) -> Raster {
        let size = Size::new(pixels.len() as u32, 1).expect("a size");
        Raster::new(size, Channels::Rgba, pixels.concat()).expect("whole rows")
    }

    #[test]
    fn a_backdrop_shows_through_by_the_share_of_alpha() {
        let over = row(&[[9, 9, 9, 0], [0, 0, 0, 255], [0, 0, 0, 51]]).over([255; 3]);
        assert_eq!(over.samples(), [255, 255, 255, 0, 0, 0, 204, 204, 204]);
    }

    #[test]
    fn alpha_is_dropped_only_where_it_is_idle() {
        let opaque = row(&[[1, 2, 3, 255]; 2]).without_idle_alpha();
        assert_eq!(opaque.channels(), Channels::Rgb);
        assert_eq!(opaque.samples(), [1, 2, 3, 1, 2, 3]);
        let holed = row(&[[1, 2, 3, 255], [1, 2, 3, 254]]);
        assert_eq!(holed.clone().without_idle_alpha(), holed);
    }

    #[test]
    fn samples_must_fill_the_size_exactly() {
        let size = Size::new(2, 2).expect("a size");
        assert!(Raster::new(size, Channels::Rgb, vec![0; 11]).is_none());
        assert!(Raster::new(size, Channels::Rgb, vec![0; 12]).is_some());
    }
}
