//! The part of a picture worth keeping: a small model of what draws the eye.
//!
//! Each pixel of a small copy has an interest: how much its lightness differs from its
//! neighbours', how far its colour is from the picture's mean colour, and whether it has the tone
//! of skin; what is transparent has none.
//!
//! Where a window of the crop's shape can hold all that stands out from its ground, it is laid
//! around that. Else what goes beyond the mean of its surroundings counts, squared, and the less
//! the more crowded these are; along the side that a crop keeps whole, what stands together counts
//! more than as much spread out. A window is laid everywhere it can be; a pixel counts more the
//! nearer it is to the window's middle, and a window a little more the nearer it is to the
//! picture's. The window of the greatest sum is kept.

use crate::pixels::{Framing, Raster};

/// The longer side of the small copy, in pixels: details below a hundredth of the picture do not
/// decide what it shows.
pub const LOOKED_AT: u32 = 128;

/// A difference in lightness counts in full from this on, of 255.
const FULL_CONTRAST: f32 = 48.0;

/// What a colour far from the mean counts against a full contrast.
const COLOUR_WEIGHT: f32 = 0.8;

/// What a tone of skin adds.
const SKIN_WEIGHT: f32 = 0.6;

/// A pixel at a window's border counts this part of one in its middle.
const BORDER_WEIGHT: f32 = 0.4;

/// Of the most that stands out from the ground along a line, what is this part or less is ground.
const STANDS_OUT: f32 = 0.15;

/// The breadth of a picture is looked at in so many stretches.
const STRETCHES: usize = 12;

/// Where the mean interest of the surroundings is this, nothing in them is rare.
const CROWDED: f32 = 0.3;

/// What is not rare counts this part.
const LEAST_RARITY: f32 = 0.02;

/// A window at the picture's border counts this part of one in the middle.
const OUTER_WEIGHT: f32 = 0.9;

/// The point to lay a crop around, as parts of width and height; `small` is a small copy of the
/// picture as it will be cropped, upright and turned.
pub fn find(small: &Raster, framing: &Framing) -> (f64, f64) {
    let size = small.size();
    let Interest { seen, beyond } = interest(small);
    let whole = framing.region(size, (0.5, 0.5));
    // A crop keeps one side whole: interest is summed along it.
    let across = whole.width < f64::from(size.width());
    let width = size.width() as usize;
    // What stands together draws the eye more than as much all over the picture: stretches count by
    // the root of the sum of their squares.
    let height = size.height() as usize;
    let along = |interest: &[f32]| -> Vec<f32> {
        let (length, breadth) = if across {
            (width, height)
        } else {
            (height, width)
        };
        let stretch = breadth.div_ceil(STRETCHES);
        let pixel = |at: usize, beside: usize| {
            if across {
                interest[beside * width + at]
            } else {
                interest[at * width + beside]
            }
        };
        let sum = |at: usize, from: usize| {
            (from..(from + stretch).min(breadth))
                .map(|beside| pixel(at, beside))
                .sum::<f32>()
        };
        let line = (0..length).map(|at| {
            (0..breadth)
                .step_by(stretch)
                .map(|from| square(sum(at, from)))
                .sum::<f32>()
                .sqrt()
        });
        line.collect()
    };
    let length = if across { whole.width } else { whole.height };
    let length = length.round().max(1.0) as usize;
    let middle = lone(&along(&seen), length).unwrap_or_else(|| best(&along(&beyond), length));
    if across { (middle, 0.5) } else { (0.5, middle) }
}

/// The middle of the only thing along a line that stands out from its ground, as a part of it, where
/// a window can hold all of that.
fn lone(line: &[f32], length: usize) -> Option<f64> {
    let mut sorted = line.to_vec();
    sorted.sort_unstable_by(f32::total_cmp);
    let ground = sorted[sorted.len() / 4];
    let most = sorted[sorted.len() - 1] - ground;
    let stands_out = |at: &usize| line[*at] - ground > most * STANDS_OUT;
    let (first, last) = (
        (0..line.len()).find(stands_out)?,
        (0..line.len()).rfind(stands_out)?,
    );
    // A quarter of the line at least is ground, and all that is not lies in the window.
    let fits = last + 1 - first <= length;
    fits.then(|| {
        let half = length as f64 / 2.0;
        let all = line.len() as f64;
        let middle = (first + last + 1) as f64 / 2.0;
        middle.clamp(half.min(all / 2.0), (all - half).max(all / 2.0)) / all
    })
}

