//! Bytes → rows of samples, one adapter a format.

mod avif;
mod bmp;
mod error;
mod finished;
mod gif;
mod input;
mod jpeg;
mod oddity;
mod pixels;
mod png;
mod pnm;
mod small;
mod svg;
mod tiff;
mod webp;
mod whole;

pub use error::DecodeError;
pub use finished::finished;
pub use input::{Input, Stored, Stream};
/// What is odd in a JPEG.
pub use kiln_jpeg::Oddity as JpegOddity;
pub use oddity::Oddity;
pub use pixels::{File, Open, Pixels};

use crate::draw;
use crate::guard::guarded;
use crate::pixels::{Area, Channels, Raster, Size};
use crate::source::{Delivery, Kind, Probe};
use whole::{Samples, Whole};

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
    /// Width and height of the whole picture as it is delivered: as stored, or reduced.
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

/// How exactly samples are wanted.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Care {
    /// As the format's standard has them.
    Exact,
    /// For a look: what costs much and shows little may be left out. Today that is the last bit of
    /// a progressive JPEG's finer coefficients, which takes half its time.
    Quick,
}

/// What is wanted of a picture's pixels. A decoder that can may answer with less than is stored: a
/// half, a quarter or an eighth of both sides; one of drawings with any size. Later rooms take
/// whatever size the rows are of: to them a picture is a picture.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Wanted {
    /// The whole picture shall not come out smaller than this, as stored.
    pub least: Size,
    /// The part that matters, in stored pixels: what lies outside may be of any colour.
    pub area: Area,
    /// How exactly its samples are wanted.
    pub care: Care,
}

impl Wanted {
    /// All that a picture has.
    pub fn all(probe: &Probe) -> Wanted {
        Wanted {
            least: probe.stored,
            area: Area::whole(probe.stored),
            care: Care::Exact,
        }
    }

    /// What serves both of two wishes.
    pub fn with(self, other: Wanted) -> Wanted {
        let (width, height) = (
            self.least.width().max(other.least.width()),
            self.least.height().max(other.least.height()),
        );
        Wanted {
            least: Size::new(width, height).unwrap_or(self.least),
            area: self.area.with(other.area),
            care: match (self.care, other.care) {
                (Care::Quick, Care::Quick) => Care::Quick,
                _ => Care::Exact,
            },
        }
    }

    /// All of its pixels, for a look.
    pub fn look(probe: &Probe) -> Wanted {
        let care = Care::Quick;
        Wanted {
            care,
            ..Wanted::all(probe)
        }
    }
}

/// A picture that is being decoded, from the top row down.
pub trait Rows: Send {
    /// What all rows have in common.
    fn form(&self) -> &Form;

    /// The next row; there are exactly `form().size.height()` of them.
    fn next_row(&mut self) -> Result<Row<'_>, DecodeError>;

    /// Goes back to the first row, where the samples are held; tells whether it could.
    fn rewind(&mut self) -> bool {
        false
    }

    /// What was odd in the file, as far as it was read.
    fn oddities(&self) -> Vec<Oddity> {
        Vec::new()
    }
}

impl<T: Rows + ?Sized> Rows for &mut T {
    fn form(&self) -> &Form {
        (**self).form()
    }

    fn next_row(&mut self) -> Result<Row<'_>, DecodeError> {
        (**self).next_row()
    }

    fn rewind(&mut self) -> bool {
        (**self).rewind()
    }

    fn oddities(&self) -> Vec<Oddity> {
        (**self).oddities()
    }
}

/// Opens a picture. `probe` must be what [`crate::source::probe`] said of the same bytes.
pub fn open<'a>(
    input: impl Into<Input<'a>>,
    probe: &Probe,
    wanted: Wanted,
    allowance: Allowance,
) -> Result<Box<dyn Rows + 'a>, DecodeError> {
    // A drawing takes what its picture takes, and none of what it could be drawn at.
    let size = match probe.is_drawn() {
        true => wanted.least,
        false => probe.stored,
    };
    if !allowance.covers(size) {
        return Err(DecodeError::TooLarge {
            size,
            allowed: allowance.pixels,
        });
    }
    let (input, limit) = (input.into(), allowance.bytes(size));
    let opened = guarded(|| adapter(input, probe, wanted, limit));
    let rows = opened.unwrap_or(Err(DecodeError::Panicked(probe.kind)))?;
    let found = rows.form().size;
    let answered = match probe.is_drawn() {
        true => found == wanted.least,
        false => answers(found, probe.stored, wanted.least),
    };
    if !answered {
        return Err(DecodeError::Contradiction {
            kind: probe.kind,
            said: probe.stored,
            found,
        });
    }
    Ok(Box::new(Guarded {
        kind: probe.kind,
        rows,
    }))
}

/// Whether rows of a size are what was asked for: all that is stored, or a reduction that still has
/// enough.
fn answers(found: Size, stored: Size, least: Size) -> bool {
    let enough = found.width() >= least.width() && found.height() >= least.height();
    let reduced = [2, 4, 8].map(|by| (stored.width().div_ceil(by), stored.height().div_ceil(by)));
    found == stored || (enough && reduced.contains(&(found.width(), found.height())))
}

