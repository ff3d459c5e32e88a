//! The adapter to the WebP decoder.

use std::io::Cursor;

use image_webp::{DecodingError, WebPDecoder};

use super::whole::{Samples, Whole};
use super::{DecodeError, Form, Ink};
use crate::pixels::Size;
use crate::source::Kind;

/// See [`super::revision`].
pub(super) const REVISION: u32 = 1;

pub(super) fn open(bytes: &[u8], limit: u64) -> Result<Whole, DecodeError> {
    let mut decoder = WebPDecoder::new(Cursor::new(bytes)).map_err(damaged)?;
    decoder.set_memory_limit(usize::try_from(limit).unwrap_or(usize::MAX));
    let (width, height) = decoder.dimensions();
    let size = Size::new(width, height).ok_or(DecodeError::CutOff(Kind::WebP))?;
    let icc = decoder.icc_profile().map_err(damaged)?;
    let ink = if decoder.has_alpha() {
        Ink::Rgba
    } else {
        Ink::Rgb
    };
    let length = decoder.output_buffer_size();
    let length = length.ok_or_else(|| damaged(DecodingError::ImageTooLarge))?;
    let mut samples = vec![0; length];
    if decoder.is_animated() {
        decoder.read_frame(&mut samples).map_err(damaged)?;
    } else {
        decoder.read_image(&mut samples).map_err(damaged)?;
    }
    let form = Form { size, ink, icc };
    Ok(Whole::new(Kind::WebP, form, Samples::Eight(samples)))
}

fn damaged(error: DecodingError) -> DecodeError {
    match error {
        DecodingError::IoError(_) => DecodeError::CutOff(Kind::WebP),
        other => DecodeError::damaged(Kind::WebP, other),
    }
}
