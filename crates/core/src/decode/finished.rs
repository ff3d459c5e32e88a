//! Finished pieces, decoded again to be looked at.

use std::borrow::Cow;

use super::whole::Whole;
use super::{
    Allowance, Care, DecodeError, Ink, Input, Row, Rows, Wanted, avif, jpeg, png, svg, webp,
};
use crate::guard::guarded;
use crate::pixels::{Area, Channels, Raster, Size, narrow};
use crate::source::Kind;

/// The samples of a piece that was made at a size, in the gamut that it was made in.
pub fn finished(kind: Kind, bytes: &[u8], size: Size) -> Result<Raster, DecodeError> {
    let read = guarded(|| raster(kind, bytes, size));
    read.unwrap_or(Err(DecodeError::Panicked(kind)))
}

fn raster(kind: Kind, bytes: &[u8], size: Size) -> Result<Raster, DecodeError> {
    let limit = Allowance {
        pixels: size.pixels(),
    }
    .bytes(size);
    if kind == Kind::Svg {
        let (_, samples) = svg::drawn(bytes, size)?;
        let raster = Raster::new(size, Channels::Rgba, samples);
        return raster.ok_or(DecodeError::CutOff(kind));
    }
    let whole = |whole: Whole| -> Box<dyn Rows> { Box::new(whole) };
    let mut rows = match kind {
        Kind::Jpeg => {
            let wanted = Wanted {
                least: size,
                area: Area::whole(size),
                care: Care::Exact,
            };
            jpeg::open(Cow::Borrowed(bytes), wanted, size)?
        }
        Kind::WebP => whole(webp::open(bytes, limit)?),
        Kind::Avif => whole(avif::open(bytes, size)?),
        Kind::Png => png::open(Input::Bytes(bytes), limit)?,
        kind => return Err(DecodeError::Unread(kind)),
    };
    let (found, ink) = (rows.form().size, rows.form().ink);
    let contradiction = DecodeError::Contradiction {
        kind,
        said: size,
        found,
    };
    if found != size {
        return Err(contradiction);
    }
    let channels = if ink.has_alpha() {
        Channels::Rgba
    } else {
        Channels::Rgb
    };
    let mut samples = Vec::with_capacity(size.pixels() as usize * channels.count());
    let mut eight = Vec::new();
    for _ in 0..size.height() {
        let row = match rows.next_row()? {
            Row::Eight(row) => row,
            // Shown at eight bits, as most screens do.
            Row::Sixteen(row) => {
                eight.clear();
                eight.extend(row.iter().map(|&value| narrow(value)));
                &eight
            }
        };
        match ink {
            Ink::Rgb | Ink::Rgba => samples.extend_from_slice(row),
            Ink::Grey => samples.extend(row.iter().flat_map(|&grey| [grey; 3])),
            Ink::GreyAlpha => {
                let pixels = row.as_chunks::<2>().0.iter();
                samples.extend(pixels.flat_map(|&[grey, alpha]| [grey, grey, grey, alpha]));
            }
            Ink::Cmyk => return Err(DecodeError::damaged(kind, "it has inks")),
        }
    }
    Raster::new(size, channels, samples).ok_or(contradiction)
}
