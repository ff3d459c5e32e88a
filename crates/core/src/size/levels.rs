//! The last step: light becomes 8-bit levels, and where that would draw bands, it is dithered.
//!
//! Bands are seen where a tone changes by less than a level or so from pixel to pixel over a
//! stretch, and only a picture that holds more than 8 bits has a finer tone to be shown there.
//! The dither is interleaved gradient noise of one level (J. Jimenez, "Next generation
//! post-processing in Call of Duty: Advanced Warfare", SIGGRAPH 2014), a formula of the position.

use crate::colour::{self, encoded};
use crate::pixels::Size;

/// How far to each side a slope is measured, in pixels.
const REACH: usize = 4;

/// A change of this many levels a pixel, or more, draws no bands: every pixel is a step.
const STEEP: f32 = 0.5;

/// A change of less than this is none.
const LEVEL: f32 = 0.002;

/// A pixel this far from its neighbours, in levels, has grain of its own.
const GRAIN: f32 = 0.35;

/// Rows of light in, 8-bit samples with straight alpha out.
pub(super) struct Levels {
    channels: usize,
    samples: Vec<u8>,
    /// The row above and the present one, 0 to 255 with fractions; filled where rows are fine.
    above: Vec<f32>,
    exact: Vec<f32>,
    lines: usize,
}

impl Levels {
    pub(super) fn new(size: Size, channels: usize) -> Levels {
        Levels {
            channels,
            samples: Vec::with_capacity(size.pixels() as usize * channels),
            above: Vec::new(),
            exact: Vec::new(),
            lines: 0,
        }
    }

    /// Takes in the next row; `fine` where it was made from more than 8 bits.
    pub(super) fn push(&mut self, light: &[f32], fine: bool) {
        let level = colour::levels();
        match (fine, self.channels) {
            (true, 4) => self.dithered(light.as_chunks::<4>().0),
            (true, _) => self.dithered(light.as_chunks::<3>().0),
            (false, 4) => {
                let pixels = light.as_chunks::<4>().0;
                for (samples, &pixel) in self.row::<4>(pixels.len()).iter_mut().zip(pixels) {
                    *samples = straight(pixel, level);
                }
            }
            (false, _) => {
                for (sample, &light) in self.row::<1>(light.len()).iter_mut().zip(light) {
                    *sample = [level(light)];
                }
            }
        }
        if !fine {
            self.exact.clear();
        }
        self.lines += 1;
    }

    pub(super) fn into_samples(self) -> Vec<u8> {
        self.samples
    }

    /// Room for the next row.
    fn row<const N: usize>(&mut self, pixels: usize) -> &mut [[u8; N]] {
        let start = self.samples.len();
        self.samples.resize(start + pixels * N, 0);
        self.samples[start..].as_chunks_mut().0
    }

    fn dithered<const N: usize>(&mut self, pixels: &[[f32; N]]) {
        std::mem::swap(&mut self.above, &mut self.exact);
        self.exact.clear();
        for pixel in pixels {
            let alpha = pixel.get(3).copied().unwrap_or(1.0);
            let light = if alpha > 0.0 { 1.0 / alpha } else { 0.0 };
            let colours = pixel[..3].iter();
            let exact = colours.map(|sample| encoded(sample * light) * 255.0);
            self.exact.extend(exact);
        }
        for (x, pixel) in pixels.iter().enumerate() {
            let alpha = pixel.get(3).map_or(255, |alpha| opacity(*alpha));
            for channel in 0..3 {
                let level = self.exact[x * 3 + channel];
                let level = if alpha == 255 && self.shows_bands(x, channel) {
                    level + noise(x, self.lines, channel) - 0.5
                } else {
                    level
                };
                let level = if alpha == 0 { 0.0 } else { level };
                self.samples.push((level + 0.5) as u8);
            }
            if N == 4 {
                self.samples.push(alpha);
            }
        }
    }

