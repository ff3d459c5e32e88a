//! All that the headers of a picture say.

use serde::Serialize;

use super::{Delivery, Kind, Probe, ProbeError};
use crate::credits::Credits;
use crate::pixels::{Orientation, Size};

/// All that the headers of a picture say.
#[derive(Clone, Debug, PartialEq)]
pub struct Headers {
    /// The format, by its magic bytes.
    pub kind: Kind,
    /// Width and height as stored; `None` for drawings without a size of their own.
    pub stored: Option<Size>,
    /// How the stored rows must be turned to stand upright.
    pub orientation: Orientation,
    /// Whether pixels can be transparent.
    pub alpha: bool,
    /// Pictures in the file: 1 for a still.
    pub frames: u32,
    /// How the pixels come out of the file.
    pub delivery: Delivery,
    /// See [`Probe::fineness`].
    pub fineness: u32,
    /// Bits of a sample, 0 where that means nothing.
    pub bits: u8,
    /// What the samples stand for.
    pub model: Model,
    /// Whether the pixels are stored without loss.
    pub lossless: bool,
    /// Whether the rows are interlaced.
    pub interlaced: bool,
    /// What only JPEG has.
    pub jpeg: Option<JpegCoding>,
    /// The resolution tag, in dots per inch.
    pub dots_per_inch: Option<f64>,
    /// The ICC profile's bytes.
    pub icc: Option<Vec<u8>>,
    /// What the file carries beside its pixels.
    pub ballast: Ballast,
    /// What it says of itself in words.
    pub credits: Credits,
    /// The same by the standard that it is said in.
    said: [Credits; 3],
}

/// A standard for credits; what a later one says goes before what an earlier one says.
#[derive(Clone, Copy)]
pub(super) enum Standard {
    Exif,
    Iptc,
    Xmp,
}

/// What the samples of a picture stand for.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Model {
    /// Grey.
    Grey,
    /// Red, green and blue, or luma and chroma made from them.
    Colour,
    /// Indices into a table of colours.
    Palette,
    /// Cyan, magenta, yellow and black.
    Inks,
    /// Shapes instead of pixels.
    Drawing,
}

/// How a JPEG is coded.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct JpegCoding {
    /// Whether it comes in several scans, each better than the one before.
    pub progressive: bool,
    /// Chroma subsampling as people write it, such as `4:2:0`; empty for one component.
    pub subsampling: String,
    /// The quality dial that its tables come from, on the scale of the Independent JPEG Group,
    /// 1 to 100.
    pub quality: Option<u8>,
}

/// What a file carries beside its pixels, in bytes, and what can be read in it.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize)]
pub struct Ballast {
    /// EXIF, its thumbnail included.
    pub exif: u64,
    /// The thumbnail in it.
    pub thumbnail: u64,
    /// XMP.
    pub xmp: u64,
    /// IPTC and what image editors keep around it.
    pub iptc: u64,
    /// The ICC profile.
    pub icc: u64,
    /// Comments and text.
    pub comments: u64,
    /// Whether it says where the picture was taken.
    pub position: bool,
    /// Whether it names a person.
    pub person: bool,
    /// Whether it states a copyright.
    pub copyright: bool,
}

impl Ballast {
    /// All bytes that no browser shows; the profile is not among them.
    pub fn bytes(&self) -> u64 {
        self.exif + self.xmp + self.iptc + self.comments
    }
}

impl Headers {
    /// Headers of a still, opaque, 8-bit colour picture.
    pub(super) fn new(kind: Kind, stored: Option<Size>) -> Self {
        Headers {
            kind,
            stored,
            orientation: Orientation::Upright,
            alpha: false,
            frames: 1,
            delivery: Delivery::Whole,
            fineness: 0,
            bits: 8,
            model: Model::Colour,
            lossless: false,
            interlaced: false,
            jpeg: None,
            dots_per_inch: None,
            icc: None,
            ballast: Ballast::default(),
            credits: Credits::default(),
            said: Default::default(),
        }
    }

    /// Takes in what a block of a standard says.
    pub(super) fn say(&mut self, standard: Standard, found: &Credits) {
        let said = &mut self.said[standard as usize];
        *said = std::mem::take(said).overlaid(found);
        let [exif, iptc, xmp] = &self.said;
        self.credits = exif.clone().overlaid(iptc).overlaid(xmp);
    }

    /// Keeps an ICC profile, where it was held, and counts its bytes.
    pub(super) fn add_icc(&mut self, length: u64, profile: Option<Vec<u8>>) {
        self.ballast.icc += length;
        self.icc = profile;
    }

    /// Width and height once the picture stands upright.
    pub fn upright(&self) -> Option<Size> {
        self.stored.map(|size| self.orientation.apply_to_size(size))
    }

    /// Width and height as it is displayed where nobody says how large, upright.
    pub fn own_size(&self) -> Option<Size> {
        let upright = self.upright();
        upright.map(|size| super::coarser(size, self.fineness))
    }

    /// What a plan needs, where pieces can be made from this format.
    pub fn probe(&self) -> Result<Probe, ProbeError> {
        match self.stored {
            Some(stored) if self.kind.is_read() => Ok(Probe {
                kind: self.kind,
                stored,
                orientation: self.orientation,
                alpha: self.alpha,
                frames: self.frames,
                delivery: self.delivery,
                fineness: self.fineness,
            }),
            _ => Err(ProbeError::Unread(self.kind)),
        }
    }
}
