//! Looks and weights: what is promised of a finished file is true of it.

use std::ops::ControlFlow;

use kiln_core::budget::{Aim, Verdict};
use kiln_core::decode::Allowance;
use kiln_core::encode::{Coding, Format, Pace, Passes};
use kiln_core::pipeline::{self, Account, Aims, Eye, Piece};
use kiln_core::pixels::{Backdrop, Channels, Raster, Size};
use kiln_core::plan::{CodingWish, Extent, Job, LOOKS, LookWish, Original, Wish};
use kiln_sight::{Picture, Reference};

use crate::common::{self, busy_of};
use crate::other_eyes::read_back;

const LOSSY: [Format; 3] = [Format::Jpeg, Format::WebP, Format::Avif];

const AIMS: Aims = Aims {
    coding: CodingWish::Look(LookWish {
        look: 75.0,
        least: 50.0,
        aim: Aim::Lightest,
        shrink_to_fit: false,
    }),
    max_weight: None,
    pace: Pace::Quick,
    passes: Passes::Lightest,
    backdrop: Backdrop::WHITE,
};

fn look(look: f32) -> CodingWish {
    CodingWish::Look(LookWish {
        look,
        ..LookWish::default()
    })
}

fn busy() -> Raster {
    busy_of(160, 120, 0)
}

fn made(format: Format, aims: Aims) -> Piece {
    pipeline::piece(&busy(), 1.0, format, aims).expect("a piece")
}

#[test]
fn every_look_is_reached_by_a_file_that_was_scored_as_others_see_it() {
    let raster = busy();
    let reference = Picture::rgb(160, 120, raster.samples()).map(Reference::new);
    let reference = reference.expect("a picture");
    for (name, wanted) in LOOKS {
        for format in [Format::Jpeg, Format::WebP] {
            let coding = look(wanted);
            let Piece { file, account, .. } = made(format, Aims { coding, ..AIMS });
            assert!(account.score >= wanted, "{name} {format}: {account:?}");
            let lossless = account.coding == Coding::Lossless;
            assert!(
                account.verdict == Some(Verdict::Met) || lossless,
                "{name} {format}"
            );
            assert_eq!(account.weight, file.len() as u64);
            let kept = (account.coding, account.weight, account.score);
            let mut trail = account.trail.iter().map(|a| (a.coding, a.weight, a.score));
            assert!(trail.any(|tried| tried == kept), "{name} {format}");
            let (_, _, channels, samples) = read_back(format, &file);
            let pixels = samples.chunks_exact(channels);
            let rgb: Vec<u8> = pixels.flat_map(|p| [p[0], p[1], p[2]]).collect();
            let seen = Picture::rgb(160, 120, &rgb).expect("a picture");
            let again = reference.score(seen).expect("the same size");
            // Decoders differ in how they spread halved chroma.
            let off = (again - account.score).abs();
            assert!(off < 2.5, "{name} {format}: {again} {account:?}");
        }
    }
}

#[test]
fn what_is_exact_is_the_same_picture() {
    for format in [Format::Png, Format::WebP] {
        let coding = CodingWish::Exact;
        let Piece { file, account, .. } = made(format, Aims { coding, ..AIMS });
        assert_eq!((account.coding, account.score), (Coding::Lossless, 100.0));
        assert_eq!(account.trail.len(), 1);
        let (_, _, channels, samples) = read_back(format, &file);
        let pixels = samples
            .chunks_exact(channels)
            .flat_map(|p| [p[0], p[1], p[2]]);
        assert!(pixels.eq(busy().samples().iter().copied()), "{format}");
    }
}

#[test]
fn greys_letters_and_transparency_come_back_exactly() {
    let size = Size::new(67, 45).expect("a size");
    let mut dice = common::Dice(5);
    let letters = [
        [20u8, 30, 40],
        [240, 240, 250],
        [130, 140, 150],
        [200, 10, 10],
    ];
    // Grain, letters in few colours, and greys, with and without what shows through.
    let mut colour = |kind: usize, at: usize| match kind {
        0 => [0; 3].map(|_: u8| dice.roll(256) as u8),
        1 => letters[(at / 3 * 7 + at / 67 / 2 * 5) % 11 % 4],
        _ => [(at % 67 + at / 67) as u8; 3],
    };
    for kind in 0..3 {
        for channels in [Channels::Rgb, Channels::Rgba] {
            let samples = (0..67 * 45).flat_map(|at| {
                let [r, g, b] = colour(kind, at);
                [r, g, b, (at * at % 250 + 1) as u8][..channels.count()].to_vec()
            });
            let raster = Raster::new(size, channels, samples.collect()).expect("whole rows");
            for format in [Format::Png, Format::WebP, Format::Avif] {
                let file = common::encoded(&raster, format, Coding::Lossless).expect("a file");
                let found = common::samples(&file).expect("a picture");
                let count = found.len() / (67 * 45);
                let wanted = raster.samples().chunks_exact(channels.count());
                for (found, wanted) in found.chunks_exact(count).zip(wanted) {
                    // Grey may be told in one number.
                    let is_grey = count < 3;
                    let mut wanted = wanted.to_vec();
                    if is_grey {
                        wanted.drain(1..3);
                    }
                    let wanted: Vec<u16> = wanted.iter().map(|&v| u16::from(v) * 257).collect();
                    assert_eq!(
                        found,
                        &wanted[..found.len()],
                        "{format} {kind} {channels:?}"
                    );
                }
            }
        }
    }
}

