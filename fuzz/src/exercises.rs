//! What is done with any bytes: whatever they are, each of these ends, without a panic and within
//! its allowance. Fuzz targets run them on inputs without end, ordinary tests on those that were
//! kept.

use std::io::Cursor;

use kiln_core::colour;
use kiln_core::decode::{self, Allowance, Wanted};
use kiln_core::encode::{self, Chroma, Coding, Format, Manner, Pace, Passes};
use kiln_core::pixels::{Area, Channels, Orientation, Raster, Size};
use kiln_core::source::{self, Kind};
use kiln_jpeg::{Decoder, Layout, Limits, Options, Scale};

/// Larger pictures would only be slow.
const MOST: Allowance = Allowance { pixels: 1 << 20 };

/// An exercise.
pub type Exercise = fn(&[u8]);

/// All of them, by the names of their targets.
pub const ALL: [(&str, Exercise); 14] = [
    ("headers", headers),
    ("metadata", metadata),
    ("decode_jpeg", |bytes| pixels(Kind::Jpeg, bytes)),
    ("repack_jpeg", repack_jpeg),
    ("decode_png", |bytes| pixels(Kind::Png, bytes)),
    ("decode_webp", |bytes| pixels(Kind::WebP, bytes)),
    ("decode_gif", |bytes| pixels(Kind::Gif, bytes)),
    ("decode_tiff", |bytes| pixels(Kind::Tiff, bytes)),
    ("decode_avif", |bytes| pixels(Kind::Avif, bytes)),
    ("decode_few", |bytes| {
        for kind in [Kind::Bmp, Kind::Ico, Kind::Pnm, Kind::Qoi] {
            pixels(kind, bytes);
        }
    }),
    ("slim_svg", slim_svg),
    ("trace_svg", trace_svg),
    ("finished", finished),
    ("write_png", write_png),
];

/// Pixels of any kind as a PNG, with and without loss: it is decoded again, and without loss it is the same
/// picture. The first bytes are the width, whether there is alpha, the dial, and how few bits colours have.
pub fn write_png(bytes: &[u8]) {
    let Some(([width, alpha, dial, bits], samples)) = bytes.split_first_chunk() else {
        return;
    };
    let channels = channels(*alpha);
    let width = usize::from(*width).max(1);
    let height = samples.len() / (width * channels.count());
    let Some(size) = Size::new(width as u32, height as u32) else {
        return;
    };
    let mask = 255u8 << (bits % 8);
    let samples = samples[..width * height * channels.count()].iter();
    let samples: Vec<u8> = samples
        .map(|sample| (sample & mask) | (sample >> 7))
        .collect();
    let Some(raster) = Raster::new(size, channels, samples) else {
        return;
    };
    for (coding, pace) in [
        (Coding::Lossless, Pace::Quick),
        (Coding::Lossless, Pace::Steady),
        (Coding::Dial(*dial), Pace::Quick),
    ] {
        let manner = Manner {
            coding,
            chroma: Chroma::Full,
            pace,
        };
        let file = encode::encode(&raster, Format::Png, manner).expect("a file");
        let again = decode::finished(Kind::Png, &file, size).expect("a sound PNG");
        if coding == Coding::Lossless {
            for ground in [[0; 3], [255; 3]] {
                assert!(again.over(ground) == raster.over(ground), "other pixels");
            }
        }
    }
}

/// Whether pixels have alpha, as a byte says.
fn channels(alpha: u8) -> Channels {
    match alpha % 2 {
        0 => Channels::Rgb,
        _ => Channels::Rgba,
    }
}

/// A drawing: drawn, and slimmed. What comes of that is a drawing in which nothing runs.
pub fn slim_svg(bytes: &[u8]) {
    pixels(Kind::Svg, bytes);
    let Ok(probe) = source::probe(Cursor::new(bytes)) else {
        return;
    };
    // Larger ones would only be slow.
    if probe.kind != Kind::Svg || probe.stored.long_side() > 64 {
        return;
    }
    let own = encode::Own {
        bytes,
        kind: Kind::Svg,
        stored: probe.stored,
        area: Area::whole(probe.stored),
        orientation: Orientation::Upright,
        profile: false,
    };
    let Some(slim) = encode::repack(&own, Format::Svg, Passes::Lightest) else {
        return;
    };
    let again = source::probe(Cursor::new(&slim.file)).expect("a drawing");
    assert_eq!(again.own_size(), probe.own_size());
    decode::finished(Kind::Svg, &slim.file, probe.own_size()).expect("a sound drawing");
    let text = String::from_utf8(slim.file).expect("a text");
    for runs in ["<script", "<foreignObject", " onload=", " onclick="] {
        assert!(!text.contains(runs), "{runs} in {text}");
    }
}

