//! Scene → the file that a camera would leave: exposure, grain, JPEG, EXIF.

use std::io::{Cursor, Write};

use exif::experimental::Writer;
use exif::{Field, In, Rational, Tag, Value};
use rayon::prelude::*;

use crate::jpeg::{Jpeg, exif_segment, icc_segment};
use crate::noise::{cell, value};
use crate::vector::V;

/// 8-bit RGB, row by row.
pub struct Photo {
    pub width: u32,
    pub height: u32,
    pub rgb: Vec<u8>,
}

pub struct Exposure {
    pub width: u32,
    pub height: u32,
    /// Light that becomes white.
    pub gain: f32,
    /// Strength of the grain, in levels.
    pub grain: f32,
    pub seed: u32,
    /// Samples a pixel, 1 to 4.
    pub samples: usize,
}

/// Takes a picture of a scene. `turn` tells how the camera was held.
pub fn take(e: &Exposure, turn: Turn, scene: impl Fn(f32, f32) -> V + Sync) -> Photo {
    let (w, h) = (e.width as f32, e.height as f32);
    let upright_height = if turn == Turn::Level { h } else { w };
    let row = |y: u32| -> Vec<u8> {
        let pixel = |x: u32| {
            let mut sum = V::default();
            for (dx, dy) in [(0.3, 0.1), (0.7, 0.9), (0.9, 0.3), (0.1, 0.7)]
                .into_iter()
                .take(e.samples)
            {
                let (px, py) = (x as f32 + dx - w / 2.0, y as f32 + dy - h / 2.0);
                // What the viewer sees at this stored position.
                let (ux, uy) = match turn {
                    Turn::Level => (px, py),
                    Turn::Clockwise => (-py, px),
                };
                let seen = scene(ux / upright_height, uy / upright_height);
                sum = sum
                    + V(
                        tone(seen.0 * e.gain),
                        tone(seen.1 * e.gain),
                        tone(seen.2 * e.gain),
                    );
            }
            let corner = ((x as f32 / w - 0.5).powi(2) + (y as f32 / h - 0.5).powi(2)) * 0.30;
            let base = sum * ((1.0 - corner) / e.samples as f32);
            let (xi, yi) = (x as i32, y as i32);
            let fine = cell(xi, yi, e.seed) + cell(xi, yi, e.seed + 1) - 1.0;
            let coarse = value(x as f32 / 2.6, y as f32 / 2.6, e.seed + 2) - 0.5;
            let grain = e.grain * (0.55 * fine + 1.1 * coarse);
            [base.0, base.1, base.2].map(|v| {
                let more = 0.5 + 0.9 * (1.0 - v);
                (v * 255.0 + grain * more + 0.5).clamp(0.0, 255.0) as u8
            })
        };
        (0..e.width).flat_map(pixel).collect()
    };
    let rows: Vec<Vec<u8>> = (0..e.height).into_par_iter().map(row).collect();
    Photo {
        width: e.width,
        height: e.height,
        rgb: rows.concat(),
    }
}

#[derive(Clone, Copy, PartialEq)]
pub enum Turn {
    /// Held level.
    Level,
    /// Held upright; a viewer must turn the stored picture clockwise (EXIF orientation 6).
    Clockwise,
}

/// A filmic shoulder, then the sRGB curve.
fn tone(light: f32) -> f32 {
    let light = light.max(0.0) * 0.9;
    let rolled = light * (2.51 * light + 0.03) / (light * (2.43 * light + 0.59) + 0.14);
    let v = rolled.clamp(0.0, 1.0);
    if v <= 0.003_130_8 {
        v * 12.92
    } else {
        1.055 * v.powf(1.0 / 2.4) - 0.055
    }
}

/// What a camera writes beside the pixels.
pub struct Tags {
    pub orientation: u16,
    pub date: &'static str,
    /// Degrees north and east, made up.
    pub position: Option<(f64, f64)>,
    pub copyright: bool,
    pub thumbnail: bool,
}

