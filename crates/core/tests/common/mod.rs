//! Small pictures of every kind, made with general-purpose encoders.
#![allow(dead_code, missing_docs, clippy::expect_used, clippy::panic)]

pub mod few;
pub mod jpeg;
pub mod tiff;

use std::io::{Cursor, Write};

use kiln_core::decode::{self, Allowance, Row, Wanted};
use kiln_core::encode::{self, Chroma, Coding, EncodeError, Format, Manner, Pace};
use kiln_core::pixels::{Channels, Raster, Size};
use kiln_core::source::{self, Probe};

use jpeg::Jpeg;
pub use tiff::Tiff;

pub const WIDTH: u32 = 53;
pub const HEIGHT: u32 = 38;

pub fn size() -> Size {
    Size::new(WIDTH, HEIGHT).expect("a size")
}

/// A smooth picture without symmetry, so that every turn and swap shows.
pub fn colour(x: u32, y: u32) -> [u8; 3] {
    [
        (40 + x * 4) as u8,
        (30 + y * 5) as u8,
        (200 - x * 2 - y) as u8,
    ]
}

pub fn grey(x: u32, y: u32) -> u8 {
    (20 + x * 3 + y) as u8
}

pub fn each_pixel<T>(paint: impl Fn(u32, u32) -> T) -> Vec<T> {
    let rows = (0..HEIGHT).flat_map(|y| (0..WIDTH).map(move |x| (x, y)));
    rows.map(|(x, y)| paint(x, y)).collect()
}

pub fn rgb() -> Vec<u8> {
    each_pixel(colour).concat()
}

/// Alpha from nothing at the left to all at the right.
pub fn rgba() -> Vec<u8> {
    each_pixel(|x, y| {
        let [r, g, b] = colour(x, y);
        [r, g, b, (x * 255 / (WIDTH - 1)) as u8]
    })
    .concat()
}

/// A JPEG of the picture, with segments.
pub fn jpeg_with(segments: &[Vec<u8>]) -> Vec<u8> {
    let jpeg = Jpeg {
        segments: segments.concat(),
        ..Jpeg::default()
    };
    jpeg.file((WIDTH, HEIGHT), &rgb())
}

pub fn jpeg() -> Vec<u8> {
    jpeg_with(&[])
}

pub fn png_with(
    colours: png::ColorType,
    depth: png::BitDepth,
    samples: &[u8],
    set: impl FnOnce(&mut png::Encoder<&mut Vec<u8>>),
) -> Vec<u8> {
    let mut file = Vec::new();
    let mut encoder = png::Encoder::new(&mut file, WIDTH, HEIGHT);
    encoder.set_color(colours);
    encoder.set_depth(depth);
    set(&mut encoder);
    let mut writer = encoder.write_header().expect("a PNG header");
    writer.write_image_data(samples).expect("PNG pixels");
    writer.finish().expect("a PNG");
    file
}

pub fn png() -> Vec<u8> {
    png_with(png::ColorType::Rgba, png::BitDepth::Eight, &rgba(), |_| {})
}

/// A PNG chunk with its check sum.
pub fn png_chunk(name: &[u8; 4], body: &[u8]) -> Vec<u8> {
    let mut crc = flate2::Crc::new();
    crc.update(name);
    crc.update(body);
    let length = (body.len() as u32).to_be_bytes();
    [&length[..], name, body, &crc.sum().to_be_bytes()].concat()
}

/// A small interlaced PNG.
pub fn interlaced_png(deep: bool) -> Vec<u8> {
    let raster = Raster::new(size(), Channels::Rgb, rgb()).expect("whole rows");
    interlaced(&raster, deep)
}