/// The rows by the adapter to the format's decoder.
fn adapter<'a>(
    input: Input<'a>,
    probe: &Probe,
    wanted: Wanted,
    limit: u64,
) -> Result<Box<dyn Rows + 'a>, DecodeError> {
    #[cfg(feature = "faulty")]
    crate::guard::faulty::strike(&input.bytes()?, crate::guard::faulty::OPENING);
    let rows: Box<dyn Rows + 'a> = match probe.kind {
        Kind::Jpeg => jpeg::open(input.bytes()?, wanted, probe.stored)?,
        Kind::Png => png::open(input, limit)?,
        Kind::WebP => Box::new(webp::open(&input.bytes()?, limit)?),
        Kind::Gif => Box::new(gif::open(&input.bytes()?, limit)?),
        Kind::Tiff => Box::new(tiff::open(input, limit)?),
        Kind::Avif => Box::new(avif::open(&input.bytes()?, probe.stored)?),
        Kind::Bmp => Box::new(bmp::open(&input.bytes()?)?),
        Kind::Ico => Box::new(small::ico(&input.bytes()?, limit)?),
        Kind::Qoi => Box::new(small::qoi(&input.bytes()?)?),
        Kind::Pnm => pnm::open(input)?,
        Kind::Svg => svg::open(&input.bytes()?, wanted)?,
        kind => return Err(DecodeError::Unread(kind)),
    };
    #[cfg(feature = "faulty")]
    if memchr::memmem::find(&input.bytes()?, crate::guard::faulty::ROWS).is_some() {
        return Ok(Box::new(Faulty(rows)));
    }
    Ok(rows)
}

/// Rows of a decoder, whose panics are errors.
struct Guarded<'a> {
    kind: Kind,
    rows: Box<dyn Rows + 'a>,
}

impl Rows for Guarded<'_> {
    fn form(&self) -> &Form {
        self.rows.form()
    }

    fn next_row(&mut self) -> Result<Row<'_>, DecodeError> {
        let rows = &mut self.rows;
        guarded(|| rows.next_row()).unwrap_or(Err(DecodeError::Panicked(self.kind)))
    }

    fn rewind(&mut self) -> bool {
        self.rows.rewind()
    }

    fn oddities(&self) -> Vec<Oddity> {
        self.rows.oddities()
    }
}

/// Rows that panic.
#[cfg(feature = "faulty")]
struct Faulty<'a>(Box<dyn Rows + 'a>);

#[cfg(feature = "faulty")]
impl Rows for Faulty<'_> {
    fn form(&self) -> &Form {
        self.0.form()
    }

    fn next_row(&mut self) -> Result<Row<'_>, DecodeError> {
        let rows = crate::guard::faulty::ROWS;
        crate::guard::faulty::strike(rows, rows);
        self.0.next_row()
    }
}

/// The rows of a raster.
pub(crate) fn rows_of(raster: Raster) -> Box<dyn Rows> {
    let form = Form::of(&raster);
    let samples = Samples::Eight(raster.into_samples());
    // Its own rows are never missing: the kind is that of no file.
    Box::new(Whole::new(Kind::Png, form, samples))
}

/// The revision of the decoder of a format: it counts up whenever a file comes to mean other samples.
pub(crate) fn revision(kind: Kind) -> u32 {
    match kind {
        Kind::Jpeg => jpeg::REVISION,
        Kind::Png => png::REVISION,
        Kind::WebP => webp::REVISION,
        Kind::Gif => gif::REVISION,
        Kind::Tiff => tiff::REVISION,
        Kind::Avif => avif::REVISION,
        Kind::Bmp => bmp::REVISION,
        Kind::Ico => small::REVISION + bmp::REVISION,
        Kind::Qoi => small::REVISION,
        Kind::Pnm => pnm::REVISION,
        Kind::Svg => svg::REVISION,
        _ => 0,
    }
}

/// About how many bytes decoding a picture holds at its peak, beside the file itself.
/// For a drawing see [`drawn_memory`].
pub fn memory(probe: &Probe) -> u64 {
    if probe.is_drawn() {
        return 0;
    }
    let per_pixel = match (probe.kind, probe.delivery) {
        (_, Delivery::Rows) => 0,
        // Up to three coefficients of a byte, and for some blocks those of two beside them.
        (Kind::Jpeg, _) => 4,
        // Planes of up to 16 bits, and values before and after alpha joins them.
        (Kind::Avif, _) => 24,
        // The decoder keeps its planes, its code words or the bytes of deep samples beside these.
        _ => 8,
    };
    probe.stored.pixels() * per_pixel
}

/// About how many bytes drawing at a size holds at its peak.
pub(crate) fn drawn_memory(size: Size) -> u64 {
    size.pixels() * 4 + draw::memory(size)
}
