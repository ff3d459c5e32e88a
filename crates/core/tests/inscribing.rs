//! Credits in finished files: read back, and the pixels left alone.
#![allow(missing_docs, clippy::expect_used, clippy::panic)]

mod common;
mod other_eyes;

use std::io::Cursor;

use kiln_core::credits::{Credits, Field, Inscription};
use kiln_core::encode::{self, Coding, Format};
use kiln_core::pixels::{Channels, Raster};
use kiln_core::source;
use other_eyes::read_back;

const ALL: [Format; 4] = [Format::Jpeg, Format::Png, Format::WebP, Format::Avif];

/// Every format, opaque and transparent, holds what was written into it: read by the EXIF
/// library through the container and by our own reader, with the same pixels as before.
#[test]
fn credits_are_written_into_every_format_and_leave_the_pixels_alone() {
    let mut credits = Credits::default();
    credits.set(Field::Creator, "Ines Vargå; Tom Ost");
    credits.set(Field::Copyright, "© Tern Point Trust");
    credits.set(Field::Credit, "Tern Point Light");
    credits.set(Field::Licence, "https://tern-point.example/licence");
    credits.set(Field::Position, "58.441700, -3.092800");
    credits.set(Field::Date, "2026-06-20T21:14:05");
    let inscription = Inscription {
        credits,
        dots_per_inch: Some(300),
    };
    let blocks = inscription.blocks();
    let opaque = common::rgb();
    let clear = common::rgba();
    for format in ALL {
        for (channels, samples) in [(Channels::Rgb, &opaque), (Channels::Rgba, &clear)] {
            let raster = Raster::new(common::size(), channels, samples.clone()).expect("a raster");
            let coding = format
                .dials()
                .map_or(Coding::Lossless, |_| Coding::Dial(80));
            let Ok(plain) = common::encoded(&raster, format, coding) else {
                assert_eq!((format, channels), (Format::Jpeg, Channels::Rgba));
                continue;
            };
            let file = encode::inscribe(plain.clone(), format, &blocks).expect("a known container");
            assert!(
                read_back(format, &file) == read_back(format, &plain),
                "{format}"
            );
            let exif = exif_of(&file);
            let text = |tag| {
                exif.get_field(tag, ::exif::In::PRIMARY)
                    .map(|f| f.display_value().to_string())
            };
            assert_eq!(
                text(::exif::Tag::XResolution).as_deref(),
                Some("300"),
                "{format}"
            );
            assert_eq!(
                text(::exif::Tag::GPSLatitude).as_deref(),
                Some("58 deg 26 min 30.12 sec")
            );
            if format != Format::Avif {
                let headers = source::headers(Cursor::new(&file)).expect("headers");
                assert_eq!(headers.credits, inscription.credits, "{format}");
                assert_eq!(
                    headers.dots_per_inch.map(f64::round),
                    Some(300.0),
                    "{format}"
                );
            }
            let nothing = Inscription::default().blocks();
            assert!(encode::inscribe(plain.clone(), format, &nothing).expect("as it is") == plain);
        }
    }
}

fn exif_of(file: &[u8]) -> ::exif::Exif {
    let read = ::exif::Reader::new().read_from_container(&mut Cursor::new(file));
    read.expect("an EXIF block")
}

/// A container that is not as the encoders make it is refused, never spoilt.
#[test]
fn nothing_is_inscribed_into_what_is_not_understood() {
    let mut credits = Credits::default();
    credits.set(Field::Copyright, "© Tern Point Trust");
    let inscription = Inscription {
        credits,
        dots_per_inch: Some(72),
    };
    let blocks = inscription.blocks();
    let raster = Raster::new(common::size(), Channels::Rgb, common::rgb()).expect("a raster");
    for format in ALL {
        let coding = format
            .dials()
            .map_or(Coding::Lossless, |_| Coding::Dial(80));
        let file = common::encoded(&raster, format, coding).expect("a file");
        for other in ALL.into_iter().filter(|other| *other != format) {
            let refused = encode::inscribe(file.clone(), other, &blocks);
            // A PNG's chunks are put behind any 33 bytes; that it is one is its encoder's word.
            assert!(
                refused.is_err() || other == Format::Png,
                "{format} as {other}"
            );
        }
        for cut in (0..file.len().min(300)).rev() {
            // Cut off in its headers: an error or a file, never a panic.
            let _ = encode::inscribe(file[..cut].to_vec(), format, &blocks);
        }
    }
}