/// An interlaced (Adam7) RGB PNG, which the encoder above cannot make.
pub fn interlaced(raster: &Raster, deep: bool) -> Vec<u8> {
    let (across_all, down_all) = (raster.size().width(), raster.size().height());
    let colour = |x: u32, y: u32| {
        let at = (y * across_all + x) as usize * 3;
        raster.samples()[at..at + 3].iter().copied()
    };
    let passes = [
        (0, 0, 8, 8),
        (4, 0, 8, 8),
        (0, 4, 4, 8),
        (2, 0, 4, 4),
        (0, 2, 2, 4),
        (1, 0, 2, 2),
        (0, 1, 1, 2),
    ];
    let mut raw = Vec::new();
    for (left, top, across, down) in passes {
        for y in (top..down_all).step_by(down) {
            let row = (left..across_all)
                .step_by(across)
                .flat_map(|x| colour(x, y));
            raw.push(0);
            if deep {
                raw.extend(row.flat_map(|v| [v, v]))
            } else {
                raw.extend(row)
            }
        }
    }
    let mut deflate = flate2::write::ZlibEncoder::new(Vec::new(), flate2::Compression::default());
    deflate.write_all(&raw).expect("memory");
    let depth = if deep { 16 } else { 8 };
    let header = [
        &across_all.to_be_bytes()[..],
        &down_all.to_be_bytes(),
        &[depth, 2, 0, 0, 1],
    ]
    .concat();
    [
        b"\x89PNG\r\n\x1A\n".to_vec(),
        png_chunk(b"IHDR", &header),
        png_chunk(b"IDAT", &deflate.finish().expect("memory")),
        png_chunk(b"IEND", &[]),
    ]
    .concat()
}

pub fn webp(lossless: bool, alpha: bool) -> Vec<u8> {
    let (samples, channels) = if alpha {
        (rgba(), Channels::Rgba)
    } else {
        (rgb(), Channels::Rgb)
    };
    let raster = Raster::new(size(), channels, samples).expect("whole rows");
    let coding = if lossless {
        Coding::Lossless
    } else {
        Coding::Dial(95)
    };
    encoded(&raster, Format::WebP, coding).expect("a WebP")
}

/// A WebP with an EXIF chunk: an extended header around the plain one.
pub fn webp_with_exif(block: &[u8]) -> Vec<u8> {
    let plain = webp(true, false);
    let chunk = |name: &[u8; 4], body: &[u8]| {
        let mut chunk = [&name[..], &(body.len() as u32).to_le_bytes(), body].concat();
        chunk.resize(chunk.len().next_multiple_of(2), 0);
        chunk
    };
    let side = |side: u32| (side - 1).to_le_bytes()[..3].to_vec();
    let header = [vec![0x08, 0, 0, 0], side(WIDTH), side(HEIGHT)].concat();
    let body = [
        b"WEBP".to_vec(),
        chunk(b"VP8X", &header),
        plain[12..].to_vec(),
        chunk(b"EXIF", block),
    ]
    .concat();
    [&b"RIFF"[..], &(body.len() as u32).to_le_bytes(), &body].concat()
}

/// An AVIF of ours, with alpha.
pub fn avif() -> Vec<u8> {
    let raster = Raster::new(size(), Channels::Rgba, rgba()).expect("whole rows");
    encoded(&raster, Format::Avif, Coding::Dial(60)).expect("an AVIF")
}

/// A GIF of two frames; the first covers all but a margin of 3 at the left and 2 at the top,
/// and has a transparent pixel in its own corner.
pub fn gif() -> Vec<u8> {
    let mut file = Vec::new();
    let palette: Vec<u8> = (0..=255u8).flat_map(|i| [i, 255 - i, i / 2]).collect();
    let mut encoder =
        gif::Encoder::new(&mut file, WIDTH as u16, HEIGHT as u16, &palette).expect("a GIF");
    let (w, h) = (WIDTH as u16 - 3, HEIGHT as u16 - 2);
    let mut indices: Vec<u8> = (0..h)
        .flat_map(|y| (0..w).map(move |x| (1 + x * 4 + y % 4) as u8))
        .collect();
    indices[0] = 0;
    let mut frame = gif::Frame::from_indexed_pixels(w, h, indices, Some(0));
    (frame.left, frame.top) = (3, 2);
    encoder.write_frame(&frame).expect("a frame");
    let other = gif::Frame::from_indexed_pixels(1, 1, vec![9], None);
    encoder.write_frame(&other).expect("a frame");
    drop(encoder);
    file
}

/// An EXIF block that holds nothing but an orientation.
pub fn exif(orientation: u16) -> Vec<u8> {
    let field = exif::Field {
        tag: exif::Tag::Orientation,
        ifd_num: exif::In::PRIMARY,
        value: exif::Value::Short(vec![orientation]),
    };
    let mut writer = exif::experimental::Writer::new();
    writer.push_field(&field);
    let mut block = Cursor::new(Vec::new());
    writer
        .write(&mut block, orientation.is_multiple_of(2))
        .expect("an EXIF block");
    block.into_inner()
}

