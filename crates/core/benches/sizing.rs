//! How long sizing takes, one core: `cargo bench -p kiln-core --bench sizing`. Beside a
//! general-purpose imaging library: `benches/beside_pillow.py`.
#![allow(missing_docs, clippy::expect_used, clippy::print_stdout)]

use std::time::Instant;

use kiln_core::colour::Working;
use kiln_core::decode::{Form, Ink, Row};
use kiln_core::pixels::{Gamut, Kernel, Size};
use kiln_core::size::Sizer;

const WIDTH: u32 = 6000;
const HEIGHT: u32 = 4000;
const RUNS: usize = 9;

fn main() {
    let size = Size::new(WIDTH, HEIGHT).expect("a size");
    let mut state = 1u32;
    let samples: Vec<u8> = (0..size.pixels() * 3)
        .map(|_| {
            state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            (state >> 24) as u8
        })
        .collect();
    // In turn, so that a machine that is busy for a while is so for all of them.
    let cases = [&[1200][..], &[2560], &[2560, 1200, 600]];
    let mut times = [const { Vec::new() }; 3];
    for _ in 0..RUNS {
        for (widths, times) in cases.iter().zip(&mut times) {
            times.push(run(size, &samples, widths));
        }
    }
    for (widths, times) in cases.iter().zip(&mut times) {
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
    let (mut working, _) = Working::new(&form, Gamut::Srgb);
    // The widest from the rows of the picture, the others each from the one before.
    let sizer = |source, target| Sizer::new(source, target, working.channels(), Kernel::Clear);
    let mut chain: Option<Sizer> = None;
    for (index, &width) in widths.iter().enumerate().rev() {
        let target = size.at_width(width);
        let source = index
            .checked_sub(1)
            .map_or(size, |wider| size.at_width(widths[wider]));
        let mut sizer = sizer(source, target);
        if let Some(narrower) = chain.take() {
            sizer.feed(narrower);
        }
        chain = Some(sizer);
    }
    let mut widest = chain.expect("a width");
    let mut light = Vec::new();
    for row in samples.chunks_exact(size.width() as usize * 3) {
        let fine = working.row(Row::Eight(row), &mut light);
        widest.push(&light, fine);
    }
    let mut sizers = vec![widest];
    while let Some(mut sizer) = sizers.pop() {
        sizers.extend(sizer.fed());
        let raster = sizer.finish().expect("all rows pushed");
        assert!(raster.samples().iter().any(|&sample| sample > 0));
    }
    start.elapsed().as_secs_f64()
}
