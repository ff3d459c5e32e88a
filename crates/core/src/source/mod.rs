//! What did we get: kind by magic bytes, and what the headers say.

mod base_media;
mod exif;
mod features;
mod gif;
mod headers;
mod jpeg;
mod kind;
mod metadata;
mod nature;
mod png;
mod small;
mod svg;
mod tiff;
mod webp;

use std::io::{self, Read, Seek};

use serde::{Deserialize, Serialize};
use thiserror::Error;

pub use features::{FEATURES, features};
pub use headers::{Ballast, Headers, JpegCoding, Model};
pub use kind::Kind;
pub use nature::{Nature, Traits};

use crate::container::{Fault, Scan};
use crate::guard::guarded;
use crate::pixels::{Orientation, Size};

/// What a plan needs to know of a picture before any pixel is decoded.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Probe {
    /// The format, by its magic bytes.
    pub kind: Kind,
    /// Width and height as stored, before the orientation is applied.
    pub stored: Size,
    /// How the stored rows must be turned to stand upright.
    pub orientation: Orientation,
    /// Whether pixels can be transparent.
    pub alpha: bool,
    /// Pictures in the file: 1 for a still.
    pub frames: u32,
    /// How the pixels come out of the file.
    pub delivery: Delivery,
    /// For a drawing, which is drawn at whatever size is wanted: how many of its stored pixels lie along
    /// one pixel of its own size. Proportions that whole pixels would bend are told more finely. 0 for
    /// pictures that are made of pixels.
    #[serde(default)]
    pub fineness: u32,
}

/// How the pixels of a file come out, which decides the memory that decoding needs.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Delivery {
    /// Row by row: only a few rows are held.
    Rows,
    /// Only as a whole.
    Whole,
    /// Only as a whole, and in several passes whose state is held as well.
    Passes,
}

impl Probe {
    /// Width and height once the picture stands upright.
    pub fn upright(&self) -> Size {
        self.orientation.apply_to_size(self.stored)
    }

    /// Whether it is drawn at whatever size is wanted.
    pub fn is_drawn(&self) -> bool {
        self.fineness > 0
    }

    /// Width and height as it is displayed where nobody says how large, upright.
    pub fn own_size(&self) -> Size {
        coarser(self.upright(), self.fineness)
    }
}

/// A size told so many times less finely; 0 and 1 change nothing.
fn coarser(size: Size, by: u32) -> Size {
    let by = by.max(1);
    let side = |side: u32| ((side + by / 2) / by).max(1);
    Size::new(side(size.width()), side(size.height())).unwrap_or(size)
}

/// Why the headers of a file could not be used.
#[derive(Debug, Error)]
pub enum ProbeError {
    /// No bytes at all.
    #[error("the file is empty")]
    Empty,
    /// The first bytes are those of no known picture format.
    #[error("not a picture: its first bytes belong to no known format")]
    Unknown,
    /// A known format that is not read.
    #[error("{0} is not read; {advice}", advice = .0.advice())]
    Unread(Kind),
    /// The file ends within its headers.
    #[error("the {kind} headers end early, at byte {at}: the file is cut off")]
    CutOff {
        /// The format.
        kind: Kind,
        /// The offset in bytes at which more was expected.
        at: u64,
    },
    /// The headers contradict the format's rules.
    #[error("the {kind} headers are broken at byte {at}: {what}")]
    Broken {
        /// The format.
        kind: Kind,
        /// The offset in bytes.
        at: u64,
        /// What is wrong there.
        what: &'static str,
    },
    /// The bytes could not be read.
    #[error("it could not be read")]
    Read(#[source] io::Error),
    /// The reader of the headers panicked.
    #[error("the headers could not be made sense of")]
    Panicked,
}

/// A failure inside one format's header reader, before the format and the offset are added.
enum Stop {
    Fault(Fault),
    /// Another format after all, and one that is not read.
    Unread(Kind),
}

impl Stop {
    fn rule(what: &'static str) -> Stop {
        Stop::Fault(Fault::Rule(what))
    }
}

impl From<Fault> for Stop {
    fn from(fault: Fault) -> Self {
        Stop::Fault(fault)
    }
}

impl Fault {
    /// With the format and the offset that it was met at.
    fn at(self, kind: Kind, at: u64) -> ProbeError {
        match self {
            Fault::CutOff => ProbeError::CutOff { kind, at },
            Fault::Rule(what) => ProbeError::Broken { kind, at, what },
            Fault::Read(error) => ProbeError::Read(error),
        }
    }
}

/// Reads what a plan needs from the headers of a picture that pieces can be made from.
pub fn probe<R: Read + Seek>(reader: R) -> Result<Probe, ProbeError> {
    headers(reader)?.probe()
}

/// Reads the headers of a picture, wherever its bytes come from. Pixels are not decoded and
/// not read, but for the few formats (GIF, animated WebP) whose frames stand between them.
pub fn headers<R: Read + Seek>(reader: R) -> Result<Headers, ProbeError> {
    guarded(|| read_headers(reader)).unwrap_or(Err(ProbeError::Panicked))
}

fn read_headers<R: Read + Seek>(reader: R) -> Result<Headers, ProbeError> {
    // Before the format is known, all that can go wrong is reading.
    let unreadable = |fault| match fault {
        Fault::Read(error) => ProbeError::Read(error),
        Fault::CutOff | Fault::Rule(_) => ProbeError::Empty,
    };
    let mut scan = Scan::new(reader).map_err(unreadable)?;
    let mut head = [0; Kind::HEAD];
    let length = scan.fill(&mut head).map_err(unreadable)?;
    #[cfg(feature = "faulty")]
    crate::guard::faulty::strike(&head, crate::guard::faulty::HEADERS);
    if length == 0 {
        return Err(ProbeError::Empty);
    }
    let kind = Kind::of(&head[..length]).ok_or(ProbeError::Unknown)?;
    let read = match kind {
        Kind::Jpeg => jpeg::read,
        Kind::Png => png::read,
        Kind::WebP => webp::read,
        Kind::Gif => gif::read,
        Kind::Avif => base_media::read,
        Kind::Tiff => tiff::read,
        Kind::Bmp => small::bmp,
        Kind::Ico => small::ico,
        Kind::Pnm => small::pnm,
        Kind::Qoi => small::qoi,
        Kind::Svg => svg::read,
        Kind::Heic | Kind::JpegXl | Kind::Psd | Kind::CameraRaw | Kind::Film | Kind::Document => {
            return Err(ProbeError::Unread(kind));
        }
    };
    let begun = scan.go_to(0).map_err(Stop::from);
    begun
        .and_then(|()| read(&mut scan))
        .map_err(|stop| match stop {
            Stop::Fault(fault) => fault.at(kind, scan.position()),
            Stop::Unread(kind) => ProbeError::Unread(kind),
        })
}

/// A size from header fields, where zero is a broken rule.
fn size(width: u32, height: u32) -> Result<Size, Stop> {
    Size::new(width, height).ok_or(Stop::rule("its width or height is zero or absurd"))
}
