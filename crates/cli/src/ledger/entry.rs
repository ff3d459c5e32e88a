//! What a ledger knows of originals and pieces.

use std::sync::Arc;

use kiln_core::budget::Verdict;
use kiln_core::encode::{Coding, Format, Repack};
use kiln_core::pipeline::{Account, Attempt, Part};
use kiln_core::pixels::{Area, Size};
use kiln_core::plan::Digest;
use serde::{Deserialize, Serialize};

use super::few::Few;

/// What is known of one original.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Entry {
    /// The digest of its bytes, once they were read.
    pub digest: Option<Digest>,
    /// By what the machine that it lies on told the state in which it was read.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub seen: Option<Box<str>>,
    /// What uniform borders leave of it, where that was looked for.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub content: Option<Box<Trimmed>>,
    /// Its pieces by their names.
    pub pieces: Few<PieceEntry>,
    /// Names that pieces of it had once, and their places: a site may still refer to them.
    #[serde(default, skip_serializing_if = "Few::is_empty")]
    pub earlier: Few<Option<Arc<str>>>,
}

/// What became of a piece.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum State {
    /// It was made and stands.
    Made,
    /// It was made, and left out for one in another format.
    LeftOut,
    /// A name that it might have had in another format.
    Unused,
    /// A file stands of which nothing else holds any more.
    Standing,
    /// Planned, and not made.
    Planned,
    /// Nothing plans it any more.
    Stray,
}

impl Entry {
    /// What became of one of its pieces.
    pub fn state(&self, piece: &PieceEntry) -> State {
        let spot = |one: &PieceEntry| (one.place.clone(), one.size, one.recipe);
        let mut others = self.pieces.iter().filter(|(_, other)| other.made.is_some());
        match &piece.made {
            _ if piece.is_stray => State::Stray,
            Some(made) if made.outdone.is_some() => State::LeftOut,
            Some(_) => State::Made,
            None if piece.standing.is_some() => State::Standing,
            None if others.any(|(_, other)| spot(other) == spot(piece)) => State::Unused,
            None => State::Planned,
        }
    }
}

/// What uniform borders leave of an original.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Trimmed {
    /// The digest of the bytes that were looked at.
    pub of: Digest,
    /// The area, as stored.
    pub area: Area,
}

/// What is known of one piece.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct PieceEntry {
    /// The place that it is for.
    pub place: Option<Arc<str>>,
    /// What planned it last: the kiln file, seen from the out folder, or [`super::COMMAND`]; `None` where an
    /// earlier program did not say.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub by: Option<Arc<str>>,
    /// Width and height in pixels.
    pub size: Size,
    /// The width that it is displayed at, in CSS pixels; `None` where an earlier program did not say.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub displayed: Option<f64>,
    /// The format.
    pub format: Format,
    /// The digest of all that decides its bytes, but for the original.
    pub recipe: Digest,
    /// What became of it; `None` while it is only planned.
    pub made: Option<Arc<Made>>,
    /// The digest of the file that has stood there since an earlier program or plan, where nothing
    /// else of it holds any more.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub standing: Option<Digest>,
    /// Whether the last run over the whole site planned nothing of that name.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub is_stray: bool,
}

impl PieceEntry {
    /// The digest of the file that stands under its name, as far as that is known.
    pub fn file(&self) -> Option<Digest> {
        let made = self.made.as_ref().map(|made| made.digest);
        made.or(self.standing)
    }

    /// Nothing holds any more of what was made, but which file it is.
    pub(super) fn unmake(&mut self) {
        self.standing = self.file();
        self.made = None;
    }
}

/// A piece that was finished.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(from = "MadeAsRead")]
pub struct Made {
    /// The program's version.
    pub kiln: Arc<str>,
    /// The digest of the piece itself.
    pub digest: Digest,
    /// How it came about.
    #[serde(flatten)]
    pub account: Account,
    /// What it shares a total for; `None` where it shares none.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub share: Option<Box<Share>>,
    /// The format that outdoes it, where it was left out for that: then no file of it stands.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub outdone: Option<Format>,
}

/// The same as it is read: with all that an account says by name, since what is flattened is gathered first and costs
/// several times as much.
#[derive(Deserialize)]
struct MadeAsRead {
    kiln: Arc<str>,
    digest: Digest,
    weight: u64,
    coding: Coding,
    score: f32,
    verdict: Option<Verdict>,
    trail: Vec<Attempt>,
    fits: bool,
    flattened: bool,
    shrunk: Option<Size>,
    #[serde(default)]
    repacked: Option<Repack>,
    #[serde(default)]
    share: Option<Box<Share>>,
    #[serde(default)]
    outdone: Option<Format>,
}

impl From<MadeAsRead> for Made {
    fn from(read: MadeAsRead) -> Made {
        Made {
            kiln: read.kiln,
            digest: read.digest,
            account: Account {
                weight: read.weight,
                coding: read.coding,
                score: read.score,
                verdict: read.verdict,
                trail: read.trail,
                fits: read.fits,
                flattened: read.flattened,
                shrunk: read.shrunk,
                repacked: read.repacked,
            },
            share: read.share,
            outdone: read.outdone,
        }
    }
}

/// A piece's part in totals that pictures share.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Share {
    /// The digest of all who share, and of what.
    pub of: Digest,
    /// The part.
    #[serde(flatten)]
    pub part: Part,
}
