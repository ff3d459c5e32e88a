//! Crops, padding and turns: the right part of the picture, whatever way it is stored.
#![allow(missing_docs, clippy::expect_used, clippy::panic)]

mod common;
mod other_eyes;

use std::ops::ControlFlow;

use kiln_core::decode::Allowance;
use kiln_core::encode::{self, Coding, Format};
use kiln_core::pipeline;
use kiln_core::pixels::{Backdrop, Channels, Fit, Focus, Framing, Orientation, Raster, Size};
use kiln_core::plan::{Extent, Job, Original, Wish};
use kiln_core::source::Nature;
use other_eyes::read_back;

const WIDTH: u32 = 90;
const HEIGHT: u32 = 60;

fn size(width: u32, height: u32) -> Size {
    Size::new(width, height).expect("a size")
}

/// A picture whose every place tells where it is: red grows to the right, green downwards.
fn map() -> Raster {
    let pixels = (0..HEIGHT).flat_map(|y| (0..WIDTH).map(move |x| (x, y)));
    let samples = pixels.flat_map(|(x, y)| [(x * 255 / WIDTH) as u8, (y * 255 / HEIGHT) as u8, 90]);
    Raster::new(size(WIDTH, HEIGHT), Channels::Rgb, samples.collect()).expect("whole rows")
}

fn framed(
    raster: &Raster,
    framing: Framing,
    extent: Extent,
    stored: Orientation,
) -> (u32, u32, Vec<u8>) {
    let file = encode::encode(raster, Format::Png, Coding::Lossless, Nature::Photo).expect("a PNG");
    let wish = Wish {
        extent,
        framing,
        backdrop: Backdrop::Colour([1, 2, 3]),
        formats: vec![Format::Png],
        ..Wish::default()
    };
    let mut probe = common::probe(&file);
    probe.orientation = stored;
    let job = Job::new(Original::new("x".into(), "x".into(), 9, probe), &wish);
    let mut made = None;
    pipeline::fire(&file, &job, Allowance::default(), None, |_, piece| {
        made = Some(piece.expect("a piece").file);
        ControlFlow::Continue(())
    })
    .expect("a sound picture");
    let (width, height, channels, samples) = read_back(Format::Png, &made.expect("one piece"));
    let opaque = samples
        .chunks_exact(channels)
        .flat_map(|p| [p[0], p[1], p[2]]);
    (width, height, opaque.collect())
}

fn shape(shape: &str, focus: Focus) -> Framing {
    Framing {
        shape: Some(shape.parse().expect("a shape")),
        focus,
        ..Framing::default()
    }
}

#[test]
fn crops_show_the_part_around_their_focus_and_nothing_else() {
    let cases = [
        (Focus::Centre, 15),
        (Focus::Point(0.0, 0.5), 0),
        (Focus::Point(1.0, 0.5), 30),
        (Focus::Point(0.4, 0.9), 6),
    ];
    for (focus, left) in cases {
        let (width, height, found) = framed(
            &map(),
            shape("1:1", focus),
            Extent::Own,
            Orientation::Upright,
        );
        assert_eq!((width, height), (60, 60));
        for (index, pixel) in found.chunks_exact(3).enumerate() {
            let (x, y) = (index as u32 % 60 + left, index as u32 / 60);
            let wanted = [x * 255 / WIDTH, y * 255 / HEIGHT, 90].map(|v| v as u8);
            assert_eq!(pixel, wanted, "{focus:?} {x},{y}");
        }
    }
    // Half the size, from a part that begins within a pixel.
    let (width, height, found) = framed(
        &map(),
        shape("3:1", Focus::Point(0.5, 0.51)),
        Extent::Widths(vec![45]),
        Orientation::Upright,
    );
    assert_eq!((width, height), (45, 15));
    let green = f64::from(found[(7 * 45 + 22) * 3 + 1]);
    // The middle of a pixel lies half a pixel behind its border.
    let middle = (0.51 * f64::from(HEIGHT) - 0.5) * 255.0 / f64::from(HEIGHT);
    assert!((green - middle).abs() < 1.5, "{green} {middle}");
}

/// However it is stored, the same upright picture gives the same piece, cropped and turned.
#[test]
fn crops_turns_and_mirrors_agree_for_every_orientation() {
    let upright = map();
    let turns = [
        Orientation::Upright,
        Orientation::QuarterClockwise,
        Orientation::Mirrored,
        Orientation::Transversed,
    ];
    for turn in turns {
        let framing = Framing {
            turn,
            ..shape("2:1", Focus::Point(0.3, 0.2))
        };
        let wanted = framed(
            &turn.apply(upright.clone()),
            shape("2:1", Focus::Point(0.3, 0.2)),
            Extent::Widths(vec![31]),
            Orientation::Upright,
        );
        for stored in Orientation::ALL {
            // The stored picture that this orientation sets upright.
            let undo = Orientation::ALL
                .into_iter()
                .find(|undo| undo.then(stored) == Orientation::Upright);
            let picture = undo.expect("each has its inverse").apply(upright.clone());
            let (width, height, found) =
                framed(&picture, framing, Extent::Widths(vec![31]), stored);
            assert_eq!((width, height), (wanted.0, wanted.1), "{stored:?} {turn:?}");
            let most = found
                .iter()
                .zip(&wanted.2)
                .map(|(a, b)| a.abs_diff(*b))
                .max();
            // Columns and rows are sized in another order.
            assert!(most <= Some(1), "{stored:?} {turn:?}: {most:?}");
        }
    }
}

#[test]
fn padding_keeps_all_and_crops_leave_no_line_of_backdrop() {
    let pad = Framing {
        fit: Fit::Pad,
        ..shape("1:1", Focus::Centre)
    };
    let (width, height, found) =
        framed(&map(), pad, Extent::Widths(vec![45]), Orientation::Upright);
    assert_eq!((width, height), (45, 45));
    let row = |y: usize| &found[y * 45 * 3..(y + 1) * 45 * 3];
    let is_backdrop = |y: usize| row(y).chunks_exact(3).all(|pixel| pixel == [1, 2, 3]);
    let filled: Vec<usize> = (0..45).filter(|&y| is_backdrop(y)).collect();
    assert_eq!(
        filled,
        [(0..7).collect::<Vec<_>>(), (37..45).collect()].concat()
    );
    for text in ["16:9", "7:3", "1:1", "3:7", "1.91:1", "100:1"] {
        for side in [1, 2, 17, 43, 60, 90] {
            let (_, _, found) = framed(
                &map(),
                shape(text, Focus::Point(1.0, 1.0)),
                Extent::Widths(vec![side]),
                Orientation::Upright,
            );
            assert!(
                found
                    .chunks_exact(3)
                    .all(|pixel| pixel[2].abs_diff(90) <= 1),
                "{text} {side}"
            );
        }
    }
}

#[test]
fn the_thinnest_pictures_are_framed_without_a_fall() {
    for (width, height) in [(1, 3000), (3000, 1), (1, 1)] {
        let samples = vec![90; (width * height * 3) as usize];
        let raster = Raster::new(size(width, height), Channels::Rgb, samples).expect("whole rows");
        for focus in [Focus::Auto, Focus::Point(1.0, 0.0)] {
            for fit in [Fit::Crop, Fit::Pad] {
                let framing = Framing {
                    fit,
                    ..shape("4:3", focus)
                };
                let (w, h, _) = framed(
                    &raster,
                    framing,
                    Extent::LongSide(vec![60]),
                    Orientation::QuarterClockwise,
                );
                assert!(w >= 1 && h >= 1 && w.max(h) <= 60);
            }
        }
    }
}
