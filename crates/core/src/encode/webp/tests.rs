use super::*;
use crate::encode::painted::painted;

#[test]
fn a_lower_dial_makes_transparent_stripes_lighter() {
    let stripes = painted((160, 120), |x, y| {
        let wave = (x * 3 + y * 5) % 97 + (x * y / 7) % 53;
        [250, 250, 250, (wave * 3 / 2) as u8]
    });
    let ready = WebP.prepare(&stripes, Passes::default()).expect("ready");
    let weight = |dial: u8| {
        let manner = Manner {
            coding: Coding::Dial(dial),
            chroma: Chroma::Full,
            pace: Pace::Steady,
        };
        ready.encode(manner).expect("a file").len()
    };
    let weights = [100, 60, 20].map(weight);
    assert!(weights.is_sorted_by(|a, b| a > b), "{weights:?}");
    assert!(weights[1] * 3 < weights[0] * 5 / 2, "{weights:?}");
}

#[test]
fn the_dial_of_transparency_rises_with_the_dial() {
    let all: Vec<i32> = (0..=100).map(alpha_quality).collect();
    assert!(
        all.is_sorted() && all[0] == 20 && all[100] == 100,
        "{all:?}"
    );
}
