//! What is told of a tile before any quantiser is known: computed once, for however many encodes.

use std::cmp::Ordering;
use std::sync::OnceLock;

use rayon::prelude::*;

use crate::block::{self, Luma};
use crate::context::Known;
use crate::frame::{Frame, Price, SUPERBLOCK};
use crate::grain;
use crate::odds::Odds;
use crate::once::once;
use crate::palette;
use crate::picture::{Depth, Picture, Plane};
use crate::predict::Mode;
use crate::quant::Steps;
use crate::range::{self, BIT};
use crate::repeats::Repeats;
use crate::satd;
use crate::shape::Shape;

/// So many modes of a block are kept.
pub(crate) const KEPT: usize = 5;

/// The side of the smallest block, as a logarithm.
pub(crate) const SMALLEST: u8 = 2;

/// A square block predicted from its neighbours in the picture itself, not from what decoders will show of them.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Guess {
    /// What differs in the best mode, after a Hadamard transform.
    pub off: u32,
    /// The modes that predict best.
    pub modes: [Luma; KEPT],
}

/// A tile of a picture.
pub(crate) struct Ground {
    /// What is coded, as large as all superblocks.
    pub source: Vec<Plane>,
    /// The standard deviation of luma in each cell of 8 × 8.
    pub busy: Vec<f32>,
    guesses: OnceLock<Guesses>,
    /// Of squares of 4 and of 8.
    repeats: [OnceLock<Repeats>; 2],
}

/// Those of the blocks of every size.
struct Guesses {
    /// Superblocks in a row.
    across: usize,
    /// For each side from the smallest, row by row.
    sides: Vec<Vec<Guess>>,
}

impl Ground {
    /// That of a frame, or of the part of it that a tile is, whatever its quantiser.
    pub fn new(frame: &Frame, picture: &Picture) -> Ground {
        let (across, down) = frame.units();
        let whole = |units: usize| units.div_ceil(16) * 64;
        let padded = |(index, plane): (usize, &Plane)| {
            let (x, y) = frame.chroma.shift(index);
            plane.resized(whole(across) >> x, whole(down) >> y)
        };
        let source: Vec<Plane> = picture.planes().iter().enumerate().map(padded).collect();
        Ground {
            busy: activity(&source[0], frame.depth),
            source,
            guesses: OnceLock::new(),
            repeats: Default::default(),
        }
    }

    /// Where it shows again what it showed before, in squares of 4 or of 8.
    pub fn repeats(&self, frame: &Frame, side: usize) -> &Repeats {
        once(&self.repeats[side / 8], || {
            Repeats::new(&self.source, frame.chroma, side)
        })
    }

    /// How a square block that begins within the picture is predicted best.
    pub fn guess(&self, frame: &Frame, at: (usize, usize), side: u8) -> &Guess {
        let guesses = once(&self.guesses, || Guesses::new(frame, &self.source[0]));
        let across = guesses.across << (SUPERBLOCK - side);
        let place = (at.1 >> (side - 2)) * across + (at.0 >> (side - 2));
        &guesses.sides[usize::from(side - SMALLEST)][place]
    }
}

impl Guesses {
    fn new(frame: &Frame, luma: &Plane) -> Guesses {
        let (across, down) = (luma.width() / 64, luma.height() / 64);
        let rows: Vec<Vec<Vec<Guess>>> = (0..down)
            .into_par_iter()
            .map(|row| Strip::new(frame, luma, row).sides)
            .collect();
        let mut sides = vec![Vec::new(); usize::from(SUPERBLOCK - SMALLEST) + 1];
        for row in rows {
            for (all, own) in sides.iter_mut().zip(row) {
                all.extend(own);
            }
        }
        Guesses { across, sides }
    }
}

/// The guesses of the blocks of a row of superblocks.
struct Strip<'a> {
    frame: &'a Frame,
    luma: &'a Plane,
    /// Its number among those of the tile.
    row: usize,
    odds: Odds,
    /// What a unit of the transformed difference costs.
    weight: f32,
    predicted: Vec<u16>,
    /// For each side from the smallest, row by row.
    sides: Vec<Vec<Guess>>,
}

/// The side of the blocks that modes are looked for in, as a logarithm: others are told by them.
const MEASURED: u8 = 3;

/// Modes that are tried in blocks of that side, beside the directions that they run in, and in all blocks.
const UPRIGHT: [Mode; 4] = [
    Mode::Vertical,
    Mode::Horizontal,
    Mode::SmoothVertical,
    Mode::SmoothHorizontal,
];
const USUAL: [Mode; 3] = [Mode::Mean, Mode::Smooth, Mode::Paeth];

