//! What each dial of each format weighs and scores, for fitting the search's first guess:
//! `cargo run --release -p kiln-core --example curves -- WIDTHS FORMATS PACE PICTURES`,
//! such as `400,1200 jpeg,webp steady photos/*.jpg`. One line of JSON for each picture, width and format.
#![allow(clippy::expect_used, clippy::print_stdout)]

use std::fs;
use std::io::Cursor;

use kiln_core::budget::{Aim, Verdict};
use kiln_core::decode::Allowance;
use kiln_core::encode::{self, Coding, Format, Manner, Pace, Sought, Subject, Tried, Way};
use kiln_core::pipeline::{self, Eye};
use kiln_core::pixels::Raster;
use kiln_core::plan::{CodingWish, Extent, Job, Original, Wish};
use kiln_core::source::{self, Nature};
use rayon::prelude::*;

fn main() {
    let mut arguments = std::env::args().skip(1);
    let widths = arguments.next().expect("widths");
    let formats = arguments.next().expect("formats");
    let format = |name: &str| serde_json::from_str(&format!("\"{name}\"")).expect("a format");
    let formats: Vec<Format> = formats.split(',').map(format).collect();
    let widths: Vec<u32> = widths
        .split(',')
        .map(|w| w.parse().expect("a width"))
        .collect();
    let pace = arguments.next().expect("a pace");
    let pace: Pace = serde_json::from_str(&format!("\"{pace}\"")).expect("a pace");
    let paths: Vec<String> = arguments.collect();
    let tasks = paths
        .iter()
        .flat_map(|path| widths.iter().map(move |&width| (path, width)));
    let tasks: Vec<(&String, u32)> = tasks.collect();
    tasks.par_iter().for_each(|&(path, width)| {
        let Some(raster) = sized(path, width) else {
            return;
        };
        let nature = Nature::of(&raster);
        let eye = Eye::new(&raster, 1.0);
        let ways = formats.iter().flat_map(|&format| {
            let ways = ways(format, &raster);
            ways.into_iter().map(move |way| (format, way))
        });
        for (format, way) in ways {
            let (chroma, dials) = (way.chroma, way.dials(format));
            let step = match format {
                _ if dials.end() - dials.start() < 20 => 1,
                Format::Avif => 7,
                _ => 3,
            };
            let trial = |dial: u8| {
                let file = encode::encode(
                    &raster,
                    format,
                    Manner {
                        coding: Coding::Dial(dial),
                        chroma,
                        pace,
                    },
                );
                let file = file.expect("a file");
                let score = eye.score(&raster, format, &file).expect("a score");
                (dial, file.len(), score)
            };
            let trials: Vec<_> = dials.step_by(step).map(trial).collect();
            let features = source::features(&raster);
            let name = path.rsplit('/').next();
            let line = serde_json::json!({
                "picture": name, "width": width, "format": format, "nature": format!("{nature:?}"),
                "chroma": chroma, "features": features, "trials": trials,
            });
            println!("{line}");
        }
    });
}

/// All ways to code a raster in a format.
fn ways(format: Format, raster: &Raster) -> Vec<Way> {
    let subject = Subject {
        nature: Nature::of(raster),
        transparent: false,
        features: source::features(raster),
    };
    // A look that no way reaches.
    let sought = Sought {
        look: 100.0,
        aim: Aim::Lightest,
    };
    let (mut ways, mut tried) = (Vec::new(), Vec::new());
    while let Some(way) = format.coder().way(&subject, sought, &tried) {
        ways.push(way);
        tried.push(Tried {
            chroma: way.chroma,
            verdict: Some(Verdict::Short),
            outdone: false,
            score: 0.0,
        });
    }
    ways
}

/// A picture at a width, opaque.
fn sized(path: &str, width: u32) -> Option<Raster> {
    let bytes = fs::read(path).expect("a picture");
    let probe = source::probe(&mut Cursor::new(&bytes[..])).ok()?;
    let original = Original::new(path.to_owned(), path.to_owned(), bytes.len() as u64, probe);
    let wish = Wish {
        extent: Extent::Widths(vec![width]),
        formats: vec![Format::Png.into()],
        coding: CodingWish::Exact,
        ..Wish::default()
    };
    let job = Job::new(original, &wish);
    let mut raster = None;
    pipeline::fire(&bytes[..], &job, Allowance::default(), |_, piece| {
        let file = piece.expect("a piece").file;
        let size = job.placements[0].sizes[0].size;
        raster = kiln_core::decode::finished(source::Kind::Png, &file, size).ok();
        std::ops::ControlFlow::Continue(())
    })
    .ok()?;
    raster.map(|raster| raster.over([255; 3]))
}
