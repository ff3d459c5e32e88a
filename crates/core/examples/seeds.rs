//! Small files of every kind, for fuzz targets to begin with: `cargo run -p kiln-core --example seeds -- FOLDER`.
#![allow(clippy::expect_used, clippy::panic, dead_code)]

#[path = "../tests/common/mod.rs"]
mod common;

use std::fs;
use std::path::Path;

use kiln_core::credits::{Credits, Field, Inscription};
use kiln_core::encode::{Coding, Format, inscribe};

fn main() {
    let folder = std::env::args().nth(1).expect("a folder");
    let put = |target: &str, name: &str, bytes: &[u8]| {
        let folder = Path::new(&folder).join(target);
        fs::create_dir_all(&folder).expect("a folder");
        fs::write(folder.join(name.replace(' ', "-")), bytes).expect("a seed");
    };
    for (name, file) in common::one_of_each() {
        put("headers", name, &file);
        let kind = common::probe(&file).kind.to_string().to_lowercase();
        put(&format!("decode_{kind}"), name, &file);
    }
    let tiff = common::Tiff::default();
    let planes = common::Tiff {
        chunk: (16, 16),
        planar: true,
        big: true,
        ..tiff.clone()
    };
    let few = common::Tiff {
        meaning: 1,
        count: 1,
        bits: 3,
        ..tiff.clone()
    };
    let palette = common::Tiff {
        meaning: 3,
        count: 1,
        palette: vec![9; 768],
        ..tiff
    };
    for (name, tiff, most) in [
        ("planes", planes, 255),
        ("few", few, 7),
        ("palette", palette, 255),
    ] {
        let count = common::WIDTH * common::HEIGHT * 3;
        let samples: Vec<u16> = (0..count).map(|at| (at % (most + 1)) as u16).collect();
        put("decode_tiff", name, &tiff.file(&samples));
    }
    let raster = common::busy_of(40, 30, 3);
    let mut said = Credits::default();
    said.set(Field::Creator, "Ines Varga");
    said.set(Field::Copyright, "Tern Point Trust");
    let blocks = Inscription {
        credits: said,
        dots_per_inch: Some(72),
    }
    .blocks();
    for format in Format::ALL {
        let coding = Coding::Dial(60);
        let file = common::encoded(&raster, format, coding).expect("a file");
        let file = inscribe(file, format, &blocks).expect("a file");
        put("finished", format.extension(), &file);
        put(
            "headers",
            &format!("inscribed.{}", format.extension()),
            &file,
        );
    }
    put("metadata", "exif", &[&[0], &common::exif(6)[..]].concat());
    put(
        "metadata",
        "xmp",
        &[&[1], blocks.xmp.unwrap_or_default().as_bytes()].concat(),
    );
    put(
        "metadata",
        "iptc",
        b"\x028BIM\x04\x04\0\0\0\0\0\x0c\x1c\x02\x50\0\x04Ines\0\0\0",
    );
}
