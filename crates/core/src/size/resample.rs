//! The separable resampler: down the columns as the rows come in, then along each finished row.
//!
//! Only the target rows that the kernel has begun and not finished are held: about six of them,
//! each as wide as the source, however tall the picture is. Columns go first because adding a
//! weighted row to another is one long multiply-add over contiguous floats.

//!
//! A sinc rings at edges: it is what makes a small picture crisp, and what draws halos. So each
//! result is held to the range of the samples in its own cell, and half that range beyond, along
//! each axis: beside an edge a cell is flat, and nothing overshoots; within texture it reaches
//! further than almost any sum, and next to nothing is flattened.

use std::collections::VecDeque;

use pulp::Arch;

use super::bodies::{self, Open, Share};
use super::kernel::{Span, Taps};
use crate::colour::to_srgb;
use crate::pixels::{Channels, Raster, Region, Size};

/// Source rows that are added at a time: more would save little traffic and hold more rows.
const BATCH: usize = 4;

/// Makes one raster of a wanted size from the rows of a picture in the working space.
pub struct Sizer {
    arch: Arch,
    columns: Taps,
    lines: Taps,
    target: Size,
    channels: usize,
    /// Rows pushed so far.
    pushed: usize,
    /// Rows pushed and not yet added: only the columns that are drawn on.
    waiting: [Vec<f32>; BATCH],
    /// How many of those there are.
    waits: usize,
    /// Target rows begun and not finished, the topmost first.
    open: VecDeque<Open>,
    /// The topmost target row that is not finished.
    first_open: usize,
    spare: Vec<Open>,
    /// One target row before it is sized across, and after.
    line: Vec<[f32; 4]>,
    pixels: Vec<[f32; 4]>,
    samples: Vec<u8>,
}

impl Sizer {
    /// Prepares for rows of `source.width() × channels` floats, `channels` 3 or 4.
    pub fn new(source: Size, target: Size, channels: usize) -> Self {
        let whole = Region {
            x: 0.0,
            y: 0.0,
            width: f64::from(source.width()),
            height: f64::from(source.height()),
        };
        Self::of_region(source, whole, target, channels)
    }

    /// The same for a part of the picture, which need not begin or end on a pixel. Rows and
    /// columns that no result draws on are passed over.
    pub fn of_region(source: Size, region: Region, target: Size, channels: usize) -> Self {
        let axis = |source, from, length, target| {
            Taps::new(Span {
                source,
                from,
                length,
                target,
            })
        };
        let columns = axis(source.width(), region.x, region.width, target.width());
        let lines = axis(source.height(), region.y, region.height, target.height());
        Sizer {
            arch: Arch::new(),
            columns,
            lines,
            target,
            channels,
            pushed: 0,
            waiting: Default::default(),
            waits: 0,
            open: VecDeque::new(),
            first_open: 0,
            spare: Vec::new(),
            line: Vec::new(),
            pixels: Vec::new(),
            samples: Vec::with_capacity(target.pixels() as usize * channels),
        }
    }

    /// Takes in the next row from the top.
    pub fn push(&mut self, row: &[f32]) {
        let (lines, columns) = (self.lines.reach(), self.columns.reach());
        let line = self.pushed;
        self.pushed += 1;
        if !lines.contains(&line) {
            return;
        }
        let kept = &mut self.waiting[self.waits];
        kept.clear();
        kept.extend_from_slice(&row[columns.start * self.channels..columns.end * self.channels]);
        self.waits += 1;
        if self.waits == BATCH || self.pushed == lines.end {
            self.add_waiting();
            self.finish_rows();
        }
    }

