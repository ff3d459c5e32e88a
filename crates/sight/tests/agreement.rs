//! The scores are those of the general-purpose package for the same measure.
#![allow(missing_docs, clippy::expect_used, clippy::panic)]

use kiln_jpeg::{Decoder, Effort, Layout, Limits, Options, Prepared, Sampling, Wanted};
use kiln_sight::{Picture, Reference};
use ssimulacra2::{ColorPrimaries, Rgb, TransferCharacteristic, compute_frame_ssimulacra2};

/// A small generator of numbers that are the same on every run.
struct Dice(u64);

impl Dice {
    fn below(&mut self, end: usize) -> usize {
        self.0 = self
            .0
            .wrapping_mul(6_364_136_223_846_793_005)
            .wrapping_add(1_442_695_040_888_963_407);
        ((self.0 >> 33) as usize * end) >> 31
    }
}

struct Drawn {
    width: usize,
    height: usize,
    samples: Vec<u8>,
}

impl Drawn {
    /// Slopes, discs, stripes and grain, in colour or grey.
    fn new(dice: &mut Dice) -> Drawn {
        let (width, height) = (40 + dice.below(120), 40 + dice.below(90));
        let grey = dice.below(5) == 0;
        let grain = [0, 0, 3, 12, 60][dice.below(5)];
        let discs: Vec<[usize; 6]> = (0..dice.below(8))
            .map(|_| {
                let place = [dice.below(width), dice.below(height), 4 + dice.below(30)];
                let colour = [dice.below(256), dice.below(256), dice.below(256)];
                [
                    place[0], place[1], place[2], colour[0], colour[1], colour[2],
                ]
            })
            .collect();
        let slopes = [dice.below(256), dice.below(256), dice.below(256)];
        let stripes = 2 + dice.below(20);
        let mut samples = Vec::new();
        for y in 0..height {
            for x in 0..width {
                let mut pixel = [0, 1, 2].map(|i| (slopes[i] * x / width + y) / 2 + 40);
                if x / stripes % 4 == 1 {
                    pixel = pixel.map(|sample| sample / 2);
                }
                for &[cx, cy, radius, r, g, b] in &discs {
                    if cx.abs_diff(x).pow(2) + cy.abs_diff(y).pow(2) < radius.pow(2) {
                        pixel = [r, g, b];
                    }
                }
                let noise = dice.below(grain + 1);
                let grained = pixel.map(|sample| (sample + noise).min(255) as u8);
                samples.extend(if grey { [grained[1]; 3] } else { grained });
            }
        }
        Drawn {
            width,
            height,
            samples,
        }
    }

    /// The same picture, harmed in one of many ways and strengths.
    fn harmed(&self, way: usize, dice: &mut Dice) -> Vec<u8> {
        let (width, strength) = (self.width, 1 + dice.below(8));
        let at = |index: usize| usize::from(self.samples[index]);
        let harm = |index: usize, dice: &mut Dice| match way % 5 {
            // Grain, banding, a shift of light, a blur along rows.
            0 => at(index) + dice.below(2 * strength),
            1 => at(index) / (2 * strength) * (2 * strength),
            2 => at(index) + strength,
            3 => {
                let reach = |n: usize| at((index + 3 * n).min(self.samples.len() - 3 + index % 3));
                (0..=strength).map(reach).sum::<usize>() / (strength + 1)
            }
            _ => at(index),
        };
        if way % 5 == 4 {
            return coded(
                width,
                self.height,
                &self.samples,
                [8, 25, 45, 60, 75, 85, 92, 97][strength - 1],
            );
        }
        (0..self.samples.len())
            .map(|index| harm(index, dice).min(255) as u8)
            .collect()
    }
}

/// Through a JPEG.
fn coded(width: usize, height: usize, samples: &[u8], dial: u8) -> Vec<u8> {
    let prepared = Prepared::new((width as u32, height as u32), samples).expect("a picture");
    let options = Options {
        layout: Layout::Sequential,
        restart: 0,
        segments: &[],
    };
    let file = prepared.encode(dial, Sampling::Halved, Effort::Quick, options);
    let decoder = Decoder::new(file, Limits::default()).expect("a header");
    let mut rows = decoder.rows(Wanted::default()).expect("a scan");
    let mut samples = Vec::new();
    for _ in 0..height {
        let row = rows.next_row().expect("a row");
        // Where there is no colour there is one component.
        if row.len() == width {
            samples.extend(row.iter().flat_map(|&grey| [grey; 3]));
        } else {
            samples.extend_from_slice(row);
        }
    }
    samples
}

fn package(width: usize, height: usize, samples: &[u8]) -> Rgb {
    let data = samples
        .as_chunks::<3>()
        .0
        .iter()
        .map(|pixel| pixel.map(|s| f32::from(s) / 255.0));
    let srgb = (TransferCharacteristic::SRGB, ColorPrimaries::BT709);
    Rgb::new(data.collect(), width, height, srgb.0, srgb.1).expect("a picture")
}

#[test]
fn three_hundred_harmed_pictures_are_scored_as_by_the_package() {
    let mut dice = Dice(20_261_123);
    let mut apart = Vec::new();
    for round in 0..60 {
        let drawn = Drawn::new(&mut dice);
        let Drawn {
            width,
            height,
            ref samples,
        } = drawn;
        let reference = Picture::rgb(width, height, samples).map(Reference::new);
        let reference = reference.expect("a picture");
        for way in 0..5 {
            let harmed = drawn.harmed(way, &mut dice);
            let candidate = Picture::rgb(width, height, &harmed).expect("a picture");
            let ours = reference.score(candidate).expect("the same size");
            let pair = (
                package(width, height, samples),
                package(width, height, &harmed),
            );
            let theirs = compute_frame_ssimulacra2(pair.0, pair.1).expect("a score");
            apart.push(((f64::from(ours) - theirs).abs(), round, way, ours));
        }
    }
    apart.sort_by(|a, b| a.0.total_cmp(&b.0));
    assert!(apart[284].0 <= 0.3, "at 95%: {:?}", &apart[284..]);
    assert!(apart[299].0 <= 1.0, "at worst: {:?}", apart[299]);
    let scores = apart.iter().map(|a| a.3);
    let (low, high) = scores.fold((100.0f32, -100.0f32), |(l, h), s| (l.min(s), h.max(s)));
    assert!(low < 20.0 && high > 90.0, "they span {low} to {high}");
}
