//! Seconds for one comparison with a prepared reference, beside the general-purpose package for
//! the same measure, on one core: `cargo bench -p kiln-sight`.
#![allow(missing_docs, clippy::expect_used, clippy::print_stdout)]

use std::time::Instant;

use kiln_sight::{Picture, Reference};
use ssimulacra2::{ColorPrimaries, Rgb, TransferCharacteristic, compute_frame_ssimulacra2};

fn main() {
    let (width, height) = (1200, 833);
    let mut state = 1u32;
    let mut noise = |around: usize, spread: u32| {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        (around as u32 + (state >> 16) * spread / 65_536).min(255) as u8
    };
    let samples: Vec<u8> = (0..width * height * 3)
        .map(|i| noise((i / 3 % width) / 6, 20))
        .collect();
    let other: Vec<u8> = samples.iter().map(|&s| noise(s.into(), 6)).collect();
    let picture = |samples| Picture::rgb(width, height, samples).expect("a picture");
    let best = |runs: usize, mut work: Box<dyn FnMut() -> f64 + '_>| {
        let mut best = f64::INFINITY;
        let mut score = 0.0;
        for _ in 0..runs {
            let begun = Instant::now();
            score = work();
            best = best.min(begun.elapsed().as_secs_f64());
        }
        (best, score)
    };
    let reference = Reference::new(picture(&samples));
    let prepare = Box::new(|| {
        Reference::new(picture(&samples));
        0.0
    });
    let (preparing, _) = best(10, prepare);
    let compare = Box::new(|| reference.score(picture(&other)).map_or(0.0, f64::from));
    let (ours, our_score) = best(20, compare);
    let rgb = |samples: &[u8]| {
        let pixels = samples.as_chunks::<3>().0.iter();
        let data = pixels
            .map(|pixel| pixel.map(|s| f32::from(s) / 255.0))
            .collect();
        let srgb = (TransferCharacteristic::SRGB, ColorPrimaries::BT709);
        Rgb::new(data, width, height, srgb.0, srgb.1).expect("a picture")
    };
    let package =
        Box::new(|| compute_frame_ssimulacra2(rgb(&samples), rgb(&other)).expect("a score"));
    let (theirs, their_score) = best(3, package);
    println!("preparing  {preparing:.4} s");
    println!("comparing  {ours:.4} s, score {our_score:.3}");
    println!("package    {theirs:.4} s, score {their_score:.3}");
    println!("ratio      {:.1}", theirs / ours);
}
