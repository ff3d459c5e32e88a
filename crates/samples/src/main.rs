//! Draws the sample pictures of Tern Point Light, an invented lighthouse turned guest house and
//! museum. Every run gives the same files:
//!
//! ```text
//! cargo run --release -p samples -- crates/cli/sample-site/originals
//! ```
//!
//! A second argument makes smaller ones for a quick look, such as `0.2`.

mod camera;
mod drawings;
#[path = "../../core/tests/common/jpeg.rs"]
mod jpeg;
mod march;
mod noise;
mod scenes;
mod vector;

use std::fs;
use std::path::{Path, PathBuf};

use camera::{Exposure, Tags, Turn, exif_block, fail, jpeg, take};
use kiln_core::encode::{Chroma, Coding, Format, Manner, Pace, encode};
use kiln_core::pixels::{Channels, Raster, Size};
use resvg::tiny_skia::Pixmap;
use scenes::{figure, lamp, pebbles, sea, stairs, table};

struct Studio {
    out: PathBuf,
    scale: f32,
}

impl Studio {
    fn exposure(&self, width: u32, height: u32, gain: f32, grain: f32, seed: u32) -> Exposure {
        let scaled = |side: u32| (side as f32 * self.scale) as u32;
        Exposure {
            width: scaled(width),
            height: scaled(height),
            gain,
            grain,
            seed,
            samples: 4,
        }
    }

    fn put(&self, name: &str, bytes: &[u8]) {
        let path = self.out.join(name);
        let folder = path.parent().unwrap_or(Path::new("."));
        fs::create_dir_all(folder)
            .and_then(|()| fs::write(&path, bytes))
            .unwrap_or_else(|e| fail(name, e));
    }
}

fn main() {
    let mut arguments = std::env::args().skip(1);
    let out = arguments
        .next()
        .unwrap_or_else(|| "crates/cli/sample-site/originals".to_owned());
    let scale = arguments.next().and_then(|s| s.parse().ok()).unwrap_or(1.0);
    let studio = Studio {
        out: out.into(),
        scale,
    };
    photos(&studio);
    graphics(&studio);
}

fn photos(studio: &Studio) {
    let plain = Tags {
        orientation: 1,
        date: "2026:06:20 21:14:05",
        position: None,
        copyright: true,
        thumbnail: true,
    };

    let evening = sea::Weather::evening();
    let e = studio.exposure(6000, 4000, 0.95, 4.0, 1);
    let photo = take(&e, Turn::Level, |x, y| sea::light(x, y, &evening));
    let tags = Tags {
        position: Some((58.4417, 3.0928)),
        ..plain
    };
    studio.put(
        "banners/IMG_2041.JPG",
        &jpeg(&photo, 86, false, Some(&exif_block(&tags, &photo)), None),
    );

    // Two samples do: the stones are slow to find.
    let mut e = studio.exposure(4608, 3456, 1.0, 2.0, 2);
    e.samples = 2;
    let photo = take(&e, Turn::Level, pebbles::light);
    let tags = Tags {
        date: "2026:06:21 08:02:44",
        ..plain
    };
    studio.put(
        "banners/P1010347.JPG",
        &jpeg(&photo, 70, false, Some(&exif_block(&tags, &photo)), None),
    );

    let e = studio.exposure(4000, 3000, 1.05, 4.0, 3);
    let photo = take(&e, Turn::Level, lamp::light);
    let tags = Tags {
        date: "2026:06:20 20:51:30",
        position: Some((58.4418, 3.0931)),
        ..plain
    };
    studio.put(
        "rooms/DSC_0187.JPG",
        &jpeg(&photo, 90, false, Some(&exif_block(&tags, &photo)), None),
    );

    let e = studio.exposure(4000, 3000, 1.25, 4.5, 4);
    let photo = take(&e, Turn::Clockwise, stairs::light);
    let tags = Tags {
        orientation: 6,
        date: "2026:06:20 16:40:11",
        ..plain
    };
    studio.put(
        "rooms/IMG_2044 (1).jpg",
        &jpeg(&photo, 82, true, Some(&exif_block(&tags, &photo)), None),
    );

    // Held upside down, in Display P3 as phones store it.
    let e = studio.exposure(3264, 2448, 1.1, 4.0, 5);
    let photo = take(&e, Turn::Level, |x, y| figure::light(-x, -y));
    let profile = moxcms::ColorProfile::new_display_p3()
        .encode()
        .unwrap_or_else(|e| fail("profile", e));
    let tags = Tags {
        orientation: 3,
        date: "2026:06:20 22:03:58",
        position: Some((58.4416, 3.0930)),
        ..plain
    };
    let figure = jpeg(
        &photo,
        92,
        false,
        Some(&exif_block(&tags, &photo)),
        Some(&profile),
    );
    studio.put("people/IMG_2107.jpg", &figure);
    studio.put("people/IMG_2110.jpg", &figure[..figure.len() * 2 / 5]);

    let e = studio.exposure(1600, 1067, 1.1, 2.0, 6);
    let photo = take(&e, Turn::Level, table::light);
    studio.put(
        "rooms/breakfast.png",
        &png(photo.width, photo.height, png::ColorType::Rgb, &photo.rgb),
    );

    let fog = sea::Weather::morning_fog();
    let e = studio.exposure(2400, 1350, 1.0, 2.5, 7);
    let photo = take(&e, Turn::Level, |x, y| {
        sea::light(x * 0.8 - 0.12, y * 0.8, &fog)
    });
    let (w, h) = (photo.width, photo.height);
    studio.put("rooms/morning fog.webp", &webp(w, h, photo.rgb));
    studio.put(
        "people/Überfahrt.jpg",
        b"Crossing at half past nine, tide permitting. Ask at the desk.\n",
    );
}