/// The middle of the best window along a line, as a part of it.
fn best(line: &[f32], length: usize) -> f64 {
    let length = length.min(line.len());
    let last = line.len() - length;
    let weights: Vec<f32> = (0..length)
        .map(|at| bell(at as f32 + 0.5, length as f32, BORDER_WEIGHT))
        .collect();
    let score = |start: usize| {
        let window = line[start..start + length].iter().zip(&weights);
        let sum: f32 = window.map(|(interest, weight)| interest * weight).sum();
        sum * bell(start as f32 + 0.5, last as f32 + 1.0, OUTER_WEIGHT)
    };
    // Of equals, the one nearest to the middle.
    let from_middle = |start: usize| (2 * start).abs_diff(last);
    let better = |a: &usize, b: &usize| {
        let by_score = score(*a).total_cmp(&score(*b));
        by_score.then(from_middle(*b).cmp(&from_middle(*a)))
    };
    let start = (0..=last).max_by(better).unwrap_or(last / 2);
    (start as f64 + length as f64 / 2.0) / line.len() as f64
}

/// 1 in the middle of a length, `least` at its ends, with a smooth way between.
fn bell(at: f32, length: f32, least: f32) -> f32 {
    let from_middle = (2.0 * at / length - 1.0).abs();
    1.0 - (1.0 - least) * from_middle * from_middle
}

/// The interest of every pixel.
struct Interest {
    /// As it is seen.
    seen: Vec<f32>,
    /// What of it goes beyond that of its surroundings.
    beyond: Vec<f32>,
}

fn interest(small: &Raster) -> Interest {
    let step = small.channels().count();
    let width = small.size().width() as usize;
    let pixels: Vec<[f32; 4]> = small
        .samples()
        .chunks_exact(step)
        .map(|pixel| {
            let alpha = pixel.get(3).copied().unwrap_or(255);
            [pixel[0], pixel[1], pixel[2], alpha].map(f32::from)
        })
        .collect();
    let tones: Vec<[f32; 3]> = pixels.iter().map(|pixel| tone(*pixel)).collect();
    let mut mean = [0.0f32; 2];
    for [_, yellow, red] in &tones {
        mean[0] += yellow / tones.len() as f32;
        mean[1] += red / tones.len() as f32;
    }
    let contrast = |index: usize| {
        let [light, ..] = tones[index];
        let right = (index % width + 1 < width).then(|| tones[index + 1][0]);
        let below = tones.get(index + width).map(|tone| tone[0]);
        let steps = [right, below].into_iter().flatten();
        let step = steps.map(|other| (light - other).abs()).fold(0.0, f32::max);
        (step / FULL_CONTRAST).min(1.0)
    };
    let of_pixel = |index: usize| {
        let [_, yellow, red] = tones[index];
        let colour = (square(yellow - mean[0]) + square(red - mean[1])).sqrt();
        let colour = (colour / 128.0).min(1.0) * COLOUR_WEIGHT;
        let [r, g, b, _] = pixels[index];
        let skin = if is_skin([r as u8, g as u8, b as u8]) {
            SKIN_WEIGHT
        } else {
            0.0
        };
        (contrast(index) + colour + skin) * pixels[index][3] / 255.0
    };
    let all: Vec<f32> = (0..pixels.len()).map(of_pixel).collect();
    // What is all around, such as grain or waves, is no reason to be anywhere.
    let around = around(&all, width);
    let beyond = |(interest, around): (&f32, f32)| {
        let rare = (1.0 - around / CROWDED).max(LEAST_RARITY);
        square((interest - around).max(0.0)) * rare
    };
    let beyond = all.iter().zip(around).map(beyond).collect();
    Interest { seen: all, beyond }
}

/// The mean of each pixel's surroundings: a square that reaches an eighth of the width to all
/// sides, within the picture.
fn around(all: &[f32], width: usize) -> Vec<f32> {
    let reach = (width / 8).max(1);
    let height = all.len() / width;
    // Sums of all that lies above and to the left.
    let mut sums = vec![0.0f64; (width + 1) * (height + 1)];
    for y in 0..height {
        let mut row = 0.0;
        for x in 0..width {
            row += f64::from(all[y * width + x]);
            sums[(y + 1) * (width + 1) + x + 1] = sums[y * (width + 1) + x + 1] + row;
        }
    }
    let mean = |index: usize| {
        let (x, y) = (index % width, index / width);
        let (left, right) = (x.saturating_sub(reach), (x + reach + 1).min(width));
        let (top, bottom) = (y.saturating_sub(reach), (y + reach + 1).min(height));
        let sum = |x: usize, y: usize| sums[y * (width + 1) + x];
        let inside = sum(right, bottom) - sum(left, bottom) - sum(right, top) + sum(left, top);
        (inside / ((right - left) * (bottom - top)) as f64) as f32
    };
    (0..all.len()).map(mean).collect()
}

