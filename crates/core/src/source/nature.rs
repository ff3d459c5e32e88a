//! Photo or graphic: a quick look at finished pixels.

use std::collections::HashSet;

use crate::pixels::Raster;

/// What a picture is by nature, which decides how it is best stored.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Nature {
    /// Continuous tones, texture, grain.
    Photo,
    /// Flat areas with sharp borders: logos, charts, screenshots, text.
    Graphic,
}

/// Graphics repeat the pixel to the left at least this often. Measured at 800 pixels: logos,
/// charts, posters and flat paintings 0.48 to 0.99; but photos with blurred backgrounds reach
/// 0.56 as well, hence the second test.
const FLAT_SHARE: f64 = 0.4;

/// Where a graphic's pixel differs from the one to the left, it is at an edge at least this
/// often. Measured: graphics 0.34 to 1.0, blurred photos 0 to 0.1.
const EDGE_SHARE: f64 = 0.25;

/// A difference above this, in the channel that differs most, is an edge.
const EDGE: u8 = 12;

/// A picture with no more colours than a palette holds is a graphic, whatever it shows.
const FEW_COLOURS: usize = 256;

impl Nature {
    /// Looks at the pixels.
    pub fn of(raster: &Raster) -> Nature {
        Traits::of(raster).nature
    }
}

/// What the nature of a picture is told by.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Traits {
    /// What it is by nature.
    pub nature: Nature,
    /// How often pixels differ strongly from the one to the left, from 0 to 1.
    pub edges: f64,
    /// Whether there are no more colours than a palette holds.
    pub few_colours: bool,
}

impl Traits {
    /// Looks at the pixels.
    pub fn of(raster: &Raster) -> Traits {
        let step = raster.channels().count();
        let (mut pairs, mut flat, mut edges) = (0u64, 0u64, 0u64);
        let mut colours = HashSet::new();
        for row in raster.rows() {
            let mut left: Option<&[u8]> = None;
            for pixel in row.chunks_exact(step) {
                let same = left == Some(pixel);
                if let Some(left) = left {
                    let differences = left.iter().zip(pixel).map(|(a, b)| a.abs_diff(*b));
                    pairs += 1;
                    flat += u64::from(same);
                    edges += u64::from(differences.max().is_some_and(|most| most > EDGE));
                }
                if !same && colours.len() <= FEW_COLOURS {
                    colours.insert(pixel);
                }
                left = Some(pixel);
            }
        }
        let is_flat = flat as f64 > pairs as f64 * FLAT_SHARE;
        let is_edgy = edges as f64 >= (pairs - flat) as f64 * EDGE_SHARE;
        let few_colours = colours.len() <= FEW_COLOURS;
        Traits {
            nature: if (is_flat && is_edgy) || few_colours {
                Nature::Graphic
            } else {
                Nature::Photo
            },
            edges: edges as f64 / pairs.max(1) as f64,
            few_colours,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::pixels::{Channels, Size};

    fn painted(paint: impl Fn(u32, u32) -> [u8; 3]) -> Nature {
        let size = Size::new(120, 90).expect("a size");
        let pixels = (0..90).flat_map(|y| (0..120).map(move |x| (x, y)));
        let samples = pixels.flat_map(|(x, y)| paint(x, y)).collect();
        Nature::of(&Raster::new(size, Channels::Rgb, samples).expect("whole rows"))
    }

    #[test]
    fn flat_areas_and_edges_are_a_graphic() {
        // Bars of many colours with a soft column at each side.
        let bars = |x: u32, y: u32| {
            let bar = (x / 20 * 37 + y / 3 * 5) as u8;
            let edge = if x.is_multiple_of(20) { 40 } else { 0 };
            [bar.wrapping_add(edge), (y * 2) as u8, bar ^ 90]
        };
        assert_eq!(painted(bars), Nature::Graphic);
        assert_eq!(
            painted(|x, y| [if x > y { 255 } else { 0 }; 3]),
            Nature::Graphic
        );
    }

    #[test]
    fn gradients_and_grain_are_a_photo() {
        // A blurred background: long runs of equal pixels, tiny steps between them.
        let blurred = |x: u32, y: u32| [(60 + x / 9 + y) as u8, (90 + x / 7) as u8, (y * 2) as u8];
        assert_eq!(painted(blurred), Nature::Photo);
        let grain = |x: u32, y: u32| [(x * 7919 + y * 104_729) as u8, (x ^ y) as u8, (x * y) as u8];
        assert_eq!(painted(grain), Nature::Photo);
    }
}
