//! Damage that was done on purpose is found where it was put, and named.

use std::borrow::Cow;

use super::*;
use crate::encode::{self, Chroma, Coding, Manner, Pace, Passes};
use crate::pipeline::Aims;
use crate::pixels::{Channels, Size};
use crate::plan::{CodingWish, LookWish};

/// Numbers from 0 to 1 that look random and are the same on every machine.
struct Dice(u32);

impl Dice {
    fn next(&mut self) -> f32 {
        self.0 = self.0.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        (self.0 >> 8) as f32 / (1 << 24) as f32
    }
}

const SIDE: u32 = 160;

/// Pixels as numbers, so that damage can be done to them without rounding on the way.
struct Canvas(Vec<[f32; 3]>);

impl Canvas {
    fn new(paint: impl Fn(f32, f32) -> [f32; 3]) -> Canvas {
        let pixels = (0..SIDE * SIDE).map(|at| paint((at % SIDE) as f32, (at / SIDE) as f32));
        Canvas(pixels.collect())
    }

    /// Soft hills of colour with bars, spots and a little texture, other ones for each seed.
    fn scene(seed: u32) -> Canvas {
        let mut dice = Dice(seed.wrapping_mul(977).wrapping_add(5));
        let mut roll = |from: f32, to: f32| from + dice.next() * (to - from);
        let (a, b, c) = (roll(0.02, 0.06), roll(0.03, 0.09), roll(0.0, 6.0));
        let (tone, bars) = (
            [roll(60.0, 190.0), roll(60.0, 190.0), roll(60.0, 190.0)],
            roll(9.0, 23.0),
        );
        let (bright, grain) = (roll(30.0, 60.0), roll(6.0, 14.0));
        Canvas::new(|x, y| {
            let hills = ((x * a + c).sin() + (y * b).cos()) * 14.0;
            let bar = if (x + y * 0.3) % bars < bars * 0.4 {
                bright
            } else {
                0.0
            };
            let fine = ((x * 1.9 + y * 0.7).sin() * (y * 1.7 - x * 0.4).cos()) * grain;
            tone.map(|tone| tone + hills + bar + fine)
        })
    }

    /// A sky.
    fn slope(seed: u32) -> Canvas {
        let mut dice = Dice(seed.wrapping_mul(31).wrapping_add(3));
        let (across, down, from) = (
            dice.next() * 0.3,
            0.2 + dice.next() * 0.4,
            60.0 + dice.next() * 60.0,
        );
        Canvas::new(|x, y| {
            let light = from + x * across + y * down;
            [light, light + 12.0, light + 40.0]
        })
    }

    fn raster(&self) -> Raster {
        let samples = self
            .0
            .iter()
            .flatten()
            .map(|v| v.round().clamp(0.0, 255.0) as u8);
        let size = Size::new(SIDE, SIDE).expect("a size");
        Raster::new(size, Channels::Rgb, samples.collect()).expect("whole rows")
    }

    fn at(&self, x: i64, y: i64) -> [f32; 3] {
        let inside = |value: i64| value.clamp(0, i64::from(SIDE) - 1) as usize;
        self.0[inside(y) * SIDE as usize + inside(x)]
    }

    /// Every pixel replaced by the mean of what lies in a square.
    fn means(&self, square: impl Fn(i64, i64) -> [std::ops::Range<i64>; 2]) -> Canvas {
        Canvas::new(|x, y| {
            let [across, down] = square(x as i64, y as i64);
            let all = down.flat_map(|y| across.clone().map(move |x| self.at(x, y)));
            let (sum, count) = all.fold(([0.0; 3], 0.0), |(sum, count): ([f32; 3], f32), pixel| {
                (
                    [0, 1, 2].map(|channel| sum[channel] + pixel[channel]),
                    count + 1.0,
                )
            });
            sum.map(|sum| sum / count)
        })
    }

    /// This one, with a square of another laid into its middle.
    fn with(&self, other: &Canvas) -> Canvas {
        Canvas::new(|x, y| {
            let inside = (48.0..112.0).contains(&x) && (48.0..112.0).contains(&y);
            let of = if inside { other } else { self };
            of.at(x as i64, y as i64)
        })
    }

