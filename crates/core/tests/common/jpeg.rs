//! JPEG files as cameras and other programs write them: the tables of ITU-T T.81, annex K, at a dial
//! of the Independent JPEG Group, and nothing chosen with care.
#![allow(dead_code)] // Each that includes it uses a part.

use std::f64::consts::{FRAC_1_SQRT_2, PI};

use kiln_jpeg::{Coefficient, Coefficients, Frame, Layout, Options};

/// What samples stand for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Colours {
    Grey,
    Rgb,
    /// Full ink is 255, as in the samples that are given; it is stored as 0.
    Cmyk,
    /// The same, with its inks as luma and chroma.
    Ycck,
}

/// How a file is written.
#[derive(Clone, Debug)]
pub struct Jpeg {
    pub colours: Colours,
    /// How often luma is sampled against chroma.
    pub luma: (u32, u32),
    pub dial: u8,
    pub progressive: bool,
    pub restart: u16,
    /// Whole segments.
    pub segments: Vec<u8>,
}

impl Default for Jpeg {
    /// RGB at 4:4:4.
    fn default() -> Self {
        Jpeg {
            colours: Colours::Rgb,
            luma: (1, 1),
            dial: 95,
            progressive: false,
            restart: 0,
            segments: Vec::new(),
        }
    }
}

/// A segment, by its marker and what it holds.
pub fn segment(marker: u8, body: &[&[u8]]) -> Vec<u8> {
    let body = body.concat();
    let length = (body.len() as u16 + 2).to_be_bytes();
    [&[0xFF, marker], &length[..], &body].concat()
}

/// A segment with an EXIF block.
pub fn exif_segment(block: &[u8]) -> Vec<u8> {
    segment(0xE1, &[b"Exif\0\0", block])
}

/// A segment with a whole colour profile.
pub fn icc_segment(profile: &[u8]) -> Vec<u8> {
    segment(0xE2, &[b"ICC_PROFILE\0", &[1, 1], profile])
}

impl Jpeg {
    /// The file of a picture, of samples pixel by pixel.
    pub fn file(&self, (width, height): (u32, u32), samples: &[u8]) -> Vec<u8> {
        let count = match self.colours {
            Colours::Grey => 1,
            Colours::Rgb => 3,
            Colours::Cmyk | Colours::Ycck => 4,
        };
        let pixels = samples.chunks_exact(count).map(|pixel| self.stored(pixel));
        let pixels: Vec<[f64; 4]> = pixels.collect();
        let planes = (0..count).map(|index| {
            let is_chroma = index == 1 || index == 2;
            let sampling = if is_chroma { (1, 1) } else { self.luma };
            (index as u8 + 1, sampling, usize::from(is_chroma))
        });
        let planes: Vec<(u8, (u32, u32), usize)> = planes.collect();
        let frame = Frame::new((width, height), self.progressive, &planes);
        let basis: [[f64; 8]; 8] = std::array::from_fn(|k| {
            let scale = if k == 0 { FRAC_1_SQRT_2 / 2.0 } else { 0.5 };
            std::array::from_fn(|x| scale * ((2 * x + 1) as f64 * k as f64 * PI / 16.0).cos())
        });
        let components = frame.components.iter().enumerate().map(|(index, one)| {
            let table = table(one.table, self.dial);
            let share = (frame.most.0 / one.sampling.0, frame.most.1 / one.sampling.1);
            let sample = |x: u32, y: u32| {
                let (across, down) = share;
                let all = (0..down).flat_map(|dy| (0..across).map(move |dx| (dx, dy)));
                let sum: f64 = all
                    .map(|(dx, dy)| {
                        let x = (x * across + dx).min(width - 1);
                        let y = (y * down + dy).min(height - 1);
                        pixels[(y * width + x) as usize][index]
                    })
                    .sum();
                sum / f64::from(across * down) - 128.0
            };
            let blocks = (0..one.padded.1 as u32)
                .flat_map(|y| (0..one.padded.0 as u32).map(move |x| (x, y)))
                .map(|(x, y)| {
                    let mut block = [[0.0; 8]; 8];
                    for (dy, row) in block.iter_mut().enumerate() {
                        for (dx, value) in row.iter_mut().enumerate() {
                            *value = sample(x * 8 + dx as u32, y * 8 + dy as u32);
                        }
                    }
                    quantised(&block, &basis, &table)
                });
            Coefficient::new(table, &blocks.collect::<Vec<_>>())
        });
        let planes = components.collect();
        let mut segments = self.adobe();
        segments.extend_from_slice(&self.segments);
        Coefficients { frame, planes }.write(Options {
            layout: if self.progressive {
                Layout::Progressive
            } else {
                Layout::Sequential
            },
            restart: self.restart,
            segments: &segments,
        })
    }

