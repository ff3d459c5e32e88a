//! How good a piece shall look: the visual score wanted, on the scale of SSIMULACRA2.

use serde::{Deserialize, Serialize};

use crate::budget::Aim;

/// The looks that have names, the plainest first.
pub const LOOKS: [(&str, f32); 4] = [
    ("plain", 60.0),
    ("fine", 75.0),
    ("crisp", 85.0),
    ("faithful", 90.0),
];

/// How good a piece shall look.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Look {
    /// A visual score, 0 to 100.
    Score(f32),
    /// Without loss.
    Exact,
}

/// How samples shall be coded: a request, from which a [`crate::encode::Coding`] is decided.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum CodingWish {
    /// As light as a look allows, or as good as a weight allows.
    Look(LookWish),
    /// Without loss.
    Exact,
    /// At this dial, without a search.
    Dial(u8),
}

/// A look, and how far it may be left for the sake of a weight.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct LookWish {
    /// The visual score to be reached, 0 to 100.
    pub look: f32,
    /// The lowest that is acceptable where the look weighs too much.
    pub least: f32,
    /// What a piece makes of its look and its weight.
    pub aim: Aim,
    /// Whether a piece is made smaller where even the least look weighs too much.
    pub shrink_to_fit: bool,
}

impl LookWish {
    /// What goes with a look where nothing else is asked for: down to 50, or to itself.
    pub fn of(look: f32) -> LookWish {
        LookWish {
            look,
            least: look.min(50.0),
            aim: Aim::Lightest,
            shrink_to_fit: false,
        }
    }
}

impl Default for LookWish {
    /// Fine.
    fn default() -> Self {
        LookWish::of(75.0)
    }
}

impl From<Look> for CodingWish {
    fn from(look: Look) -> CodingWish {
        match look {
            Look::Exact => CodingWish::Exact,
            Look::Score(look) => CodingWish::Look(LookWish::of(look)),
        }
    }
}

impl Default for CodingWish {
    fn default() -> Self {
        CodingWish::Look(LookWish::default())
    }
}

/// A look by its name, else as a number.
pub fn look_name(look: f32) -> String {
    let known = LOOKS.iter().find(|(_, score)| *score == look);
    known.map_or_else(|| look.to_string(), |(name, _)| (*name).to_owned())
}
