//! The door: a picture in, units out.

use crate::filter;
use crate::headers::Colour;
use crate::picture::Picture;
use crate::quant::Steps;
use crate::stream::{self, Coded};
use crate::tile::{self, Effort, Frame, Price};

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
        match self {
            Pace::Quick => Effort {
                modes: 1,
                halves: 0,
                thirds: 0,
                kinds: false,
                depth: 0,
                tints: 1,
            },
            Pace::Steady => Effort {
                modes: 2,
                halves: 0,
                thirds: 0,
                kinds: true,
                depth: 1,
                tints: 2,
            },
            Pace::Patient => Effort {
                modes: 3,
                halves: 5,
                thirds: 4,
                kinds: true,
                depth: 2,
                tints: 3,
            },
        }
    }
}

/// Codes a picture with a quantiser from 0, without loss, to 255.
pub fn encode(picture: &Picture, colour: Colour, quantiser: u8, pace: Pace) -> Option<Coded> {
    let steps = [Steps::new(quantiser, picture.depth()); 3];
    let frame = Frame {
        chroma: picture.chroma(),
        depth: picture.depth(),
        size: (picture.width(), picture.height()),
        quantiser,
        steps,
        few_kinds: false,
        filters_edges: true,
        price: Price::new(steps),
        busy: tile::busy(&picture.planes()[0]),
    };
    let effort = pace.effort();
    let step = steps[0].others;
    stream::coded(
        &frame,
        picture,
        colour,
        |tile, at| tile.decide(&effort, at),
        |shown, source, outline| filter::pick(shown, source, outline, step),
    )
}
