//! Why a file is no picture.

use thiserror::Error;

/// Why a file cannot be read. Positions are bytes from the beginning of the file.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Error)]
pub enum Error {
    /// It does not begin as a JPEG.
    #[error("it does not begin as a JPEG")]
    NotJpeg,
    /// It ends before its last row.
    #[error("it ends before its last row, at byte {position}")]
    CutOff {
        /// Where.
        position: usize,
    },
    /// Something in it is against the rules.
    #[error("{what}, at byte {position}")]
    Damaged {
        /// What.
        what: &'static str,
        /// Where.
        position: usize,
    },
    /// It is coded in a mode that no browser shows.
    #[error("it is coded {0}, which no browser shows")]
    Unsupported(&'static str),
    /// It is larger than was allowed.
    #[error("it has {width} × {height} pixels, more than the {allowed} that are allowed")]
    TooLarge {
        /// Pixels across.
        width: u32,
        /// Pixels down.
        height: u32,
        /// Pixels that are allowed.
        allowed: u64,
    },
    /// Its scans are more than a picture needs.
    #[error("it has more than {0} scans, more than any picture needs")]
    TooManyScans(u32),
}

impl Error {
    pub(crate) fn damaged(what: &'static str, position: usize) -> Error {
        Error::Damaged { what, position }
    }
}
