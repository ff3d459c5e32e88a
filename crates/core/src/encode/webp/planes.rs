//! Samples in RGB → the planes that the lossy coding knows: luma, and chroma that four pixels share.

use super::codec::Planes;
use crate::pixels::{Channels, Raster};

/// So many bits lie behind the point of the factors.
const FRACTION: u32 = 16;

/// Limited range (ITU-R BT.601): what of red, green and blue goes into a sample, and what is added.
const LUMA: ([i32; 3], i32) = ([16_839, 33_059, 6_420], 16);
const CHROMA: [([i32; 3], i32); 2] = [
    ([-9_719, -19_081, 28_800], 128),
    ([28_800, -24_116, -4_684], 128),
];

/// The planes of a raster whose chroma is the mean of what shows of each two by two pixels.
pub(super) fn plain(raster: &Raster) -> Planes {
    let size = raster.size();
    let (width, height) = (size.width() as usize, size.height() as usize);
    let step = raster.channels().count();
    let pixels = raster.samples().chunks_exact(step);
    let luma = pixels
        .clone()
        .map(|pixel| mixed(LUMA, [0, 1, 2].map(|at| pixel[at].into()), 1));
    let alpha =
        (raster.channels() == Channels::Rgba).then(|| pixels.map(|pixel| pixel[3]).collect());
    let mut chroma = [const { Vec::new() }; 2];
    let rows: Vec<&[u8]> = raster.rows().collect();
    for pair in rows.chunks(2) {
        for x in (0..width).step_by(2) {
            let (mut sums, mut weights) = ([0i32; 3], 0);
            let (mut all, mut count) = ([0i32; 3], 0);
            for row in pair {
                for pixel in row[x * step..].chunks_exact(step).take(2) {
                    // What does not show has no say.
                    let weight = pixel.get(3).map_or(255, |alpha| i32::from(*alpha));
                    for at in 0..3 {
                        sums[at] += i32::from(pixel[at]) * weight;
                        all[at] += i32::from(pixel[at]);
                    }
                    weights += weight;
                    count += 1;
                }
            }
            let (sums, weights) = if weights == 0 {
                (all, count)
            } else {
                (sums, weights)
            };
            for (plane, factors) in chroma.iter_mut().zip(CHROMA) {
                plane.push(mixed(factors, sums, weights));
            }
        }
    }
    debug_assert_eq!(chroma[0].len(), width.div_ceil(2) * height.div_ceil(2));
    Planes {
        size,
        luma: luma.collect(),
        chroma,
        alpha,
    }
}

/// A sample of the weighted sums of red, green and blue.
fn mixed((factors, offset): ([i32; 3], i32), sums: [i32; 3], weights: i32) -> u8 {
    let products = factors.iter().zip(sums);
    let sum: i64 = products
        .map(|(factor, sum)| i64::from(*factor) * i64::from(sum))
        .sum();
    let weights = i64::from(weights);
    let whole = sum + ((i64::from(offset) * weights) << FRACTION);
    let one = weights << FRACTION;
    ((whole + one / 2) / one).clamp(0, 255) as u8
}
