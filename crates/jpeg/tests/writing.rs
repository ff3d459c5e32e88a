//! Pictures become files that other decoders read, the lighter the coarser.

use kiln_jpeg::{
    Colours, Decoder, Effort, Layout, Limits, Options, Prepared, Refusal, Sampling, Scale,
};

use crate::support::{Dice, apart, by_another, decoded};

/// Slopes, edges and grain.
fn picture((width, height): (u32, u32), grey: bool) -> Vec<u8> {
    let mut dice = Dice(width * 131 + height);
    let pixels = (0..height).flat_map(|y| (0..width).map(move |x| (x, y)));
    let pixels = pixels.flat_map(|(x, y)| {
        let grain = dice.roll(14);
        let edge = if (x / 9 + y / 7) % 3 == 0 { 90 } else { 0 };
        let pixel = [
            x * 120 / width + edge + grain,
            y * 160 / height + grain,
            60 + edge / 2 + grain,
        ];
        let pixel = pixel.map(|value| value.min(255) as u8);
        if grey { [pixel[0]; 3] } else { pixel }
    });
    pixels.collect()
}

fn options(segments: &[u8]) -> Options<'_> {
    Options {
        layout: Layout::Searched,
        restart: 0,
        segments,
    }
}

const SAMPLINGS: [Sampling; 4] = [
    Sampling::Full,
    Sampling::Halved,
    Sampling::Narrowed,
    Sampling::Lowered,
];

const EFFORTS: [Effort; 3] = [Effort::Quick, Effort::Steady, Effort::Patient];

#[test]
fn finer_dials_are_nearer_and_heavier_at_every_effort() {
    let size = (150, 101);
    let samples = picture(size, false);
    let prepared = Prepared::new(size, &samples).expect("a picture");
    for (sampling, effort) in EFFORTS
        .into_iter()
        .flat_map(|effort| SAMPLINGS.map(|sampling| (sampling, effort)))
    {
        let (mut weight, mut error) = (0, f64::MAX);
        for dial in [5, 30, 60, 85, 97] {
            let file = prepared.encode(dial, sampling, effort, options(&[]));
            assert_eq!(file, prepared.encode(dial, sampling, effort, options(&[])));
            let other = by_another(&file).expect("another decoder reads it");
            let (found, own) = decoded(&file, Scale::Full);
            assert_eq!(found, size);
            assert!(apart(&own, &other).1 < 0.2);
            // What it will show is known before it is written.
            let coefficients = prepared.coefficients(dial, sampling, effort);
            let mut rows = coefficients.rows(Colours::YCbCr);
            let mut shown = Vec::new();
            for _ in 0..size.1 {
                shown.extend_from_slice(rows.next_row().expect("it is there"));
            }
            assert_eq!(shown, own);
            let (_, mean) = apart(&own, &samples);
            assert!(
                file.len() > weight && mean < error,
                "{sampling:?} {effort:?} {dial}"
            );
            (weight, error) = (file.len(), mean);
        }
        let least = if sampling == Sampling::Full { 2.0 } else { 7.0 };
        assert!(error < least, "{sampling:?} {effort:?}: {error}");
    }
}

/// Letters may swing beyond black and white: a page of them loses less for about the same weight.
#[test]
fn letters_on_white_lose_less_than_the_same_on_grey() {
    let (width, height) = (160, 96);
    let mut dice = Dice(3);
    let strokes: Vec<(u32, u32)> = (0..60)
        .map(|_| (dice.roll(width), dice.roll(height)))
        .collect();
    let page = |paper: u8, ink: u8| -> Vec<u8> {
        let pixels = (0..height).flat_map(|y| (0..width).map(move |x| (x, y)));
        let pixels = pixels.flat_map(|(x, y)| {
            let mut near = strokes.iter();
            let is_ink = near.any(|&(a, b)| x.abs_diff(a) < 2 && y.abs_diff(b) < 9);
            [if is_ink { ink } else { paper }; 3]
        });
        pixels.collect()
    };
    let weigh = |paper: u8, ink: u8| {
        let samples = page(paper, ink);
        let prepared = Prepared::new((width, height), &samples).expect("a picture");
        let file = prepared.encode(70, Sampling::Full, Effort::Steady, options(&[]));
        let (_, shown) = decoded(&file, Scale::Full);
        let grey: Vec<u8> = samples.iter().step_by(3).copied().collect();
        (file.len(), apart(&shown, &grey).1)
    };
    // The same contrast, once at the ends and once away from them.
    let (at_ends, between) = (weigh(255, 55), weigh(228, 28));
    assert!(at_ends.0 * 100 < between.0 * 106, "{at_ends:?} {between:?}");
    assert!(at_ends.1 * 2.0 < between.1, "{at_ends:?} {between:?}");
}

