//! Crops, padding and turns: the right part of the picture, whatever way it is stored.

use std::ops::ControlFlow;

use kiln_core::decode::Allowance;
use kiln_core::encode::{Coding, Format};
use kiln_core::pipeline;
use kiln_core::pixels::{
    Backdrop, Channels, Fit, Focus, Framing, KnockOut, Orientation, Raster, Size,
};
use kiln_core::plan::{CodingWish, Extent, Job, Original, Wish};

use crate::common;
use crate::other_eyes::read_back;

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
    let file = common::encoded(raster, Format::Png, Coding::Lossless).expect("a PNG");
    let wish = Wish {
        extent,
        framing,
        backdrop: Backdrop::Colour([1, 2, 3]),
        formats: vec![Format::Png.into()],
        coding: CodingWish::Exact,
        ..Wish::default()
    };
    let mut probe = common::probe(&file);
    probe.orientation = stored;
    let job = Job::new(Original::new("x".into(), "x".into(), 9, probe), &wish);
    let mut made = None;
    pipeline::fire(&file, &job, Allowance::default(), |_, piece| {
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

/// What a report draws on the upright original is what the piece shows, however it is stored.
#[test]
fn frames_lie_on_the_upright_original() {
    for turn in Orientation::ALL {
        let framing = Framing {
            turn,
            ..shape("2:1", Focus::Point(0.3, 0.2))
        };
        let frames = Orientation::ALL.map(|stored| {
            let undo = Orientation::ALL
                .into_iter()
                .find(|undo| undo.then(stored) == Orientation::Upright);
            let picture = undo.expect("each has its inverse").apply(map());
            let file = common::encoded(&picture, Format::Png, Coding::Lossless).expect("a PNG");
            let mut probe = common::probe(&file);
            probe.orientation = stored;
            let wish = Wish {
                framing,
                ..Wish::default()
            };
            let job = Job::new(Original::new("x".into(), "x".into(), 9, probe), &wish);
            let found = pipeline::frames(&file, &job, Allowance::default()).expect("a frame");
            found[0].sides().map(|side| (side * 1e6).round())
        });
        assert!(
            frames.iter().all(|frame| *frame == frames[0]),
            "{turn:?}: {frames:?}"
        );
        let [left, top, right, bottom] = frames[0].map(|side| side / 1e6);
        let (width, height) = (
            (right - left) * f64::from(WIDTH),
            (bottom - top) * f64::from(HEIGHT),
        );
        let ratio = if turn.swaps_sides() {
            height / width
        } else {
            width / height
        };
        assert!((ratio - 2.0).abs() < 1e-3, "{turn:?}: {width} × {height}");
    }
    let file = common::encoded(&map(), Format::Png, Coding::Lossless).expect("a PNG");
    let wish = Wish {
        framing: shape("1:1", Focus::Point(1.0, 0.5)),
        ..Wish::default()
    };
    let job = Job::new(
        Original::new("x".into(), "x".into(), 9, common::probe(&file)),
        &wish,
    );
    let found = pipeline::frames(&file, &job, Allowance::default()).expect("a frame");
    assert_eq!(
        found[0].sides().map(|side| (side * 90.0).round()),
        [30.0, 0.0, 90.0, 90.0]
    );
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

fn fired(file: &[u8], wish: &Wish) -> Vec<u8> {
    let probe = common::probe(file);
    let mut original = Original::new("x".into(), "x".into(), 9, probe);
    if wish.framing.trim {
        let area = pipeline::content(file, &original, Allowance::default());
        original.content = Some(area.expect("a sound picture"));
    }
    let mut made = None;
    let job = Job::new(original, wish);
    pipeline::fire(file, &job, Allowance::default(), |_, piece| {
        made = Some(piece.expect("a piece").file);
        ControlFlow::Continue(())
    })
    .expect("a sound picture");
    made.expect("one piece")
}

/// However a picture is stored without loss, its piece is the same file.
#[test]
fn one_picture_in_four_containers_gives_one_piece() {
    let tiff = common::Tiff::default();
    let rgb = common::rgb();
    let deep: Vec<u8> = rgb.iter().flat_map(|v| [*v, *v]).collect();
    let png = |depth, samples: &[u8]| common::png_with(png::ColorType::Rgb, depth, samples, |_| {});
    let stored = [
        png(png::BitDepth::Eight, &rgb),
        png(png::BitDepth::Sixteen, &deep),
        common::webp(true, false),
        tiff.file(&common::wide(&rgb)),
    ];
    let wish = Wish {
        extent: Extent::Widths(vec![31]),
        ..Wish::default()
    };
    for format in [Format::Jpeg, Format::Png, Format::WebP, Format::Avif] {
        let wish = Wish {
            formats: vec![format.into()],
            ..wish.clone()
        };
        let pieces: Vec<Vec<u8>> = stored.iter().map(|file| fired(file, &wish)).collect();
        assert!(pieces.windows(2).all(|pair| pair[0] == pair[1]), "{format}");
    }
}

/// A piece that is made through larger ones is the same whether those are made as well.
#[test]
fn what_else_is_made_does_not_change_a_piece() {
    let file = common::encoded(&map(), Format::Png, Coding::Lossless).expect("a PNG");
    let wish = Wish {
        extent: Extent::Widths(vec![10, 21, 43, 80]),
        formats: vec![Format::Png.into()],
        coding: CodingWish::Exact,
        ..Wish::default()
    };
    let original = Original::new("x".into(), "x".into(), 9, common::probe(&file));
    let job = Job::new(original, &wish);
    let through: Vec<usize> = job
        .pieces()
        .map(|(_, size, _)| size.through.len())
        .collect();
    assert_eq!(through, [2, 1, 0, 0]);
    let made = |job: &Job| {
        let mut made = std::collections::BTreeMap::new();
        pipeline::fire(&file, job, Allowance::default(), |planned, piece| {
            made.insert(planned.key().to_owned(), piece.expect("a piece").file);
            ControlFlow::Continue(())
        })
        .expect("a sound picture");
        made
    };
    let all = made(&job);
    assert_eq!(all.len(), 4);
    for (name, file) in &all {
        let alone = made(&job.without(|piece| piece.key() != *name));
        assert_eq!(alone, [(name.clone(), file.clone())].into(), "{name}");
    }
}

/// A dark block of 30 × 20 pixels on a light ground with an uneven border.
fn block(ground: [u8; 3]) -> Vec<u8> {
    let pixels = (0..HEIGHT).flat_map(|y| (0..WIDTH).map(move |x| (x, y)));
    let samples = pixels.flat_map(|(x, y)| {
        if (20..50).contains(&x) && (25..45).contains(&y) {
            [20, 40, 60]
        } else {
            ground
        }
    });
    let raster = Raster::new(size(WIDTH, HEIGHT), Channels::Rgb, samples.collect());
    let raster = raster.expect("whole rows");
    common::encoded(&raster, Format::Png, Coding::Lossless).expect("a PNG")
}

#[test]
fn borders_are_trimmed_backgrounds_knocked_out_and_sizes_taken_from_what_is_left() {
    let trim = Framing {
        trim: true,
        ..Framing::default()
    };
    let made = |framing: Framing, change: &dyn Fn(&mut Wish)| {
        let mut wish = Wish {
            framing,
            formats: vec![Format::Png.into()],
            coding: CodingWish::Exact,
            ..Wish::default()
        };
        change(&mut wish);
        let (width, height, channels, samples) =
            read_back(Format::Png, &fired(&block([240, 236, 220]), &wish));
        assert_eq!(channels, 4);
        (width, height, samples[..4].to_vec())
    };
    assert_eq!(made(trim, &|_| {}), (30, 20, vec![20, 40, 60, 255]));
    // Half as high, cropped to a square, turned: all of what is left.
    let half = |wish: &mut Wish| wish.extent = Extent::Heights(vec![10]);
    assert_eq!(made(trim, &half), (15, 10, vec![20, 40, 60, 255]));
    let turned = Framing {
        turn: Orientation::QuarterClockwise,
        ..trim
    };
    assert_eq!(made(turned, &half), (7, 10, vec![20, 40, 60, 255]));
    let square = Framing {
        trim: true,
        ..shape("1:1", Focus::Auto)
    };
    assert_eq!(made(square, &|_| {}), (20, 20, vec![20, 40, 60, 255]));
    // Never larger, unless asked.
    let large = |wish: &mut Wish| wish.extent = Extent::Widths(vec![60]);
    assert_eq!(made(trim, &large).0, 30);
    let larger = |wish: &mut Wish| (wish.enlarge, wish.extent) = (true, Extent::Widths(vec![60]));
    assert_eq!(made(trim, &larger), (60, 40, vec![20, 40, 60, 255]));
    // A cut-out on nothing, with nothing around it.
    let knocked_out = |wish: &mut Wish| {
        wish.rendering.knock_out = Some(KnockOut {
            colour: None,
            holes: false,
        });
        wish.backdrop = Backdrop::Transparent;
    };
    assert_eq!(made(Framing::default(), &knocked_out), (90, 60, vec![0; 4]));
    let padded = Framing {
        trim: true,
        fit: Fit::Pad,
        ..shape("1:1", Focus::Centre)
    };
    assert_eq!(made(padded, &knocked_out), (30, 30, vec![0; 4]));
}

#[test]
fn a_background_that_is_not_plain_is_refused() {
    let file = common::png_with(
        png::ColorType::Rgb,
        png::BitDepth::Eight,
        &common::rgb(),
        |_| {},
    );
    let mut wish = Wish::default();
    wish.rendering.knock_out = Some(KnockOut {
        colour: None,
        holes: false,
    });
    let job = Job::new(
        Original::new("x".into(), "x".into(), 9, common::probe(&file)),
        &wish,
    );
    let refused = pipeline::fire(&file, &job, Allowance::default(), |_, _| {
        ControlFlow::Continue(())
    });
    let refused = refused.expect_err("a busy border").to_string();
    assert!(
        refused.starts_with("its background is not plain"),
        "{refused}"
    );
}