pub fn exif_block(tags: &Tags, photo: &Photo) -> Vec<u8> {
    let text = |tag, text: &str| field(tag, Value::Ascii(vec![text.as_bytes().to_vec()]));
    let mut fields = vec![
        text(Tag::Make, "Guillemot Optics"),
        text(Tag::Model, "Guillemot G2"),
        text(Tag::Software, "G2 firmware 1.4"),
        field(Tag::Orientation, Value::Short(vec![tags.orientation])),
        text(Tag::DateTimeOriginal, tags.date),
        field(
            Tag::FNumber,
            Value::Rational(vec![Rational { num: 28, denom: 10 }]),
        ),
        field(Tag::PhotographicSensitivity, Value::Short(vec![200])),
        field(
            Tag::XResolution,
            Value::Rational(vec![Rational { num: 300, denom: 1 }]),
        ),
        field(
            Tag::YResolution,
            Value::Rational(vec![Rational { num: 300, denom: 1 }]),
        ),
        field(Tag::ResolutionUnit, Value::Short(vec![2])),
    ];
    if tags.copyright {
        fields.push(text(Tag::Artist, "Ines Varga"));
        fields.push(text(Tag::Copyright, "2026 Tern Point Light Trust"));
    }
    if let Some((north, east)) = tags.position {
        fields.push(text(Tag::GPSLatitudeRef, "N"));
        fields.push(field(Tag::GPSLatitude, degrees(north)));
        fields.push(text(Tag::GPSLongitudeRef, "W"));
        fields.push(field(Tag::GPSLongitude, degrees(east)));
    }
    let small = tags.thumbnail.then(|| thumbnail(photo));
    let mut writer = Writer::new();
    fields.iter().for_each(|field| writer.push_field(field));
    if let Some(small) = &small {
        writer.set_jpeg(small, In::THUMBNAIL);
    }
    let mut block = Cursor::new(Vec::new());
    writer
        .write(&mut block, false)
        .unwrap_or_else(|e| fail("EXIF", e));
    block.into_inner()
}

fn field(tag: Tag, value: Value) -> Field {
    Field {
        tag,
        ifd_num: In::PRIMARY,
        value,
    }
}

fn degrees(angle: f64) -> Value {
    let whole = angle.floor();
    let minutes = (angle - whole) * 60.0;
    let seconds = (minutes - minutes.floor()) * 60.0;
    let part = |num: f64, denom: u32| Rational {
        num: (num * f64::from(denom)) as u32,
        denom,
    };
    Value::Rational(vec![
        part(whole, 1),
        part(minutes.floor(), 1),
        part(seconds, 100),
    ])
}

fn thumbnail(photo: &Photo) -> Vec<u8> {
    let step = photo.width.div_ceil(320) as usize;
    let (w, h) = (photo.width as usize / step, photo.height as usize / step);
    let mut rgb = Vec::new();
    for y in 0..h {
        for x in 0..w {
            let at = (y * step * photo.width as usize + x * step) * 3;
            rgb.extend_from_slice(&photo.rgb[at..at + 3]);
        }
    }
    let small = Photo {
        width: w as u32,
        height: h as u32,
        rgb,
    };
    jpeg(&small, 70, false, None, None)
}

pub fn jpeg(
    photo: &Photo,
    quality: u8,
    progressive: bool,
    exif: Option<&[u8]>,
    icc: Option<&[u8]>,
) -> Vec<u8> {
    let mut segments = exif.map_or(Vec::new(), exif_segment);
    segments.extend(icc.map_or(Vec::new(), icc_segment));
    let jpeg = Jpeg {
        luma: (2, 2),
        dial: quality,
        progressive,
        segments,
        ..Jpeg::default()
    };
    jpeg.file((photo.width, photo.height), &photo.rgb)
}

/// The generator has no one to report to: it stops.
pub fn fail<T>(what: &str, why: impl std::fmt::Display) -> T {
    // Nothing is left to do if even this cannot be said.
    let _ = writeln!(std::io::stderr(), "{what}: {why}");
    std::process::exit(1)
}