    /// Adds the waiting rows to every target row that draws on them.
    fn add_waiting(&mut self) {
        let first = self.pushed - self.waits;
        let mut position = self.first_open + self.open.len();
        while position < self.lines.len() && self.lines.sources(position).start < self.pushed {
            let length = self.waiting[0].len();
            let mut open = self.spare.pop().unwrap_or_default();
            open.begin(length);
            self.open.push_back(open);
            position += 1;
        }
        let lines = &self.lines;
        let waits = self.waits;
        let shares = self.open.iter_mut().enumerate().map(|(index, open)| {
            let position = self.first_open + index;
            let line = |row: usize| Some(first + row).filter(|_| row < waits);
            let share = Share {
                weights: std::array::from_fn(|row| {
                    line(row).map_or(0.0, |line| lines.weight(position, line))
                }),
                in_cell: std::array::from_fn(|row| {
                    line(row).is_some_and(|line| lines.in_cell(position, line))
                }),
            };
            (share, open)
        });
        let mut shares: Vec<_> = shares.collect();
        // Where fewer rows wait, the first stands in for the others, without weight.
        let rows = std::array::from_fn(|row| match row < waits {
            true => self.waiting[row].as_slice(),
            false => self.waiting[0].as_slice(),
        });
        bodies::add::<BATCH>(self.arch, rows, &mut shares);
        self.waits = 0;
    }