/// Pixels of any kind as a drawing: it is one, or they are no mark. The first bytes are the width, whether
/// there is alpha, the dial, and how few bits colours have.
pub fn trace_svg(bytes: &[u8]) {
    let Some(([width, alpha, dial, bits], samples)) = bytes.split_first_chunk() else {
        return;
    };
    let channels = channels(*alpha);
    // Each sample stands for several pixels, so that there are areas.
    let (width, count) = (usize::from(*width % 32).max(1), channels.count());
    let rows = samples.chunks_exact(width * count).take(64);
    let mask = 255u8 << (bits % 8);
    let wide = rows.map(|row| {
        let pixels = row.chunks_exact(count).flat_map(|pixel| pixel.repeat(4));
        pixels.map(|sample| sample & mask).collect::<Vec<u8>>()
    });
    let tall: Vec<u8> = wide.flat_map(|row| row.repeat(4)).collect();
    let height = tall.len() / (width * 4 * count);
    let Some(size) = Size::new(width as u32 * 4, height as u32) else {
        return;
    };
    let Some(raster) = Raster::new(size, channels, tall) else {
        return;
    };
    let manner = Manner {
        coding: Coding::Dial(dial % 11),
        chroma: Chroma::Full,
        pace: Pace::Steady,
    };
    if let Ok(file) = encode::encode(&raster, Format::Svg, manner) {
        decode::finished(Kind::Svg, &file, size).expect("a sound drawing");
    }
}

/// A JPEG at all scales, and, where its coefficients can be read, written again with the same.
pub fn repack_jpeg(bytes: &[u8]) {
    let limits = Limits {
        pixels: MOST.pixels,
        scans: 40,
    };
    for scale in [Scale::Full, Scale::Half, Scale::Quarter, Scale::Eighth] {
        let wanted = kiln_jpeg::Wanted {
            scale,
            ..Default::default()
        };
        let decoder = Decoder::new(bytes, limits);
        if let Ok(mut rows) = decoder.and_then(|decoder| decoder.rows(wanted)) {
            let height = rows.size().1;
            for _ in 0..height {
                if rows.next_row().is_err() {
                    break;
                }
            }
        }
    }
    let read = Decoder::new(bytes, limits).and_then(Decoder::coefficients);
    let Ok((coefficients, _)) = read else {
        return;
    };
    for layout in [Layout::Sequential, Layout::Progressive] {
        let file = coefficients.write(Options {
            layout,
            restart: 0,
            segments: &[],
        });
        let again = Decoder::new(&file[..], limits).and_then(Decoder::coefficients);
        let same = again.is_ok_and(|(again, _)| coefficients.shows_the_same(&again));
        assert!(same, "{layout:?}");
    }
}

/// The headers of a file.
pub fn headers(bytes: &[u8]) {
    if let Ok(headers) = source::headers(Cursor::new(bytes)) {
        let sides = headers.stored.map(|size| (size.width(), size.height()));
        assert!(sides.is_none_or(|(w, h)| Size::new(w, h).is_some()));
        assert!(headers.frames >= 1);
        assert!(headers.kind == Kind::of(bytes).unwrap_or(headers.kind));
        // TIFF values may overlap, and so be counted more than once.
        let counted = headers.kind == Kind::Tiff || headers.ballast.bytes() <= bytes.len() as u64;
        assert!(counted);
        if let Some(profile) = &headers.icc {
            let _ = colour::describe(profile);
        }
    }
}

/// EXIF, XMP or IPTC, as the first byte says, in the headers of a JPEG.
pub fn metadata(bytes: &[u8]) {
    let Some((which, body)) = bytes.split_first() else {
        return;
    };
    let (marker, name): (u8, &[u8]) = match which % 3 {
        0 => (0xE1, b"Exif\0\0"),
        1 => (0xE1, b"http://ns.adobe.com/xap/1.0/\0"),
        _ => (0xED, b"Photoshop 3.0\0"),
    };
    let body = &body[..body.len().min(65_000)];
    let length = (2 + name.len() + body.len()) as u16;
    let frame = b"\xFF\xC0\0\x0B\x08\0\x01\0\x01\x01\x01\x11\0\xFF\xD9";
    let file = [
        b"\xFF\xD8\xFF",
        &[marker][..],
        &length.to_be_bytes(),
        name,
        body,
        frame,
    ]
    .concat();
    if let Ok(headers) = source::headers(Cursor::new(&file)) {
        for field in kiln_core::credits::Field::ALL {
            assert!(
                headers
                    .credits
                    .get(field)
                    .is_none_or(|text| !text.trim().is_empty())
            );
        }
    }
}

/// The pixels of a file, if it is of a format.
pub fn pixels(kind: Kind, bytes: &[u8]) {
    let Ok(probe) = source::probe(Cursor::new(bytes)) else {
        return;
    };
    if probe.kind != kind {
        return;
    }
    for wanted in [Wanted::all(&probe), Wanted::look(&probe)] {
        let Ok(mut rows) = decode::open(bytes, &probe, wanted, MOST) else {
            return;
        };
        let form = rows.form().clone();
        assert_eq!(form.size, probe.stored);
        for _ in 0..form.size.height() {
            let length = form.size.width() as usize * form.ink.count();
            match rows.next_row() {
                Ok(decode::Row::Eight(row)) => assert_eq!(row.len(), length),
                Ok(decode::Row::Sixteen(row)) => assert_eq!(row.len(), length),
                Err(_) => return,
            }
        }
    }
}

/// A finished file, looked at again.
pub fn finished(bytes: &[u8]) {
    let Ok(headers) = source::headers(Cursor::new(bytes)) else {
        return;
    };
    if let Some(size) = headers.stored.filter(|size| MOST.covers(*size))
        && let Ok(raster) = decode::finished(headers.kind, bytes, size)
    {
        assert_eq!(raster.size(), size);
    }
}
