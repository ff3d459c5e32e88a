//! A tile: blocks predicted, transformed, quantised and put together again as a decoder does, and their symbols.

mod code;
mod copies;
mod exact;
mod foretold;
mod leaf;
mod palettes;
mod render;
mod search;

pub(crate) use copies::Past;
pub(crate) use search::{Care, Effort};

use std::sync::Arc;

use crate::block::{Leaf, Node, Part};
use crate::coefs::{Context, Seen};
use crate::context::{Known, Side};
use crate::filter::Outline;
use crate::frame::{Frame, Price, SUPERBLOCK};
use crate::ground::Ground;
use crate::odds::Odds;
use crate::picture::{Chroma, Plane};
use crate::quant::Scales;
use crate::range::{Learner, Sink};
use crate::shape::Shape;
use crate::transform::Kind;
use copies::Trail;

/// A transform block of a leaf.
#[derive(Clone, Copy)]
struct Place {
    plane: usize,
    shape: Shape,
    kind: Kind,
    /// Its levels within those of the leaf.
    levels: usize,
    /// What its errors cost.
    errors: f32,
    context: Context,
    /// Within the plane, in samples.
    at: (usize, usize),
}

/// The levels of a transform block, and what they stand for.
struct Held {
    levels: Vec<i32>,
    values: Vec<i32>,
}

impl Default for Held {
    fn default() -> Held {
        Held {
            levels: vec![0; 32 * 32],
            values: vec![0; 32 * 32],
        }
    }
}

/// Leaves as they were rendered, in order, to be coded again.
#[derive(Default)]
pub(crate) struct Log {
    places: Vec<Place>,
    levels: Vec<i16>,
    /// Where each leaf ends in both.
    ends: Vec<(usize, usize)>,
}

/// A row of superblocks of a tile, under way.
pub(crate) struct Row<'a> {
    pub frame: &'a Frame,
    pub ground: &'a Ground,
    /// What decoders will show, with a line of samples above it.
    pub shown: Vec<Plane>,
    pub odds: Odds,
    above: Side,
    left: Side,
    known: Known,
    /// The blocks that stand there and above, and what is shown, where blocks may be copied.
    trail: Trail,
    past: Arc<Past>,
    /// What filters have to know; it begins with the row.
    pub outline: Outline,
    pub log: Log,
    /// How the superblock at hand is quantised.
    scales: Arc<Scales>,
    /// The quantiser that was told last, and the next until it is told.
    quantiser: u8,
    turn: Option<u8>,
    /// What errors cost in the block at hand.
    price: Price,
    /// The levels of the leaf that was rendered last, and where they belong.
    levels: Vec<i32>,
    places: Vec<Place>,
    /// What transform blocks that were shown cost, counted up.
    spent: f32,
    /// The transform block that was quantised last, and two that were put aside.
    quantised: [Held; 3],
    /// Room for what comes before: differences, coefficients, and what lies between rows and columns.
    residual: Vec<i32>,
    coefs: Vec<i32>,
    middle: Vec<i32>,
    seen: Seen,
    /// Room for what luma differs where chroma is told from it.
    differences: Vec<i32>,
    /// Room for predictions.
    predicted: Vec<u16>,
    /// How the directional filter is chosen, until that is told: so many bits of a number.
    choice: Option<(u32, u32)>,
}

