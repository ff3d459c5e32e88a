//! Whole pictures from random decisions, as an independent decoder shows them.

mod covered;

use std::sync::Mutex;

use crate::block::{self, Leaf, Luma, Node, Offset, Part, TRANSFORMS, Tint};
use crate::encoder::{Pace, encode};
use crate::filter::{self, Filters, Strength};
use crate::frame::{Frame, Price, SUPERBLOCK};
use crate::headers::Colour;
use crate::palette::{self, Palette};
use crate::picture::{Chroma, Depth, Picture, Plane};
use crate::predict::Mode;
use crate::quant::Scales;
use crate::shape::{Cut, Shape};
use crate::stream::{self, decoded::decoded};
use crate::tile::Row;
use crate::transform::Kind;
use covered::Covered;

/// Numbers that look random (xorshift, multiplied).
struct Dice(u64);

impl Dice {
    fn roll(&mut self, sides: usize) -> usize {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        (self.0.wrapping_mul(0x2545_f491_4f6c_dd1d) >> 33) as usize % sides
    }

    fn of<T: Copy>(&mut self, all: &[T]) -> T {
        all[self.roll(all.len())]
    }
}

/// A picture with flat parts, waves and noise.
fn picture(
    dice: &mut Dice,
    chroma: Chroma,
    depth: Depth,
    (width, height): (usize, usize),
) -> Picture {
    let planes = (0..chroma.planes()).map(|index| {
        let (width, height) = chroma.size(index, (width, height));
        let (dx, dy, noise) = (dice.roll(9), dice.roll(9), 1 << dice.roll(7));
        let most = (1 << depth.bits()) - 1;
        let samples = (0..width * height).map(|at| {
            let (x, y) = (at % width, at / width);
            let wave = (x * dx + y * dy) * (most / 255);
            let noise = if (x / 50 + y / 50) % 3 == 0 { 1 } else { noise };
            ((wave + dice.roll(noise)) % (most + 1)) as u16
        });
        Plane::new(width, samples.collect()).expect("whole rows")
    });
    Picture::new(chroma, depth, planes.collect()).expect("planes that fit")
}

fn node(dice: &mut Dice, tile: &Row<'_>, at: (usize, usize), side: u8) -> Node {
    let cuts = if side == 3 {
        &Cut::ALL[..4]
    } else {
        &Cut::ALL[..]
    };
    let cut = match tile.may_cut(at, side) {
        (true, true) => dice.of(cuts),
        (true, false) => dice.of(&[Cut::Horizontal, Cut::Split]),
        (false, true) => dice.of(&[Cut::Vertical, Cut::Split]),
        (false, false) => Cut::Split,
    };
    let inside = tile.inside(at, cut.parts(side));
    let parts = inside.into_iter().map(|(at, shape)| match cut {
        Cut::Split if side > 3 => Part::Node(node(dice, tile, at, shape.w)),
        _ => Part::Leaf(Box::new(leaf(dice, tile, at, shape))),
    });
    Node {
        cut,
        parts: parts.collect(),
    }
}

fn leaf(dice: &mut Dice, tile: &Row<'_>, at: (usize, usize), shape: Shape) -> Leaf {
    let mode = |dice: &mut Dice| {
        let mode = dice.of(&Mode::ALL);
        let has_delta = mode.angle().is_some() && block::has_angles(shape);
        (mode, if has_delta { dice.roll(7) as i8 - 3 } else { 0 })
    };
    let luma = match dice.roll(4) {
        0 if block::has_filters(shape) => Luma::Filter(dice.roll(5) as u8),
        _ => {
            let (mode, delta) = mode(dice);
            Luma::Mode(mode, delta)
        }
    };
    let lossless_size = shape.in_plane(tile.frame.chroma.shift(1)) == Shape::square(2);
    let may_be_luma = if tile.frame.is_lossless() {
        lossless_size
    } else {
        block::has_luma_tint(shape)
    };
    let tint = match dice.roll(3) {
        0 if tile.has_chroma(at, shape) && may_be_luma => {
            Tint::Luma([dice.roll(33) as i8 - 16, dice.of(&[-16, -3, 1, 16])])
        }
        _ => {
            let (mode, delta) = mode(dice);
            Tint::Mode(mode, delta)
        }
    };
    let deepest = (shape.longer() - 2).min(2);
    let depth = dice.roll(usize::from(deepest) + 1) as u8;
    let mut leaf = Leaf {
        luma,
        tint,
        depth,
        kinds: [Kind::Cosine; TRANSFORMS],
        copied: None,
        palettes: None,
    };
    if let Some(copied) = copied(dice, tile, (at, shape)) {
        return copied;
    }
    palettes(dice, tile, (at, shape), &mut leaf);
    let transform = leaf.transform(shape);
    let few = tile.frame.few_kinds || transform.shorter() == 4;
    let kinds: &[Kind] = if few { &Kind::FIVE } else { &Kind::ALL };
    if transform.longer() < 5 {
        leaf.kinds = leaf.kinds.map(|_| dice.of(kinds));
    }
    leaf
}

