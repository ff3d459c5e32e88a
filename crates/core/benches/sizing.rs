//! How long sizing takes, one core: `cargo bench -p kiln-core --bench sizing`. Beside a
//! general-purpose imaging library: `benches/beside_pillow.py`.
#![allow(missing_docs, clippy::expect_used, clippy::print_stdout)]

use std::time::Instant;

use kiln_core::colour::Working;
use kiln_core::decode::{Form, Ink, Row};
use kiln_core::pixels::Size;
use kiln_core::size::Sizer;

const WIDTH: u32 = 6000;
const HEIGHT: u32 = 4000;
const RUNS: usize = 7;

fn main() {
    let size = Size::new(WIDTH, HEIGHT).expect("a size");
    let mut state = 1u32;
    let samples: Vec<u8> = (0..size.pixels() * 3)
        .map(|_| {
            state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            (state >> 24) as u8
        })
        .collect();
    for widths in [&[1200][..], &[2560], &[2560, 1200, 600]] {
        let mut times: Vec<f64> = (0..RUNS).map(|_| run(size, &samples, widths)).collect();
        times.sort_by(f64::total_cmp);
        println!(
            "24 megapixels RGB to {widths:?}: {:.4} s (median of {RUNS})",
            times[RUNS / 2]
        );
    }
}

fn run(size: Size, samples: &[u8], widths: &[u32]) -> f64 {
    let start = Instant::now();
    let form = Form {
        size,
        ink: Ink::Rgb,
        icc: None,
    };
    let (mut working, _) = Working::new(&form);
    let mut sizers: Vec<Sizer> = widths
        .iter()
        .map(|&width| Sizer::new(size, size.at_width(width), working.channels()))
        .collect();
    let mut light = Vec::new();
    for row in samples.chunks_exact(size.width() as usize * 3) {
        working.row(Row::Eight(row), &mut light);
        for sizer in &mut sizers {
            sizer.push(&light);
        }
    }
    for sizer in sizers {
        let raster = sizer.finish().expect("all rows pushed");
        assert!(raster.samples().iter().any(|&sample| sample > 0));
    }
    start.elapsed().as_secs_f64()
}
