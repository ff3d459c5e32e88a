//! The door: a picture in, units out.

use std::sync::{Arc, OnceLock};

use crate::filter;
use crate::frame::{Frame, Price};
use crate::ground::{self, Ground};
use crate::headers::Colour;
use crate::once::once;
use crate::picture::{Chroma, Depth, Picture};
use crate::quant::{self, Scales};
use crate::stream::{self, Coded, Cuts};
use crate::tile::{Care, Effort};

/// How much time an encode may take.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Pace {
    /// As little as serves a first look.
    Quick,
    /// Worth its time.
    #[default]
    Steady,
    /// Whatever still saves bytes.
    Patient,
}

impl Pace {
    fn effort(self) -> Effort {
        let least = Care {
            modes: 1,
            kinds: 0,
            depth: 0,
            tints: 1,
        };
        match self {
            Pace::Quick => Effort {
                halves: 0,
                thirds: 0,
                rough: least,
                doubt: 0.0,
                fine: least,
            },
            Pace::Steady => Effort {
                halves: 0,
                thirds: 0,
                rough: least,
                doubt: 0.1,
                fine: Care {
                    modes: 2,
                    kinds: 1,
                    depth: 1,
                    tints: 2,
                },
            },
            Pace::Patient => Effort {
                halves: 5,
                thirds: 4,
                rough: Care {
                    modes: 2,
                    kinds: 6,
                    depth: 1,
                    tints: 2,
                },
                doubt: 0.25,
                fine: Care {
                    modes: 3,
                    kinds: 6,
                    depth: 2,
                    tints: 3,
                },
            },
        }
    }
}

/// A picture that is ready to be coded: what does not depend on the quantiser is computed once.
pub struct Prepared {
    grounds: Vec<Ground>,
    chroma: Chroma,
    depth: Depth,
    size: (usize, usize),
    busy: f32,
    has_palettes: bool,
    /// Whether so much of it repeats that copies are worth more than filters.
    repeats: bool,
    /// How blocks are cut at each pace in each span of quantisers.
    cuts: [[OnceLock<Vec<Cuts>>; SPANS + 1]; 3],
}

/// So many quantisers share the ways in which blocks are cut: those of the one in their middle. Looks between 70 and 80
/// lie within a span.
const SPAN: usize = 32;
const SPANS: usize = 256 / SPAN + 1;

/// So much of a drawn picture has to repeat what is above it for copies to be worth more than filters: screens at full
/// size have 0.1 to 0.6, made smaller at most 0.08.
const REPEATS: f32 = 0.08;

impl Prepared {
    /// Makes a picture ready.
    pub fn new(picture: &Picture) -> Option<Prepared> {
        let mut prepared = Prepared {
            grounds: Vec::new(),
            chroma: picture.chroma(),
            depth: picture.depth(),
            size: (picture.width(), picture.height()),
            busy: ground::busy(picture),
            has_palettes: ground::is_drawn(picture),
            repeats: false,
            cuts: Default::default(),
        };
        let frame = prepared.frame(0);
        prepared.grounds = stream::grounds(&frame, picture)?;
        prepared.repeats = prepared.has_palettes && {
            let shares = prepared.grounds.iter();
            let shares = shares.map(|ground| ground.repeats(&frame, 8).share(64));
            shares.sum::<f32>() >= REPEATS * prepared.grounds.len() as f32
        };
        Some(prepared)
    }

    /// Codes it with a quantiser from 0, without loss, to 255. The same settings give the same bytes, whatever it was
    /// asked for before.
    pub fn encode(&self, colour: Colour, quantiser: u8, pace: Pace) -> Option<Coded> {
        let (frame, mut effort) = (self.frame(quantiser), pace.effort());
        if self.has_palettes {
            // What palettes come to is not foretold.
            effort.doubt = f32::INFINITY;
        }
        // Without loss there is a span of its own.
        let span = match quantiser {
            0 => SPANS,
            _ => (usize::from(quantiser) + SPAN / 2) / SPAN,
        };
        let middle = match span {
            SPANS => 0,
            _ => (span * SPAN).clamp(1, 255) as u8,
        };
        let cuts = once(&self.cuts[pace as usize][span], || {
            let frame = self.frame(middle);
            stream::cuts(&frame, &self.grounds, &effort)
        });
        let step = frame.scales.steps.others;
        stream::refined(
            &frame,
            &self.grounds,
            colour,
            (cuts, &effort.fine),
            |shown, source, outline| filter::pick(shown, source, outline, step),
        )
    }

    pub(crate) fn frame(&self, quantiser: u8) -> Frame {
        let weights = match self.has_palettes || quantiser == 0 {
            true => quant::ALIKE,
            false => quant::weights(quantiser),
        };
        let scales = Scales::new(quantiser, self.depth, [weights; 2]);
        Frame {
            chroma: self.chroma,
            depth: self.depth,
            size: self.size,
            quantiser,
            price: Price::new(scales.steps),
            scales: Arc::new(scales),
            spread: (quantiser > 0 && !self.has_palettes).then(Default::default),
            few_kinds: false,
            has_palettes: self.has_palettes,
            has_copies: self.has_palettes && (quantiser == 0 || self.repeats),
            filters_edges: true,
            busy: self.busy,
        }
    }
}

/// Codes a picture once.
pub fn encode(picture: &Picture, colour: Colour, quantiser: u8, pace: Pace) -> Option<Coded> {
    Prepared::new(picture)?.encode(colour, quantiser, pace)
}