/// A copied block, where there is anything to copy.
fn copied(dice: &mut Dice, tile: &Row<'_>, (at, shape): ((usize, usize), Shape)) -> Option<Leaf> {
    if !tile.may_be_copied(shape) || dice.roll(3) == 0 {
        return None;
    }
    let offset = |dice: &mut Dice| Offset {
        x: dice.roll(160) as i16 - 80,
        y: dice.roll(130) as i16 - 120,
    };
    let offsets = (0..50).map(|_| offset(dice));
    let offset = offsets
        .into_iter()
        .find(|&offset| tile.may_copy(at, shape, offset))?;
    let longer = shape.transform().longer();
    let kind = match longer < 5 && !tile.frame.is_lossless() {
        true if tile.frame.few_kinds => dice.of(&[Kind::Identity, Kind::Cosine]),
        true => dice.of(&Kind::ALL),
        false => Kind::Cosine,
    };
    Some(Leaf::copied(offset, kind))
}

/// Gives some blocks palettes.
fn palettes(
    dice: &mut Dice,
    tile: &Row<'_>,
    (at, shape): ((usize, usize), Shape),
    leaf: &mut Leaf,
) {
    if !tile.frame.has_palettes || !palette::has_palettes(shape) {
        return;
    }
    let most = 1 << tile.frame.depth.bits();
    let colours = |dice: &mut Dice, near: usize| {
        let base = dice.roll(most - near + 1);
        let count = 2 + dice.roll(7);
        let colours = (0..count).map(|_| (base + dice.roll(near)) as u16);
        colours.collect::<Vec<u16>>()
    };
    let near = [12, 200, most];
    if dice.roll(2) == 0 {
        let wide = dice.of(&near);
        let mut own = colours(dice, wide);
        own.sort_unstable();
        own.dedup();
        if own.len() > 1 {
            leaf.luma = Luma::Mode(Mode::Mean, 0);
            leaf.set_palettes(0, &[Palette::new(&own)]);
        }
    }
    if tile.has_chroma(at, shape) && dice.roll(2) == 0 {
        leaf.tint = Tint::Mode(Mode::Mean, 0);
        let wide = [dice.of(&near), dice.of(&near)];
        let mut first = colours(dice, wide[0]);
        first.sort_unstable();
        let mut second = colours(dice, wide[1]);
        let last = second[0];
        second.resize(first.len(), last);
        leaf.set_palettes(1, &[Palette::new(&first), Palette::new(&second)]);
    }
}

