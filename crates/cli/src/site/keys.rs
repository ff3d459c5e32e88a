//! The keys of a kiln file, and how their values are read.

use toml::de::DeValue;

use crate::layer::{self, Layer, Origin, Refusal, Setting, Typed};

/// The keys at the top of a kiln file.
pub const TOP: [&str; 12] = [
    "originals",
    "out",
    "labels",
    "max-total",
    "every",
    "place",
    "page",
    "metadata",
    "check",
    "markup",
    "target",
    "access",
];

/// The keys of a page.
pub const PAGE: [&str; 3] = ["places", "of", "max-total"];

/// The keys of `[check]`.
pub const CHECK: [&str; 10] = [
    "max-weight",
    "max-total",
    "page-total",
    "folder-total",
    "max-width",
    "look",
    "baseline",
    "error",
    "warning",
    "off",
];

/// The keys of `[metadata]`.
pub const METADATA: [&str; 3] = ["keep", "write", "resolution"];

/// The keys of `[markup]`.
pub const MARKUP: [&str; 6] = ["base", "home", "meanwhile", "inline", "template", "except"];

/// The keys of an access.
pub const ACCESS: [&str; 11] = [
    "kind",
    "to",
    "user",
    "secret",
    "key-file",
    "trust",
    "authority",
    "unencrypted",
    "timeout",
    "region",
    "in-host",
];

/// The keys of a target.
pub const TARGET: [&str; 16] = [
    "kind",
    "to",
    "user",
    "secret",
    "key-file",
    "trust",
    "authority",
    "unencrypted",
    "at-once",
    "tries",
    "timeout",
    "split",
    "region",
    "in-host",
    "cache",
    "media",
];

/// The keys of a media library.
pub const MEDIA: [&str; 12] = [
    "send",
    "method",
    "field",
    "texts",
    "texts-to",
    "texts-as",
    "texts-method",
    "id",
    "address",
    "remove-at",
    "secret-header",
    "posts",
];

/// The keys that say how a page shows the pictures of a place.
pub const DISPLAY: [&str; 5] = ["shown-as", "lead", "sizes", "media", "instead-of"];

/// The keys of `[every]`.
pub fn of_every() -> Vec<&'static str> {
    std::iter::once("of").chain(layer::names()).collect()
}

/// The keys of a place.
pub fn of_place() -> Vec<&'static str> {
    of_every().into_iter().chain(DISPLAY).collect()
}

/// Takes the value of a setting into a layer.
pub fn take(
    setting: &Setting,
    layer: &mut Layer,
    value: &DeValue<'_>,
    line: usize,
) -> Result<(), Refusal> {
    setting.take(layer, &typed(value), Origin::Line(line))
}

/// A value as it was typed.
fn typed(value: &DeValue<'_>) -> Typed {
    let list = value.as_array().and_then(|_| texts(value)).map(Typed::List);
    list.or(text(value).map(Typed::One)).unwrap_or(Typed::Other)
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
    layer::one(&typed(value), parse)
}