impl<'a> Strip<'a> {
    fn new(frame: &'a Frame, luma: &'a Plane, row: usize) -> Strip<'a> {
        let blank = Guess {
            off: 0,
            modes: [Luma::Mode(Mode::Mean, 0); KEPT],
        };
        let blocks = |side: u8| (luma.width() * 64) >> (2 * side);
        let sides = (SMALLEST..=SUPERBLOCK).map(|side| vec![blank; blocks(side)]);
        let mut strip = Strip {
            frame,
            luma,
            row,
            odds: Odds::new(MIDDLE),
            weight: Price::new(Steps::new(MIDDLE, frame.depth)).difference(0),
            predicted: vec![0; 64 * 64],
            sides: sides.collect(),
        };
        strip.fill(MEASURED);
        (SMALLEST..MEASURED).for_each(|side| strip.fill(side));
        (MEASURED + 1..=SUPERBLOCK).for_each(|side| strip.fill(side));
        strip
    }

    /// Those of a size.
    fn fill(&mut self, side: u8) {
        let superblocks = self.luma.width() / 64;
        let each = 1 << (SUPERBLOCK - side);
        for superblock in 0..superblocks {
            let origin = (superblock * 16, self.row * 16);
            each_block(self.frame, origin, side, |known, at| {
                let (x, y) = (at.0 >> (side - 2), (at.1 - origin.1) >> (side - 2));
                let named = self.named((x, y), side);
                self.sides[usize::from(side - SMALLEST)][y * superblocks * each + x] =
                    self.guess(known, (at, side), &named);
            });
        }
    }

    /// The modes that are worth trying in a block, by those of the smaller or larger ones that were tried in all.
    fn named(&self, (x, y): (usize, usize), side: u8) -> Vec<Luma> {
        let guess = |side: u8, x: usize, y: usize| {
            let across = self.luma.width() >> side;
            &self.sides[usize::from(side - SMALLEST)][y * across + x].modes
        };
        let mut named: Vec<Luma> = match side.cmp(&MEASURED) {
            Ordering::Equal => {
                let at = (x * grain::CELL, (self.row * 8 + y) * grain::CELL);
                let ways = grain::directions(self.luma, at);
                let straight = ways.map(|[best, ..]| Luma::Mode(best.mode(), 0));
                let mut named: Vec<Luma> = ways.into_iter().flatten().chain(straight).collect();
                named.extend(UPRIGHT.map(|mode| Luma::Mode(mode, 0)));
                named.push(Luma::Filter(0));
                named
            }
            Ordering::Less => guess(MEASURED, x / 2, y / 2)[..4].to_vec(),
            Ordering::Greater => {
                let parts = [(0, 0), (1, 0), (0, 1), (1, 1)].into_iter();
                let best = |(dx, dy): (usize, usize)| &guess(side - 1, 2 * x + dx, 2 * y + dy)[..2];
                let mut named: Vec<Luma> = parts.flat_map(best).copied().collect();
                // A stripe is flat in small blocks.
                let straight = [Mode::Vertical, Mode::Horizontal];
                named.extend(straight.map(|mode| Luma::Mode(mode, 0)));
                named
            }
        };
        named.extend(USUAL.map(|mode| Luma::Mode(mode, 0)));
        let mut kept = Vec::with_capacity(named.len());
        for luma in named {
            if !kept.contains(&luma) && block::fits(Shape::square(side), luma) {
                kept.push(luma);
            }
        }
        kept
    }

    fn guess(&mut self, known: &Known, (at, side): ((usize, usize), u8), named: &[Luma]) -> Guess {
        let (shape, at) = (Shape::square(side), (at.0 * 4, at.1 * 4));
        let (frame, depth) = (self.frame, self.frame.depth);
        let edges = frame.edges(known, (0, self.luma), at, shape);
        let mut least = u32::MAX;
        let predicted = &mut self.predicted;
        let cost = |tried: Luma| {
            tried.predict(&edges, false, predicted);
            let off = satd::satd(self.luma, at, shape, predicted, depth.bits());
            least = least.min(off);
            let mut cost = range::cost(&self.odds.key_y_mode[0][0], tried.mode() as usize);
            cost += match tried {
                Luma::Mode(mode, _) if mode.angle().is_some() => 2 * BIT,
                Luma::Mode(..) => 0,
                Luma::Filter(_) => 3 * BIT,
            };
            off as f32 * self.weight + cost as f32
        };
        let ranked = ranked(shape, named, cost);
        let mut modes = [ranked[0]; KEPT];
        modes
            .iter_mut()
            .zip(&ranked)
            .for_each(|(kept, &mode)| *kept = mode);
        Guess { off: least, modes }
    }
}

/// Goes through the square blocks of a size in a superblock that begin within the picture, in the order in which they
/// are coded, with what is known by then.
pub(crate) fn each_block(
    frame: &Frame,
    origin: (usize, usize),
    side: u8,
    mut work: impl FnMut(&Known, (usize, usize)),
) {
    let (across, down) = frame.units();
    let mut known = Known::new(frame.chroma, (across - origin.0, down - origin.1));
    let length = 1 << (side - 2);
    let each = 1 << (SUPERBLOCK - side);
    for index in 0..each * each {
        let (x, y) = (evens(index) * length, evens(index >> 1) * length);
        let at = (origin.0 + x, origin.1 + y);
        if at.0 < across && at.1 < down {
            work(&known, at);
        }
        known.set(0, (x, y), (length, length));
    }
}

