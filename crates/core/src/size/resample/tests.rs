//! The resampler against direct evaluation, and what edges, texture and cut-outs become.

use super::*;
use crate::colour::Working;
use crate::decode::{Form, Ink, Row};
use crate::pixels::Gamut;

fn size((width, height): (u32, u32)) -> Size {
    Size::new(width, height).expect("a size")
}

/// A sizer that was given all rows of a picture.
fn poured(
    mut sizer: Sizer,
    from: (u32, u32),
    ink: Ink,
    pixel: impl Fn(u32, u32) -> Vec<u8>,
) -> Sizer {
    let form = Form {
        size: size(from),
        ink,
        icc: None,
    };
    let (mut working, _) = Working::new(&form, Gamut::Srgb);
    let mut row = Vec::new();
    for y in 0..from.1 {
        let samples: Vec<u8> = (0..from.0).flat_map(|x| pixel(x, y)).collect();
        let fine = working.row(Row::Eight(&samples), &mut row);
        sizer.push(&row, fine);
    }
    sizer
}

fn sized(
    from: (u32, u32),
    to: (u32, u32),
    ink: Ink,
    pixel: impl Fn(u32, u32) -> Vec<u8>,
) -> Raster {
    let channels = if ink.has_alpha() { 4 } else { 3 };
    let sizer = Sizer::new(size(from), size(to), channels, Kernel::Clear);
    let sizer = poured(sizer, from, ink, pixel);
    sizer.finish().expect("all rows pushed")
}

fn noise(x: u32, y: u32) -> Vec<u8> {
    let mut state = x.wrapping_mul(0x9E37_79B9) ^ y.wrapping_mul(0x85EB_CA6B);
    (0..3)
        .map(|_| {
            state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            (state >> 24) as u8
        })
        .collect()
}

fn light(encoded: f64) -> f64 {
    if encoded <= 0.040_45 {
        encoded / 12.92
    } else {
        ((encoded + 0.055) / 1.055).powf(2.4)
    }
}

/// What one position of one axis draws on, in double precision: a weight for each sample,
/// and whether it lies in its cell.
fn position(source: u32, target: u32, at: u32) -> Vec<(f64, bool)> {
    let sinc = |x: f64| if x == 0.0 { 1.0 } else { x.sin() / x };
    let weight = |x: f64| {
        if x.abs() < 3.0 {
            sinc(std::f64::consts::PI * x) * sinc(std::f64::consts::PI * x / 3.0)
        } else {
            0.0
        }
    };
    let scale = f64::from(source) / f64::from(target);
    let centre = (f64::from(at) + 0.5) * scale - 0.5;
    let reach = (scale / 2.0 + 1e-6).max(1.0 - 1e-9);
    let distances = (0..source).map(|sample| f64::from(sample) - centre);
    let all: Vec<(f64, bool)> = distances
        .map(|distance| (weight(distance / scale.max(1.0)), distance.abs() <= reach))
        .collect();
    let sum: f64 = all.iter().map(|(weight, _)| weight).sum();
    all.into_iter()
        .map(|(w, in_cell)| (w / sum, in_cell))
        .collect()
}

/// A pixel evaluated directly: the weighted sum of all samples, held to the range of those in
/// its cell and half of that beyond.
fn direct(
    from: (u32, u32),
    to: (u32, u32),
    at: (u32, u32),
    sample: impl Fn(u32, u32) -> u8,
) -> f64 {
    let (columns, lines) = (position(from.0, to.0, at.0), position(from.1, to.1, at.1));
    let (mut sum, mut low, mut high) = (0.0, f64::INFINITY, f64::NEG_INFINITY);
    for (y, (down, in_line)) in (0..).zip(&lines) {
        for (x, (across, in_column)) in (0..).zip(&columns) {
            if *down == 0.0 || *across == 0.0 {
                continue;
            }
            let light = light(f64::from(sample(x, y)) / 255.0);
            sum += light * down * across;
            if *in_line && *in_column {
                (low, high) = (low.min(light), high.max(light));
            }
        }
    }
    let leeway = (high - low) / 2.0;
    match sum.clamp(low - leeway, high + leeway).clamp(0.0, 1.0) {
        low if low <= 0.003_130_8 => low * 12.92 * 255.0,
        high => (1.055 * high.powf(1.0 / 2.4) - 0.055) * 255.0,
    }
}