fn graphics(studio: &Studio) {
    let canvas = drawings::logo(4000, 3000, 1.9, None);
    studio.put("graphics/logo-canvas.png", &png_of(&canvas));
    studio.put(
        "graphics/logo-white.png",
        &png_of(&drawings::logo(1200, 400, 1.1, Some("#FFFFFF"))),
    );
    studio.put(
        "graphics/opening-hours.png",
        &png_of(&drawings::opening_hours()),
    );
    studio.put(
        "graphics/coast-chart.png",
        &png_of(&drawings::coast_chart()),
    );
    studio.put("graphics/mark.svg", drawings::mark().as_bytes());
    studio.put("graphics/beacon.gif", &beacon());
}

/// The twelve frames of the beacon.
fn beacon() -> Vec<u8> {
    let mut file = Vec::new();
    let mut encoder =
        gif::Encoder::new(&mut file, 480, 320, &[]).unwrap_or_else(|e| fail("GIF", e));
    let set = encoder.set_repeat(gif::Repeat::Infinite);
    set.unwrap_or_else(|e| fail("GIF", e));
    for index in 0..12 {
        let mut rgba = drawings::beacon(index, 12).take();
        let mut frame = gif::Frame::from_rgba_speed(480, 320, &mut rgba, 10);
        frame.delay = 8;
        encoder
            .write_frame(&frame)
            .unwrap_or_else(|e| fail("GIF", e));
    }
    drop(encoder);
    file
}

fn png_of(pixels: &Pixmap) -> Vec<u8> {
    let straight: Vec<u8> = pixels
        .pixels()
        .iter()
        .flat_map(|p| {
            let p = p.demultiply();
            [p.red(), p.green(), p.blue(), p.alpha()]
        })
        .collect();
    png(
        pixels.width(),
        pixels.height(),
        png::ColorType::Rgba,
        &straight,
    )
}

fn webp(width: u32, height: u32, samples: Vec<u8>) -> Vec<u8> {
    let size = Size::new(width, height).unwrap_or_else(|| fail("WebP", "it has no size"));
    let raster = Raster::new(size, Channels::Rgb, samples);
    let raster = raster.unwrap_or_else(|| fail("WebP", "it has no whole rows"));
    let manner = Manner {
        coding: Coding::Dial(92),
        chroma: Chroma::Halved,
        pace: Pace::Steady,
    };
    encode(&raster, Format::WebP, manner).unwrap_or_else(|e| fail("WebP", e))
}

fn png(width: u32, height: u32, colour: png::ColorType, samples: &[u8]) -> Vec<u8> {
    let mut file = Vec::new();
    let mut encoder = png::Encoder::new(&mut file, width, height);
    encoder.set_color(colour);
    encoder.set_depth(png::BitDepth::Eight);
    encoder.set_compression(png::Compression::Balanced);
    let mut writer = encoder.write_header().unwrap_or_else(|e| fail("PNG", e));
    writer
        .write_image_data(samples)
        .unwrap_or_else(|e| fail("PNG", e));
    writer.finish().unwrap_or_else(|e| fail("PNG", e));
    file
}
