//! The separable resampler: down the columns as the rows come in, then along each finished row.
//!
//! Only the target rows that the kernel has begun and not finished are held: about six of them,
//! each as wide as the source, however tall the picture is. Columns go first because adding a
//! weighted row to another is one long multiply-add over contiguous floats.

use std::collections::VecDeque;

use super::kernel::Taps;
use crate::colour::to_srgb;
use crate::pixels::{Channels, Raster, Size};

/// Makes one raster of a wanted size from the rows of a picture in the working space.
pub struct Sizer {
    columns: Taps,
    lines: Taps,
    line_weights: Vec<f32>,
    weight_offsets: Vec<usize>,
    target: Size,
    channels: usize,
    pitch: usize,
    /// Rows pushed so far.
    pushed: usize,
    /// Target rows begun and not finished, the topmost first.
    open: VecDeque<Vec<f32>>,
    /// The topmost target row that is not finished.
    first_open: usize,
    spare: Vec<Vec<f32>>,
    samples: Vec<u8>,
}

impl Sizer {
    /// Prepares for rows of `source.width() × channels` floats, `channels` 3 or 4.
    pub fn new(source: Size, target: Size, channels: usize) -> Self {
        let lines = Taps::new(source.height(), target.height());
        let mut line_weights = Vec::new();
        let mut weight_offsets = Vec::with_capacity(lines.len());
        for (_, weights) in lines.iter() {
            weight_offsets.push(line_weights.len());
            line_weights.extend_from_slice(weights);
        }
        Sizer {
            columns: Taps::new(source.width(), target.width()),
            lines,
            line_weights,
            weight_offsets,
            target,
            channels,
            pitch: source.width() as usize * channels,
            pushed: 0,
            open: VecDeque::new(),
            first_open: 0,
            spare: Vec::new(),
            samples: Vec::with_capacity(target.pixels() as usize * channels),
        }
    }

    /// Takes in the next row from the top.
    pub fn push(&mut self, row: &[f32]) {
        debug_assert_eq!(row.len(), self.pitch);
        let line = self.pushed;
        self.pushed += 1;
        let mut position = self.first_open;
        while position < self.lines.len() && self.lines.sources(position).start <= line {
            let slot = position - self.first_open;
            if slot == self.open.len() {
                let mut sum = self.spare.pop().unwrap_or_default();
                sum.clear();
                sum.resize(self.pitch, 0.0);
                self.open.push_back(sum);
            }
            let sources = self.lines.sources(position);
            if sources.contains(&line) {
                let weight =
                    self.line_weights[self.weight_offsets[position] + line - sources.start];
                for (sum, sample) in self.open[slot].iter_mut().zip(row) {
                    *sum += weight * sample;
                }
            }
            position += 1;
        }
        while self.first_open < self.lines.len() {
            if self.lines.sources(self.first_open).end > self.pushed {
                break;
            }
            let Some(sum) = self.open.pop_front() else {
                break;
            };
            match self.channels {
                4 => self.finish_row(&sum, straight),
                _ => self.finish_row(&sum, |pixel: [f32; 3]| pixel.map(to_srgb)),
            }
            self.spare.push(sum);
            self.first_open += 1;
        }
    }

    fn finish_row<const N: usize>(&mut self, line: &[f32], finish: impl Fn([f32; N]) -> [u8; N]) {
        let (pixels, _) = line.as_chunks::<N>();
        for (start, weights) in self.columns.iter() {
            let mut sum = [0.0; N];
            for (pixel, weight) in pixels[start..].iter().zip(weights) {
                for (sum, sample) in sum.iter_mut().zip(pixel) {
                    *sum += weight * sample;
                }
            }
            self.samples.extend(finish(sum));
        }
    }

    /// The raster, once every row was pushed; `None` where rows are missing.
    pub fn finish(self) -> Option<Raster> {
        let channels = match self.channels {
            4 => Channels::Rgba,
            _ => Channels::Rgb,
        };
        Raster::new(self.target, channels, self.samples).map(Raster::without_idle_alpha)
    }
}