/// Rings that get finer outwards: what is finer than the target can hold must become grey.
fn zone_plate(x: u32, y: u32) -> Vec<u8> {
    let radius = f64::from(x * x + y * y);
    vec![(128.0 + 120.0 * (radius / 60.0).cos()) as u8; 3]
}

#[test]
fn pictures_are_sized_as_by_direct_evaluation() {
    type Paint = fn(u32, u32) -> Vec<u8>;
    for (from, to, paint) in [
        ((61, 43), (17, 12), noise as Paint),
        ((20, 30), (20, 11), noise),
        ((9, 1), (4, 1), noise),
        ((5, 7), (1, 2), noise),
        ((11, 9), (23, 20), noise),
        ((96, 90), (31, 29), zone_plate),
    ] {
        let found = sized(from, to, Ink::Rgb, paint);
        for (at, level) in (0..).zip(found.samples()) {
            let (x, y) = (at / 3 % to.0, at / 3 / to.0);
            let wanted = direct(from, to, (x, y), |x, y| paint(x, y)[at as usize % 3]);
            assert!(
                (f64::from(*level) - wanted).abs() < 0.6,
                "{from:?} {x},{y}: {level} {wanted}"
            );
        }
    }
}

#[test]
fn a_checkerboard_halves_to_the_grey_of_its_light() {
    let board = |x: u32, y: u32| vec![if (x + y).is_multiple_of(2) { 255 } else { 0 }];
    let raster = sized((64, 64), (32, 32), Ink::Grey, board);
    for row in raster.rows().skip(4).take(24) {
        for &level in &row[12..84] {
            assert!(level.abs_diff(188) <= 1, "{level}");
        }
    }
}

#[test]
fn a_cut_out_keeps_its_colour_to_the_edge() {
    let shape = |x: u32, _| {
        if x < 21 {
            vec![255, 0, 0, 255]
        } else {
            vec![0, 0, 255, 0]
        }
    };
    let raster = sized((40, 8), (13, 3), Ink::Rgba, shape);
    assert_eq!(raster.channels(), Channels::Rgba);
    for pixel in raster.samples().chunks_exact(4).filter(|p| p[3] > 0) {
        assert_eq!(pixel[..3], [255, 0, 0], "{pixel:?}");
    }
}

/// Beside an edge, wherever it falls, nothing is darker than the dark or lighter than the
/// light side.
#[test]
fn an_edge_makes_no_halo() {
    for (from, to) in [(600, 100), (600, 93), (120, 100), (101, 100), (1000, 10)] {
        for edge in from / 2..from / 2 + from / to + 1 {
            let step = |x: u32, _| vec![if x < edge { 60 } else { 200 }; 3];
            let raster = sized((from, 4), (to, 2), Ink::Rgb, step);
            let levels: Vec<u8> = raster.samples().iter().step_by(3).copied().collect();
            assert!(
                levels.iter().all(|l| (60..=200).contains(l)),
                "{from} to {to}: {levels:?}"
            );
            assert!(levels[..to as usize].is_sorted(), "{levels:?}");
        }
    }
}

/// What holds halos back leaves texture its contrast.
#[test]
fn texture_keeps_its_contrast() {
    // Stripes a little wider than the finest that the target can hold.
    let wave = |x: u32, _: u32| {
        let phase = f64::from(x) / 6.0 / 2.6 * std::f64::consts::TAU;
        vec![(128.0 + 60.0 * phase.sin()) as u8; 3]
    };
    let raster = sized((600, 12), (100, 2), Ink::Rgb, wave);
    let middle: Vec<u8> = raster.samples()[30..270]
        .iter()
        .step_by(3)
        .copied()
        .collect();
    let (low, high) = (
        middle.iter().min().expect("some"),
        middle.iter().max().expect("some"),
    );
    assert!(*low <= 70 && *high >= 174, "{low} to {high}");
}

#[test]
fn a_ramp_stays_monotone() {
    let raster = sized((1021, 3), (77, 2), Ink::Rgb, |x, _| vec![(x / 4) as u8; 3]);
    let levels: Vec<u8> = raster.samples()[..231].iter().step_by(3).copied().collect();
    assert!(levels.is_sorted(), "{levels:?}");
}

