//! A raster and a request → the bytes of a finished file, one room a format.

mod avif;
mod coder;
mod inscribe;
mod jpeg;
mod own;
#[cfg(test)]
mod painted;
mod palette;
mod png;
mod svg;
mod webp;

pub use coder::{Abilities, Coder, Prepared, Shown, Sought, Subject, TilesAbove, Tried, Way, Ways};
pub use inscribe::inscribe;
pub use own::{Own, Repack, Repacked, repack};

use std::error::Error;
use std::ops::RangeInclusive;

use serde::{Deserialize, Serialize};
use thiserror::Error;

use crate::guard::guarded;
use crate::pixels::{Channels, Raster, Size};
use crate::source::Kind;

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
    /// SVG: a drawing, or a mark of few flat colours, traced.
    Svg,
}

impl Format {
    /// All of them.
    pub const ALL: [Format; 5] = [
        Format::Jpeg,
        Format::Png,
        Format::WebP,
        Format::Avif,
        Format::Svg,
    ];

    /// Its coder.
    pub fn coder(self) -> &'static dyn Coder {
        match self {
            Format::Jpeg => &jpeg::Jpeg,
            Format::Png => &png::Png,
            Format::WebP => &webp::WebP,
            Format::Avif => &avif::Avif,
            Format::Svg => &svg::Svg,
        }
    }

    /// The format of its files.
    pub fn kind(self) -> Kind {
        self.coder().abilities().kind
    }

    /// The extension of its files.
    pub fn extension(self) -> &'static str {
        self.coder().abilities().extension
    }

    /// Whether more browsers show it than another.
    pub fn is_shown_by_more_than(self, other: Format) -> bool {
        self.coder().abilities().novelty < other.coder().abilities().novelty
    }

    /// Whether its files are sharp at every size, so that one serves all.
    pub fn is_scalable(self) -> bool {
        self.coder().abilities().scalable
    }

    /// About what finding a file of a look takes one core for each pixel.
    pub(crate) fn nanoseconds(self) -> u64 {
        self.coder().abilities().nanoseconds
    }

    /// The visual score that a file of it has to reach, whatever look is asked for; 0 where that is enough.
    pub fn least_look(self) -> f32 {
        self.coder().abilities().least_look
    }

    /// Whether it can hold transparent pixels.
    pub fn holds_alpha(self) -> bool {
        self.coder().abilities().alpha
    }

    /// Whether it can be coded without loss.
    pub fn is_exact(self) -> bool {
        self.coder().abilities().lossless
    }

    /// Whether its files without loss may be the lightest that look as wanted.
    pub fn is_light_exactly(self) -> bool {
        self.coder().abilities().light_lossless
    }

    /// Whether its files may come in one pass or in several.
    pub fn knows_passes(self) -> bool {
        self.coder().abilities().passes
    }

    /// The longest side that it can hold, in pixels.
    pub fn longest_side(self) -> u32 {
        self.coder().abilities().longest_side
    }

    /// How much better tiles of a photo score than the whole, where that is known.
    pub fn tiles_above(self) -> Option<TilesAbove> {
        self.coder().abilities().ways.as_ref()?.tiles_above
    }

    /// The range of its quality dial that a search may use, worst first.
    pub fn dials(self) -> RangeInclusive<u8> {
        self.coder().abilities().dials.clone()
    }
}

impl std::fmt::Display for Format {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        self.kind().fmt(f)
    }
}

/// How the samples are coded.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Coding {
    /// With loss, at a position of the format's dial, 0 (worst) to 100.
    Dial(u8),
    /// Without loss: PNG, WebP in its lossless mode, and AVIF, whose planes are the colours themselves then.
    Lossless,
}

/// What becomes of colours, where they are coded with loss.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Chroma {
    /// Every four pixels share their chroma: a good part of the file is saved, and photos do not
    /// show it.
    Halved,
    /// Each keeps its own; in WebP, which cannot, it is shared with care for coloured edges.
    Full,
    /// Each pixel takes one of few colours, and those are kept: a palette, whose colours the dial counts.
    Counted,
    /// Each pixel keeps its own but for the last bits, where others hide them: the dial is how many bits
    /// stay, and there are few positions.
    Near,
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

/// Whether a file comes in one pass, from the top down, or in several, each finer than the one before,
/// in formats that know both.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Passes {
    /// As is lightest.
    #[default]
    Lightest,
    /// In several.
    Several,
    /// In one.
    One,
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
    /// The encoder panicked.
    #[error("the {0} encoder failed on it; please report this with the picture")]
    Panicked(Format),
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

/// Makes a raster ready to be coded in a format.
pub fn prepare(
    raster: &Raster,
    format: Format,
    passes: Passes,
) -> Result<Box<dyn Prepared + '_>, EncodeError> {
    let (size, coder) = (raster.size(), format.coder());
    if size.long_side() > format.longest_side() {
        return Err(EncodeError::TooLarge { size, format });
    }
    if raster.channels() == Channels::Rgba && !format.holds_alpha() {
        return Err(EncodeError::Impossible {
            format,
            what: "it has no transparency",
        });
    }
    let prepared = guarded(|| coder.prepare(raster, passes));
    let prepared = prepared.unwrap_or(Err(EncodeError::Panicked(format)))?;
    Ok(Box::new(Guarded { format, prepared }))
}

/// Makes a single file. The same arguments give the same bytes on every run.
pub fn encode(raster: &Raster, format: Format, manner: Manner) -> Result<Vec<u8>, EncodeError> {
    prepare(raster, format, Passes::default())?.encode(manner)
}

/// A prepared raster of a coder that can do what it is asked, and whose panics are errors.
struct Guarded<'a> {
    format: Format,
    prepared: Box<dyn Prepared + 'a>,
}

impl Guarded<'_> {
    /// Asks the coder, where it can do that.
    fn ask<T>(
        &self,
        manner: Manner,
        ask: impl FnOnce(&dyn Prepared) -> Result<T, EncodeError>,
    ) -> Result<T, EncodeError> {
        let format = self.format;
        let what = match manner.coding {
            Coding::Lossless if format.is_exact() => None,
            Coding::Lossless => Some(OWN_ONLY),
            _ => None,
        };
        if let Some(what) = what {
            return Err(EncodeError::Impossible { format, what });
        }
        let asked = guarded(|| ask(self.prepared.as_ref()));
        asked.unwrap_or(Err(EncodeError::Panicked(format)))
    }
}

impl Prepared for Guarded<'_> {
    fn encode(&self, manner: Manner) -> Result<Vec<u8>, EncodeError> {
        self.ask(manner, |prepared| prepared.encode(manner))
    }

    fn shown(&self, manner: Manner) -> Result<Shown, EncodeError> {
        self.ask(manner, |prepared| prepared.shown(manner))
    }
}

/// What a format cannot code without loss that writes nothing but originals again so.
const OWN_ONLY: &str = "without loss it can only be an original of the same format, at its own size \
                        and in its own colours; name another format, or a look below exact";

/// About how many bytes encoding a raster holds at its peak, beside the raster.
pub fn memory(size: Size, format: Format) -> u64 {
    size.pixels() * format.coder().abilities().memory
}