    /// A pixel's samples as they are stored.
    fn stored(&self, pixel: &[u8]) -> [f64; 4] {
        let value = |index: usize| f64::from(pixel[index]);
        let luma = |[r, g, b]: [f64; 3]| {
            let y = 0.299 * r + 0.587 * g + 0.114 * b;
            [y, (b - y) / 1.772 + 128.0, (r - y) / 1.402 + 128.0]
        };
        match self.colours {
            Colours::Grey => [value(0), 0.0, 0.0, 0.0],
            Colours::Rgb => {
                let [y, cb, cr] = luma([value(0), value(1), value(2)]);
                [y, cb, cr, 0.0]
            }
            Colours::Cmyk => [0, 1, 2, 3].map(|index| 255.0 - value(index)),
            Colours::Ycck => {
                let [y, cb, cr] = luma([value(0), value(1), value(2)]);
                [y, cb, cr, 255.0 - value(3)]
            }
        }
    }

    /// What tells inks.
    fn adobe(&self) -> Vec<u8> {
        let transform = match self.colours {
            Colours::Grey | Colours::Rgb => return Vec::new(),
            Colours::Cmyk => 0,
            Colours::Ycck => 2,
        };
        segment(0xEE, &[b"Adobe", &[0, 100, 0, 0, 0, 0, transform]])
    }
}

/// A block of samples, transformed and quantised, in natural order.
fn quantised(block: &[[f64; 8]; 8], basis: &[[f64; 8]; 8], table: &[u16; 64]) -> [i16; 64] {
    let along = |v: &[[f64; 8]; 8]| -> [[f64; 8]; 8] {
        std::array::from_fn(|k| {
            std::array::from_fn(|row| (0..8).map(|x| v[row][x] * basis[k][x]).sum())
        })
    };
    // Each pass turns rows into columns.
    let done = along(&along(block));
    let mut out = [0; 64];
    for (place, &step) in ZIGZAG.iter().zip(table) {
        let place = usize::from(*place);
        out[place] = (done[place / 8][place % 8] / f64::from(step)).round() as i16;
    }
    out
}

/// A table of annex K.1, by the zigzag sequence, at a dial.
pub fn table(plane: usize, dial: u8) -> [u16; 64] {
    let dial = f64::from(dial);
    let scale = if dial < 50.0 {
        50.0 / dial
    } else {
        2.0 - dial / 50.0
    };
    ZIGZAG.map(|place| {
        let step = f64::from(TABLES[plane][usize::from(place)]);
        (step * scale + 0.5).clamp(1.0, 255.0) as u16
    })
}

/// In natural order.
const TABLES: [[u8; 64]; 2] = [
    [
        16, 11, 10, 16, 24, 40, 51, 61, 12, 12, 14, 19, 26, 58, 60, 55, 14, 13, 16, 24, 40, 57, 69,
        56, 14, 17, 22, 29, 51, 87, 80, 62, 18, 22, 37, 56, 68, 109, 103, 77, 24, 35, 55, 64, 81,
        104, 113, 92, 49, 64, 78, 87, 103, 121, 120, 101, 72, 92, 95, 98, 112, 100, 103, 99,
    ],
    [
        17, 18, 24, 47, 99, 99, 99, 99, 18, 21, 26, 66, 99, 99, 99, 99, 24, 26, 56, 99, 99, 99, 99,
        99, 47, 66, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99,
        99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99,
    ],
];

const ZIGZAG: [u8; 64] = [
    0, 1, 8, 16, 9, 2, 3, 10, 17, 24, 32, 25, 18, 11, 4, 5, 12, 19, 26, 33, 40, 48, 41, 34, 27, 20,
    13, 6, 7, 14, 21, 28, 35, 42, 49, 56, 57, 50, 43, 36, 29, 22, 15, 23, 30, 37, 44, 51, 58, 59,
    52, 45, 38, 31, 39, 46, 53, 60, 61, 54, 47, 55, 62, 63,
];
