//! Drawings: an original that is one stays one, slimmed; a mark of few flat colours is traced. Both are
//! checked by drawing them.

mod numbers;
mod path;
mod rounding;
mod slim;
mod trace;
mod tree;
mod words;

use std::sync::OnceLock;

use kiln_sight::{Picture, Reference};

use super::coder::{Abilities, Coder, Sought, Subject, Tried, Way};
use super::{Chroma, Coding, EncodeError, Format, Manner, Own, Passes, Repack, Repacked};
use crate::budget::{Prior, knot};
use crate::container::xml::{self, Entities};
use crate::draw::Drawing;
use crate::pixels::{Area, Gamut, Orientation, Raster, Size};
use crate::source::Kind;
use trace::{Mark, NotFlat};
use tree::Element;

const ABILITIES: Abilities = Abilities {
    kind: Kind::Svg,
    extension: "svg",
    novelty: 0,
    alpha: true,
    lossless: false,
    light_lossless: false,
    longest_side: 16_384,
    dials: 1..=10,
    ways: None,
    slow: false,
    packs_alike: false,
    // Shares of two colours, fields and contours of a layer.
    memory: 60,
    nanoseconds: 500,
    frame_bytes: 150,
    passes: false,
    scalable: true,
    // What is traced shall not look traced, whatever look is asked for: that of the name "crisp".
    least_look: 85.0,
    revision: 1,
};

/// What tolerances come to, by marks of a handful of colours.
const TRACED: Prior = Prior {
    knots: &[
        knot(1.0, 82.0, 6.0, -0.25),
        knot(4.0, 89.0, 4.0, -0.05),
        knot(7.0, 93.0, 3.0, 0.1),
        knot(10.0, 95.0, 2.5, 0.3),
    ],
    features: &[],
    constant: 0.0,
};

/// Drawings have to score so much beside what they were slimmed from, at their own size and at four times
/// that: or else as much as that itself, moved by what nobody sees. Where a border lies on pixels, the drawing
/// library tells such a move by whole steps, and the score is strict with those.
const SAME: f32 = 99.0;

/// What nobody sees, in pixels.
const UNSEEN: f32 = 0.01;

/// Their own size, for this comparison: the longer side of those that are smaller or larger is taken to be
/// so long, in pixels.
const OWN: std::ops::RangeInclusive<f32> = 16.0..=480.0;

/// From the coarsest decimals that are tried to the finest.
const FINER: i32 = 4;

/// The coder.
pub(super) struct Svg;

impl Coder for Svg {
    fn abilities(&self) -> &'static Abilities {
        &ABILITIES
    }

    fn prepare<'a>(
        &self,
        raster: &'a Raster,
        _: Passes,
    ) -> Result<Box<dyn super::Prepared + 'a>, EncodeError> {
        Ok(Box::new(Prepared {
            raster,
            mark: OnceLock::new(),
        }))
    }

    /// Slims a drawing that is shown whole and as it stands.
    fn repack(&self, own: &Own<'_>, _: Passes) -> Option<Repacked> {
        let whole = own.area == Area::whole(own.stored);
        if !whole || own.orientation != Orientation::Upright {
            return None;
        }
        let text = str::from_utf8(own.bytes).ok()?;
        slimmed(text)
    }

    fn way(&self, _: &Subject, _: Sought, tried: &[Tried]) -> Option<Way> {
        tried.is_empty().then_some(Way {
            chroma: Chroma::Full,
            prior: &TRACED,
        })
    }
}

/// A raster that may be a mark.
struct Prepared<'a> {
    raster: &'a Raster,
    mark: OnceLock<Result<Mark, NotFlat>>,
}

