//! The adapter to the EXIF parser.

use exif::{In, Reader, Tag, Value};

use super::Headers;
use crate::pixels::Orientation;

/// Reads an EXIF block (TIFF structure, with or without the `Exif\0\0` before it). A block that
/// cannot be parsed is only counted.
pub(super) fn read(block: &[u8], headers: &mut Headers) {
    headers.ballast.exif += block.len() as u64;
    let block = block.strip_prefix(b"Exif\0\0").unwrap_or(block);
    let Ok(exif) = Reader::new().read_raw(block.to_vec()) else {
        return;
    };
    let number = |tag, ifd| {
        exif.get_field(tag, ifd)
            .and_then(|field| field.value.get_uint(0))
    };
    let says = |tag| {
        let field = exif.get_field(tag, In::PRIMARY);
        field.is_some_and(|field| match &field.value {
            Value::Ascii(texts) => texts
                .iter()
                .any(|text| text.iter().any(|b| !b.is_ascii_whitespace())),
            _ => true,
        })
    };
    if let Some(orientation) = number(Tag::Orientation, In::PRIMARY) {
        headers.orientation = Orientation::from_exif(orientation);
    }
    let resolution = exif
        .get_field(Tag::XResolution, In::PRIMARY)
        .map(|field| &field.value);
    if let Some(Value::Rational(dots)) = resolution {
        let per_centimetre = number(Tag::ResolutionUnit, In::PRIMARY) == Some(3);
        let dots = dots
            .first()
            .map(|dots| dots.to_f64() * if per_centimetre { 2.54 } else { 1.0 });
        headers.dots_per_inch = dots.filter(|dots| dots.is_finite());
    }
    let ballast = &mut headers.ballast;
    ballast.thumbnail +=
        number(Tag::JPEGInterchangeFormatLength, In::THUMBNAIL).unwrap_or(0) as u64;
    ballast.position |= says(Tag::GPSLatitude);
    ballast.person |= says(Tag::Artist) || says(Tag::CameraOwnerName);
    ballast.copyright |= says(Tag::Copyright);
}