/// A region of whole pixels that is not made smaller is that part of the picture; one that is
/// draws on the pixels around it, and agrees with the whole picture sized alike.
#[test]
fn a_region_is_a_part_of_the_whole() {
    let cut = |x: f64, y: f64, width: f64, height: f64, to: (u32, u32)| {
        let region = Region {
            x,
            y,
            width,
            height,
        };
        let sizer = Sizer::of_region(
            Area::whole(size((60, 40))),
            region,
            size(to),
            3,
            Kernel::Clear,
        );
        let sizer = poured(sizer, (60, 40), Ink::Rgb, noise);
        sizer.finish().expect("every row that is drawn on")
    };
    let part = cut(7.0, 11.0, 20.0, 9.0, (20, 9));
    let wanted = (11..20).flat_map(|y| (7..27).flat_map(move |x| noise(x, y)));
    assert_eq!(part.samples(), wanted.collect::<Vec<u8>>());
    let whole = sized((60, 40), (20, 10), Ink::Rgb, noise);
    let part = cut(15.0, 8.0, 30.0, 20.0, (10, 5));
    for (y, row) in part.rows().enumerate() {
        let from = ((y + 2) * 20 + 5) * 3;
        assert_eq!(row, &whole.samples()[from..from + 30], "row {y}");
    }
}

/// The wide bodies give what the plain ones give, to the bit.
#[test]
fn every_vector_unit_gives_the_same_bytes() {
    for kernel in [Kernel::Clear, Kernel::Gentle] {
        let made = |arch: Arch| {
            let mut sizer = Sizer::new(size((83, 61)), size((31, 17)), 3, kernel);
            sizer.arch = arch;
            let sizer = poured(sizer, (83, 61), Ink::Rgb, noise);
            sizer.finish().expect("all rows")
        };
        assert_eq!(made(Arch::Scalar), made(Arch::new()));
    }
}

/// A picture of 600 × 400 at 60 × 40, made through two larger sizes.
fn through_larger_ones(pixel: impl Fn(u32, u32) -> Vec<u8>) -> Raster {
    let from = (600, 400);
    let sizer = |from, to| Sizer::new(size(from), size(to), 3, Kernel::Clear);
    let mut widest = sizer(from, (256, 171));
    let mut middle = sizer((256, 171), (120, 80));
    middle.feed(sizer((120, 80), (60, 40)));
    widest.feed(middle);
    let mut widest = poured(widest, from, Ink::Rgb, pixel);
    let narrowest = widest.fed().remove(0).fed().remove(0);
    narrowest.finish().expect("all rows")
}

#[test]
fn an_edge_makes_no_halo_through_larger_sizes_either() {
    for edge in 290..311 {
        let step = |x: u32, _| vec![if x < edge { 60 } else { 200 }; 3];
        let raster = through_larger_ones(step);
        let mut levels = raster.samples().iter();
        assert!(levels.all(|level| (60..=200).contains(level)), "{edge}");
    }
}

/// A raster that is made through a larger one, beside one that is made at once.
#[test]
fn sizes_made_through_larger_ones_look_the_same() {
    let scene = |x: u32, y: u32| {
        let (u, v) = (f64::from(x), f64::from(y));
        let rings = 128.0 + 90.0 * (u.hypot(v) / 7.0).sin();
        let edge = if (x / 40 + y / 50).is_multiple_of(2) {
            30.0
        } else {
            0.0
        };
        let grain = f64::from(noise(x, y)[0]) / 8.0;
        vec![(rings + edge + grain - 16.0).clamp(0.0, 255.0) as u8; 3]
    };
    let at_once = sized((600, 400), (60, 40), Ink::Rgb, scene);
    let through = through_larger_ones(scene);
    let pairs = at_once.samples().iter().zip(through.samples());
    let differences: Vec<u8> = pairs.map(|(a, b)| a.abs_diff(*b)).collect();
    let beyond = differences
        .iter()
        .filter(|difference| **difference > 1)
        .count();
    assert!(
        beyond * 50 < differences.len(),
        "{beyond} of {}",
        differences.len()
    );
    assert!(differences.iter().all(|difference| *difference <= 4));
}

#[test]
fn an_unchanged_size_changes_no_pixel() {
    let raster = sized((23, 19), (23, 19), Ink::Rgb, noise);
    let wanted: Vec<u8> = (0..19)
        .flat_map(|y| (0..23).flat_map(move |x| noise(x, y)))
        .collect();
    assert_eq!(raster.samples(), wanted);
}