/// A premultiplied pixel in linear light as straight 8-bit sRGB. What is fully transparent
/// becomes transparent black, so that no hidden colour costs bytes.
fn straight([r, g, b, alpha]: [f32; 4]) -> [u8; 4] {
    let opacity = (alpha.clamp(0.0, 1.0) * 255.0 + 0.5) as u8;
    if opacity == 0 {
        return [0; 4];
    }
    let [r, g, b] = [r, g, b].map(|light| to_srgb(light / alpha));
    [r, g, b, opacity]
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::colour::Working;
    use crate::decode::{Form, Ink, Row};

    fn sized(
        from: (u32, u32),
        to: (u32, u32),
        ink: Ink,
        pixel: impl Fn(u32, u32) -> Vec<u8>,
    ) -> Raster {
        let size = Size::new(from.0, from.1).expect("a size");
        let target = Size::new(to.0, to.1).expect("a size");
        let (mut working, _) = Working::new(&Form {
            size,
            ink,
            icc: None,
        });
        let mut sizer = Sizer::new(size, target, working.channels());
        let mut row = Vec::new();
        for y in 0..from.1 {
            let samples: Vec<u8> = (0..from.0).flat_map(|x| pixel(x, y)).collect();
            working.row(Row::Eight(&samples), &mut row);
            sizer.push(&row);
        }
        sizer.finish().expect("all rows pushed")
    }

    fn noise(x: u32, y: u32) -> Vec<u8> {
        let mut state = x.wrapping_mul(0x9E37_79B9) ^ y.wrapping_mul(0x85EB_CA6B);
        (0..3)
            .map(|_| {
                state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
                (state >> 24) as u8
            })
            .collect()
    }

    /// The same kernel, evaluated directly in double precision, both axes at once.
    fn direct(from: (u32, u32), to: (u32, u32), at: (u32, u32), channel: usize) -> f64 {
        let sinc = |x: f64| if x == 0.0 { 1.0 } else { x.sin() / x };
        let weight = |x: f64| match x.abs() < 3.0 {
            true => sinc(std::f64::consts::PI * x) * sinc(std::f64::consts::PI * x / 3.0),
            false => 0.0,
        };
        let axis = |from: u32, to: u32, at: u32| -> Vec<f64> {
            let scale = f64::from(from) / f64::from(to);
            let centre = (f64::from(at) + 0.5) * scale - 0.5;
            let all: Vec<f64> = (0..from)
                .map(|s| weight((f64::from(s) - centre) / scale.max(1.0)))
                .collect();
            let sum: f64 = all.iter().sum();
            all.iter().map(|w| w / sum).collect()
        };
        let (across, down) = (axis(from.0, to.0, at.0), axis(from.1, to.1, at.1));
        let mut light = 0.0;
        for (y, wy) in down.iter().enumerate() {
            for (x, wx) in across.iter().enumerate() {
                let encoded = f64::from(noise(x as u32, y as u32)[channel]) / 255.0;
                light += wy
                    * wx
                    * match encoded <= 0.040_45 {
                        true => encoded / 12.92,
                        false => ((encoded + 0.055) / 1.055).powf(2.4),
                    };
            }
        }
        match light.clamp(0.0, 1.0) {
            low if low <= 0.003_130_8 => low * 12.92 * 255.0,
            high => (1.055 * high.powf(1.0 / 2.4) - 0.055) * 255.0,
        }
    }

    #[test]
    fn noise_is_sized_as_by_direct_evaluation() {
        for (from, to) in [
            ((61, 43), (17, 12)),
            ((20, 30), (20, 11)),
            ((9, 1), (4, 1)),
            ((5, 7), (1, 2)),
        ] {
            let found = sized(from, to, Ink::Rgb, noise);
            for y in 0..to.1 {
                for x in 0..to.0 {
                    for channel in 0..3 {
                        let wanted = direct(from, to, (x, y), channel);
                        let at = ((y * to.0 + x) * 3) as usize + channel;
                        let level = f64::from(found.samples()[at]);
                        assert!(
                            (level - wanted).abs() < 0.6,
                            "{from:?} {x},{y}: {level} {wanted}"
                        );
                    }
                }
            }
        }
    }

    #[test]
    fn a_checkerboard_halves_to_the_grey_of_its_light() {
        let board = |x: u32, y: u32| vec![if (x + y).is_multiple_of(2) { 255 } else { 0 }];
        let raster = sized((64, 64), (32, 32), Ink::Grey, board);
        for row in raster.rows().skip(4).take(24) {
            for &level in &row[12..84] {
                assert!(level.abs_diff(188) <= 1, "{level}");
            }
        }
    }

    #[test]
    fn a_cut_out_keeps_its_colour_to_the_edge() {
        let shape = |x: u32, _| match x < 21 {
            true => vec![255, 0, 0, 255],
            false => vec![0, 0, 255, 0],
        };
        let raster = sized((40, 8), (13, 3), Ink::Rgba, shape);
        assert_eq!(raster.channels(), Channels::Rgba);
        for pixel in raster.samples().chunks_exact(4).filter(|p| p[3] > 0) {
            assert_eq!(pixel[..3], [255, 0, 0], "{pixel:?}");
        }
    }

    #[test]
    fn an_unchanged_size_changes_no_pixel() {
        let raster = sized((23, 19), (23, 19), Ink::Rgb, noise);
        let wanted: Vec<u8> = (0..19)
            .flat_map(|y| (0..23).flat_map(move |x| noise(x, y)))
            .collect();
        assert_eq!(raster.samples(), wanted);
    }
}