/// The bits of a number at even places.
fn evens(number: usize) -> usize {
    (0..4).fold(0, |sum, bit| sum | (number >> (2 * bit) & 1) << bit)
}

/// The quantiser at which modes are weighed against what it takes to tell them.
const MIDDLE: u8 = 110;

/// Modes of luma for a block, by what each costs, the best first: those that are named, or else all. Finer angles are
/// tried towards where it gets better.
pub(crate) fn ranked(shape: Shape, named: &[Luma], mut cost: impl FnMut(Luma) -> f32) -> Vec<Luma> {
    let mut ranked: Vec<(f32, Luma)> = Vec::with_capacity(32);
    let mut rank = |luma: Luma, ranked: &mut Vec<(f32, Luma)>| {
        let cost = cost(luma);
        ranked.push((cost, luma));
        cost
    };
    for &luma in named {
        rank(luma, &mut ranked);
    }
    if named.is_empty() {
        for mode in Mode::ALL {
            rank(Luma::Mode(mode, 0), &mut ranked);
        }
        ranked.sort_by(|a, b| a.0.total_cmp(&b.0));
        let first = ranked[0].1.mode();
        if block::has_angles(shape) {
            let directed = ranked.iter().take(4).map(|(_, luma)| luma.mode());
            let directed = directed.filter(|mode| mode.angle().is_some()).take(2);
            for mode in directed.collect::<Vec<Mode>>() {
                let mut near = |delta: i8| rank(Luma::Mode(mode, delta), &mut ranked);
                let side = if near(-1) < near(1) { -1 } else { 1 };
                near(2 * side);
                near(3 * side);
            }
        }
        if block::has_filters(shape) && (first.angle().is_none() || shape.longer() < 5) {
            for filter in 0..5 {
                rank(Luma::Filter(filter), &mut ranked);
            }
        }
    }
    ranked.sort_by(|a, b| a.0.total_cmp(&b.0));
    ranked.into_iter().map(|(_, luma)| luma).collect()
}

/// Whether a picture is drawn, as letters and signs are: of the blocks that are not flat some have few colours, which
/// lie apart. Such pictures have palettes, whose colours are told from samples of few bits best: others are lighter at
/// ten bits.
pub fn is_drawn(picture: &Picture) -> bool {
    let (luma, deeper) = (&picture.planes()[0], picture.depth().bits() - 8);
    let (mut uneven, mut drawn) = (0, 0);
    // Of a block, up to one more than a palette has.
    let mut colours: Vec<u16> = Vec::with_capacity(palette::MOST + 1);
    for y in (0..luma.height()).step_by(DRAWN) {
        for x in (0..luma.width()).step_by(DRAWN) {
            let height = DRAWN.min(luma.height() - y);
            let width = DRAWN.min(luma.width() - x);
            colours.clear();
            for sample in (y..y + height).flat_map(|y| luma.row(x, y, width)) {
                if colours.len() <= palette::MOST && !colours.contains(sample) {
                    colours.push(*sample);
                }
            }
            uneven += usize::from(colours.len() > 1);
            let ends = colours.iter().min().zip(colours.iter().max());
            let range = ends.map_or(0, |(least, most)| usize::from((most - least) >> deeper));
            let is_few = (2..=palette::MOST).contains(&colours.len());
            drawn += usize::from(is_few && range >= 2 * colours.len());
        }
    }
    drawn * SOME > uneven
}

/// The side of the blocks that are looked at for that.
const DRAWN: usize = 16;

/// One of so many blocks is enough: photographs and wallpapers have less than one of 100, screens more than one of 30.
const SOME: usize = 50;

/// How busy a picture is on the whole.
pub(crate) fn busy(picture: &Picture) -> f32 {
    let luma = &picture.planes()[0];
    let whole = |side: usize| side.div_ceil(8) * 8;
    let cells = activity(
        &luma.resized(whole(luma.width()), whole(luma.height())),
        picture.depth(),
    );
    cells.iter().sum::<f32>() / cells.len() as f32
}

/// The standard deviation in each cell of 8 × 8.
fn activity(luma: &Plane, depth: Depth) -> Vec<f32> {
    let (across, down) = (luma.width() / 8, luma.height() / 8);
    // As if samples had eight bits.
    let scale = (1 << (depth.bits() - 8)) as f32;
    let cell = |at: usize| {
        let (x, y) = (at % across * 8, at / across * 8);
        let (mut sum, mut square) = (0u32, 0u32);
        for row in y..y + 8 {
            for &sample in luma.row(x, row, 8) {
                sum += u32::from(sample);
                square += u32::from(sample) * u32::from(sample);
            }
        }
        let mean = sum as f32 / 64.0;
        (square as f32 / 64.0 - mean * mean).max(0.0).sqrt() / scale
    };
    (0..across * down).map(cell).collect()
}