    /// Finishes the target rows that nothing more adds to.
    fn finish_rows(&mut self) {
        while let Some(open) = self.open.pop_front() {
            if self.lines.sources(self.first_open).end > self.pushed {
                self.open.push_front(open);
                return;
            }
            match self.channels {
                4 => bodies::hold::<4>(self.arch, &open, &mut self.line),
                _ => bodies::hold::<3>(self.arch, &open, &mut self.line),
            }
            bodies::across(self.arch, &self.line, &self.columns, &mut self.pixels);
            let pixels = self.pixels.iter();
            match self.channels {
                4 => self
                    .samples
                    .extend(pixels.flat_map(|&pixel| straight(pixel))),
                _ => {
                    let levels = |&[r, g, b, _]: &[f32; 4]| [r, g, b].map(to_srgb);
                    self.samples.extend(pixels.flat_map(levels));
                }
            }
            self.spare.push(open);
            self.first_open += 1;
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

    fn light(encoded: f64) -> f64 {
        match encoded <= 0.040_45 {
            true => encoded / 12.92,
            false => ((encoded + 0.055) / 1.055).powf(2.4),
        }
    }

    /// One position of one axis in double precision: the weighted sum of all samples, held to
    /// the range of those in its cell and half of that beyond.
    fn position(samples: &[f64], target: u32, at: u32) -> f64 {
        let sinc = |x: f64| if x == 0.0 { 1.0 } else { x.sin() / x };
        let weight = |x: f64| match x.abs() < 3.0 {
            true => sinc(std::f64::consts::PI * x) * sinc(std::f64::consts::PI * x / 3.0),
            false => 0.0,
        };
        let scale = samples.len() as f64 / f64::from(target);
        let centre = (f64::from(at) + 0.5) * scale - 0.5;
        let (mut sum, mut all) = (0.0, 0.0);
        let (mut low, mut high) = (f64::INFINITY, f64::NEG_INFINITY);
        for (index, sample) in samples.iter().enumerate() {
            let distance = index as f64 - centre;
            let weight = weight(distance / scale.max(1.0));
            sum += weight * sample;
            all += weight;
            if distance.abs() <= (scale / 2.0 + 1e-6).max(1.0 - 1e-9) {
                low = low.min(*sample);
                high = high.max(*sample);
            }
        }
        let leeway = (high - low) / 2.0;
        (sum / all).clamp(low - leeway, high + leeway)
    }

    /// The whole evaluated directly: down each column, then across.
    fn direct(from: (u32, u32), to: (u32, u32), at: (u32, u32), channel: usize) -> f64 {
        let column = |x: u32| {
            let samples = (0..from.1).map(|y| light(f64::from(noise(x, y)[channel]) / 255.0));
            position(&samples.collect::<Vec<_>>(), to.1, at.1)
        };
        let row: Vec<f64> = (0..from.0).map(column).collect();
        match position(&row, to.0, at.0).clamp(0.0, 1.0) {
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
                            "{from:?} {x},{y} {channel}: {level} {wanted}"
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

    /// Beside an edge, wherever it falls, nothing is darker than the dark or lighter than the
    /// light side.
    #[test]
    fn an_edge_makes_no_halo() {
        for (from, to) in [(600, 100), (600, 93), (120, 100), (101, 100), (1000, 10)] {
            for edge in from / 2..from / 2 + from / to + 1 {
                let step = |x: u32, _| vec![if x < edge { 60 } else { 200 }; 3];
                let raster = sized((from, 4), (to, 2), Ink::Rgb, step);
                let levels: Vec<u8> = raster.samples().iter().step_by(3).copied().collect();
                assert!(
                    levels.iter().all(|l| (60..=200).contains(l)),
                    "{from} to {to}: {levels:?}"
                );
                assert!(levels[..to as usize].is_sorted(), "{levels:?}");
            }
        }
    }

    /// What holds halos back leaves texture its contrast.
    #[test]
    fn texture_keeps_its_contrast() {
        // Stripes a little wider than the finest that the target can hold.
        let wave = |x: u32, _: u32| {
            let phase = f64::from(x) / 6.0 / 2.6 * std::f64::consts::TAU;
            vec![(128.0 + 60.0 * phase.sin()) as u8; 3]
        };
        let raster = sized((600, 12), (100, 2), Ink::Rgb, wave);
        let middle: Vec<u8> = raster.samples()[30..270]
            .iter()
            .step_by(3)
            .copied()
            .collect();
        let (low, high) = (
            middle.iter().min().expect("some"),
            middle.iter().max().expect("some"),
        );
        assert!(*low <= 70 && *high >= 174, "{low} to {high}");
    }

    #[test]
    fn a_ramp_stays_monotone() {
        let raster = sized((1021, 3), (77, 2), Ink::Rgb, |x, _| vec![(x / 4) as u8; 3]);
        let levels: Vec<u8> = raster.samples()[..231].iter().step_by(3).copied().collect();
        assert!(levels.is_sorted(), "{levels:?}");
    }

    /// A region of whole pixels that is not made smaller is that part of the picture; one that is
    /// draws on the pixels around it, and agrees with the whole picture sized alike.
    #[test]
    fn a_region_is_a_part_of_the_whole() {
        let source = Size::new(60, 40).expect("a size");
        let cut = |x: f64, y: f64, width: f64, height: f64, to: (u32, u32)| {
            let form = Form {
                size: source,
                ink: Ink::Rgb,
                icc: None,
            };
            let (mut working, _) = Working::new(&form);
            let region = Region {
                x,
                y,
                width,
                height,
            };
            let target = Size::new(to.0, to.1).expect("a size");
            let mut sizer = Sizer::of_region(source, region, target, 3);
            let mut row = Vec::new();
            for y in 0..40 {
                let samples: Vec<u8> = (0..60).flat_map(|x| noise(x, y)).collect();
                working.row(Row::Eight(&samples), &mut row);
                sizer.push(&row);
            }
            sizer.finish().expect("every row that is drawn on")
        };
        let part = cut(7.0, 11.0, 20.0, 9.0, (20, 9));
        let wanted = (11..20).flat_map(|y| (7..27).flat_map(move |x| noise(x, y)));
        assert_eq!(part.samples(), wanted.collect::<Vec<u8>>());
        let whole = sized((60, 40), (20, 10), Ink::Rgb, noise);
        let part = cut(15.0, 8.0, 30.0, 20.0, (10, 5));
        for (y, row) in part.rows().enumerate() {
            let from = ((y + 2) * 20 + 5) * 3;
            assert_eq!(row, &whole.samples()[from..from + 30], "row {y}");
        }
    }

    /// The wide bodies give what the plain ones give, to the bit.
    #[test]
    fn every_vector_unit_gives_the_same_bytes() {
        let size = (83, 61);
        let wide = sized(size, (31, 17), Ink::Rgb, noise);
        let (source, target) = (
            Size::new(83, 61).expect("a size"),
            Size::new(31, 17).expect("a size"),
        );
        let (mut working, _) = Working::new(&Form {
            size: source,
            ink: Ink::Rgb,
            icc: None,
        });
        let mut sizer = Sizer::new(source, target, 3);
        sizer.arch = Arch::Scalar;
        let mut row = Vec::new();
        for y in 0..61 {
            let samples: Vec<u8> = (0..83).flat_map(|x| noise(x, y)).collect();
            working.row(Row::Eight(&samples), &mut row);
            sizer.push(&row);
        }
        assert_eq!(sizer.finish().expect("all rows"), wide);
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
