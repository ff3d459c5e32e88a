//! Credits in finished files: read back, and the pixels left alone.

use std::io::Cursor;

use kiln_core::credits::{Credits, Field, Inscription};
use kiln_core::encode::{self, Coding, Format};
use kiln_core::pixels::{Channels, Raster};
use kiln_core::source;

use crate::common;
use crate::other_eyes::read_back;

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
            let coding = Coding::Dial(80);
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
        let coding = Coding::Dial(80);
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

/// The boxes that bytes consist of (ISO/IEC 14496-12, 4.2), all of the short form.
fn boxes(mut bytes: &[u8]) -> Vec<([u8; 4], &[u8])> {
    let mut boxes = Vec::new();
    while let Some((length, rest)) = bytes.split_first_chunk::<4>() {
        let length = u32::from_be_bytes(*length) as usize;
        let (name, _) = rest.split_first_chunk::<4>().expect("a name");
        boxes.push((*name, &bytes[8..length]));
        bytes = &bytes[length..];
    }
    boxes
}

fn boxed(name: &[u8; 4], body: &[u8]) -> Vec<u8> {
    [&(body.len() as u32 + 8).to_be_bytes()[..], name, body].concat()
}

fn number(bytes: &[u8]) -> u32 {
    bytes
        .iter()
        .fold(0, |number, &byte| number << 8 | u32::from(byte))
}

/// An AVIF file as another writer might have laid it out: item locations of a later version, in wide
/// fields and from a base offset, where that is wanted; and numbers of items in 32 bits from version
/// 2 on.
fn relaid(plain: &[u8], version: u8, with_base: bool) -> Vec<u8> {
    let outer = boxes(plain);
    let meta = outer
        .iter()
        .find(|(name, _)| name == b"meta")
        .expect("a meta box")
        .1;
    let wide = |number: u32| {
        let bytes = number.to_be_bytes();
        if version < 2 {
            bytes[2..].to_vec()
        } else {
            bytes.to_vec()
        }
    };
    let data = (outer.iter().position(|(name, _)| name == b"mdat")).expect("data");
    let before: usize = outer[..data].iter().map(|(_, body)| body.len() + 8).sum();
    let described = |moved: u32| {
        let children = boxes(&meta[4..])
            .into_iter()
            .map(|(name, body)| match &name {
                b"iloc" => {
                    assert_eq!(
                        (body[0], body[4], body[5]),
                        (0, 0x44, 0),
                        "as our writer lays them out"
                    );
                    let count = number(&body[6..8]);
                    let mut new = vec![version, 0, 0, 0, if with_base { 0x48 } else { 0x88 }];
                    new.push(if with_base { 0x80 } else { 0 } | if version > 0 { 4 } else { 0 });
                    new.extend(wide(count));
                    for entry in body[8..].chunks_exact(14) {
                        new.extend(wide(number(&entry[..2])));
                        new.extend(if version > 0 {
                            &[0, 0, 0, 0][..]
                        } else {
                            &[0, 0]
                        });
                        let at = number(&entry[6..10]) + moved;
                        let base = before as u32 + moved;
                        if with_base {
                            new.extend(u64::from(base).to_be_bytes());
                        }
                        new.extend([0, 1]);
                        new.extend(vec![0; if version > 0 { 4 } else { 0 }]);
                        if with_base {
                            new.extend((at - base).to_be_bytes());
                        } else {
                            new.extend(u64::from(at).to_be_bytes());
                        }
                        new.extend(u64::from(number(&entry[10..14])).to_be_bytes());
                    }
                    boxed(&name, &new)
                }
                b"pitm" if version == 2 => boxed(
                    &name,
                    &[&[1, 0, 0, 0], &wide(number(&body[4..]))[..]].concat(),
                ),
                b"iinf" if version == 2 => {
                    let entries = boxes(&body[6..]).into_iter().map(|(name, entry)| {
                        let id = wide(number(&entry[4..6]));
                        boxed(&name, &[&[3, 0, 0, 0], &id[..], &entry[6..]].concat())
                    });
                    let count = wide(number(&body[4..6]));
                    let entries: Vec<u8> = entries.flatten().collect();
                    boxed(&name, &[&[1, 0, 0, 0], &count[..], &entries].concat())
                }
                b"iref" if version == 2 => {
                    let references = boxes(&body[4..]).into_iter().map(|(name, entry)| {
                        let ids = [&entry[..2], &entry[4..6]].map(|id| wide(number(id)));
                        boxed(&name, &[&ids[0][..], &entry[2..4], &ids[1]].concat())
                    });
                    let references: Vec<u8> = references.flatten().collect();
                    boxed(&name, &[&[1, 0, 0, 0], &references[..]].concat())
                }
                _ => boxed(&name, body),
            });
        let children: Vec<u8> = children.flatten().collect();
        boxed(b"meta", &[&meta[..4], &children].concat())
    };
    let moved = described(0).len() - (meta.len() + 8);
    let parts = outer.iter().map(|(name, body)| match name {
        b"meta" => described(moved as u32),
        _ => boxed(name, body),
    });
    parts.flatten().collect()
}

/// Whoever wrote an AVIF file, its items stay where they are found, and the new ones are found too.
#[test]
fn credits_go_into_avif_files_of_other_writers() {
    let mut credits = Credits::default();
    credits.set(Field::Copyright, "© Tern Point Trust");
    let inscription = Inscription {
        credits,
        dots_per_inch: Some(300),
    };
    let blocks = inscription.blocks();
    for (channels, samples) in [
        (Channels::Rgb, common::rgb()),
        (Channels::Rgba, common::rgba()),
    ] {
        let raster = Raster::new(common::size(), channels, samples).expect("a raster");
        let plain = common::encoded(&raster, Format::Avif, Coding::Dial(80)).expect("a file");
        let pixels = read_back(Format::Avif, &plain);
        for version in [0, 1, 2] {
            for with_base in [false, true] {
                let foreign = relaid(&plain, version, with_base);
                let what = format!("version {version}, base {with_base}, {channels:?}");
                assert!(foreign != plain, "{what}");
                assert!(
                    read_back(Format::Avif, &foreign) == pixels,
                    "before: {what}"
                );
                let file = encode::inscribe(foreign, Format::Avif, &blocks).expect("boxes");
                assert!(read_back(Format::Avif, &file) == pixels, "{what}");
                let exif = exif_of(&file);
                let resolution = exif.get_field(::exif::Tag::XResolution, ::exif::In::PRIMARY);
                let resolution = resolution.map(|field| field.display_value().to_string());
                assert_eq!(resolution.as_deref(), Some("300"), "{what}");
            }
        }
    }
}