    fn damaged(&self, damage: Damage, seed: u32) -> Canvas {
        let mut dice = Dice(seed.wrapping_add(77));
        match damage {
            Damage::Soft => {
                let reach = 1 + (dice.next() * 2.0) as i64;
                self.means(|x, y| [x, y].map(|at| at - reach..at + reach + 1))
            }
            Damage::Blocks => {
                let share = 0.5 + dice.next() * 0.4;
                let flat = self.means(|x, y| [x, y].map(|at| at / 8 * 8..at / 8 * 8 + 8));
                Canvas::new(|x, y| {
                    let (own, flat) = (self.at(x as i64, y as i64), flat.at(x as i64, y as i64));
                    [0, 1, 2].map(|channel| own[channel] + (flat[channel] - own[channel]) * share)
                })
            }
            Damage::Ringing => {
                // More than the edge itself on both of its sides, again and again.
                let wide = self.means(|x, y| [x, y].map(|at| at - 2..at + 3));
                let narrow = self.means(|x, y| [x, y].map(|at| at - 1..at + 2));
                let strength = 1.5 + dice.next();
                Canvas::new(|x, y| {
                    let (x, y) = (x as i64, y as i64);
                    let (own, wide, narrow) = (self.at(x, y), wide.at(x, y), narrow.at(x, y));
                    [0, 1, 2].map(|c| {
                        own[c] + (own[c] - wide[c]) * strength - (narrow[c] - wide[c]) * 0.5
                    })
                })
            }
            Damage::Tint => {
                let shift = [dice.next() * 8.0, -4.0, 6.0 + dice.next() * 8.0];
                Canvas::new(|x, y| {
                    let own = self.at(x as i64, y as i64);
                    [0, 1, 2].map(|channel| own[channel] + shift[channel])
                })
            }
            Damage::Banding => {
                let step = 5.0 + (dice.next() * 6.0).round();
                Canvas::new(|x, y| {
                    self.at(x as i64, y as i64)
                        .map(|value| (value / step).floor() * step + step / 2.0)
                })
            }
        }
    }
}

const MIDDLE: (u32, u32) = (56, 48);

fn middle() -> Area {
    Area {
        x: MIDDLE.0,
        y: MIDDLE.0,
        size: Size::new(MIDDLE.1, MIDDLE.1).expect("a size"),
    }
}

#[test]
fn damage_is_found_where_it_is_and_told_apart() {
    for kind in [
        Damage::Soft,
        Damage::Blocks,
        Damage::Ringing,
        Damage::Tint,
        Damage::Banding,
    ] {
        let mut told = Vec::new();
        for seed in 0..20 {
            let sound = match kind {
                Damage::Banding => Canvas::slope(seed),
                _ => Canvas::scene(seed),
            };
            let spoilt = sound.with(&sound.damaged(kind, seed)).raster();
            let sound = sound.raster();
            let judge = Judge::new(Cow::Borrowed(&sound));
            let map = judge.judge(&spoilt).map.expect("the same size");
            // The worst cell lies in what was damaged, and the corners took none.
            let worst =
                (0..map.scores.len()).min_by(|a, b| map.scores[*a].total_cmp(&map.scores[*b]));
            let worst = worst.expect("cells");
            let (column, row) = (worst % map.columns, worst / map.columns);
            assert!(
                (2..8).contains(&column) && (2..8).contains(&row),
                "{kind}: {column} {row}"
            );
            assert!(
                map.mean(0, 0, 16, 16) > Some(97.0),
                "{kind}: {:?}",
                map.mean(0, 0, 16, 16)
            );
            told.push(damage(&sound, &spoilt, middle()));
            assert_eq!(
                damage(
                    &sound,
                    &spoilt,
                    Area {
                        x: 0,
                        y: 0,
                        ..middle()
                    }
                    .cut(32)
                ),
                None
            );
        }
        let right = told.iter().filter(|told| **told == Some(kind)).count();
        assert!(right >= 18, "{kind}: {right} of 20, {told:?}");
    }
}

impl Area {
    fn cut(self, side: u32) -> Area {
        let size = Size::new(side, side).expect("a size");
        Area { size, ..self }
    }
}

