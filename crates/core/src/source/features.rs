//! A quick look at finished pixels: what tells how easily a picture is compressed.

use crate::pixels::Raster;

/// What tells how a picture takes compression.
pub const FEATURES: usize = 5;

/// From so many rows on only some pairs of them are looked at: they tell as much.
const MANY_ROWS: usize = 256;

/// So far apart.
const APART: usize = 4;

/// A quick look at the pixels: how busy lightness and colours are (mean log₂ of one more than the
/// difference to the neighbours), how often lightness differs a little (1 to 3 levels: grain) and
/// how often much (above 24: edges), and log₂ of the number of pixels.
pub fn features(raster: &Raster) -> [f64; FEATURES] {
    let step = raster.channels().count();
    let split = |row: &[u8]| -> Vec<[i32; 3]> {
        let pixels = row.chunks_exact(step);
        let split = |p: &[u8]| {
            let [r, g, b] = [p[0], p[1], p[2]].map(i32::from);
            [(2 * r + 5 * g + b) / 8, r - g, b - g]
        };
        pixels.map(split).collect()
    };
    let bits: [f64; 512] = std::array::from_fn(|difference| libm::log2(1.0 + difference as f64));
    let (mut light, mut colour, mut grain, mut edges, mut count) = (0.0, 0.0, 0u64, 0u64, 0u64);
    let apart = if raster.size().height() as usize >= MANY_ROWS {
        APART
    } else {
        1
    };
    let mut above: Option<Vec<[i32; 3]>> = None;
    for (y, row) in raster.rows().enumerate() {
        if apart > 1 && y % apart > 1 {
            above = None;
            continue;
        }
        let row = split(row);
        if let Some(above) = &above {
            for ((left, here), up) in row.iter().zip(&row[1..]).zip(&above[1..]) {
                let off = |i: usize| (here[i] - left[i]).abs() + (here[i] - up[i]).abs();
                let lightness = off(0);
                light += bits[lightness.min(511) as usize];
                colour += bits[(off(1) + off(2)).min(511) as usize];
                grain += u64::from((1..=6).contains(&lightness));
                edges += u64::from(lightness > 48);
                count += 1;
            }
        }
        above = Some(row);
    }
    let mean = |sum: f64| sum / count.max(1) as f64;
    let pixels = libm::log2(raster.size().pixels() as f64);
    [
        mean(light),
        mean(colour),
        mean(grain as f64),
        mean(edges as f64),
        pixels,
    ]
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::pixels::{Channels, Size};

    fn raster(pixel: impl Fn(u32, u32) -> [u8; 3]) -> Raster {
        let size = Size::new(64, 64).expect("a size");
        let samples = (0..64 * 64).flat_map(|i| pixel(i % 64, i / 64)).collect();
        Raster::new(size, Channels::Rgb, samples).expect("whole rows")
    }

    #[test]
    fn features_tell_calm_from_busy_and_grain_from_edges() {
        let calm = features(&raster(|_, _| [90, 120, 60]));
        assert_eq!(calm, [0.0, 0.0, 0.0, 0.0, 12.0]);
        let grain = features(&raster(|x, y| [100 + ((x * 7 + y * 3) % 3) as u8; 3]));
        let edges = features(&raster(|x, y| [((x + y) % 2 * 200) as u8; 3]));
        assert!(grain[2] > 0.9 && grain[3] == 0.0, "{grain:?}");
        assert!(edges[3] > 0.9 && edges[2] == 0.0, "{edges:?}");
        let coloured = features(&raster(|x, _| [(x % 2 * 80) as u8, 90, 90]));
        assert!(coloured[1] > edges[1], "{coloured:?}");
        // A single row or column has no neighbours on two sides, and is calm.
        let line = Raster::new(Size::new(1, 9).expect("a size"), Channels::Rgb, vec![7; 27]);
        assert_eq!(features(&line.expect("whole rows"))[0], 0.0);
    }
}
