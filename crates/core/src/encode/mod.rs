//! A raster and a request → the bytes of a finished file, one room a format.

mod avif;
mod avif_items;
mod inscribe;
mod jpeg;
mod png;
mod webp;

pub use inscribe::inscribe;

use std::error::Error;
use std::ops::RangeInclusive;

use serde::{Deserialize, Serialize};
use thiserror::Error;

use crate::pixels::{Raster, Size};

/// A format that pieces are made in.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Format {
    /// Progressive JPEG with optimised Huffman tables.
    Jpeg,
    /// PNG.
    Png,
    /// WebP, lossy or lossless.
    WebP,
    /// AVIF, 8 bits.
    Avif,
}

impl Format {
    /// The extension of its files.
    pub fn extension(self) -> &'static str {
        match self {
            Format::Jpeg => "jpg",
            Format::Png => "png",
            Format::WebP => "webp",
            Format::Avif => "avif",
        }
    }

    /// Whether it can hold transparent pixels.
    pub fn holds_alpha(self) -> bool {
        self != Format::Jpeg
    }

    /// Whether it can be coded without loss as well as with it.
    pub fn has_lossless_mode(self) -> bool {
        self == Format::WebP
    }

    /// The longest side that it can hold, in pixels.
    pub fn longest_side(self) -> u32 {
        match self {
            Format::Jpeg | Format::Avif => 65_535,
            Format::WebP => 16_383,
            Format::Png => Size::MAX_SIDE,
        }
    }

    /// The range of its quality dial that a search may use, worst first; `None` where it knows no
    /// dial. The lower ends are where a photo is just recognisable.
    pub fn dials(self) -> Option<RangeInclusive<u8>> {
        match self {
            Format::Jpeg => Some(8..=98),
            Format::WebP => Some(1..=100),
            Format::Avif => Some(5..=98),
            Format::Png => None,
        }
    }
}

impl std::fmt::Display for Format {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(match self {
            Format::Jpeg => "JPEG",
            Format::Png => "PNG",
            Format::WebP => "WebP",
            Format::Avif => "AVIF",
        })
    }
}

/// How the samples are coded.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Coding {
    /// With loss, at a position of the format's dial, 0 (worst) to 100.
    Dial(u8),
    /// Without loss: PNG, and WebP in its lossless mode.
    Lossless,
}

/// What becomes of the colours of neighbouring pixels, in lossy formats.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Chroma {
    /// Every four pixels share their chroma: a good part of the file is saved, and photos do not
    /// show it.
    Halved,
    /// Each keeps its own; in WebP, which cannot, it is shared with care for coloured edges.
    Full,
}

/// How much time a file may cost.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Pace {
    /// As little as can be: files are some 5% heavier.
    Quick,
    /// What brings most of the gain.
    #[default]
    Steady,
    /// Whatever makes files lighter still.
    Patient,
}

/// How a file is made.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Manner {
    /// With or without loss.
    pub coding: Coding,
    /// What becomes of chroma.
    pub chroma: Chroma,
    /// How much time it may cost.
    pub pace: Pace,
}

/// Why a file could not be made.
#[derive(Debug, Error)]
pub enum EncodeError {
    /// A side is longer than the format can say.
    #[error("{size} is too large for {format}, whose sides end at {} pixels", format.longest_side())]
    TooLarge {
        /// The size asked for.
        size: Size,
        /// The format asked for.
        format: Format,
    },
    /// The format has no such coding, or no transparency.
    #[error("{format} cannot hold this: {what}")]
    Impossible {
        /// The format asked for.
        format: Format,
        /// What it lacks.
        what: &'static str,
    },
    /// The encoder gave up.
    #[error("the {format} encoder failed: {source}")]
    Failed {
        /// The format asked for.
        format: Format,
        /// What the encoder said.
        source: Box<dyn Error + Send + Sync>,
    },
}

impl EncodeError {
    fn failed(format: Format, source: impl Into<Box<dyn Error + Send + Sync>>) -> Self {
        EncodeError::Failed {
            format,
            source: source.into(),
        }
    }
}

/// Makes a file. The same arguments give the same bytes on every run.
pub fn encode(raster: &Raster, format: Format, manner: Manner) -> Result<Vec<u8>, EncodeError> {
    let size = raster.size();
    if size.long_side() > format.longest_side() {
        return Err(EncodeError::TooLarge { size, format });
    }
    let Manner {
        coding,
        chroma,
        pace,
    } = manner;
    match (format, coding) {
        (Format::Jpeg, Coding::Dial(dial)) => jpeg::encode(raster, dial, chroma),
        (Format::Png, Coding::Lossless) => png::encode(raster, pace),
        (Format::WebP, _) => webp::encode(raster, coding, chroma, pace),
        (Format::Avif, Coding::Dial(dial)) => avif::encode(raster, dial, chroma, pace),
        (Format::Jpeg | Format::Avif, Coding::Lossless) => Err(EncodeError::Impossible {
            format,
            what: "it is always coded with loss here",
        }),
        (Format::Png, Coding::Dial(_)) => Err(EncodeError::Impossible {
            format,
            what: "it has no quality dial",
        }),
    }
}

/// About how many bytes encoding a raster holds at its peak, beside the raster.
pub fn memory(size: Size, format: Format) -> u64 {
    let per_pixel = match format {
        Format::Jpeg => 12,
        Format::Png => 8,
        Format::WebP => 16,
        // Measured with rav1e 0.8: lookahead, reconstruction and search state.
        Format::Avif => 40,
    };
    size.pixels() * per_pixel
}
