//! A tile: blocks predicted, transformed, quantised and put together again as a decoder does, and their symbols.

mod code;
mod leaf;
mod render;
mod search;

pub(crate) use search::Effort;

use crate::block::{Luma, Node, Part};
use crate::coefs::{Context, Told};
use crate::context::{Known, Side};
use crate::filter::Outline;
use crate::odds::Odds;
use crate::picture::{Chroma, Depth, Picture, Plane};
use crate::quant::Steps;
use crate::range::{BIT, Sink};
use crate::shape::Shape;
use crate::transform::Kind;

/// The side of a superblock, as a logarithm.
pub(crate) const SUPERBLOCK: u8 = 6;

/// Which tools a frame uses, and how it is quantised.
#[derive(Clone, Debug)]
pub(crate) struct Frame {
    pub chroma: Chroma,
    pub depth: Depth,
    /// Width and height in samples.
    pub size: (usize, usize),
    /// From 0 to 255; 0 is lossless.
    pub quantiser: u8,
    pub steps: [Steps; 3],
    /// Whether only five transform types are told apart.
    pub few_kinds: bool,
    /// Whether edges are filtered for directions.
    pub filters_edges: bool,
    pub price: Price,
    /// How busy the picture is, as the mean of standard deviations.
    pub busy: f32,
}

/// What a squared error in luma and in chroma costs, in parts of a bit.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Price {
    errors: [f32; 2],
}

/// What is gained by a bit at the right price, in squared steps.
const WORTH: f32 = 0.09;

/// Errors of chroma count so many times.
const TINT: f32 = 2.0;

/// How busy the calmest picture counts, as a standard deviation.
const CALM: f32 = 6.0;

impl Price {
    /// The price at which steps of luma and chroma are worth their bits.
    pub fn new(steps: [Steps; 3]) -> Price {
        let price = |steps: Steps| {
            let step = steps.others as f32 / 8.0;
            BIT as f32 / (WORTH * step * step)
        };
        Price {
            errors: [price(steps[0]), price(steps[1]) * TINT],
        }
    }

    pub fn of(&self, plane: usize) -> f32 {
        self.errors[plane.min(1)]
    }
}

impl Frame {
    pub fn is_lossless(&self) -> bool {
        self.quantiser == 0
    }

    /// The same for a tile that begins at a superblock and has so many.
    pub fn part(&self, at: (usize, usize), size: (usize, usize)) -> Frame {
        let side = |at: usize, size: usize, whole: usize| (size * 64).min(whole - at * 64);
        Frame {
            size: (
                side(at.0, size.0, self.size.0),
                side(at.1, size.1, self.size.1),
            ),
            ..self.clone()
        }
    }

    /// What the type of a transform block of luma is told by, where it is.
    pub fn told(&self, transform: Shape, luma: Luma) -> Option<Told> {
        let is_told = !self.is_lossless() && transform.longer() < 5;
        is_told.then(|| Told {
            mode: luma.likeness() as usize,
            few: self.few_kinds,
        })
    }

    /// Width and height in units of four samples, of which there is an even number.
    pub fn units(&self) -> (usize, usize) {
        let units = |side: usize| side.div_ceil(8) * 2;
        (units(self.size.0), units(self.size.1))
    }
}

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

/// Leaves as they were rendered, in order, to be coded again.
#[derive(Default)]
struct Log {
    places: Vec<Place>,
    levels: Vec<i16>,
    /// Where each leaf ends in both.
    ends: Vec<(usize, usize)>,
}

/// A tile under way.
pub(crate) struct Tile<'a> {
    pub frame: &'a Frame,
    /// What is coded, as large as all superblocks.
    pub source: Vec<Plane>,
    /// What decoders will show.
    pub shown: Vec<Plane>,
    pub odds: Odds,
    above: Side,
    left: Side,
    known: Known,
    /// What filters have to know.
    pub outline: Outline,
    log: Log,
    /// How the directional filter is chosen, until that is told: so many bits of a number.
    choice: Option<(u32, u32)>,
    /// How busy the picture is in each cell of 8 × 8.
    busy: Vec<f32>,
    /// What errors cost in the block at hand.
    price: Price,
    /// The levels of the leaf that was rendered last, and where they belong.
    levels: Vec<i32>,
    places: Vec<Place>,
    /// The transform block that was quantised last: its levels and what they stand for.
    held: Vec<i32>,
    values: Vec<i32>,
    /// Room for what comes before: differences, coefficients, and what lies between rows and columns.
    residual: Vec<i32>,
    coefs: Vec<i32>,
    middle: Vec<i32>,
    /// Room for predictions.
    predicted: Vec<u16>,
}

