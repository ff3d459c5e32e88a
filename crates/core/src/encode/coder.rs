//! What every format's coder can be asked. Each answers in its own room, from its own settings: no
//! other room knows a format by name.

use std::ops::RangeInclusive;

use super::{Chroma, Coding, EncodeError, Format, Manner, Own, Passes, Repacked};
use crate::budget::{Aim, Prior, Verdict};
use crate::pixels::Raster;
use crate::source::{FEATURES, Kind, Nature};

/// What a format can hold, and what its coder is like.
#[derive(Clone, Debug, PartialEq)]
pub struct Abilities {
    /// The format of its files.
    pub kind: Kind,
    /// The extension of its files.
    pub extension: &'static str,
    /// How lately browsers learned to show it, from 0: the lower, the more of them do.
    pub novelty: u8,
    /// Whether it can hold transparent pixels.
    pub alpha: bool,
    /// Whether it can be coded without loss.
    pub lossless: bool,
    /// Whether its files without loss may be the lightest that look as wanted: else they are made only where they are
    /// asked for.
    pub light_lossless: bool,
    /// The longest side that it can hold, in pixels.
    pub longest_side: u32,
    /// The range of its dial that a search may use, worst first. The lower ends are where a photo
    /// is just recognisable.
    pub dials: RangeInclusive<u8>,
    /// The ways to code for a look, where it can share the chroma of neighbouring pixels.
    pub ways: Option<Ways>,
    /// Whether a file takes so long that dials are best looked for at a quicker pace.
    pub slow: bool,
    /// Whether its pace says only how tightly the same pixels are packed.
    pub packs_alike: bool,
    /// About how many bytes a pixel coding holds at its peak, beside the raster.
    pub memory: u64,
    /// About what finding a file of a look takes one core for each pixel: photos and graphics of the corpus.
    pub nanoseconds: u64,
    /// Whether its files may come in one pass or in several, each finer than the one before.
    pub passes: bool,
    /// Whether its files are sharp at every size.
    pub scalable: bool,
    /// The visual score that a file has to reach, whatever look is asked for.
    pub least_look: f32,
    /// Bytes that do not grow with the picture: headers and tables.
    pub frame_bytes: u16,
    /// Counts up whenever the same settings come to mean other bytes.
    pub revision: u32,
}

/// What is known of a picture before it is coded.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Subject {
    /// What it is by nature.
    pub nature: Nature,
    /// Whether it shows what is behind.
    pub transparent: bool,
    /// What tells how easy it is.
    pub features: [f64; FEATURES],
}

/// A way to code a picture in which only the dial is open.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Way {
    /// What becomes of chroma.
    pub chroma: Chroma,
    /// What its dials usually come to.
    pub prior: &'static Prior,
}

/// How much better tiles of a picture, laid side by side and coded quickly, score than the whole does at the usual
/// pace: their seams hide losses.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct TilesAbove {
    /// At a score of 75 of the whole.
    pub at_75: f32,
    /// More, for each point that the whole is below that.
    pub below: f32,
}

impl TilesAbove {
    /// At a score of the whole.
    pub fn at(self, score: f32) -> f32 {
        self.at_75 + (75.0 - score) * self.below
    }
}

impl Way {
    /// The range of its dial, worst first: that of the format, unless the dial counts what no other way does.
    pub fn dials(&self, format: Format) -> RangeInclusive<u8> {
        match self.chroma {
            Chroma::Halved | Chroma::Full => format.dials(),
            Chroma::Counted | Chroma::Near => self.prior.dials(),
        }
    }
}

/// What is looked for along the ways of a coder.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Sought {
    /// The visual score to be reached.
    pub look: f32,
    /// What is made of it.
    pub aim: Aim,
}

/// What a search along a way came to.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Tried {
    /// What became of chroma.
    pub chroma: Chroma,
    /// What the search came to.
    pub verdict: Option<Verdict>,
    /// Whether it ended since all that reaches the look would weigh more than a rival.
    pub outdone: bool,
    /// The score of the best file.
    pub score: f32,
}

/// A format's coder.
pub trait Coder: Sync {
    /// What it can do.
    fn abilities(&self) -> &'static Abilities;

