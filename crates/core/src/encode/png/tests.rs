use super::colours::Class;
use super::filter::{Choice, filtered, tried};
use super::form::Colour;
use super::*;
use crate::pixels::Channels;

fn raster((width, height): (u32, u32), paint: impl Fn(u32, u32) -> [u8; 4]) -> Raster {
    let pixels = (0..height).flat_map(|y| (0..width).map(move |x| (x, y)));
    let samples = pixels.flat_map(|(x, y)| paint(x, y)).collect();
    let size = Size::new(width, height).expect("a size");
    let raster = Raster::new(size, Channels::Rgba, samples).expect("whole rows");
    raster.without_idle_alpha()
}

/// A file as another decoder reads it: its colour type, its depth, and every pixel with alpha.
fn read(file: &[u8]) -> (u8, u8, Vec<[u8; 4]>) {
    let mut decoder = ::png::Decoder::new(std::io::Cursor::new(file));
    let (colour, depth) = (file[25], file[24]);
    decoder.set_transformations(::png::Transformations::ALPHA);
    let mut reader = decoder.read_info().expect("a header");
    let mut found = vec![0; reader.output_buffer_size().expect("small")];
    let info = reader.next_frame(&mut found).expect("pixels");
    let pixels = match info.color_type {
        ::png::ColorType::GrayscaleAlpha => {
            let pixels = found.chunks_exact(2);
            pixels.map(|p| [p[0], p[0], p[0], p[1]]).collect()
        }
        _ => {
            let pixels = found.chunks_exact(4);
            pixels.map(|p| [p[0], p[1], p[2], p[3]]).collect()
        }
    };
    (colour, depth, pixels)
}

/// The same of a picture at a dial.
fn at(ready: &dyn Prepared, dial: u8) -> (u8, u8, Vec<[u8; 4]>) {
    let manner = Manner {
        coding: Coding::Dial(dial),
        chroma: Chroma::Full,
        pace: Pace::Quick,
    };
    read(&ready.encode(manner).expect("a file"))
}

/// What a file has to show: a pixel that does not show has no colour.
fn shown(raster: &Raster) -> Vec<[u8; 4]> {
    pixels(raster).rgba().collect()
}

fn visible(pixels: &[[u8; 4]]) -> Vec<[u8; 4]> {
    let clear = |pixel: &[u8; 4]| if pixel[3] == 0 { [0; 4] } else { *pixel };
    pixels.iter().map(clear).collect()
}

type Paint = fn(u32, u32) -> [u8; 4];

/// Pictures, and the leanest form of each: its colour type and its bits a sample.
const PICTURES: [(&str, Paint, Colour, u8); 11] = [
    ("one colour", |_, _| [7, 8, 9, 255], Colour::Palette, 1),
    ("nothing", |x, _| [x as u8, 1, 2, 0], Colour::Palette, 1),
    (
        "black and white",
        |x, y| grey(255 * ((x + y) % 2)),
        Colour::Grey,
        1,
    ),
    ("four greys", |x, _| grey(85 * (x % 4)), Colour::Grey, 2),
    ("sixteen greys", |x, _| grey(17 * (x % 16)), Colour::Grey, 4),
    ("all greys", |x, y| grey(x * 17 + y), Colour::Grey, 8),
    (
        "three and a hole",
        |x, _| [(x % 4) as u8, 0, 9, if x % 4 == 0 { 0 } else { 255 }],
        Colour::Palette,
        2,
    ),
    (
        "sixteen colours",
        |x, _| [(x % 16) as u8, 7, 70, 255],
        Colour::Palette,
        4,
    ),
    (
        "many colours",
        |x, y| [(x * 15) as u8, (y * 15) as u8, (x ^ y) as u8, 255],
        Colour::Rgb,
        8,
    ),
    (
        "many colours and a hole",
        |x, y| {
            [
                (x * 15) as u8,
                (y * 15) as u8,
                3,
                if x == y { 0 } else { 255 },
            ]
        },
        Colour::Rgb,
        8,
    ),
    (
        "many faint colours",
        |x, y| [(x * 15) as u8, (y * 15) as u8, 3, (x + y) as u8 + 1],
        Colour::Rgba,
        8,
    ),
];

fn grey(level: u32) -> [u8; 4] {
    let level = level as u8;
    [level, level, level, 255]
}

#[test]
fn every_form_is_as_lean_as_it_should_be_and_gives_back_the_very_pixels() {
    for (name, paint, colour, bits) in PICTURES {
        for side in 1..=17 {
            let raster = raster((side, 18 - side), paint);
            let forms = Form::exact(&pixels(&raster));
            let file = written(&raster, &forms, Pace::Quick).expect("a file");
            assert!(
                visible(&read(&file).2) == shown(&raster),
                "{name}, {side} wide"
            );
        }
        let raster = raster((17, 17), paint);
        let forms = Form::exact(&pixels(&raster));
        let leanest = forms
            .iter()
            .find(|form| (form.colour, form.bits) == (colour, bits));
        assert!(leanest.is_some(), "{name}");
        for pace in [Pace::Steady, Pace::Patient] {
            let file = written(&raster, &forms, pace).expect("a file");
            assert!(
                visible(&read(&file).2) == shown(&raster),
                "{name}, {pace:?}"
            );
        }
    }
}