impl<'a> Row<'a> {
    /// A row of a tile, by its number; symbols are as likely as is known, or as the standard has them.
    pub fn new(
        (frame, ground): (&'a Frame, &'a Ground),
        index: usize,
        odds: Option<&Odds>,
        past: &Arc<Past>,
    ) -> Row<'a> {
        let (across, down) = frame.units();
        let band = |(plane, source): (usize, &Plane)| {
            let (_, y) = frame.chroma.shift(plane);
            Plane::band(source.width(), (index * 64) >> y, 64 >> y)
        };
        let origin = index * 16;
        let (height, rows) = ((down - origin).min(16), frame.size.1 - origin * 4);
        let size = (frame.size.0, rows.min(64));
        Row {
            frame,
            price: frame.price,
            scales: Arc::clone(&frame.scales),
            quantiser: frame.quantiser,
            turn: None,
            shown: ground.source.iter().enumerate().map(band).collect(),
            ground,
            odds: odds.map_or_else(|| Odds::new(frame.quantiser), Odds::clone),
            above: Side::new(across.div_ceil(16) * 16, frame.has_palettes),
            left: Side::new(16, frame.has_palettes),
            known: Known::new(frame.chroma, (0, 0)),
            trail: Trail::new(frame, origin),
            past: Arc::clone(past),
            outline: Outline::new((across, height), frame.chroma, frame.depth, size),
            log: Log::default(),
            choice: None,
            levels: Vec::new(),
            places: Vec::new(),
            spent: 0.0,
            quantised: Default::default(),
            residual: vec![0; 64 * 64],
            coefs: vec![0; 32 * 32],
            middle: vec![0; 64 * 64],
            seen: Seen::default(),
            differences: vec![0; 32 * 32],
            predicted: vec![0; 64 * 64],
        }
    }

    /// Takes over what a superblock of the row above says to this one, and what that row has learnt of symbols.
    pub fn follow(&mut self, above: &Row<'_>, superblock: usize, begins: bool) {
        for (plane, (own, other)) in self.shown.iter_mut().zip(&above.shown).enumerate() {
            let (x, _) = self.frame.chroma.shift(plane);
            let (line, width) = (own.top(), 64 >> x);
            let from = other.row(superblock * width, line, width);
            own.row_mut(superblock * width, line, width)
                .copy_from_slice(from);
        }
        let cells = superblock * 16..(superblock + 1) * 16;
        self.above.cells[cells.clone()].copy_from_slice(&above.above.cells[cells.clone()]);
        if self.frame.has_palettes {
            self.above.palettes[cells.clone()].copy_from_slice(&above.above.palettes[cells]);
        }
        self.trail
            .follow(&above.trail, superblock * 16..(superblock + 1) * 16);
        let (x, _) = self.frame.chroma.shift(1);
        let tints = (superblock * 16) >> x..((superblock + 1) * 16) >> x;
        self.above.tints[tints.clone()].copy_from_slice(&above.above.tints[tints]);
        if begins {
            self.odds = above.odds.clone();
        }
    }

    /// Renders and codes a superblock as it was decided.
    pub fn superblock(&mut self, at: (usize, usize), node: &mut Node) {
        self.learn(at, node, |row, at, shape, leaf| {
            row.render(at, shape, leaf);
        });
    }

    /// The same with every leaf of it decided anew.
    pub fn refine(&mut self, care: &Care, at: (usize, usize), node: &mut Node) {
        self.learn(at, node, |row, at, shape, leaf| {
            *leaf = row.leaf_again(care, at, shape, leaf.luma);
        });
    }

    /// Goes through a superblock whose leaves are made one by one, notes them, and learns from their symbols.
    fn learn(
        &mut self,
        at: (usize, usize),
        node: &mut Node,
        make: impl Fn(&mut Self, (usize, usize), Shape, &mut Leaf),
    ) {
        self.enter(at);
        let mut ready = |row: &mut Self, at: (usize, usize), shape: Shape, leaf: &mut Leaf| {
            make(row, at, shape, leaf);
            row.note(at, shape);
        };
        self.walk(&mut Learner, at, SUPERBLOCK, node, &mut ready);
    }

    /// Begins a superblock.
    fn enter(&mut self, at: (usize, usize)) {
        if at.0 == 0 {
            self.left = Side::new(16, self.frame.has_palettes);
        }
        let (across, down) = self.frame.units();
        self.known = Known::new(self.frame.chroma, (across - at.0, down - at.1));
        self.scales = self.frame.scales_of(self.quantiser_of(at));
    }

    /// The quantiser of a superblock.
    fn quantiser_of(&self, at: (usize, usize)) -> u8 {
        let (across, down) = self.frame.units();
        let inside = (16.min(across - at.0), 16.min(down - at.1));
        self.frame.quantiser_where(self.busy(at, inside))
    }

    /// Codes a block with all in it, each leaf once it is made ready.
    fn walk<S: Sink>(
        &mut self,
        sink: &mut S,
        at: (usize, usize),
        side: u8,
        node: &mut Node,
        ready: &mut impl FnMut(&mut Self, (usize, usize), Shape, &mut Leaf),
    ) {
        self.code_cut(sink, at, side, node.cut);
        let inside = self.inside(at, node.cut.parts(side));
        for ((at, shape), part) in inside.into_iter().zip(&mut node.parts) {
            match part {
                Part::Leaf(leaf) => {
                    ready(self, at, shape, leaf);
                    self.code(sink, at, shape, leaf);
                }
                Part::Node(node) => self.walk(sink, at, shape.w, node, ready),
            }
        }
    }

    /// What errors cost in a block, by how busy it is.
    fn price_in(&self, at: (usize, usize), shape: Shape) -> Price {
        let busy = self.busy(at, (shape.width4(), shape.height4()));
        self.frame.price_where(busy)
    }

    /// How busy it is in some units, on average.
    fn busy(&self, at: (usize, usize), (width, height): (usize, usize)) -> f32 {
        let across = self.ground.source[0].width() / 8;
        let (mut sum, mut count) = (0.0, 0.0);
        for y in (at.1 / 2)..((at.1 + height).div_ceil(2)) {
            for x in (at.0 / 2)..((at.0 + width).div_ceil(2)) {
                sum += self.ground.busy[y * across + x];
                count += 1.0;
            }
        }
        sum / count
    }

    /// Notes the leaf that was rendered last.
    fn note(&mut self, at: (usize, usize), shape: Shape) {
        for place in &self.places {
            let rows = 16 >> self.frame.chroma.shift(place.plane).1;
            let unit = (place.at.0 / 4, (place.at.1 / 4) & (rows - 1));
            self.outline.transform(place.plane, unit, place.shape);
        }
        self.outline.skip((at.0, at.1 & 15), shape, self.skips());
        self.log.places.extend_from_slice(&self.places);
        self.log
            .levels
            .extend(self.levels.iter().map(|&level| level as i16));
        self.log
            .ends
            .push((self.log.places.len(), self.log.levels.len()));
    }

    /// Whether the leaf that was rendered last has no coefficients.
    fn skips(&self) -> bool {
        self.levels.iter().all(|&level| level == 0)
    }

    /// The parts of a block that begin within the picture, with where.
    pub fn inside(
        &self,
        at: (usize, usize),
        parts: Vec<((usize, usize), Shape)>,
    ) -> Vec<((usize, usize), Shape)> {
        let (across, down) = self.frame.units();
        let moved = parts
            .into_iter()
            .map(|((x, y), shape)| ((at.0 + x, at.1 + y), shape));
        moved
            .filter(|((x, y), _)| *x < across && *y < down)
            .collect()
    }

    /// The cuts that a block may have, by where it meets the ends of the picture: all, or a split or the one that goes
    /// along that end.
    pub fn may_cut(&self, at: (usize, usize), side: u8) -> (bool, bool) {
        let half = 1 << (side - 3);
        let (across, down) = self.frame.units();
        (at.0 + half < across, at.1 + half < down)
    }

    /// Whether a block codes chroma: small ones share it with those before them.
    pub fn has_chroma(&self, (x, y): (usize, usize), shape: Shape) -> bool {
        let (across, down) = self.frame.chroma.shift(1);
        let has = |at: usize, length: u8, shift: u8| shift == 0 || length > 2 || at & 1 == 1;
        self.frame.chroma != Chroma::None && has(x, shape.w, across) && has(y, shape.h, down)
    }
}

