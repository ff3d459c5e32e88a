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
    let drawing = r##"<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" width="24" height="24" viewBox="0 0 24 24" onload="go()"><style>.a{fill:url(#g)}</style><defs><linearGradient id="g"><stop offset="0" style="stop-color:red"/></linearGradient><clipPath id="c"><path d="M1 1h20a3 3 0 01-3 3z"/></clipPath><filter id="f"><feGaussianBlur stdDeviation="1"/></filter></defs><g transform="translate(1 2) rotate(30)" clip-path="url(#c)"><path class="a" d="M2,2 C 3 4 5,6 7 8 s 1-1 2-2 q1 1 2 2 t1 1z"/><use xlink:href="#r" filter="url(#f)"/></g><rect id="r" width="5" height="50%" rx="1" style="fill:#00f;stroke:none;opacity:.5"/><polygon points="1,2 3,4 5,6"/><text x="2" y="9">a</text></svg>"##;
    put("slim_svg", "drawing", drawing.as_bytes());
    for format in Format::ALL {
        if format.is_scalable() {
            // It would have to be a mark.
            continue;
        }
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