    /// Makes a raster ready: what every file of it needs is computed once.
    /// `passes` concerns those whose files may come in passes.
    fn prepare<'a>(
        &self,
        raster: &'a Raster,
        passes: Passes,
    ) -> Result<Box<dyn Prepared + 'a>, EncodeError>;

    /// The samples of an original of the same format as a file, where it can do that.
    fn repack(&self, _: &Own<'_>, _: Passes) -> Option<Repacked> {
        None
    }

    /// The way to be searched next, after those that were tried; `None` where no other is worth it.
    fn way(&self, subject: &Subject, sought: Sought, tried: &[Tried]) -> Option<Way> {
        self.abilities().ways.as_ref()?.next(subject, sought, tried)
    }

    /// Whether its file of a raster of this nature may be lighter than one in another format that looks as
    /// good.
    fn may_be_lightest(&self, _: &Raster, _: Nature) -> bool {
        true
    }

    /// What becomes of chroma where a coding is asked for, without a search.
    fn chroma(&self, nature: Nature, coding: Coding) -> Chroma {
        let fine = matches!(coding, Coding::Dial(FINE..));
        if fine || nature == Nature::Graphic {
            Chroma::Full
        } else {
            Chroma::Halved
        }
    }
}

/// Above this dial halved chroma would be what is seen first.
const FINE: u8 = 90;

/// A raster that is ready to be coded.
pub trait Prepared: Send + Sync {
    /// A file. The same manner gives the same bytes on every run.
    fn encode(&self, manner: Manner) -> Result<Vec<u8>, EncodeError>;

    /// The same, with the pixels that the file shows, where they are at hand without decoding it.
    fn shown(&self, manner: Manner) -> Result<Shown, EncodeError> {
        Ok((self.encode(manner)?, None))
    }
}

/// A file, and the pixels that it shows, where they are at hand.
pub type Shown = (Vec<u8>, Option<Raster>);

/// The ways of a coder that can share the chroma of neighbouring pixels.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Ways {
    /// Photos whose chroma is halved.
    pub halved: &'static Prior,
    /// Photos that keep theirs.
    pub full: &'static Prior,
    /// Graphics, which always keep theirs.
    pub graphic: &'static Prior,
    /// Graphics in few colours, where it can hold a palette.
    pub counted: Option<&'static Prior>,
    /// Graphics whose colours are kept but for what does not show, where it can.
    pub near: Option<&'static Prior>,
    /// From this look on photos keep their chroma.
    pub full_from: f32,
    /// How much better tiles of a photo score, where that is known.
    pub tiles_above: Option<TilesAbove>,
}

impl Ways {
    /// The way to be searched next.
    pub fn next(&self, subject: &Subject, sought: Sought, tried: &[Tried]) -> Option<Way> {
        if subject.nature == Nature::Graphic {
            return self.next_for_graphic(tried);
        }
        let way = |chroma: Chroma| Way {
            chroma,
            prior: match (chroma, self.counted) {
                (Chroma::Full, _) => self.full,
                (Chroma::Counted, Some(counted)) => counted,
                _ => self.halved,
            },
        };
        let is_counted = |tried: &&Tried| tried.chroma == Chroma::Counted;
        let (counted, lossy): (Vec<&Tried>, Vec<&Tried>) = tried.iter().partition(is_counted);
        let palettes = subject.transparent && self.counted.is_some();
        if palettes && counted.is_empty() && !lossy.is_empty() {
            // Where transparency weighs most, its levels weigh the least in a palette.
            return Some(way(Chroma::Counted));
        }
        let sharpest = sought.aim == Aim::Sharpest;
        let finest = sharpest || sought.look >= self.full_from;
        let chroma = match lossy[..] {
            [] if finest => Chroma::Full,
            [] => Chroma::Halved,
            // Coloured details that no dial can keep in halved chroma.
            [
                Tried {
                    chroma: Chroma::Halved,
                    verdict: Some(Verdict::Short | Verdict::Over),
                    outdone: false,
                    ..
                },
            ] => Chroma::Full,
            // The weight keeps it from its look: halved, it looks better for these bytes. Which is
            // the sharpest, the score alone can tell.
            [
                Tried {
                    chroma: Chroma::Full,
                    score,
                    ..
                },
            ] if sharpest || *score < self.full_from => Chroma::Halved,
            _ => return None,
        };
        Some(way(chroma))
    }

    /// All that there are: which is the lightest, no look at a graphic tells.
    fn next_for_graphic(&self, tried: &[Tried]) -> Option<Way> {
        let ways = [
            (Chroma::Full, Some(self.graphic)),
            (Chroma::Counted, self.counted),
            (Chroma::Near, self.near),
        ];
        let mut ways = ways.into_iter().filter_map(|(chroma, prior)| {
            let prior = prior?;
            Some(Way { chroma, prior })
        });
        ways.nth(tried.len())
    }
}