    /// Whether a channel changes so slowly around a pixel that its levels would be seen as bands.
    fn shows_bands(&self, x: usize, channel: usize) -> bool {
        let last = self.exact.len() / 3 - 1;
        let at = |x: usize| self.exact[x.min(last) * 3 + channel];
        let here = at(x);
        let (far_left, far_right) = (at(x.saturating_sub(REACH)), at(x + REACH));
        let across = (far_right - far_left).abs() / (2 * REACH) as f32;
        let above = self.above.get(x * 3 + channel);
        let down = above.map_or(0.0, |above| (here - above).abs());
        let (left, right) = (at(x.saturating_sub(1)), at(x + 1));
        let grain = (here - (left + right) / 2.0).abs();
        across.max(down) < STEEP && across.max(down) > LEVEL && grain < GRAIN
    }
}

/// A premultiplied pixel in linear light as straight 8-bit samples. What is fully transparent
/// becomes transparent black, so that no hidden colour costs bytes.
fn straight(pixel: [f32; 4], level: impl Fn(f32) -> u8) -> [u8; 4] {
    let [r, g, b, alpha] = pixel;
    let opacity = opacity(alpha);
    if opacity == 0 {
        return [0; 4];
    }
    let [r, g, b] = [r, g, b].map(|light| level(light / alpha));
    [r, g, b, opacity]
}

fn opacity(alpha: f32) -> u8 {
    (alpha.clamp(0.0, 1.0) * 255.0 + 0.5) as u8
}

/// From 0 to 1, different for each channel.
fn noise(x: usize, y: usize, channel: usize) -> f32 {
    let shift = 47.0 * channel as f64;
    let wave = 0.067_110_56 * (x as f64 + shift) + 0.005_837_15 * (y as f64 + shift);
    (52.982_918_9 * wave.fract()).fract() as f32
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::colour::linear;

    /// Rows of grey light that shows at these levels of 255.
    fn levels(
        width: usize,
        rows: usize,
        fine: bool,
        level: impl Fn(usize, usize) -> f32,
    ) -> Vec<u8> {
        let size = Size::new(width as u32, rows as u32).expect("a size");
        let mut levels = Levels::new(size, 3);
        for y in 0..rows {
            let light = |x| [linear(level(x, y) / 255.0); 3];
            let row: Vec<f32> = (0..width).flat_map(light).collect();
            levels.push(&row, fine);
        }
        levels.into_samples()
    }

    #[test]
    fn a_slow_gradient_is_dithered_and_keeps_its_tone() {
        let gradient = |x: usize, y: usize| 100.0 + x as f32 / 50.0 + y as f32 / 200.0;
        let samples = levels(400, 40, true, gradient);
        // No band: the level changes back and forth all along each row.
        for row in samples.chunks_exact(1200) {
            let greens: Vec<u8> = row.iter().skip(1).step_by(3).copied().collect();
            let changes = greens.windows(2).filter(|pair| pair[0] != pair[1]).count();
            assert!(changes > 60, "{changes}");
        }
        for x in (0..400 - 25).step_by(25) {
            let all = samples.chunks_exact(1200);
            let window = all.flat_map(|row| &row[x * 3..(x + 25) * 3]);
            let mean = window.map(|&sample| f32::from(sample)).sum::<f32>() / (25.0 * 3.0 * 40.0);
            let wanted = gradient(x + 12, 20);
            assert!((mean - wanted).abs() < 0.1, "{mean} for {wanted}");
        }
    }

    #[test]
    fn nothing_else_is_dithered() {
        let nearest = |level: f32| (level + 0.5) as u8;
        let edges = |x: usize, _: usize| if x % 9 < 4 { 40.3 } else { 90.4 };
        let flat = |_: usize, _: usize| 77.4;
        let grain = |x: usize, y: usize| 90.0 + ((x * 7919 + y * 104_729) % 17) as f32 / 4.1;
        let fine: [&dyn Fn(usize, usize) -> f32; 3] = [&edges, &flat, &grain];
        for (index, paint) in fine.into_iter().enumerate() {
            let samples = levels(60, 8, true, paint);
            let plain = |at: usize| nearest(paint(at / 3 % 60, at / 180));
            let changed = samples
                .iter()
                .enumerate()
                .filter(|(at, s)| plain(*at) != **s);
            assert!(changed.count() * 50 < samples.len(), "{index}");
        }
        // Of 8 bits there is nothing finer to show.
        let gradient = |x: usize, _: usize| 100.0 + x as f32 / 50.0;
        let samples = levels(60, 2, false, gradient);
        assert!(samples.chunks_exact(180).all(|row| row.is_sorted()));
    }
}