impl super::Prepared for Prepared<'_> {
    fn encode(&self, manner: Manner) -> Result<Vec<u8>, EncodeError> {
        let mark = self.mark.get_or_init(|| match self.raster.gamut() {
            Gamut::Srgb => Mark::of(self.raster),
            Gamut::DisplayP3 => Err("its colours go beyond sRGB, which drawings are told in"),
        });
        let mark = mark.as_ref().map_err(|&what| EncodeError::Impossible {
            format: Format::Svg,
            what,
        })?;
        let dial = match manner.coding {
            Coding::Dial(dial) => dial,
            Coding::Lossless => *ABILITIES.dials.end(),
        };
        Ok(mark.drawn(dial).into_bytes())
    }
}

/// A drawing in fewer bytes, with as few decimals as still look the same; as it came, but without what
/// runs or leads elsewhere, where nothing shorter does.
fn slimmed(text: &str) -> Option<Repacked> {
    let text = text.trim_start_matches('\u{FEFF}');
    let document = xml::parse(text, Entities::Declared)?;
    let judge = Judge::of(text)?;
    let clean = Element::of(&document);
    let slim = slim::slimmed(clean.clone());
    let coarsest = rounding::coarsest(&slim, judge.long);
    let finest = coarsest + FINER;
    let rounded = |shapes: i32, rest: i32| {
        rounding::rounded(&slim, rounding::Decimals { shapes, rest }).written()
    };
    // What colours run along shows sooner than where shapes end.
    let looks_the_same = |shapes: i32, rest: i32| judge.finds_the_same(&rounded(shapes, rest));
    let shapes = (coarsest..=finest).find(|&shapes| looks_the_same(shapes, finest));
    let found = shapes.and_then(|shapes| {
        let rest = (shapes..=finest).find(|&rest| looks_the_same(shapes, rest))?;
        Some(rounded(shapes, rest))
    });
    let (file, how) = match found {
        Some(slim) => (slim, Repack::Anew),
        None => (clean.written(), Repack::AsItCame),
    };
    let file = file.into_bytes();
    Some(Repacked { file, how })
}

/// A drawing, drawn at two sizes, to be compared with others.
struct Judge {
    /// The longer side of its own size.
    long: f32,
    sides: Vec<Side>,
}

/// A drawing at a size.
struct Side {
    size: Size,
    pixels: Vec<u8>,
    reference: Reference,
    /// The score from which on another looks the same.
    enough: f32,
}

impl Side {
    fn of(drawing: &Drawing, long: f32) -> Option<Side> {
        let size = drawing.size_at(long)?;
        let pixels = drawing.pixels(size).ok()?;
        let reference = Reference::new(picture(size, &pixels)?);
        let mut side = Side {
            size,
            pixels,
            reference,
            enough: SAME,
        };
        let moved = drawing.moved(size, UNSEEN).ok()?;
        side.enough = side.score(&moved)?.min(SAME);
        Some(side)
    }

    fn score(&self, pixels: &[u8]) -> Option<f32> {
        if pixels == self.pixels {
            return Some(100.0);
        }
        self.reference.score(picture(self.size, pixels)?)
    }
}

impl Judge {
    fn of(text: &str) -> Option<Judge> {
        let drawing = Drawing::read(text).ok()?;
        let long = drawing.long_side();
        let own = long.clamp(*OWN.start(), *OWN.end());
        let sides = [own, 4.0 * own].map(|long| Side::of(&drawing, long));
        let sides = sides.into_iter().collect::<Option<Vec<_>>>()?;
        Some(Judge { long, sides })
    }

    fn finds_the_same(&self, text: &str) -> bool {
        let Ok(drawing) = Drawing::read(text) else {
            return false;
        };
        self.sides.iter().all(|side| {
            let drawn = drawing.pixels(side.size).ok();
            let score = drawn.and_then(|drawn| side.score(&drawn));
            score.is_some_and(|score| score >= side.enough)
        })
    }
}

fn picture(size: Size, pixels: &[u8]) -> Option<Picture<'_>> {
    Picture::rgba(size.width() as usize, size.height() as usize, pixels)
}
