//! The adapter to the EXIF parser.

use exif::{Exif, In, Reader, Tag, Value};

use super::Headers;
use super::headers::Standard;
use crate::credits::{Credits, Field};
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
    headers.say(Standard::Exif, &credits(&exif));
    let ballast = &mut headers.ballast;
    ballast.thumbnail +=
        number(Tag::JPEGInterchangeFormatLength, In::THUMBNAIL).unwrap_or(0) as u64;
    ballast.position |= says(Tag::GPSLatitude);
    ballast.person |= says(Tag::Artist) || says(Tag::CameraOwnerName);
    ballast.copyright |= says(Tag::Copyright);
}

fn credits(exif: &Exif) -> Credits {
    let mut credits = Credits::default();
    let text = |tag| {
        let field = exif.get_field(tag, In::PRIMARY)?;
        match &field.value {
            Value::Ascii(texts) => Some(String::from_utf8_lossy(texts.first()?).into_owned()),
            _ => None,
        }
    };
    let mut say = |field, text: Option<String>| {
        if let Some(text) = text {
            credits.set(field, &text);
        }
    };
    say(Field::Caption, text(Tag::ImageDescription));
    say(Field::Creator, text(Tag::Artist));
    say(Field::Copyright, text(Tag::Copyright));
    say(Field::Camera, text(Tag::Model));
    say(Field::Date, text(Tag::DateTimeOriginal).and_then(dated));
    let degrees = |tag, side_tag| {
        let Value::Rational(parts) = &exif.get_field(tag, In::PRIMARY)?.value else {
            return None;
        };
        let units = [1.0, 60.0, 3600.0];
        let sum: f64 = parts
            .iter()
            .zip(units)
            .map(|(part, unit)| part.to_f64() / unit)
            .sum();
        let negative = matches!(text(side_tag)?.trim(), "S" | "W");
        sum.is_finite().then_some(if negative { -sum } else { sum })
    };
    let latitude = degrees(Tag::GPSLatitude, Tag::GPSLatitudeRef);
    let longitude = degrees(Tag::GPSLongitude, Tag::GPSLongitudeRef);
    let both = latitude.zip(longitude);
    say(
        Field::Position,
        both.map(|(latitude, longitude)| format!("{latitude:.6}, {longitude:.6}")),
    );
    credits
}

/// `2026:06:20 21:14:05` as `2026-06-20T21:14:05`.
fn dated(text: String) -> Option<String> {
    let (date, time) = text.trim().split_once(' ')?;
    let sound = date.len() == 10 && time.len() == 8 && !date.starts_with("0000");
    sound.then(|| format!("{}T{time}", date.replace(':', "-")))
}