/// Makes a picture of random decisions and shows it; returns what it was made with.
fn agree(seed: u64) -> Covered {
    let mut dice = Dice(seed.wrapping_mul(0x9e37_79b9_7f4a_7c15) | 1);
    let chroma = dice.of(&[Chroma::None, Chroma::Halved, Chroma::Full]);
    let depth = dice.of(&[Depth::Eight, Depth::Ten]);
    let mut size = (1 + dice.roll(130), 1 + dice.roll(130));
    let has_palettes = dice.roll(2) == 0;
    let has_copies = has_palettes && dice.roll(2) == 0;
    if has_copies {
        // Wide and high enough that there is something to copy, from all sides.
        size = (size.0 + 300, size.1 + 70);
    }
    let picture = picture(&mut dice, chroma, depth, size);
    let quantiser = dice.of(&[0, 5, 40, 120, 200, 255]);
    let weights = [dice.of(&[15, 15, 0, 7, 14]), dice.of(&[15, 0, 9])];
    let scales = Scales::new(quantiser, depth, weights);
    let frame = Frame {
        chroma,
        depth,
        size,
        quantiser,
        price: Price::new(scales.steps),
        scales: scales.into(),
        few_kinds: dice.roll(4) == 0,
        has_palettes,
        has_copies,
        spread: (quantiser > 0 && dice.roll(2) == 0).then(Default::default),
        filters_edges: dice.roll(4) > 0,
        busy: 10.0,
    };
    let strength = |dice: &mut Dice| (dice.roll(16) as u8, dice.of(&[0, 1, 2, 4]));
    let count = 1 << dice.roll(4);
    let mut strengths: Vec<Strength> = Vec::new();
    for _ in 0..count {
        strengths.push(Strength {
            luma: strength(&mut dice),
            chroma: strength(&mut dice),
        });
    }
    let mut levels = [0; 4].map(|_: u8| dice.of(&[0, 5, 20, 63]));
    if levels[..2] == [0, 0] {
        levels = [0; 4];
    }
    let filters = Filters {
        levels,
        damping: 3 + dice.roll(4) as u8,
        strengths,
    };
    let made = Mutex::new(Covered::default());
    made.lock().expect("one").frame(&frame, &filters);
    let mut others = Dice(seed + 1);
    let grounds = stream::grounds(&frame, &picture).expect("tiles");
    let coded = stream::coded(
        &frame,
        &grounds,
        Colour::default(),
        (
            |_| None,
            |_, row, at| {
                // Superblocks are made in no particular order.
                let mut dice = Dice(
                    (seed ^ (at.0 << 20 | at.1 << 4) as u64).wrapping_mul(0x9e37_79b9_7f4a_7c15)
                        | 1,
                );
                let mut node = node(&mut dice, row, at, SUPERBLOCK);
                row.superblock(at, &mut node);
                made.lock().expect("one").superblock(row.frame, &node);
                node
            },
        ),
        |shown, _, outline| {
            filter::soften(shown, outline, filters.levels);
            let choices = outline.superblocks().map(|_| others.roll(count) as u8);
            (filters.clone(), choices.collect())
        },
    );
    let coded = coded.expect("a picture");
    let seen = decoded(&coded.units).unwrap_or_else(|error| panic!("{seed} {frame:?}: {error}"));
    if quantiser == 0 {
        assert!(coded.shown == picture, "{seed} {frame:?}: not lossless");
    }
    for (index, (ours, theirs)) in coded.shown.planes().iter().zip(seen.planes()).enumerate() {
        let mut pairs = ours.samples().iter().zip(theirs.samples());
        if let Some(at) = pairs.position(|(a, b)| a != b) {
            panic!(
                "{seed} {frame:?}: plane {index} at {} {}",
                at % ours.width(),
                at / ours.width()
            );
        }
    }
    assert!(coded.shown == seen);
    made.into_inner().expect("one")
}

#[test]
fn random_decisions_are_shown_alike() {
    let mut covered = Covered::none();
    let mut failed = Vec::new();
    for seed in 1..400 {
        match std::panic::catch_unwind(|| agree(seed)) {
            Ok(own) => covered.add(own),
            Err(_) => failed.push(seed),
        }
    }
    assert!(failed.is_empty(), "{failed:?}");
    assert!(covered.amiss().is_empty(), "{:?}", covered.amiss());
}

#[test]
fn every_pace_makes_what_it_says_and_worse_is_lighter() {
    let mut dice = Dice(77);
    for chroma in [Chroma::None, Chroma::Halved, Chroma::Full] {
        let picture = picture(&mut dice, chroma, Depth::Eight, (100, 75));
        for pace in [Pace::Quick, Pace::Steady, Pace::Patient] {
            let weights = [0, 30, 120, 255].map(|quantiser| {
                let coded = encode(&picture, Colour::default(), quantiser, pace);
                let coded = coded.expect("a picture");
                let which = format!("{chroma:?} {pace:?} {quantiser}");
                assert!(decoded(&coded.units) == Ok(coded.shown.clone()), "{which}");
                assert!((coded.shown == picture) == (quantiser == 0), "{which}");
                coded.units.len()
            });
            assert!(weights.is_sorted_by(|a, b| a > b), "{pace:?} {weights:?}");
        }
    }
}

#[test]
fn pictures_of_several_tiles_are_shown_alike() {
    let flat = Plane::filled(4096, 2310, 77);
    let tall = Picture::new(Chroma::None, Depth::Eight, vec![flat]).expect("a plane");
    let wide = picture(&mut Dice(5), Chroma::Halved, Depth::Eight, (4150, 70));
    for picture in [wide, tall] {
        let coded = encode(&picture, Colour::default(), 150, Pace::Quick).expect("a picture");
        assert!(decoded(&coded.units) == Ok(coded.shown));
    }
}
