//! Pieces made to order, as sharing a total asks for them; and every dial tried for real, beside
//! what the search keeps of it.

use std::ops::ControlFlow;

use kiln_core::budget::Verdict;
use kiln_core::decode::Allowance;
use kiln_core::encode::{self, Chroma, Coding, Format, Manner, Pace, Passes};
use kiln_core::pipeline::{self, Account, Aims, Attempt, Eye, Order, Ordered, Piece};
use kiln_core::pixels::{Backdrop, Channels, Raster, Size};
use kiln_core::plan::{CodingWish, Extent, Job, LookWish, Original, Wish};

use crate::common::{self, busy_of};

const LOSSY: [Format; 3] = [Format::Jpeg, Format::WebP, Format::Avif];

/// A picture in one format, made as ordered.
fn made(raster: &Raster, format: Format, wish: &Wish, order: Option<&Order>) -> Piece {
    let png = common::encoded(raster, Format::Png, Coding::Lossless).expect("a PNG");
    let original = Original::new("x".into(), "x".into(), 9, common::probe(&png));
    let wish = Wish {
        formats: vec![format.into()],
        pace: Pace::Quick,
        extent: Extent::Own,
        ..wish.clone()
    };
    let job = Job::new(original, &wish);
    let mut made = None;
    let allowance = Allowance::default();
    pipeline::fire_ordered(
        &png,
        &job,
        allowance,
        |_| order,
        |_, piece| {
            made = piece.ok();
            ControlFlow::Continue(())
        },
    )
    .expect("a sound picture");
    made.expect("a piece")
}

/// How often each manner was tried, at most.
fn most_alike(trail: &[Attempt]) -> usize {
    let alike = |one: &Attempt| trail.iter().filter(|a| a.manner() == one.manner()).count();
    trail.iter().map(alike).max().unwrap_or(0)
}

fn at_look(look: f32, known: Vec<Attempt>) -> Order {
    let what = Ordered::Look { look };
    Order { what, known }
}

/// What is known may come from a file that somebody changed: what it says of the piece that would
/// be kept is seen again before it counts.
#[test]
fn what_is_known_wrongly_is_not_believed() {
    let raster = busy_of(120, 90, 7);
    let own = made(&raster, Format::WebP, &Wish::default(), None).account;
    let mut known = own.trail.clone();
    known.retain(|attempt| attempt.coding != Coding::Lossless);
    for attempt in &mut known {
        (attempt.weight, attempt.score) = (10, 99.0);
    }
    let found = made(
        &raster,
        Format::WebP,
        &Wish::default(),
        Some(&at_look(75.0, known)),
    );
    assert_eq!(found.account.weight, found.file.len() as u64);
    assert_eq!(
        (found.account.weight, found.account.score),
        (own.weight, own.score)
    );
}

#[test]
fn another_look_is_found_after_what_is_known_and_nothing_is_tried_twice() {
    let raster = busy_of(120, 90, 7);
    for format in LOSSY {
        let own = made(&raster, format, &Wish::default(), None).account;
        assert!(own.score >= 75.0, "{format}: {own:?}");
        let known = own.trail.clone();
        let order = at_look(58.0, known);
        let lower = made(&raster, format, &Wish::default(), Some(&order)).account;
        assert!((58.0..75.0).contains(&lower.score), "{format}: {lower:?}");
        assert!(lower.weight < own.weight && lower.fits);
        assert_eq!(lower.trail[..own.trail.len()], own.trail[..]);
        assert_eq!(most_alike(&lower.trail), 1, "{format}: {lower:?}");
        // Asked again, all is known: the file is made once more, and is the same.
        let known = lower.trail.clone();
        let order = at_look(58.0, known);
        let again = made(&raster, format, &Wish::default(), Some(&order));
        assert_eq!(again.account.trail.len(), lower.trail.len(), "{format}");
        assert_eq!(again.account.weight, lower.weight, "{format}");
    }
}

