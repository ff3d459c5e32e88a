//! The adapters for the largest picture of an icon, and to the QOI decoder.

use ::qoi::{Channels, Error};

use super::whole::{Samples, Whole};
use super::{DecodeError, Form, Ink, Input, bmp, png};
use crate::container::{Scan, ico};
use crate::pixels::Size;
use crate::source::Kind;

/// See [`super::revision`].
pub(super) const REVISION: u32 = 1;

/// The largest picture of an icon: a PNG, or a bitmap without its file header.
pub(super) fn ico(bytes: &[u8], limit: u64) -> Result<Whole, DecodeError> {
    let cut_off = || DecodeError::CutOff(Kind::Ico);
    let icon = ico::largest(&mut Scan::of(bytes)).map_err(|_| cut_off())?;
    let rest = usize::try_from(icon.offset).ok();
    let rest = rest.and_then(|at| bytes.get(at..)).ok_or_else(cut_off)?;
    let body = &rest[..rest.len().min(icon.length as usize)];
    if !icon.png {
        return bmp::icon(body);
    }
    let mut rows = png::open(Input::Bytes(body), limit)?;
    Whole::held(Kind::Ico, rows.as_mut())
}

pub(super) fn qoi(bytes: &[u8]) -> Result<Whole, DecodeError> {
    let (header, samples) = ::qoi::decode_to_vec(bytes).map_err(|error| match error {
        Error::UnexpectedBufferEnd => DecodeError::CutOff(Kind::Qoi),
        error => DecodeError::damaged(Kind::Qoi, error),
    })?;
    let size = Size::new(header.width, header.height).ok_or(DecodeError::CutOff(Kind::Qoi))?;
    let ink = match header.channels {
        Channels::Rgb => Ink::Rgb,
        Channels::Rgba => Ink::Rgba,
    };
    let form = Form {
        size,
        ink,
        icc: None,
    };
    Ok(Whole::new(Kind::Qoi, form, Samples::Eight(samples)))
}
