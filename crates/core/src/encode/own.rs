//! Originals whose own samples may serve as a piece: nothing is lost then, not even what coding anew at
//! the finest dial would lose.

use serde::{Deserialize, Serialize};

use super::{Format, Passes};
use crate::guard::guarded;
use crate::pixels::{Area, Orientation, Size};
use crate::source::Kind;

/// An original, and what is shown of it.
#[derive(Clone, Copy, Debug)]
pub struct Own<'a> {
    /// Its file.
    pub bytes: &'a [u8],
    /// Its format.
    pub kind: Kind,
    /// Its size, as stored.
    pub stored: Size,
    /// The part that is shown, as stored.
    pub area: Area,
    /// How that is turned.
    pub orientation: Orientation,
    /// Whether its colour profile goes along.
    pub profile: bool,
}

/// How the samples of an original were coded again.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Repack {
    /// Anew, in fewer bytes.
    Anew,
    /// As they came: nothing shorter was found, and what is no picture was left out.
    AsItCame,
}

/// A file with the samples of an original.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Repacked {
    /// The file.
    pub file: Vec<u8>,
    /// How it was coded.
    pub how: Repack,
}

/// The samples of an original as a file of a format; `None` where that is another than its own, or
/// knows no such way, or where what is shown of it is none that could be cut out without loss.
pub fn repack(own: &Own<'_>, format: Format, passes: Passes) -> Option<Repacked> {
    if format.kind() != own.kind {
        return None;
    }
    guarded(|| format.coder().repack(own, passes)).unwrap_or(None)
}
