//! Finished files, how they came about, and what more may be asked of them.

use serde::{Deserialize, Serialize};
use thiserror::Error;

use crate::budget::{Trial, Verdict};
use crate::decode::DecodeError;
use crate::encode::{Chroma, Coding, EncodeError, Format, Manner, Pace, Repack};
use crate::pixels::Size;
use crate::plan::CodingWish;

/// How much lighter, as a logarithm, a file is that scores one point less: graphics of the corpus,
/// between the looks plain and crisp.
const POINT_WEIGHT: f64 = 0.03;

/// A finished file.
#[derive(Clone, Debug, PartialEq)]
pub struct Piece {
    /// The whole file.
    pub file: Vec<u8>,
    /// Its format.
    pub format: Format,
    /// How it came about.
    pub account: Account,
}

/// How a finished file came about.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Account {
    /// Bytes.
    pub weight: u64,
    /// How its samples are coded.
    pub coding: Coding,
    /// Its visual score.
    pub score: f32,
    /// What the search for its budgets came to; `None` where a dial was set.
    pub verdict: Option<Verdict>,
    /// Every encode that was made for it, in order.
    pub trail: Vec<Attempt>,
    /// Whether it keeps its weight.
    pub fits: bool,
    /// Whether transparent pixels were laid over the backdrop.
    pub flattened: bool,
    /// Its size, where it was made smaller than planned to keep its weight.
    pub shrunk: Option<Size>,
    /// How the original's samples were coded again, where it has those.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub repacked: Option<Repack>,
}

/// One encode of a piece.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Attempt {
    /// The format.
    pub format: Format,
    /// With or without loss.
    pub coding: Coding,
    /// What became of its chroma.
    pub chroma: Chroma,
    /// How much time it was allowed.
    pub pace: Pace,
    /// Bytes.
    pub weight: u64,
    /// Its visual score.
    pub score: f32,
    /// Whether that was told from a sample of its pixels.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub sampled: bool,
    /// Its width in pixels.
    pub width: u32,
}

impl Piece {
    /// This piece, or another where that is better; the trail is that of both.
    pub(super) fn or(self, other: Piece, better: impl Fn(&Account, &Account) -> bool) -> Piece {
        let trail = [&self.account.trail[..], &other.account.trail].concat();
        let mut kept = if better(&self.account, &other.account) {
            other
        } else {
            self
        };
        kept.account.trail = trail;
        kept
    }
}

impl Account {
    /// The attempt that was kept, by its index in the trail, where the file is of a format.
    pub fn kept(&self, format: Format) -> Option<usize> {
        let mut trail = self.trail.iter();
        trail.position(|attempt| self.is_of(format, attempt))
    }

    /// About the weight that it would have at the look that was wanted, from a file that comes near.
    pub fn weight_at_look(&self, wanted: CodingWish) -> u64 {
        let (CodingWish::Look(wish), Coding::Dial(_)) = (wanted, self.coding) else {
            return self.weight;
        };
        if self.verdict == Some(Verdict::Lightest) {
            return self.weight;
        }
        let excess = f64::from(self.score - wish.look).max(0.0);
        (self.weight as f64 * libm::exp(-excess * POINT_WEIGHT)).round() as u64
    }

    /// Whether the score of the file, of a format, was told from a sample of its pixels.
    pub fn is_sampled(&self, format: Format) -> bool {
        let kept = self.kept(format);
        kept.is_some_and(|kept| self.trail[kept].sampled)
    }

    /// Whether the file, of a format, is that of an attempt.
    pub fn is_of(&self, format: Format, attempt: &Attempt) -> bool {
        let file = (attempt.coding, attempt.weight, attempt.score);
        attempt.format == format && file == (self.coding, self.weight, self.score)
    }
}

impl Attempt {
    /// How it was made.
    pub fn manner(&self) -> Manner {
        Manner {
            coding: self.coding,
            chroma: self.chroma,
            pace: self.pace,
        }
    }

    /// As a trial of a dial, where it was made in that manner.
    pub(super) fn trial(&self, manner: impl Fn(u8) -> Manner) -> Option<Trial> {
        let Coding::Dial(dial) = self.coding else {
            return None;
        };
        if self.sampled {
            return None;
        }
        let trial = Trial {
            dial,
            weight: self.weight,
            score: self.score,
        };
        (manner(dial) == self.manner()).then_some(trial)
    }
}

/// What is asked of a piece beyond its plan, where many together keep a total.
#[derive(Clone, Debug, PartialEq)]
pub struct Order {
    /// What shall be made.
    pub what: Ordered,
    /// Attempts that are known already: they are not made again, and stand at the head of its trail.
    pub known: Vec<Attempt>,
}

/// What is made to order.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Ordered {
    /// A file near its look, in few trials: what it would weigh can be told from them.
    Sketch,
    /// The lightest that reaches another look.
    Look {
        /// The visual score.
        look: f32,
    },
    /// The best that is no heavier than this.
    Within {
        /// Bytes.
        max_weight: u64,
    },
    /// The file of an attempt, one of those that are known.
    Same {
        /// The attempt.
        attempt: Attempt,
        /// What it counts as.
        verdict: Option<Verdict>,
    },
}

/// Why a piece was not made.
#[derive(Debug, Error)]
pub enum PieceError {
    /// Its plan names no format that can be made.
    #[error("no format was planned for it")]
    NoFormat,
    /// It could not be encoded.
    #[error(transparent)]
    Encode(#[from] EncodeError),
    /// It could not be decoded again.
    #[error("the finished {format} cannot be read again: {source}")]
    Unreadable {
        /// The format.
        format: Format,
        /// What its decoder said.
        source: DecodeError,
    },
}
