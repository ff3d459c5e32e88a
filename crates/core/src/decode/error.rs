//! Why the pixels of a picture could not be had.

use std::error::Error;
use std::io;

use thiserror::Error;

use crate::draw::NoDrawing;
use crate::pixels::Size;
use crate::source::Kind;

/// Why the pixels of a picture could not be had.
#[derive(Debug, Error)]
pub enum DecodeError {
    /// The picture is larger than allowed.
    #[error("{size} is {} megapixels, above the allowance of {}",
        size.pixels().div_ceil(1_000_000), allowed.div_ceil(1_000_000))]
    TooLarge {
        /// Width and height as stored.
        size: Size,
        /// The allowance in pixels.
        allowed: u64,
    },
    /// Its bytes could not be read.
    #[error("it could not be read ({0})")]
    Read(#[source] io::Error),
    /// The file ends before its last row.
    #[error("the {0} is cut off: the file ends before its last row")]
    CutOff(Kind),
    /// The decoder gave up.
    #[error("the {kind} is damaged: {source}")]
    Damaged {
        /// The format.
        kind: Kind,
        /// What the decoder said.
        source: Box<dyn Error + Send + Sync>,
    },
    /// It is sound, but of a variant that is not read.
    #[error("a {kind} with {what} is not read")]
    Unsupported {
        /// The format.
        kind: Kind,
        /// What it has that others have not.
        what: String,
    },
    /// Header and pixels do not agree on the size.
    #[error("the {kind} is damaged: its header says {said}, its pixels are {found}")]
    Contradiction {
        /// The format.
        kind: Kind,
        /// The size that the plan was made for.
        said: Size,
        /// The size of the decoded picture.
        found: Size,
    },
    /// It is a drawing that cannot be drawn.
    #[error("the SVG cannot be drawn: {0}")]
    Undrawn(#[source] NoDrawing),
    /// A format without a decoder.
    #[error("{0} is not read")]
    Unread(Kind),
    /// The decoder panicked.
    #[error("the {0} decoder failed on it")]
    Panicked(Kind),
}

impl DecodeError {
    pub(crate) fn damaged(kind: Kind, source: impl Into<Box<dyn Error + Send + Sync>>) -> Self {
        DecodeError::Damaged {
            kind,
            source: source.into(),
        }
    }

    pub(super) fn unsupported(kind: Kind, what: impl Into<String>) -> Self {
        let what = what.into();
        DecodeError::Unsupported { kind, what }
    }

    /// What to do about it.
    pub fn advice(&self) -> &'static str {
        match self {
            DecodeError::TooLarge { .. } => "raise it with --allowance",
            DecodeError::Read(_) => "check the disk and the permissions",
            DecodeError::CutOff(_)
            | DecodeError::Damaged { .. }
            | DecodeError::Contradiction { .. } => "export or copy it again",
            DecodeError::Unsupported { .. } => "export it with 8 bits, or as PNG",
            DecodeError::Undrawn(NoDrawing::NoFont) => "or install the font",
            DecodeError::Undrawn(_) => "export it again, or as PNG",
            DecodeError::Unread(kind) => kind.advice(),
            DecodeError::Panicked(_) => "please report this with the picture",
        }
    }
}
