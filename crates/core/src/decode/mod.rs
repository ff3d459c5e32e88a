//! Bytes → rows of samples, one adapter a format.

mod avif;
mod finished;
mod gif;
mod input;
mod jpeg;
mod png;
mod tiff;
mod webp;
mod whole;

use std::error::Error;
use std::io;

use thiserror::Error;

pub use finished::finished;
pub use input::{Input, Stored, Stream};

use crate::pixels::{Channels, Raster, Size};
use crate::source::{Delivery, Kind, Probe};

/// The most that one picture may ask for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Allowance {
    /// Pixels, width × height.
    pub pixels: u64,
}

impl Default for Allowance {
    /// 300 megapixels.
    fn default() -> Self {
        Allowance {
            pixels: 300_000_000,
        }
    }
}

impl Allowance {
    /// Whether a picture of this size may be decoded.
    pub fn covers(self, size: Size) -> bool {
        size.pixels() <= self.pixels
    }

    /// The bytes that a decoder may reserve for a picture of this size: eight a pixel are the
    /// most that any format delivers, and a decoder keeps at most one copy of its own.
    fn bytes(self, size: Size) -> u64 {
        size.pixels().min(self.pixels) * 16 + (16 << 20)
    }
}

/// What the samples of a pixel stand for, in their order.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Ink {
    /// Grey.
    Grey,
    /// Grey, straight alpha.
    GreyAlpha,
    /// Red, green, blue.
    Rgb,
    /// Red, green, blue, straight alpha.
    Rgba,
    /// Cyan, magenta, yellow, black; the full value means full ink.
    Cmyk,
}

impl Ink {
    /// Samples in a pixel.
    pub fn count(self) -> usize {
        match self {
            Ink::Grey => 1,
            Ink::GreyAlpha => 2,
            Ink::Rgb => 3,
            Ink::Rgba | Ink::Cmyk => 4,
        }
    }

    /// Whether the last sample is alpha.
    pub fn has_alpha(self) -> bool {
        matches!(self, Ink::GreyAlpha | Ink::Rgba)
    }
}

/// What all rows of a picture have in common.
#[derive(Clone, Debug)]
pub struct Form {
    /// Width and height as stored.
    pub size: Size,
    /// The samples of a pixel.
    pub ink: Ink,
    /// The ICC profile that the file carries, as its bytes.
    pub icc: Option<Vec<u8>>,
}

impl Form {
    /// That of the rows of a raster. Its samples are in its gamut already: with no profile they
    /// are taken as they are.
    pub fn of(raster: &Raster) -> Form {
        Form {
            size: raster.size(),
            ink: match raster.channels() {
                Channels::Rgb => Ink::Rgb,
                Channels::Rgba => Ink::Rgba,
            },
            icc: None,
        }
    }
}

/// One row of samples, `size.width × ink.count` of them.
#[derive(Clone, Copy, Debug)]
pub enum Row<'a> {
    /// Samples from 0 to 255.
    Eight(&'a [u8]),
    /// Samples from 0 to 65,535.
    Sixteen(&'a [u16]),
}

/// A picture that is being decoded, from the top row down.
pub trait Rows: Send {
    /// What all rows have in common.
    fn form(&self) -> &Form;

    /// The next row; there are exactly `form().size.height()` of them.
    fn next_row(&mut self) -> Result<Row<'_>, DecodeError>;
}

/// Why the pixels of a picture could not be had.
#[derive(Debug, Error)]
pub enum DecodeError {
    /// The picture is larger than allowed.
    #[error("{size} is {:.0} megapixels, above the allowance of {:.0}",
        size.pixels() as f64 / 1e6, *allowed as f64 / 1e6)]
    TooLarge {
        /// Width and height as stored.
        size: Size,
        /// The allowance in pixels.
        allowed: u64,
    },
    /// Its bytes could not be read.
    #[error("it could not be read")]
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
    /// A format without a decoder.
    #[error("{0} is not read")]
    Unread(Kind),
}

impl DecodeError {
    fn damaged(kind: Kind, source: impl Into<Box<dyn Error + Send + Sync>>) -> Self {
        DecodeError::Damaged {
            kind,
            source: source.into(),
        }
    }
}

/// Opens a picture. `probe` must be what [`crate::source::probe`] said of the same bytes.
pub fn open<'a>(
    input: impl Into<Input<'a>>,
    probe: &Probe,
    allowance: Allowance,
) -> Result<Box<dyn Rows + 'a>, DecodeError> {
    if !allowance.covers(probe.stored) {
        return Err(DecodeError::TooLarge {
            size: probe.stored,
            allowed: allowance.pixels,
        });
    }
    let (input, limit) = (input.into(), allowance.bytes(probe.stored));
    let rows: Box<dyn Rows + 'a> = match probe.kind {
        Kind::Jpeg => Box::new(jpeg::open(&input.bytes()?, probe.stored)?),
        Kind::Png => png::open(input, limit)?,
        Kind::WebP => Box::new(webp::open(&input.bytes()?, limit)?),
        Kind::Gif => Box::new(gif::open(&input.bytes()?, limit)?),
        Kind::Tiff => Box::new(tiff::open(input, limit)?),
        kind => return Err(DecodeError::Unread(kind)),
    };
    agreed(rows, probe)
}

/// The rows, where they are of the size that the headers promise.
fn agreed<'a>(rows: Box<dyn Rows + 'a>, probe: &Probe) -> Result<Box<dyn Rows + 'a>, DecodeError> {
    let found = rows.form().size;
    if found != probe.stored {
        return Err(DecodeError::Contradiction {
            kind: probe.kind,
            said: probe.stored,
            found,
        });
    }
    Ok(rows)
}

/// Opens a picture for a quick look: what costs much and shows little may be left out. Today
/// that is the last bit of a progressive JPEG's finer coefficients, which takes half its time.
pub fn open_coarse<'a>(
    input: impl Into<Input<'a>>,
    probe: &Probe,
    allowance: Allowance,
) -> Result<Box<dyn Rows + 'a>, DecodeError> {
    let input = input.into();
    match (probe.kind, probe.delivery) {
        (Kind::Jpeg, Delivery::Passes) if allowance.covers(probe.stored) => {
            let bytes = input.bytes()?;
            let coarse = jpeg::without_refinements(&bytes);
            let rows = jpeg::open(coarse.as_deref().unwrap_or(&bytes), probe.stored)?;
            agreed(Box::new(rows), probe)
        }
        _ => open(input, probe, allowance),
    }
}

/// About how many bytes decoding a picture holds at its peak, beside the file itself.
pub fn memory(probe: &Probe) -> u64 {
    let per_pixel = match (probe.kind, probe.delivery) {
        (_, Delivery::Rows) => 0,
        // Three samples; a progressive JPEG also keeps three 16-bit coefficients.
        (Kind::Jpeg, Delivery::Passes) => 9,
        (Kind::Jpeg, _) => 3,
        // The decoder keeps its planes or its code words beside the samples.
        (Kind::WebP, _) => 8,
        (Kind::Gif, _) => 8,
        _ => 8,
    };
    probe.stored.pixels() * per_pixel
}