/// Lightness, yellow against blue, and red against green.
fn tone([r, g, b, alpha]: [f32; 4]) -> [f32; 3] {
    // What is transparent shows nothing, whatever colour is stored there.
    let [r, g, b] = [r, g, b].map(|sample| sample * alpha / 255.0);
    [0.299 * r + 0.587 * g + 0.114 * b, (r + g) / 2.0 - b, r - g]
}

/// The tones of skin, light and dark alike, differ in lightness and little in hue: red above
/// green above blue, in about these proportions.
pub(crate) fn is_skin(colour: [u8; 3]) -> bool {
    let [r, g, b] = colour.map(f32::from);
    let sum = r + g + b;
    if sum < 120.0 || r <= g || g <= b {
        return false;
    }
    let (red, green) = (r / sum, g / sum);
    (0.36..0.50).contains(&red) && (0.28..0.36).contains(&green)
}

fn square(value: f32) -> f32 {
    value * value
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::pixels::{Channels, Focus, Size};

    fn found(paint: impl Fn(u32, u32) -> [u8; 3], shape: &str) -> (f64, f64) {
        let size = Size::new(120, 80).expect("a size");
        let pixels = (0..80).flat_map(|y| (0..120).map(move |x| (x, y)));
        let samples = pixels.flat_map(|(x, y)| paint(x, y)).collect();
        let raster = Raster::new(size, Channels::Rgb, samples).expect("whole rows");
        let framing = Framing {
            shape: Some(shape.parse().expect("a shape")),
            focus: Focus::Auto,
            ..Framing::default()
        };
        find(&raster, &framing)
    }

    #[test]
    fn the_mean_of_surroundings_is_that_of_a_square_within_the_picture() {
        let flat = vec![2.0; 24 * 16];
        assert!(
            around(&flat, 24)
                .iter()
                .all(|mean| (mean - 2.0).abs() < 1e-6)
        );
        let mut spot = vec![0.0; 24 * 16];
        spot[8 * 24 + 12] = 49.0;
        let means = around(&spot, 24);
        // A square of 7 × 7 pixels reaches three to each side.
        assert!((means[8 * 24 + 12] - 1.0).abs() < 1e-6 && (means[5 * 24 + 9] - 1.0).abs() < 1e-6);
        assert_eq!((means[4 * 24 + 12], means[8 * 24 + 16]), (0.0, 0.0));
    }

    #[test]
    fn what_differs_draws_the_crop_and_nothing_leaves_it_in_the_middle() {
        let sky = [150, 180, 210];
        assert_eq!(found(|_, _| sky, "1:1"), (0.5, 0.5));
        let spot = |left: u32, colour: [u8; 3]| {
            move |x: u32, y: u32| {
                if (left..left + 12).contains(&x) && (30..50).contains(&y) {
                    colour
                } else {
                    sky
                }
            }
        };
        for colour in [[200, 40, 30], [20, 20, 20], [190, 140, 110]] {
            assert!(found(spot(8, colour), "1:1").0 < 0.4, "{colour:?}");
            assert!(found(spot(100, colour), "1:1").0 > 0.6, "{colour:?}");
        }
        let (x, y) = found(|_, y| if y > 60 { [30, 90, 40] } else { sky }, "3:1");
        assert!(x == 0.5 && y > 0.6, "{y}");
    }

    #[test]
    fn a_lone_thing_stays_whole_and_draws_more_than_waves() {
        let sky = [150, 180, 210];
        // A plant: its pot differs most from the wall, its leaves a little.
        let plant = |x: u32, y: u32| match (x, y) {
            (50..70, 8..36) => [110, 150, 120],
            (54..66, 36..44) => [200, 70, 30],
            _ => sky,
        };
        // A window of 40 of 80 rows, around rows 8 to 44.
        let (_, y) = found(plant, "3:1");
        assert!((20.0..=28.0).contains(&(y * 80.0)), "{y}");
        // A small red lantern above a sea of waves.
        let lantern = |x: u32, y: u32| match (x, y) {
            (20..25, 8..18) => [200, 40, 30],
            (_, 40..) if (x * 7 + y * 13) % 10 < 4 => [90, 110, 130],
            (_, 40..) => [120, 140, 160],
            _ => sky,
        };
        let (_, y) = found(lantern, "3:1");
        assert!(y < 0.4, "{y}");
    }
}
