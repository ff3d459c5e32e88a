//! Sized pictures made crisper: in lightness alone, and bounded so that no halo appears.
//!
//! A pixel's lightness is moved away from the mean of its surroundings (an unsharp mask of one
//! pixel). It stays within what its eight neighbours and itself hold, so an edge gets steeper and
//! never overshoots. Only where a pixel is darker than both of two opposite neighbours, or
//! lighter than both, is it a stroke or a grain rather than the side of an edge, and may go
//! beyond by half of what it stands out: so thin dark text, which light thins out when it is made
//! small, gets its weight back.

use crate::pixels::{Raster, Sharpen};

/// How far lightness is moved, as a multiple of its distance from the mean around it.
fn strength(sharpen: Sharpen) -> f32 {
    match sharpen {
        Sharpen::None => 0.0,
        Sharpen::Soft => 0.6,
        Sharpen::Crisp => 1.4,
    }
}

/// How far a stroke may go beyond what is around it, as a part of what it stands out.
const BEYOND: f32 = 0.5;

/// The mean of a pixel's surroundings: a binomial window of 3 × 3 pixels, less the pixel itself.
const AROUND: [f32; 9] = [1.0, 2.0, 1.0, 2.0, 0.0, 2.0, 1.0, 2.0, 1.0];

/// The raster, made crisper.
pub fn apply(raster: Raster, sharpen: Sharpen) -> Raster {
    let strength = strength(sharpen);
    if strength == 0.0 {
        return raster;
    }
    let step = raster.channels().count();
    let (width, height) = (
        raster.size().width() as usize,
        raster.size().height() as usize,
    );
    let lightness: Vec<(f32, f32)> = raster
        .samples()
        .chunks_exact(step)
        .map(|pixel| {
            let [r, g, b] = [pixel[0], pixel[1], pixel[2]].map(f32::from);
            let alpha = f32::from(pixel.get(3).copied().unwrap_or(255)) / 255.0;
            // Luma of ITU-R BT.709, on the transfer curve: equal steps look about equal.
            (0.2126 * r + 0.7152 * g + 0.0722 * b, alpha)
        })
        .collect();
    let mut samples = raster.samples().to_vec();
    for y in 0..height {
        for x in 0..width {
            let (here, alpha) = lightness[y * width + x];
            if alpha == 0.0 {
                continue;
            }
            let mut around = [here; 9];
            for (at, value) in around.iter_mut().enumerate() {
                let row = (y + at / 3).clamp(1, height) - 1;
                let column = (x + at % 3).clamp(1, width) - 1;
                let (light, alpha) = lightness[row * width + column];
                // What is transparent has no lightness of its own.
                *value = here + (light - here) * alpha;
            }
            let move_by = moved(&around, strength) - here;
            for sample in &mut samples[(y * width + x) * step..][..3] {
                *sample = (f32::from(*sample) + move_by + 0.5) as u8;
            }
        }
    }
    raster.with_samples(samples)
}

/// The lightness of the middle of 3 × 3 pixels, made crisper.
fn moved(around: &[f32; 9], strength: f32) -> f32 {
    let here = around[4];
    let weighted: f32 = around
        .iter()
        .zip(AROUND)
        .map(|(value, weight)| value * weight)
        .sum();
    let wanted = here + strength * (here - weighted / AROUND.iter().sum::<f32>());
    let low = around.iter().copied().fold(f32::INFINITY, f32::min);
    let high = around.iter().copied().fold(f32::NEG_INFINITY, f32::max);
    // What the pixel stands out by, below and above, across any of the four directions.
    let (mut below, mut above) = (0.0f32, 0.0f32);
    for (one, other) in [(0, 8), (1, 7), (2, 6), (3, 5)] {
        let (one, other) = (around[one], around[other]);
        below = below.max(one.min(other) - here);
        above = above.max(here - one.max(other));
    }
    wanted.clamp(low - BEYOND * below, high + BEYOND * above)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::pixels::{Channels, Size};

    fn greys(width: usize, levels: &[u8]) -> Raster {
        let size = Size::new(width as u32, (levels.len() / width) as u32).expect("a size");
        let samples = levels.iter().flat_map(|&level| [level; 3]).collect();
        Raster::new(size, Channels::Rgb, samples).expect("whole rows")
    }

    fn crisp(width: usize, levels: &[u8]) -> Vec<u8> {
        let raster = apply(greys(width, levels), Sharpen::Crisp);
        raster.samples().iter().step_by(3).copied().collect()
    }

    #[test]
    fn an_edge_gets_steeper_without_a_halo() {
        let soft = [50, 50, 50, 80, 150, 200, 200, 200].repeat(4);
        let row = crisp(8, &soft)[8..16].to_vec();
        assert!(
            row.iter().all(|level| (50..=200).contains(level)),
            "{row:?}"
        );
        assert!(row[4] - row[3] > 90 && row.is_sorted(), "{row:?}");
    }

    #[test]
    fn a_thin_dark_stroke_gets_darker_and_its_ground_stays() {
        let stroke = [220, 220, 220, 140, 220, 220, 220].repeat(5);
        let row = crisp(7, &stroke)[14..21].to_vec();
        assert_eq!((row[0], row[6]), (220, 220));
        assert!((100..120).contains(&row[3]), "{row:?}");
        assert!(row.iter().all(|level| *level <= 220), "{row:?}");
    }

    #[test]
    fn colours_keep_their_hue_and_nothing_comes_through_from_transparent_pixels() {
        let size = Size::new(3, 1).expect("a size");
        let samples = vec![0, 0, 0, 0, 200, 60, 40, 255, 180, 40, 20, 255];
        let raster = Raster::new(size, Channels::Rgba, samples).expect("a row");
        let found = apply(raster, Sharpen::Crisp);
        let found = found.samples();
        assert_eq!(found[..4], [0; 4]);
        // Only the step between the two opaque pixels counts: 20 levels in each channel.
        assert_eq!(found[4] - found[5], 140);
        assert_eq!(found[5] - found[6], 20);
        assert!(found[4] <= 220 && found[8] >= 160, "{found:?}");
    }

    #[test]
    fn flat_and_unsharpened_pictures_stay_as_they_are() {
        let flat = greys(5, &[90; 25]);
        assert_eq!(apply(flat.clone(), Sharpen::Crisp), flat);
        let noisy: Vec<u8> = (0..25).map(|i| (i * 37 % 251) as u8).collect();
        assert_eq!(apply(greys(5, &noisy), Sharpen::None), greys(5, &noisy));
    }
}
