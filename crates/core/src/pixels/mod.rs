//! Rasters, alpha states as types, and geometry.

mod framing;
mod mixing;
mod orientation;
mod planes;
mod raster;
mod rendering;

pub use framing::{Area, Fit, Focus, Frame, Framing, NoFraming, Part, Region, Shape};
pub use mixing::{Meaning, Unmixed};
pub use orientation::Orientation;
pub use planes::{Plane, Planes, Values, narrow};
pub use raster::{Backdrop, Channels, Gamut, Raster};
pub use rendering::{ColourWish, Kernel, KnockOut, Rendering, Sharpen};

use serde::{Deserialize, Serialize};

/// Width and height in pixels, each from 1 to [`Size::MAX_SIDE`].
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(try_from = "RawSize")]
pub struct Size {
    width: u32,
    height: u32,
}

#[derive(Deserialize)]
struct RawSize {
    width: u32,
    height: u32,
}

impl TryFrom<RawSize> for Size {
    type Error = &'static str;

    fn try_from(raw: RawSize) -> Result<Self, Self::Error> {
        Size::new(raw.width, raw.height).ok_or("a side is zero or out of range")
    }
}

impl Size {
    /// The longest side of any picture, in pixels: products of two sides stay far below `u64`.
    pub const MAX_SIDE: u32 = 1 << 30;

    /// A size, or `None` where a side is zero or above [`Size::MAX_SIDE`].
    pub fn new(width: u32, height: u32) -> Option<Self> {
        let fits = |side| (1..=Self::MAX_SIDE).contains(&side);
        (fits(width) && fits(height)).then_some(Size { width, height })
    }

    /// Pixels from left to right.
    pub fn width(self) -> u32 {
        self.width
    }

    /// Pixels from top to bottom.
    pub fn height(self) -> u32 {
        self.height
    }

    /// Width × height.
    pub fn pixels(self) -> u64 {
        u64::from(self.width) * u64::from(self.height)
    }

    /// The longer side.
    pub fn long_side(self) -> u32 {
        self.width.max(self.height)
    }

    /// The size with the same proportions at another width. The height is rounded to the
    /// nearest pixel, halves up, and never becomes 0.
    pub fn at_width(self, width: u32) -> Self {
        let width = width.clamp(1, Self::MAX_SIDE);
        let (w, h) = (u64::from(self.width), u64::from(self.height));
        let height = (2 * h * u64::from(width) + w) / (2 * w);
        Size {
            width,
            height: height.clamp(1, u64::from(Self::MAX_SIDE)) as u32,
        }
    }

    /// The size with its sides exchanged.
    pub fn turned(self) -> Self {
        Size {
            width: self.height,
            height: self.width,
        }
    }
}

impl std::fmt::Display for Size {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{}×{}", self.width, self.height)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn size(width: u32, height: u32) -> Size {
        Size::new(width, height).expect("a size within range")
    }

    #[test]
    fn proportions_are_kept_to_the_nearest_pixel() {
        assert_eq!(size(6000, 4000).at_width(1200), size(1200, 800));
        assert_eq!(size(4000, 3000).at_width(333), size(333, 250));
        assert_eq!(size(3, 2).at_width(1), size(1, 1));
        assert_eq!(size(30_000, 1).at_width(100), size(100, 1));
        assert_eq!(size(1, 30_000).at_width(1), size(1, 30_000));
    }

    #[test]
    fn sides_outside_the_range_are_no_size() {
        assert_eq!(Size::new(0, 5), None);
        assert_eq!(Size::new(5, 0), None);
        assert_eq!(Size::new(Size::MAX_SIDE + 1, 5), None);
        assert!(serde_json::from_str::<Size>(r#"{"width":0,"height":3}"#).is_err());
    }
}
