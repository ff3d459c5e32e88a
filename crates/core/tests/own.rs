//! Originals that stay what they are.

use std::ops::ControlFlow;

use kiln_core::budget::Verdict;
use kiln_core::credits::{Credits, Field, Inscription};
use kiln_core::decode::Allowance;
use kiln_core::encode::{self, Chroma, Coding, Format, Manner, Pace, Passes, Repack};
use kiln_core::pipeline::{self, Piece, PieceError};
use kiln_core::pixels::{ColourWish, Focus, Orientation, Raster, Shape};
use kiln_core::plan::{CodingWish, Extent, Job, LookWish, Original, Wish};
use kiln_jpeg::{Coefficients, Decoder, Limits};

use crate::common::jpeg::{Colours, Jpeg, exif_segment, icc_segment};
use crate::common::{self, WIDTH, each_pixel};
use crate::other_eyes::read_back;

/// Whole units of any sampling.
const SIDES: (u32, u32) = (96, 64);

fn wish(coding: CodingWish) -> Wish {
    Wish {
        formats: vec![Format::Jpeg.into()],
        coding,
        ..Wish::default()
    }
}

fn busy() -> Vec<u8> {
    let mut dice = common::Dice(7);
    let pixels = (0..SIDES.1).flat_map(|y| (0..SIDES.0).map(move |x| (x, y)));
    let pixels = pixels.flat_map(|(x, y)| {
        let grain = dice.roll(30) as u32;
        [x * 2 + grain, y * 3 + grain, 40 + x + grain].map(|value| value.min(255) as u8)
    });
    pixels.collect()
}

fn file(jpeg: &Jpeg) -> Vec<u8> {
    jpeg.file(SIDES, &busy())
}

fn coefficients(file: &[u8]) -> Coefficients {
    let decoder = Decoder::new(file, Limits::default()).expect("a header");
    decoder.coefficients().expect("scans").0
}

fn only(file: &[u8], wish: &Wish) -> Result<Piece, PieceError> {
    let original = Original::new(
        "x".into(),
        "x".into(),
        file.len() as u64,
        common::probe(file),
    );
    let mut only = None;
    let fired = pipeline::fire(
        file,
        &Job::new(original, wish),
        Allowance::default(),
        |_, piece| {
            only = Some(piece);
            ControlFlow::Continue(())
        },
    );
    fired.expect("a sound original");
    only.expect("one piece")
}

#[test]
fn what_is_exact_has_the_very_samples_and_no_more_bytes() {
    let exact = wish(CodingWish::Exact);
    for jpeg in [
        Jpeg::default(),
        Jpeg {
            luma: (2, 2),
            dial: 60,
            ..Jpeg::default()
        },
        Jpeg {
            progressive: true,
            ..Jpeg::default()
        },
        Jpeg {
            restart: 4,
            ..Jpeg::default()
        },
    ] {
        let file = file(&jpeg);
        let piece = only(&file, &exact).expect("a piece");
        assert!(
            coefficients(&piece.file).shows_the_same(&coefficients(&file)),
            "{jpeg:?}"
        );
        assert!(piece.file.len() <= file.len(), "{jpeg:?}");
        let account = &piece.account;
        assert_eq!(
            (account.score, account.verdict),
            (100.0, Some(Verdict::Met))
        );
        assert_eq!(account.repacked, Some(Repack::Anew));
        // What cannot be coded shorter is left as it came, without what is no picture.
        let heavy = [&piece.file[..2], &exif_segment(&[7; 900]), &piece.file[2..]].concat();
        let again = only(&heavy, &exact).expect("a piece");
        assert!(again.file.len() <= piece.file.len());
        assert!(coefficients(&again.file).shows_the_same(&coefficients(&file)));
    }
    let grey = Jpeg {
        colours: Colours::Grey,
        ..Jpeg::default()
    };
    let greys = each_pixel(common::grey);
    let file = grey.file((WIDTH, common::HEIGHT), &greys);
    assert!(only(&file, &exact).is_ok());
}

#[test]
fn passes_are_as_they_are_asked_for() {
    for progressive in [false, true] {
        let file = file(&Jpeg {
            progressive,
            ..Jpeg::default()
        });
        for coding in [
            CodingWish::Exact,
            CodingWish::default(),
            CodingWish::Dial(80),
        ] {
            for (passes, wanted) in [(Passes::One, false), (Passes::Several, true)] {
                let wish = Wish {
                    passes,
                    ..wish(coding)
                };
                let piece = only(&file, &wish).expect("a piece");
                assert_eq!(
                    coefficients(&piece.file).frame.progressive,
                    wanted,
                    "{coding:?}"
                );
            }
        }
    }
}

