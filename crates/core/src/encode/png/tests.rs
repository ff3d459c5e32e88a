use super::filter::{Choice, filtered, tried};
use super::form::Colour;
use super::*;
use crate::encode::painted::painted;

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

/// What a file has to show: a pixel that does not show has no colour.
fn shown(raster: &Raster) -> Vec<[u8; 4]> {
    Pixels::of(raster).rgba().collect()
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
            let raster = painted((side, 18 - side), paint);
            let forms = Form::exact(&Pixels::of(&raster));
            let file = written(&raster, &forms, Pace::Quick).expect("a file");
            assert!(
                visible(&read(&file).2) == shown(&raster),
                "{name}, {side} wide"
            );
        }
        let raster = painted((17, 17), paint);
        let forms = Form::exact(&Pixels::of(&raster));
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
        let raster = painted((13, 11), paint);
        for form in &Form::exact(&Pixels::of(&raster)) {
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