#[test]
fn effort_pays() {
    let size = (300, 200);
    let samples = picture(size, false);
    let prepared = Prepared::new(size, &samples).expect("a picture");
    let weights = EFFORTS.map(|effort| {
        prepared
            .encode(70, Sampling::Full, effort, options(&[]))
            .len()
    });
    assert!(weights[1] * 100 < weights[0] * 97, "{weights:?}");
    assert!(weights[2] <= weights[1], "{weights:?}");
}

#[test]
fn every_size_and_every_extreme_is_written() {
    for side in 1..=33u32 {
        for grey in [false, true] {
            let size = (side, 34 - side);
            let samples = picture(size, grey);
            let prepared = Prepared::new(size, &samples).expect("a picture");
            for sampling in SAMPLINGS {
                let effort = EFFORTS[side as usize % 3];
                let file = prepared.encode(98, sampling, effort, options(&[]));
                let (found, own) = decoded(&file, Scale::Full);
                assert_eq!(found, size);
                let channels = if grey { 1 } else { 3 };
                assert_eq!(own.len() as u32, size.0 * size.1 * channels);
                if grey {
                    let (_, mean) = apart(
                        &own,
                        &samples.iter().step_by(3).copied().collect::<Vec<_>>(),
                    );
                    assert!(mean < 2.0, "{size:?}: {mean}");
                }
            }
        }
    }
    // The steepest that samples can be: no sum runs over.
    for pattern in [1u32, 2, 3, 8] {
        let stripe = |x: u32, y: u32| {
            if (x / pattern + y / pattern).is_multiple_of(2) {
                [255, 0, 255]
            } else {
                [0, 255, 0]
            }
        };
        let samples: Vec<u8> = (0..64u32)
            .flat_map(|y| (0..64u32).flat_map(move |x| stripe(x, y)))
            .collect();
        let prepared = Prepared::new((64, 64), &samples).expect("a picture");
        let file = prepared.encode(100, Sampling::Full, Effort::Steady, options(&[]));
        let (most, mean) = apart(&decoded(&file, Scale::Full).1, &samples);
        assert!(most < 12 && mean < 2.0, "{pattern}: {most} {mean}");
    }
}

#[test]
fn segments_are_kept_and_wrong_pictures_refused() {
    let samples = picture((20, 10), false);
    let prepared = Prepared::new((20, 10), &samples).expect("a picture");
    let segment = b"\xFF\xE2\x00\x13ICC_PROFILE\0\x01\x01abc";
    let file = prepared.encode(50, Sampling::Full, Effort::Quick, options(segment));
    let decoder = Decoder::new(&file[..], Limits::default()).expect("a header");
    assert_eq!(decoder.header().icc.as_deref(), Some(&b"abc"[..]));
    let refused = |size, samples| Prepared::new(size, samples).err().expect("a refusal");
    assert!(matches!(refused((0, 4), &[]), Refusal::Size { .. }));
    assert!(matches!(refused((70_000, 1), &[]), Refusal::Size { .. }));
    assert_eq!(
        refused((2, 2), &[0; 11]),
        Refusal::Samples {
            found: 11,
            wanted: 12
        }
    );
}