#[test]
fn a_weight_takes_the_best_that_fits_and_the_sharpest_fills_it() {
    for format in LOSSY {
        let free = made(format, AIMS).account;
        let most = free.weight * 3 / 4;
        let bound = made(
            format,
            Aims {
                max_weight: Some(most),
                ..AIMS
            },
        )
        .account;
        assert!(
            bound.weight <= most && bound.score < 75.0,
            "{format}: {bound:?}"
        );
        assert_eq!(bound.verdict, Some(Verdict::Bounded), "{format}");
        let better = |a: &pipeline::Attempt| a.weight <= most && a.score > bound.score;
        assert!(!bound.trail.iter().any(better), "{format}: {bound:?}");
        let nothing = Aims {
            max_weight: Some(10),
            ..AIMS
        };
        let over = made(format, nothing).account;
        assert_eq!(
            (over.verdict, over.fits),
            (Some(Verdict::Over), false),
            "{format}"
        );
        let sharpest = CodingWish::Look(LookWish {
            aim: Aim::Sharpest,
            ..LookWish::default()
        });
        let most = free.weight * 3 / 2;
        let aims = Aims {
            coding: sharpest,
            max_weight: Some(most),
            ..AIMS
        };
        let sharp = made(format, aims).account;
        assert!(
            sharp.weight <= most && sharp.score > free.score + 2.0,
            "{format}: {sharp:?}"
        );
    }
}

#[test]
fn a_piece_is_shrunk_where_that_is_asked_for_and_nothing_else_fits() {
    let bound = |shrink_to_fit| Aims {
        max_weight: Some(900),
        coding: CodingWish::Look(LookWish {
            shrink_to_fit,
            ..LookWish::default()
        }),
        ..AIMS
    };
    let account = made(Format::Jpeg, bound(false)).account;
    assert_eq!(
        (account.verdict, account.shrunk),
        (Some(Verdict::Over), None)
    );
    assert!(account.score >= 50.0 && !account.fits);
    let Piece { file, account, .. } = made(Format::Jpeg, bound(true));
    let shrunk = account.shrunk.expect("a smaller size");
    let (width, height, ..) = read_back(Format::Jpeg, &file);
    assert_eq!((width, height), (shrunk.width(), shrunk.height()));
    assert!(
        width < 160 && file.len() <= 900 && account.score >= 50.0,
        "{account:?}"
    );
}

/// The rule for dense screens: what counts is how a piece looks as large as it is displayed, but
/// its own pixels may be worse by fifteen at most.
#[test]
fn denser_pieces_are_scored_as_they_are_seen_and_weigh_less() {
    let busy = busy_of(400, 300, 0);
    let png = common::encoded(&busy, Format::Png, Coding::Lossless).expect("a PNG");
    let at = |density: f64| -> Piece {
        let wish = Wish {
            extent: Extent::Widths(vec![(400.0 / density) as u32]),
            densities: vec![density],
            formats: vec![Format::Jpeg.into()],
            ..Wish::default()
        };
        let original = Original::new("x".into(), "x".into(), 9, common::probe(&png));
        let mut made = None;
        pipeline::fire(
            &png,
            &Job::new(original, &wish),
            Allowance::default(),
            |_, piece| {
                made = piece.ok();
                ControlFlow::Continue(())
            },
        )
        .expect("a sound picture");
        made.expect("a piece")
    };
    let (once, twice) = (at(1.0), at(2.0));
    let score = |account: &Account| account.score;
    assert!(score(&once.account) >= 75.0 && score(&twice.account) >= 75.0);
    assert!(
        twice.file.len() < once.file.len(),
        "{:?} {:?}",
        once.account,
        twice.account
    );
    let own = Eye::new(&busy, 1.0).score(&busy, Format::Jpeg, &twice.file);
    let own = own.expect("a JPEG");
    assert!((60.0..75.0).contains(&own), "{own}");
}

#[test]
fn transparent_pictures_are_scored_with_what_shows_through() {
    let size = Size::new(64, 64).expect("a size");
    let pixel = |i: u32| {
        let (x, y) = (i % 64, i / 64);
        [
            (x * 4) as u8,
            (y * 3) as u8,
            120,
            if x > 20 { 255 } else { (x * 12) as u8 },
        ]
    };
    let samples = (0..64 * 64).flat_map(pixel).collect();
    let raster = Raster::new(size, Channels::Rgba, samples).expect("whole rows");
    for format in LOSSY {
        let Piece { account, .. } = pipeline::piece(&raster, 1.0, format, AIMS).expect("a piece");
        assert_eq!(account.flattened, format == Format::Jpeg);
        assert!(
            account.score >= 75.0 && account.score <= 100.0,
            "{format}: {account:?}"
        );
    }
}

#[test]
fn at_a_set_dial_a_large_photo_is_scored_from_a_sample_and_says_so() {
    let raster = busy_of(1200, 900, 7);
    let aims = |coding| Aims { coding, ..AIMS };
    for format in [Format::Jpeg, Format::WebP] {
        for dial in [30, 80] {
            let made = pipeline::piece(&raster, 1.0, format, aims(CodingWish::Dial(dial)));
            let Piece { file, account, .. } = made.expect("a piece");
            assert!(account.is_sampled(format), "{format} {dial}");
            let whole = Eye::new(&raster, 1.0).score(&raster, format, &file);
            let whole = whole.expect("a score");
            let off = (whole - account.score).abs();
            assert!(off < 4.0, "{format} {dial}: {whole} {account:?}");
        }
        let made = pipeline::piece(&raster, 1.0, format, aims(look(60.0))).expect("a piece");
        assert!(!made.account.trail.iter().any(|attempt| attempt.sampled));
    }
    let small = made(Format::Jpeg, aims(CodingWish::Dial(80)));
    assert!(!small.account.is_sampled(Format::Jpeg));
}
