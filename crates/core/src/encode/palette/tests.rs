use super::colours::{self, Class};
use super::*;
use crate::encode::painted::painted;

/// What has to be shown: a pixel that does not show has no colour.
fn wanted(raster: &Raster) -> Vec<[u8; 4]> {
    Pixels::of(raster).rgba().collect()
}

/// What is shown at a dial; behind a full palette the most is handed on.
fn at(palettes: &Palettes<'_>, dial: u8) -> Vec<[u8; 4]> {
    let few = palettes.few(
        colours_at(dial),
        f32::from(dial.saturating_sub(FULL)) * 0.03,
    );
    let shown = few.shown(palettes.raster).expect("whole rows");
    wanted(&shown)
}

/// A gradient with alpha, a flat mark on it, and nothing around.
fn badge() -> Raster {
    painted((96, 64), |x, y| match (x, y) {
        (0..8, _) => [0; 4],
        (40..60, 20..40) => [200, 30, 40, 255],
        (8..12, _) => [90, 120, 200, (x * 20) as u8],
        _ => [(60 + x) as u8, (90 + y) as u8, (250 - x - y / 2) as u8, 255],
    })
}

#[test]
fn few_colours_keep_flat_areas_what_is_solid_and_what_is_not_there() {
    let badge = badge();
    let wanted = wanted(&badge);
    let palettes = Palettes::of(&badge);
    for dial in [1, 20, 50, 80, 100] {
        let found = at(&palettes, dial);
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
        assert!(dial < 50 || colours.len() <= colours_at(dial), "{dial}");
    }
}

#[test]
fn more_of_the_dial_is_nearer_to_the_picture() {
    let soft = painted((120, 90), |x, y| {
        [
            (40 + x) as u8,
            (200 - y) as u8,
            (90 + (x + y) / 3) as u8,
            255,
        ]
    });
    let palettes = Palettes::of(&soft);
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
    let wanted = means(&wanted(&soft));
    let off = |dial: u8| {
        let found = means(&at(&palettes, dial));
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
    let lamp = painted((120, 90), |x, y| match (x, y) {
        (50..54, 40..43) => [200, 40, 40, 255],
        _ => [(x / 2) as u8, (90 + y) as u8, (60 + (x + y) / 4) as u8, 255],
    });
    let palettes = Palettes::of(&lamp);
    for dial in [25, 50, 75] {
        let found = at(&palettes, dial);
        assert_eq!(found[41 * 120 + 52], [200, 40, 40, 255], "{dial}");
    }
}

#[test]
fn strokes_on_white_get_no_shadows() {
    // Soft strokes, one pixel of grey on either side, and a photo beside them that wants colours.
    let page = painted((160, 80), |x, y| match x {
        0..80 => match x % 16 {
            4..7 => [0, 0, 0, 255],
            3 | 7 => [128, 128, 128, 255],
            _ => [255; 4],
        },
        _ => [(x * 7 + y) as u8, (y * 3) as u8, (x ^ y) as u8, 255],
    });
    let wanted = wanted(&page);
    let palettes = Palettes::of(&page);
    for dial in [40, 60, 80, 100] {
        let found = at(&palettes, dial);
        for (place, (found, wanted)) in found.iter().zip(&wanted).enumerate() {
            let grounds = place % 160 < 78 && !matches!(place % 16, 2 | 3 | 7 | 8);
            assert!(
                !grounds || found == wanted,
                "{dial}: {place}: {found:?}, not {wanted:?}"
            );
        }
    }
}
