//! Pages: self-contained HTML files that work from disk and are readable without script. All HTML is in
//! the templates of this room, in one shell; what they print is escaped.

use std::fmt::Write;
use std::fs;
use std::path::Path;

use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use kiln_core::encode::{self, Chroma, Coding, Format, Manner, Pace};
use kiln_core::pixels::{Channels, Raster};
use minijinja::{Environment, Error, HtmlEscape, Value};
use serde::Serialize;

use crate::failure::Failure;

/// Every value that a template prints is escaped, since its name ends in `.html`.
const TEMPLATES: [(&str, &str); 9] = [
    ("shell.html", include_str!("shell.html")),
    ("survey.html", include_str!("survey.html")),
    ("list.html", include_str!("list.html")),
    ("page.html", include_str!("page.html")),
    ("firing.html", include_str!("firing.html")),
    ("markup.html", include_str!("markup.html")),
    ("proof.html", include_str!("proof.html")),
    ("spot.html", include_str!("spot.html")),
    ("version.html", include_str!("version.html")),
];

/// How a page begins, by which an earlier one is known again.
const BEGINNING: &[u8] = b"<!doctype html>";

/// Refuses a name that belongs to anything but a page: an original, say.
pub fn may_be_written(path: &Path) -> Result<(), Failure> {
    match fs::read(path) {
        Ok(there) if !there.starts_with(BEGINNING) => Err(Failure::NoPage {
            path: path.to_owned(),
        }),
        _ => Ok(()),
    }
}

/// A page from its template.
pub fn render(template: &str, context: impl Serialize) -> String {
    // The templates are constants; a mistake in one shows in the first test that renders it.
    let rendered = || -> Result<String, Error> {
        let mut environment = Environment::new();
        environment.add_filter("options", options);
        for (name, text) in TEMPLATES {
            environment.add_template(name, text)?;
        }
        environment.get_template(template)?.render(context)
    };
    rendered().unwrap_or_else(|error| format!("<!doctype html><p>{error}"))
}

/// Escaped, with its options, such as `--max-weight`, kept in one line each.
fn options(text: &str) -> Value {
    let mut html = String::new();
    for word in text.split_inclusive(' ') {
        let escaped = HtmlEscape(word);
        // Writing into a text does not fail.
        let _ = if word.starts_with("--") {
            write!(html, "<span class=\"option\">{escaped}</span>")
        } else {
            write!(html, "{escaped}")
        };
    }
    Value::from_safe_string(html)
}

/// A small picture, as one that stands in the page itself.
pub fn small(raster: &Raster) -> Option<String> {
    let dial = match raster.channels() {
        Channels::Rgba => 80,
        Channels::Rgb => 70,
    };
    let manner = Manner {
        coding: Coding::Dial(dial),
        chroma: Chroma::Halved,
        pace: Pace::Steady,
    };
    let file = encode::encode(raster, Format::WebP, manner).ok()?;
    Some(address("webp", &file))
}

/// A picture without loss, as one that stands in the page itself.
pub fn exact(raster: &Raster) -> String {
    let manner = Manner {
        coding: Coding::Lossless,
        chroma: Chroma::Full,
        pace: Pace::Steady,
    };
    let file = encode::encode(raster, Format::WebP, manner);
    // What WebP cannot hold, PNG can.
    let file = file
        .map(|file| ("webp", file))
        .or_else(|_| encode::encode(raster, Format::Png, manner).map(|file| ("png", file)));
    file.map_or(String::new(), |(kind, file)| address(kind, &file))
}

/// A part of a whole, in per cent to a tenth.
pub fn share(part: u64, whole: u64) -> f64 {
    (part as f64 / whole as f64 * 1000.0).round() / 10.0
}

/// The address of a picture that stands in the page itself.
pub fn address(kind: &str, file: &[u8]) -> String {
    format!("data:image/{kind};base64,{}", STANDARD.encode(file))
}
