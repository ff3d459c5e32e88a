//! Crops and turns that cost nothing.

use kiln_jpeg::{Layout, Options, Scale, Turning};

use crate::reading::SAMPLINGS;
use crate::support::{apart, coefficients, decoded};

const OPTIONS: Options<'_> = Options {
    layout: Layout::Sequential,
    restart: 0,
    segments: &[],
};

#[test]
fn turned_coefficients_show_the_turned_picture() {
    for (seed, samplings) in (1..).zip(SAMPLINGS) {
        // A multiple of every unit.
        let (width, height) = (96, 192);
        let made = coefficients((width, height), samplings, false, seed);
        let (_, before) = decoded(&made.write(OPTIONS), Scale::Full);
        let channels = samplings.len();
        for number in 0..8u32 {
            let turning = Turning {
                mirrored: number & 1 > 0,
                flipped: number & 2 > 0,
                transposed: number & 4 > 0,
            };
            let turned = made.turned(turning).expect("whole units");
            let (size, after) = decoded(&turned.write(OPTIONS), Scale::Full);
            let mut wanted = Vec::new();
            for y in 0..size.1 {
                for x in 0..size.0 {
                    let (x, y) = if turning.transposed { (y, x) } else { (x, y) };
                    let x = if turning.mirrored { width - 1 - x } else { x };
                    let y = if turning.flipped { height - 1 - y } else { y };
                    let at = (y * width + x) as usize * channels;
                    wanted.extend_from_slice(&before[at..at + channels]);
                }
            }
            let (most, mean) = apart(&after, &wanted);
            assert!(
                most <= 4 && mean < 0.2,
                "{samplings:?} {turning:?}: {most} {mean}"
            );
        }
    }
    let made = coefficients((95, 16), SAMPLINGS[4], false, 1);
    let turning = |mirrored, flipped| Turning {
        mirrored,
        flipped,
        transposed: false,
    };
    assert!(made.turned(turning(true, false)).is_none());
    assert!(made.turned(turning(false, true)).is_some());
}

#[test]
fn parts_show_what_they_show_in_the_whole() {
    for (seed, samplings) in (1..).zip(SAMPLINGS) {
        let made = coefficients((120, 110), samplings, false, seed);
        let (_, before) = decoded(&made.write(OPTIONS), Scale::Full);
        let unit = made.frame.unit();
        let (at, size) = (unit, (43, 29));
        let part = made.part(at, size).expect("on a unit");
        let (found, after) = decoded(&part.write(OPTIONS), Scale::Full);
        assert_eq!(found, size);
        let channels = samplings.len();
        // What is enlarged looks beyond its borders.
        for y in 4..size.1 - 4 {
            let of = |all: &[u8], width: u32, (left, top): (u32, u32)| {
                let at = ((y + top) * width + left + 4) as usize * channels;
                all[at..at + (size.0 as usize - 8) * channels].to_vec()
            };
            assert_eq!(
                of(&after, size.0, (0, 0)),
                of(&before, 120, at),
                "{samplings:?} {y}"
            );
        }
        assert!(made.part((unit.0, 1), size).is_none());
        assert!(made.part((0, 0), (121, 5)).is_none());
        assert!(made.part((96, 0), (u32::MAX, 5)).is_none());
    }
}