#[test]
fn an_attempt_is_made_again_to_the_byte_and_counts_as_it_is_told() {
    let raster = busy_of(120, 90, 8);
    for format in LOSSY {
        let own = made(&raster, format, &Wish::default(), None);
        let known = own.account.trail.clone();
        let kept = known.iter().find(|a| a.weight == own.account.weight);
        let order = Order {
            what: Ordered::Same {
                attempt: *kept.expect("what was kept was tried"),
                verdict: Some(Verdict::Shared),
            },
            known: known.clone(),
        };
        let same = made(&raster, format, &Wish::default(), Some(&order));
        assert_eq!(same.file, own.file, "{format}");
        let verdict = Some(Verdict::Shared);
        assert_eq!(
            same.account,
            Account {
                verdict,
                ..own.account
            }
        );
    }
}

#[test]
fn a_smaller_copy_stays_within_what_the_larger_weighs() {
    let raster = busy_of(120, 90, 9);
    for format in LOSSY {
        let own = made(&raster, format, &Wish::default(), None).account;
        let order = |max_weight| Order {
            what: Ordered::Within { max_weight },
            known: own.trail.clone(),
        };
        let within = made(
            &raster,
            format,
            &Wish::default(),
            Some(&order(own.weight * 3 / 4)),
        )
        .account;
        assert!(within.weight <= own.weight * 3 / 4, "{format}: {within:?}");
        // Its own weight has nothing to do with it: there is none.
        assert_eq!((within.verdict, within.fits), (Some(Verdict::Shared), true));
        // A weight of its own that it cannot keep is still told.
        let tight = Wish {
            max_weight: Some(20),
            ..Wish::default()
        };
        let over = made(&raster, format, &tight, Some(&order(own.weight))).account;
        assert_eq!(
            (over.verdict, over.fits),
            (Some(Verdict::Over), false),
            "{format}"
        );
    }
}

/// Waves with grain: a picture that every dial changes.
fn waves(width: u32, height: u32, seed: u32) -> Raster {
    let mut dice = common::Dice(seed.into());
    let mut samples = Vec::new();
    for y in 0..height {
        for x in 0..width {
            let wave = (x as f32 / (3 + seed % 3) as f32).sin() * (y as f32 / 4.0).cos() * 45.0;
            let tone = 100.0 + wave + x as f32 / 4.0 + dice.roll(14) as f32;
            samples.extend([tone + 15.0, tone, tone - 25.0].map(|v| v as u8));
        }
    }
    let size = Size::new(width, height).expect("a size");
    Raster::new(size, Channels::Rgb, samples).expect("whole rows")
}

/// Every dial of a format, as the search tries it first: weight and score.
fn all_dials(raster: &Raster, format: Format) -> Vec<(u64, f32)> {
    let eye = Eye::new(raster, 1.0);
    let dials = format.dials();
    let chroma = kept(raster, format, 75.0, None).trail[0].chroma;
    let trial = |dial: u8| {
        let manner = Manner {
            coding: Coding::Dial(dial),
            chroma,
            pace: Pace::Quick,
        };
        let file = encode::encode(raster, format, manner).expect("a file");
        (
            file.len() as u64,
            eye.score(raster, format, &file).expect("a score"),
        )
    };
    dials.map(trial).collect()
}

fn kept(raster: &Raster, format: Format, look: f32, max_weight: Option<u64>) -> Account {
    let aims = Aims {
        coding: CodingWish::Look(LookWish {
            look,
            least: -100.0,
            ..LookWish::default()
        }),
        max_weight,
        pace: Pace::Quick,
        passes: Passes::Lightest,
        backdrop: Backdrop::WHITE,
    };
    pipeline::piece(raster, 1.0, format, aims)
        .expect("a piece")
        .account
}

