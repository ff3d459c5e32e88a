//! The keys of a kiln file, and how their values are read.

use toml::de::DeValue;

use crate::layer::{self, Layer, Origin, Refusal, Setting};

/// The keys at the top of a kiln file.
pub const TOP: [&str; 8] = [
    "originals",
    "out",
    "labels",
    "max-total",
    "every",
    "place",
    "page",
    "metadata",
];

/// The keys of a page.
pub const PAGE: [&str; 3] = ["places", "of", "max-total"];

/// The keys of `[metadata]`.
pub const METADATA: [&str; 3] = ["keep", "write", "resolution"];

/// The keys of a place, and of `[every]`.
pub fn of_place() -> Vec<&'static str> {
    std::iter::once("of").chain(layer::names()).collect()
}

/// Takes the value of a setting into a layer.
pub fn take(
    setting: &Setting,
    layer: &mut Layer,
    value: &DeValue<'_>,
    line: usize,
) -> Result<(), Refusal> {
    // What is no text at all is told what is allowed in the words for a wrong one.
    let texts = texts(value).unwrap_or_else(|| vec!["\0".to_owned()]);
    setting.take(layer, &texts, Origin::Line(line))
}

/// A text or a number as it was typed.
fn text(value: &DeValue<'_>) -> Option<String> {
    match value {
        DeValue::String(text) => Some(text.to_string()),
        DeValue::Integer(number) => Some(number.as_str().to_owned()),
        DeValue::Float(number) => Some(number.as_str().to_owned()),
        DeValue::Boolean(yes) => Some(yes.to_string()),
        _ => None,
    }
}

/// One text or number, or a list of them.
pub fn texts(value: &DeValue<'_>) -> Option<Vec<String>> {
    match value.as_array() {
        Some(list) => list.iter().map(|value| text(value.get_ref())).collect(),
        None => Some(vec![text(value)?]),
    }
}

pub(super) fn one<T>(
    value: &DeValue<'_>,
    parse: fn(&str) -> Result<T, String>,
) -> Result<T, String> {
    match text(value) {
        Some(text) => parse(&text),
        // What is no text at all is told what is allowed in the same words.
        None => parse("\0").and(Err("it is a single value".to_owned())),
    }
}