/// A tile that was rendered, on its way into a file.
pub(crate) struct Written<'a> {
    row: Row<'a>,
    /// How many leaves of the row are coded by now.
    leaf: usize,
}

impl<'a> Written<'a> {
    pub fn new(frame: &'a Frame, ground: &'a Ground) -> Written<'a> {
        Written {
            row: Row::new((frame, ground), 0, None, &Arc::default()),
            leaf: 0,
        }
    }

    /// Begins a row, as it was rendered.
    pub fn enter(&mut self, log: Log, is_first: bool) {
        if !is_first {
            self.row.trail.advance();
        }
        self.row.log = log;
        self.leaf = 0;
    }

    /// Codes a superblock, with so many bits of a number for its directional filter.
    pub fn superblock<S: Sink>(
        &mut self,
        sink: &mut S,
        at: (usize, usize),
        node: &mut Node,
        choice: (u32, u32),
    ) {
        let Written { row, leaf: next } = self;
        row.enter(at);
        row.choice = Some(choice).filter(|(bits, _)| *bits > 0);
        row.turn = row.frame.spread.as_ref().map(|_| row.quantiser_of(at));
        row.walk(sink, at, SUPERBLOCK, node, &mut |row, _, _, _| {
            let log = &row.log;
            let before = next.checked_sub(1);
            let start = before.map_or((0, 0), |before| log.ends[before]);
            let end = log.ends[*next];
            *next += 1;
            let levels = log.levels[start.1..end.1].iter().map(|&level| level.into());
            row.levels = levels.collect();
            row.places = log.places[start.0..end.0].to_vec();
        });
    }
}

#[cfg(test)]
mod tests;