#[test]
fn of_all_dials_the_search_keeps_one_of_the_lightest_that_reach_a_look() {
    for (seed, format) in [
        (1, Format::Jpeg),
        (2, Format::WebP),
        (3, Format::Jpeg),
        (4, Format::WebP),
    ] {
        let raster = waves(150, 110, seed);
        let all = all_dials(&raster, format);
        for look in [55.0, 65.0, 75.0] {
            let account = kept(&raster, format, look, None);
            let reaching = all.iter().filter(|(_, score)| *score >= look);
            let lightest = reaching.map(|(weight, _)| *weight).min().expect("a dial");
            assert!(account.score >= look, "{format} {look}: {account:?}");
            let excess = account.weight as f64 / lightest as f64;
            let close = account.score < look + 0.5;
            assert!(
                close || excess < 1.07,
                "{format} {look}: {lightest} {account:?}"
            );
            // A graphic is tried in other ways as well.
            let own = |one: &&Attempt| !matches!(one.chroma, Chroma::Counted | Chroma::Near);
            let tried = account.trail.iter().filter(own).count();
            assert!(tried <= 8, "{format} {look}: {account:?}");
        }
    }
}

#[test]
fn a_look_beyond_all_dials_is_looked_for_to_the_last_of_them() {
    let raster = busy_of(70, 50, 6);
    for format in LOSSY {
        let account = kept(&raster, format, 99.9, None);
        let last = Coding::Dial(*format.dials().end());
        let tried = account.trail.iter().any(|attempt| attempt.coding == last);
        assert!(tried, "{format}: {account:?}");
    }
}

#[test]
fn of_all_dials_that_fit_a_weight_the_search_keeps_one_of_the_best() {
    for (seed, format) in [(5, Format::Jpeg), (6, Format::WebP)] {
        let raster = waves(150, 110, seed);
        let all = all_dials(&raster, format);
        let (lightest, heaviest) = (all[0].0, kept(&raster, format, 75.0, None).weight);
        for part in 1..10 {
            let most = lightest + (heaviest - lightest) * part / 10;
            let account = kept(&raster, format, 75.0, Some(most));
            assert!(account.weight <= most, "{format} {most}: {account:?}");
            assert!(account.verdict == Some(Verdict::Bounded) || account.score >= 75.0);
            let fitting = all.iter().filter(|(weight, _)| *weight <= most);
            let best = fitting
                .map(|(_, score)| *score)
                .fold(f32::MIN, f32::max)
                .min(75.0);
            // Scores ripple a little from dial to dial.
            assert!(
                account.score >= best - 0.35,
                "{format} {most}: {best} {account:?}"
            );
        }
    }
}

/// With all the time in the world a slow coder's dial is found at a quick setting first, and never
/// again: what is known tells it.
#[test]
fn a_patient_coder_looks_for_its_dial_once() {
    let raster = waves(160, 120, 3);
    let patient = |order: Option<&Order>| {
        let png = common::encoded(&raster, Format::Png, Coding::Lossless).expect("a PNG");
        let original = Original::new("x".into(), "x".into(), 9, common::probe(&png));
        let wish = Wish {
            formats: vec![Format::Avif.into()],
            pace: Pace::Patient,
            ..Wish::default()
        };
        let job = Job::new(original, &wish);
        let mut made = None;
        let deliver = |_: &_, piece: Result<Piece, _>| {
            made = piece.ok();
            ControlFlow::Continue(())
        };
        pipeline::fire_ordered(&png, &job, Allowance::default(), |_| order, deliver)
            .expect("a sound picture");
        made.expect("a piece").account
    };
    let quick = |trail: &[Attempt]| trail.iter().filter(|a| a.pace == Pace::Quick).count();
    let own = patient(None);
    assert!(quick(&own.trail) >= 1, "{own:?}");
    assert!(own.trail.len() - quick(&own.trail) <= 3 || own.verdict != Some(Verdict::Met));
    let known = own.trail.clone();
    let lower = patient(Some(&at_look(60.0, known)));
    assert_eq!(quick(&lower.trail), quick(&own.trail), "{lower:?}");
    let kept = (lower.weight, lower.score);
    let made = lower.trail.iter().find(|a| (a.weight, a.score) == kept);
    assert_eq!(made.map(|attempt| attempt.pace), Some(Pace::Patient));
    assert!(lower.score >= 60.0 && lower.weight < own.weight);
}
