//! The outermost element of an SVG drawing (W3C SVG 2, section 8).

use std::io::{Read, Seek};

use super::{Headers, Kind, Model, Stop};
use crate::container::Scan;
use crate::container::xml::{self, Entities};
use crate::pixels::Size;

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
    let rounded = |side: Option<f64>| side.map(|side| side.round() as u32);
    let width = rounded(side("width").or(view_width));
    let height = rounded(side("height").or(view_height));
    let stored = width
        .zip(height)
        .and_then(|(width, height)| Size::new(width, height));
    let mut headers = Headers::new(Kind::Svg, stored);
    headers.model = Model::Drawing;
    headers.bits = 0;
    headers.alpha = true;
    headers.lossless = true;
    Ok(headers)
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
