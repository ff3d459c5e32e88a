//! The outermost element of an SVG drawing (W3C SVG 2, section 8).

use std::io::{Read, Seek};

use super::{Headers, Kind, Model, Stop};
use crate::container::Scan;
use crate::container::xml::{self, Entities};
use crate::pixels::Size;

/// The longest side that a drawing is taken to have, in pixels.
const LONGEST_SIDE: u32 = 16_384;

/// The most that pixels are divided.
const FINEST: u32 = 64;

/// Longer files are not parsed.
const LONGEST: u64 = 32 << 20;

pub(super) fn read<R: Read + Seek>(scan: &mut Scan<R>) -> Result<Headers, Stop> {
    let length = scan.left();
    if length > LONGEST {
        return Err(Stop::rule("it is a drawing of more than 32 MiB"));
    }
    let text = scan.block(length)?.unwrap_or_default();
    let text = std::str::from_utf8(&text).map_err(|_| Stop::rule("its text is not UTF-8"))?;
    let document =
        xml::parse(text, Entities::Declared).ok_or(Stop::rule("it is not well-formed"))?;
    let root = document.root_element();
    let side = |name| root.attribute(name).and_then(pixels);
    let mut view = root
        .attribute("viewBox")
        .into_iter()
        .flat_map(|v| v.split([' ', ',']));
    let mut view = view.by_ref().filter_map(|v| v.parse::<f64>().ok()).skip(2);
    let (view_width, view_height) = (view.next(), view.next());
    let width = side("width").or(view_width);
    let height = side("height").or(view_height);
    let fine = width
        .zip(height)
        .and_then(|(width, height)| fine(width, height));
    let mut headers = Headers::new(Kind::Svg, fine.map(|(size, _)| size));
    headers.fineness = fine.map_or(0, |(_, fineness)| fineness);
    headers.model = Model::Drawing;
    headers.bits = 0;
    headers.alpha = true;
    headers.lossless = true;
    Ok(headers)
}

/// Both sides in whole pixels so fine that the proportions are right to a thousandth, and how many of them
/// make one of the sides' own.
fn fine(width: f64, height: f64) -> Option<(Size, u32)> {
    let long = width.max(height);
    let sound = width > 0.0 && height > 0.0 && long.is_finite();
    // What is larger than any page is taken for smaller.
    let scale = (f64::from(LONGEST_SIDE) / long).min(1.0);
    let (width, height) = (width * scale, height * scale);
    let at = |fineness: u32| {
        let side = |side: f64| ((side * f64::from(fineness)).round() as u32).max(1);
        (side(width), side(height))
    };
    let right = |fineness: &u32| {
        let (across, down) = at(*fineness);
        let ratio = f64::from(across) / f64::from(down) / (width / height);
        (0.999..=1.001).contains(&ratio)
    };
    let finest = ((f64::from(LONGEST_SIDE) / width.max(height)) as u32).clamp(1, FINEST);
    let fineness = sound.then(|| (1..=finest).find(right).unwrap_or(finest))?;
    let (across, down) = at(fineness);
    Some((Size::new(across, down)?, fineness))
}

/// A length in CSS pixels; relative ones say nothing.
fn pixels(length: &str) -> Option<f64> {
    let length = length.trim();
    let unit = length
        .find(|c: char| c.is_ascii_alphabetic() || c == '%')
        .unwrap_or(length.len());
    let (number, unit) = length.split_at(unit);
    let factor = match unit {
        "" | "px" => 1.0,
        "pt" => 96.0 / 72.0,
        "pc" => 16.0,
        "in" => 96.0,
        "cm" => 96.0 / 2.54,
        "mm" => 9.6 / 2.54,
        _ => return None,
    };
    number.parse::<f64>().ok().map(|number| number * factor)
}
