//! Finished pixels: 8-bit sRGB with straight alpha.

use serde::{Deserialize, Serialize};

use super::Size;

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

/// The colour behind transparent pixels where a format has no transparency: 8-bit sRGB.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Backdrop(pub [u8; 3]);

impl Backdrop {
    /// White, the default.
    pub const WHITE: Backdrop = Backdrop([255; 3]);
}

impl std::fmt::Display for Backdrop {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let Backdrop([r, g, b]) = self;
        match self.0 {
            [255, 255, 255] => f.write_str("white"),
            [0, 0, 0] => f.write_str("black"),
            _ => write!(f, "#{r:02x}{g:02x}{b:02x}"),
        }
    }
}

/// A picture in memory: 8-bit sRGB samples, row by row, without padding, alpha straight.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Raster {
    size: Size,
    channels: Channels,
    samples: Vec<u8>,
}

impl Raster {
    /// A raster, or `None` where the number of samples does not fit the size.
    pub fn new(size: Size, channels: Channels, samples: Vec<u8>) -> Option<Self> {
        let wanted = size.pixels().checked_mul(channels.count() as u64)?;
        (samples.len() as u64 == wanted).then_some(Raster {
            size,
            channels,
            samples,
        })
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
        self.over(Backdrop::WHITE)
    }

    /// Laid over a plain colour, as a browser does it: mixed in the sRGB values themselves.
    pub fn over(&self, backdrop: Backdrop) -> Raster {
        if self.channels == Channels::Rgb {
            return self.clone();
        }
        let mut samples = Vec::with_capacity(self.samples.len() / 4 * 3);
        for pixel in self.samples.chunks_exact(4) {
            let alpha = u32::from(pixel[3]);
            for (&over, &under) in pixel[..3].iter().zip(&backdrop.0) {
                let mixed = u32::from(over) * alpha + u32::from(under) * (255 - alpha);
                samples.push(((mixed + 127) / 255) as u8);
            }
        }
        Raster {
            size: self.size,
            channels: Channels::Rgb,
            samples,
        }
    }

    /// In the middle of a larger one that is filled with a plain colour.
    pub fn padded(&self, size: Size, backdrop: Backdrop) -> Raster {
        let step = self.channels.count();
        let [r, g, b] = backdrop.0;
        let pixel = [r, g, b, 255];
        let mut samples = pixel[..step].repeat(size.pixels() as usize);
        let left = (size.width().saturating_sub(self.size.width()) / 2) as usize;
        let top = (size.height().saturating_sub(self.size.height()) / 2) as usize;
        let pitch = size.width() as usize * step;
        for (target, row) in samples.chunks_exact_mut(pitch).skip(top).zip(self.rows()) {
            let room = target.get_mut(left * step..).unwrap_or_default();
            let length = room.len().min(row.len());
            room[..length].copy_from_slice(&row[..length]);
        }
        Raster {
            size,
            channels: self.channels,
            samples,
        }
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
            channels: self.channels,
            samples,
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
        let over = row(&[[9, 9, 9, 0], [0, 0, 0, 255], [0, 0, 0, 51]]).over(Backdrop::WHITE);
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