#[test]
fn turns_and_crops_on_blocks_cost_nothing() {
    let file = file(&Jpeg {
        luma: (2, 2),
        ..Jpeg::default()
    });
    for turn in Orientation::ALL {
        let mut wish = wish(CodingWish::Exact);
        wish.framing.turn = turn;
        let piece = only(&file, &wish).expect("a piece");
        assert!(
            piece.account.score > 90.0,
            "{turn:?}: {}",
            piece.account.score
        );
        let turned = coefficients(&piece.file).frame;
        let (width, height) = if turn.swaps_sides() {
            (64, 96)
        } else {
            (96, 64)
        };
        assert_eq!((turned.width, turned.height), (width, height));
    }
    // The right lower corner begins on a unit; the middle does not.
    let mut wish = wish(CodingWish::Exact);
    wish.framing.shape = Shape::new(1.0, 1.0);
    wish.framing.focus = Focus::Point(1.0, 0.5);
    let corner = only(&file, &wish).expect("a piece");
    assert_eq!(coefficients(&corner.file).frame.width, 64);
    wish.framing.focus = Focus::Point(0.45, 0.5);
    let why = only(&file, &wish).expect_err("no unit begins there");
    assert!(why.to_string().contains("without loss"), "{why}");
}

#[test]
fn a_file_with_loss_gives_way_to_what_is_no_heavier() {
    // A plain file, asked to look like itself.
    let plain = file(&Jpeg {
        dial: 12,
        ..Jpeg::default()
    });
    for coding in [CodingWish::Dial(95), CodingWish::Look(LookWish::of(90.0))] {
        let piece = only(&plain, &wish(coding)).expect("a piece");
        assert!(piece.account.repacked.is_some(), "{coding:?}");
        assert!(piece.file.len() <= plain.len());
    }
    let fine = file(&Jpeg::default());
    for coding in [CodingWish::Dial(30), CodingWish::default()] {
        let piece = only(&fine, &wish(coding)).expect("a piece");
        assert_eq!(piece.account.repacked, None, "{coding:?}");
    }
    // Colours that are converted, and another size, are new samples.
    let profile = moxcms::ColorProfile::new_display_p3()
        .encode()
        .expect("a profile");
    let wide = file(&Jpeg {
        segments: icc_segment(&profile),
        ..Jpeg::default()
    });
    assert!(only(&wide, &wish(CodingWish::Exact)).is_err());
    let mut kept = wish(CodingWish::Exact);
    kept.rendering.colour = ColourWish::Keep;
    let kept = only(&wide, &kept).expect("a piece").file;
    assert!(kept.windows(profile.len()).any(|part| part == profile));
    let smaller = Wish {
        extent: Extent::Widths(vec![48]),
        ..wish(CodingWish::Exact)
    };
    assert!(only(&fine, &smaller).is_err());
}

/// A PNG original with text in it, packed at a pace.
fn png(raster: &Raster, pace: Pace) -> Vec<u8> {
    let manner = Manner {
        coding: Coding::Lossless,
        chroma: Chroma::Full,
        pace,
    };
    let file = encode::encode(raster, Format::Png, manner).expect("a PNG");
    let mut credits = Credits::default();
    credits.set(Field::Caption, &"Packed with patience".repeat(90));
    let inscription = Inscription {
        credits,
        dots_per_inch: None,
    };
    encode::inscribe(file, Format::Png, &inscription.blocks()).expect("a PNG")
}

#[test]
fn a_png_is_never_heavier_than_its_original() {
    let raster = common::busy_of(120, 90, 0);
    let patient = png(&raster, Pace::Patient);
    let wished = |pace: Pace| Wish {
        formats: vec![Format::Png.into()],
        pace,
        ..wish(CodingWish::Exact)
    };
    let kept = only(&patient, &wished(Pace::Quick)).expect("a piece");
    assert_eq!(kept.account.repacked, Some(Repack::AsItCame));
    assert!(kept.file.len() + 1000 < patient.len());
    let quick = png(&raster, Pace::Quick);
    let anew = only(&quick, &wished(Pace::Steady)).expect("a piece");
    assert_eq!(anew.account.repacked, None);
    for piece in [&kept, &anew] {
        let (_, _, _, found) = read_back(Format::Png, &piece.file);
        let found = found.chunks_exact(4).flat_map(|p| [p[0], p[1], p[2]]);
        assert!(found.eq(raster.samples().iter().copied()));
        assert_eq!(piece.account.score, 100.0);
    }
}