#[test]
fn spots_show_what_is_looked_for_first_and_never_overlap() {
    let letters = |x: f32, y: f32| {
        (x < 120.0) && ((x / 3.0) as u32 * 7 + (y / 4.0) as u32 * 5).is_multiple_of(3)
    };
    let size = Size::new(480, 320).expect("a size");
    let samples = (0..480 * 320u32).flat_map(|at| {
        let (x, y) = ((at % 480) as f32, (at / 480) as f32);
        match (x, y) {
            (x, y) if y < 110.0 && letters(x, y) => [20u8, 20, 20],
            (x, y) if y < 110.0 && x < 130.0 => [250, 250, 250],
            (x, _) if x > 350.0 => [200, 140 + (x as u8 % 4), 110],
            _ => [(90.0 + y / 6.0) as u8, (120.0 + y / 6.0) as u8, 200],
        }
    });
    let sound = Raster::new(size, Channels::Rgb, samples.collect()).expect("whole rows");
    let spoilt = sound.samples().iter().enumerate();
    let spoilt = spoilt
        .map(|(at, v)| v.wrapping_add((at % 7 == 0) as u8 * 9))
        .collect();
    let spoilt = Raster::new(size, Channels::Rgb, spoilt).expect("whole rows");
    let judge = Judge::new(Cow::Borrowed(&sound));
    let map = judge.judge(&spoilt).map.expect("the same size");
    let found = spots(&sound, &[&map], 8);
    let shown: Vec<Shows> = found.iter().map(|spot| spot.shows).collect();
    assert_eq!(
        shown[..3],
        [Shows::Text, Shows::Skin, Shows::Smooth],
        "{shown:?}"
    );
    assert!((3..=8).contains(&found.len()));
    for (index, one) in found.iter().enumerate() {
        let (area, zoom) = (one.area, one.zoom);
        assert_eq!(
            (area.size.width() * zoom, area.size.height() * zoom),
            (CELL, CELL)
        );
        assert!(area.x + area.size.width() <= 480 && area.y + area.size.height() <= 320);
        for other in &found[index + 1..] {
            let apart = (area.x + area.size.width() <= other.area.x)
                || (other.area.x + other.area.size.width() <= area.x)
                || (area.y + area.size.height() <= other.area.y)
                || (other.area.y + other.area.size.height() <= area.y);
            assert!(apart, "{one:?} {other:?}");
        }
    }
    // What took no damage is worth no look, and a pixel is a spot of its own.
    assert_eq!(
        spots(&sound, &[&judge.judge(&sound).map.expect("a map")], 8),
        []
    );
    let dot = |level: u8| {
        Raster::new(
            Size::new(1, 1).expect("a size"),
            Channels::Rgb,
            vec![level; 3],
        )
        .expect("a row")
    };
    let (one, two) = (dot(10), dot(200));
    let map = Judge::new(Cow::Borrowed(&one))
        .judge(&two)
        .map
        .expect("a map");
    assert_eq!(spots(&one, &[&map], 8).len(), 1);
}

#[test]
fn a_sitting_makes_what_a_proof_makes_and_looks_at_the_same_spots() {
    let raster = Canvas::scene(3).raster();
    let aims = Aims {
        coding: CodingWish::default(),
        max_weight: None,
        pace: Pace::Steady,
        passes: Passes::default(),
        backdrop: Backdrop::Colour([255; 3]),
    };
    for density in [1.0, 2.0] {
        let wishes = [CodingWish::Dial(30), CodingWish::Look(LookWish::of(75.0))];
        let proof = prove(&raster, density, &[Format::Jpeg], &wishes, aims);
        let proven = &proof.formats[0];
        let fresh = Sitting::new(raster.clone(), density, aims, None);
        let told = Sitting::new(raster.clone(), density, aims, Some(&proof));
        for (wish, answer) in wishes.into_iter().zip(&proven.answers) {
            let judged = &proven.versions[answer.version];
            for sitting in [&fresh, &told] {
                let shown = sitting.show(Format::Jpeg, wish).expect("a version");
                assert_eq!(shown.version, judged.version, "{wish:?} at {density}");
                assert_eq!(shown.cells, judged.cells);
                assert_eq!(shown.tint, judged.tint.expect("a tint"));
            }
            let shown = told.show(Format::Jpeg, wish).expect("a version");
            let losses: Vec<Loss> = shown.spots.iter().map(|(_, loss)| *loss).collect();
            assert_eq!(losses, judged.losses);
        }
    }
}

#[test]
fn sights_are_where_a_piece_is_worst_whatever_its_size() {
    let sound = Canvas::scene(8).raster();
    let dull = encode::encode(
        &sound,
        Format::Jpeg,
        Manner {
            coding: Coding::Dial(8),
            chroma: Chroma::Halved,
            pace: Pace::Quick,
        },
    );
    let piece = decode::finished(Format::Jpeg.kind(), &dull.expect("a file"), sound.size());
    let piece = piece.expect("a picture");
    let white = Backdrop::Colour([255; 3]);
    let found = sights(&sound, white, Format::Jpeg, &piece);
    assert!(!found.is_empty());
    for sight in &found {
        assert_eq!(sight.original, sound.cut(sight.spot.area).expect("a part"));
        assert_eq!(sight.piece, piece.cut(sight.spot.area).expect("a part"));
        assert!(sight.loss.score < UNSEEN);
    }
    // The same picture reduced differs nowhere from a reduced piece of it.
    let size = Size::new(SIDE / 2, SIDE / 2).expect("a size");
    let half = crate::pipeline::reduced(&sound, size).expect("a picture");
    assert!(sights(&sound, white, Format::Png, &half).is_empty());
    let beyond = Area {
        x: SIDE - 3,
        y: 0,
        size,
    };
    assert!(sound.cut(beyond).is_none());
}