impl<'a> Tile<'a> {
    pub fn new(frame: &'a Frame, picture: &Picture) -> Tile<'a> {
        let (across, down) = frame.units();
        let whole = |units: usize| units.div_ceil(16) * 16;
        let padded = |(index, plane): (usize, &Plane)| {
            let (x, y) = frame.chroma.shift(index);
            plane.resized((whole(across) * 4) >> x, (whole(down) * 4) >> y)
        };
        let source: Vec<Plane> = picture.planes().iter().enumerate().map(padded).collect();
        let blank = |plane: &Plane| Plane::filled(plane.width(), plane.height(), 0);
        Tile {
            frame,
            busy: activity(&source[0]),
            price: frame.price,
            shown: source.iter().map(blank).collect(),
            source,
            odds: Odds::new(frame.quantiser),
            above: Side::new(whole(across)),
            left: Side::new(16),
            known: Known::new(frame.chroma, (0, 0)),
            outline: Outline::new((across, down), frame.chroma, frame.depth, frame.size),
            log: Log::default(),
            choice: None,
            levels: Vec::new(),
            places: Vec::new(),
            held: vec![0; 32 * 32],
            values: vec![0; 32 * 32],
            residual: vec![0; 64 * 64],
            coefs: vec![0; 32 * 32],
            middle: vec![0; 64 * 64],
            predicted: vec![0; 64 * 64],
        }
    }

    /// Renders and codes a superblock as it was decided.
    pub fn superblock<S: Sink>(&mut self, sink: &mut S, at: (usize, usize), node: &Node) {
        self.enter(at);
        self.node(sink, at, SUPERBLOCK, node);
    }

    /// The same picture from its start, to be coded as it was rendered.
    pub fn rewound(self) -> Rewound<'a> {
        let tile = Tile {
            odds: Odds::new(self.frame.quantiser),
            above: Side::new(self.above.cells.len()),
            ..self
        };
        Rewound { tile, leaf: 0 }
    }

    /// Begins a superblock.
    fn enter(&mut self, at: (usize, usize)) {
        if at.0 == 0 {
            self.left = Side::new(16);
        }
        let (across, down) = self.frame.units();
        self.known = Known::new(self.frame.chroma, (across - at.0, down - at.1));
    }

    fn node<S: Sink>(&mut self, sink: &mut S, at: (usize, usize), side: u8, node: &Node) {
        self.code_cut(sink, at, side, node.cut);
        let inside = self.inside(at, node.cut.parts(side));
        for ((at, shape), part) in inside.into_iter().zip(&node.parts) {
            match part {
                Part::Leaf(leaf) => {
                    self.render(at, shape, leaf);
                    self.note(at, shape);
                    self.code(sink, at, shape, leaf);
                }
                Part::Node(node) => self.node(sink, at, shape.w, node),
            }
        }
    }

    /// Weighs errors by how busy a block is: they are seen less there.
    fn enter_block(&mut self, at: (usize, usize), shape: Shape) {
        let across = self.source[0].width() / 8;
        let (mut sum, mut count) = (0.0, 0.0);
        for y in (at.1 / 2)..((at.1 + shape.height4()).div_ceil(2)) {
            for x in (at.0 / 2)..((at.0 + shape.width4()).div_ceil(2)) {
                sum += self.busy[y * across + x];
                count += 1.0;
            }
        }
        let weight = (CALM + self.frame.busy) / (CALM + sum / count);
        self.price = Price {
            errors: self.frame.price.errors.map(|price| price * weight),
        };
    }

    /// Notes the leaf that was rendered last.
    fn note(&mut self, at: (usize, usize), shape: Shape) {
        for place in &self.places {
            self.outline
                .transform(place.plane, (place.at.0 / 4, place.at.1 / 4), place.shape);
        }
        self.outline.skip(at, shape, self.skips());
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
pub(crate) struct Rewound<'a> {
    tile: Tile<'a>,
    /// How many leaves are coded by now.
    leaf: usize,
}

impl Rewound<'_> {
    /// Codes a superblock, with so many bits of a number for its directional filter.
    pub fn superblock<S: Sink>(
        &mut self,
        sink: &mut S,
        at: (usize, usize),
        node: &Node,
        choice: (u32, u32),
    ) {
        self.tile.enter(at);
        self.tile.choice = Some(choice).filter(|(bits, _)| *bits > 0);
        self.node(sink, at, SUPERBLOCK, node);
    }

    fn node<S: Sink>(&mut self, sink: &mut S, at: (usize, usize), side: u8, node: &Node) {
        self.tile.code_cut(sink, at, side, node.cut);
        let inside = self.tile.inside(at, node.cut.parts(side));
        for ((at, shape), part) in inside.into_iter().zip(&node.parts) {
            match part {
                Part::Leaf(leaf) => {
                    let log = &self.tile.log;
                    let start = self
                        .leaf
                        .checked_sub(1)
                        .map_or((0, 0), |before| log.ends[before]);
                    let end = log.ends[self.leaf];
                    self.leaf += 1;
                    let levels = log.levels[start.1..end.1].iter().map(|&level| level.into());
                    self.tile.levels = levels.collect();
                    self.tile.places = log.places[start.0..end.0].to_vec();
                    self.tile.code(sink, at, shape, leaf);
                }
                Part::Node(node) => self.node(sink, at, shape.w, node),
            }
        }
    }
}

/// How busy a picture is on the whole.
pub(crate) fn busy(luma: &Plane) -> f32 {
    let whole = |side: usize| side.div_ceil(8) * 8;
    let cells = activity(&luma.resized(whole(luma.width()), whole(luma.height())));
    cells.iter().sum::<f32>() / cells.len() as f32
}

/// The standard deviation in each cell of 8 × 8.
fn activity(luma: &Plane) -> Vec<f32> {
    let (across, down) = (luma.width() / 8, luma.height() / 8);
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
        (square as f32 / 64.0 - mean * mean).max(0.0).sqrt()
    };
    (0..across * down).map(cell).collect()
}