pub fn wide(samples: &[u8]) -> Vec<u16> {
    samples.iter().map(|&sample| sample.into()).collect()
}

/// One of each readable format.
pub fn one_of_each() -> Vec<(&'static str, Vec<u8>)> {
    let passes = Jpeg {
        progressive: true,
        ..Jpeg::default()
    };
    let inks = Jpeg {
        colours: jpeg::Colours::Cmyk,
        ..Jpeg::default()
    };
    vec![
        ("baseline JPEG", jpeg()),
        ("progressive JPEG", passes.file((WIDTH, HEIGHT), &rgb())),
        ("CMYK JPEG", inks.file((WIDTH, HEIGHT), &rgba())),
        ("PNG", png()),
        ("interlaced PNG", interlaced_png(true)),
        ("lossy WebP", webp(false, true)),
        ("lossless WebP", webp(true, true)),
        ("WebP with EXIF", webp_with_exif(&exif(6))),
        ("GIF", gif()),
        ("AVIF", avif()),
        ("BMP", few::bitmaps().swap_remove(2).1),
        ("BMP of runs", few::bitmaps().swap_remove(3).1),
        ("ICO", few::icon("24 bits").0),
        ("ICO of a PNG", few::icon("PNG").0),
        ("plain PNM", few::any_maps().swap_remove(2).1),
        ("PAM", few::any_maps().swap_remove(7).1),
        ("QOI", few::quite_ok()),
        ("TIFF", Tiff::default().file(&wide(&rgb()))),
    ]
}

pub fn probe(file: &[u8]) -> Probe {
    source::probe(Cursor::new(file)).expect("readable headers")
}

/// All samples as 16-bit values.
pub fn samples(file: &[u8]) -> Result<Vec<u16>, Box<dyn std::error::Error>> {
    let probe = source::probe(Cursor::new(file))?;
    let mut rows = decode::open(file, &probe, Wanted::all(&probe), Allowance::default())?;
    let mut samples = Vec::new();
    for _ in 0..probe.stored.height() {
        match rows.next_row()? {
            Row::Eight(row) => samples.extend(row.iter().map(|&v| u16::from(v) * 257)),
            Row::Sixteen(row) => samples.extend_from_slice(row),
        }
    }
    Ok(samples)
}

/// That a file shows samples of 8 bits, each within a tolerance.
pub fn assert_near(name: &str, file: &[u8], wanted: &[u8], tolerance: u16) {
    let found = samples(file).unwrap_or_else(|error| panic!("{name}: {error}"));
    assert_eq!(found.len(), wanted.len(), "{name}");
    for (at, (found, wanted)) in found.iter().zip(wanted).enumerate() {
        let distance = found.abs_diff(u16::from(*wanted) * 257);
        assert!(
            distance <= tolerance * 257,
            "{name}: sample {at} is {found}, not {wanted}"
        );
    }
}

/// Repeatable numbers.
pub struct Dice(pub u64);

impl Dice {
    pub fn roll(&mut self, sides: usize) -> usize {
        self.0 = self
            .0
            .wrapping_mul(6_364_136_223_846_793_005)
            .wrapping_add(1_442_695_040_888_963_407);
        ((self.0 >> 33) as usize) % sides.max(1)
    }
}

/// A finished file, with halved chroma where the format has that.
pub fn encoded(raster: &Raster, format: Format, coding: Coding) -> Result<Vec<u8>, EncodeError> {
    let manner = Manner {
        coding,
        chroma: Chroma::Halved,
        pace: Pace::Steady,
    };
    encode::encode(raster, format, manner)
}

/// A picture with slopes, grain and edges, another for each seed.
pub fn busy_of(width: u32, height: u32, seed: u32) -> Raster {
    let mut samples = Vec::new();
    for y in 0..height {
        for x in 0..width {
            let grain = (x.wrapping_mul(7919) ^ y.wrapping_mul(104_729)) % 23;
            let tone = (x + y / 2 + seed * 37) % 200 + grain;
            let dark = if (x / (40 - seed) + y / 30).is_multiple_of(2) {
                0
            } else {
                60
            };
            samples.extend(
                [tone - tone.min(dark), tone, 200u32.saturating_sub(y / 2)]
                    .map(|s| s.min(255) as u8),
            );
        }
    }
    let size = Size::new(width, height).expect("a size");
    Raster::new(size, Channels::Rgb, samples).expect("whole rows")
}