#[test]
fn every_choice_of_filters_can_be_undone() {
    for (name, paint, ..) in PICTURES {
        let raster = raster((13, 11), paint);
        for form in &Form::exact(&pixels(&raster)) {
            let chosen = Choice::ALL.map(|choice| filtered(form, 0..form.height(), choice));
            for rows in chosen.into_iter().chain([tried(form, <[u8]>::len)]) {
                let rows = pack::deflated(&rows, 6).expect("deflated");
                let packed = pack::Packed { form, rows };
                let file = pack::written(&packed, 13, &[]).expect("a file");
                assert!(visible(&read(&file).2) == shown(&raster), "{name}");
            }
        }
    }
}

/// A gradient with alpha, a flat mark on it, and nothing around.
fn badge() -> Raster {
    raster((96, 64), |x, y| match (x, y) {
        (0..8, _) => [0; 4],
        (40..60, 20..40) => [200, 30, 40, 255],
        (8..12, _) => [90, 120, 200, (x * 20) as u8],
        _ => [(60 + x) as u8, (90 + y) as u8, (250 - x - y / 2) as u8, 255],
    })
}

#[test]
fn few_colours_keep_flat_areas_what_is_solid_and_what_is_not_there() {
    let badge = badge();
    let wanted = shown(&badge);
    let ready = Png.prepare(&badge, Passes::default()).expect("ready");
    for dial in [1, 20, 50, 80, 100] {
        let (colour, _, found) = at(&*ready, dial);
        assert_eq!(colour, Colour::Palette as u8);
        for (place, (found, wanted)) in found.iter().zip(&wanted).enumerate() {
            let (x, y) = (place % 96, place / 96);
            assert_eq!(
                Class::of(found[3]),
                Class::of(wanted[3]),
                "{dial}: {x}, {y}"
            );
            let inside = (41..59).contains(&x) && (21..39).contains(&y);
            assert!(
                !inside || found == wanted || dial < 20,
                "{dial}: {x}, {y}: {found:?}"
            );
        }
        let colours: std::collections::HashSet<_> = found.iter().collect();
        assert!(
            dial < 50 || colours.len() <= Position::at(dial).colours,
            "{dial}"
        );
    }
}

#[test]
fn more_of_the_dial_is_nearer_to_the_picture() {
    let soft = raster((120, 90), |x, y| {
        [
            (40 + x) as u8,
            (200 - y) as u8,
            (90 + (x + y) / 3) as u8,
            255,
        ]
    });
    let ready = Png.prepare(&soft, Passes::default()).expect("ready");
    // Means of four by four pixels, as the eye takes them together.
    let means = |pixels: &[[u8; 4]]| {
        let mut means = vec![[0.0f32; 4]; 30 * 23];
        for (place, pixel) in pixels.iter().enumerate() {
            let mean = &mut means[place / 120 / 4 * 30 + place % 120 / 4];
            for (sum, part) in mean.iter_mut().zip(colours::point(*pixel)) {
                *sum += part / 16.0;
            }
        }
        means
    };
    let wanted = means(&shown(&soft));
    let off = |dial: u8| {
        let found = means(&at(&*ready, dial).2);
        let apart = found
            .iter()
            .zip(&wanted)
            .map(|(a, b)| colours::distance(*a, *b));
        apart.sum::<f32>()
    };
    let off = [1, 15, 40, 60, 80, 90, 100].map(off);
    assert!(off.is_sorted_by(|a, b| a > b), "{off:?}");
}

#[test]
fn little_of_a_colour_is_still_that_colour() {
    // A small red light among many greens.
    let lamp = raster((120, 90), |x, y| match (x, y) {
        (50..54, 40..43) => [200, 40, 40, 255],
        _ => [(x / 2) as u8, (90 + y) as u8, (60 + (x + y) / 4) as u8, 255],
    });
    let ready = Png.prepare(&lamp, Passes::default()).expect("ready");
    for dial in [25, 50, 75] {
        let (_, _, found) = at(&*ready, dial);
        assert_eq!(found[41 * 120 + 52], [200, 40, 40, 255], "{dial}");
    }
}

#[test]
fn strokes_on_white_get_no_shadows() {
    // Soft strokes, one pixel of grey on either side, and a photo beside them that wants colours.
    let page = raster((160, 80), |x, y| match x {
        0..80 => match x % 16 {
            4..7 => [0, 0, 0, 255],
            3 | 7 => [128, 128, 128, 255],
            _ => [255; 4],
        },
        _ => [(x * 7 + y) as u8, (y * 3) as u8, (x ^ y) as u8, 255],
    });
    let wanted = shown(&page);
    let ready = Png.prepare(&page, Passes::default()).expect("ready");
    for dial in [40, 60, 80, 100] {
        let (_, _, found) = at(&*ready, dial);
        for (place, (found, wanted)) in found.iter().zip(&wanted).enumerate() {
            let grounds = place % 160 < 78 && !matches!(place % 16, 2 | 3 | 7 | 8);
            assert!(
                !grounds || found == wanted,
                "{dial}: {place}: {found:?}, not {wanted:?}"
            );
        }
    }
}
