//! The background: its colour, and how far its noise goes.

use super::NotPlain;
use crate::pixels::{KnockOut, Raster};

/// A distance from the background, in levels of 255 (Euclidean), that is none in any picture.
const LEAST_TOLERANCE: f32 = 8.0;

/// What no background's noise goes beyond.
const MOST_TOLERANCE: f32 = 48.0;

/// The part of the border that must be background, where that is not given.
const PLAIN_SHARE: f64 = 0.66;

/// The background.
#[derive(Clone, Copy, Debug)]
pub(super) struct Ground {
    pub colour: [f32; 3],
    /// What is no farther from it is background.
    pub tolerance: f32,
}

impl Ground {
    pub(super) fn find(raster: &Raster, wish: KnockOut) -> Result<Ground, NotPlain> {
        let border = border(raster);
        let colour = wish
            .colour
            .map_or_else(|| commonest(&border), |named| named.map(f32::from));
        let distances = border.iter().map(|pixel| distance(*pixel, colour));
        let near: Vec<f32> = distances.filter(|far| *far <= MOST_TOLERANCE).collect();
        let alike = near.len();
        let share = alike as f64 / border.len() as f64;
        if wish.colour.is_none() && share < PLAIN_SHARE {
            return Err(NotPlain::Border((share * 100.0) as u8));
        }
        if alike == 0 && !wish.holes {
            return Err(NotPlain::Elsewhere);
        }
        let squares: f32 = near.iter().map(|far| far * far).sum();
        let noise = 3.0 * (squares / alike.max(1) as f32).sqrt();
        let noise = noise.max(2.0 * ringing(raster, colour));
        Ok(Ground {
            colour,
            tolerance: noise.clamp(LEAST_TOLERANCE, MOST_TOLERANCE),
        })
    }
}

/// How much neighbours differ in the background at some distance from what stands on it: lossy
/// coding leaves traces there that a border far away does not show. Soft shadows do not count,
/// since their neighbours hardly differ.
fn ringing(raster: &Raster, ground: [f32; 3]) -> f32 {
    const SHARE: f64 = 0.98;
    const WITHIN: usize = 2;
    let rows: Vec<&[[u8; 3]]> = raster.rows().map(|row| row.as_chunks().0).collect();
    let near = |pixel: &[u8; 3]| distance(*pixel, ground) <= MOST_TOLERANCE;
    let mut counts = [0usize; 64];
    for window in rows.windows(2 * WITHIN + 1) {
        let middle = window[WITHIN];
        // How many pixels in a row, up to here, are near the background in every row.
        let mut run = 0;
        for x in 0..middle.len() {
            run = if window.iter().all(|row| near(&row[x])) {
                run + 1
            } else {
                0
            };
            // Two pixels with background all around them.
            if run > 2 * WITHIN + 1 {
                let (left, right) = (middle[x - WITHIN - 1], middle[x - WITHIN]);
                let step = distance(right, left.map(f32::from));
                counts[(step as usize).min(63)] += 1;
            }
        }
    }
    let traces: usize = counts[1..].iter().sum();
    let mut left = (traces as f64 * SHARE) as usize;
    let found = (1..64).find(|&step| {
        let here = counts[step] >= left;
        left = left.saturating_sub(counts[step]);
        here
    });
    // A few pixels are a detail, not noise.
    let all: usize = counts.iter().sum();
    if traces * 500 < all {
        0.0
    } else {
        found.unwrap_or(0) as f32
    }
}

/// The pixels along the border.
fn border(raster: &Raster) -> Vec<[u8; 3]> {
    let mut border = Vec::new();
    let last = raster.size().height() as usize - 1;
    for (y, row) in raster.rows().enumerate() {
        let (pixels, _) = row.as_chunks::<3>();
        if y == 0 || y == last {
            border.extend_from_slice(pixels)
        } else {
            border.extend([pixels[0], pixels[pixels.len() - 1]])
        }
    }
    border
}

/// The mean of the pixels in the commonest eighth-step of colour and around it.
fn commonest(pixels: &[[u8; 3]]) -> [f32; 3] {
    let cell = |pixel: &[u8; 3]| pixel.map(|sample| sample >> 5);
    let mut counts = std::collections::BTreeMap::new();
    for pixel in pixels {
        *counts.entry(cell(pixel)).or_insert(0usize) += 1;
    }
    let most = counts.iter().max_by_key(|(_, count)| **count);
    let middle = most.map_or([0.0; 3], |(cell, _)| {
        cell.map(|step| f32::from(step) * 32.0 + 16.0)
    });
    // A colour on the border of a cell has its other half in the next one.
    let mut mean = middle;
    for _ in 0..3 {
        let near: Vec<_> = pixels
            .iter()
            .filter(|p| distance(**p, mean) <= MOST_TOLERANCE)
            .collect();
        if near.is_empty() {
            break;
        }
        let sum = |channel: usize| near.iter().map(|p| f32::from(p[channel])).sum::<f32>();
        mean = [0, 1, 2].map(|channel| sum(channel) / near.len() as f32);
    }
    mean
}

pub(super) fn distance(pixel: [u8; 3], from: [f32; 3]) -> f32 {
    let [r, g, b] = away(pixel, from);
    (r * r + g * g + b * b).sqrt()
}

pub(super) fn away(pixel: [u8; 3], from: [f32; 3]) -> [f32; 3] {
    [0, 1, 2].map(|channel| f32::from(pixel[channel]) - from[channel])
}

pub(super) fn dot(one: [f32; 3], other: [f32; 3]) -> f32 {
    one[0] * other[0] + one[1] * other[1] + one[2] * other[2]
}
