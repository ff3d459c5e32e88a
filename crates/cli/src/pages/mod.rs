//! Pages: self-contained HTML files that work from disk and are readable without script. All HTML is in
//! the templates of this room, in one shell; what they print is escaped.

use std::fs;
use std::path::Path;

use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use minijinja::{Environment, Error};
use serde::Serialize;

use crate::failure::Failure;

/// Every value that a template prints is escaped, since its name ends in `.html`.
const TEMPLATES: [(&str, &str); 3] = [
    ("shell.html", include_str!("shell.html")),
    ("survey.html", include_str!("survey.html")),
    ("proof.html", include_str!("proof.html")),
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
        for (name, text) in TEMPLATES {
            environment.add_template(name, text)?;
        }
        environment.get_template(template)?.render(context)
    };
    rendered().unwrap_or_else(|error| format!("<!doctype html><p>{error}"))
}

/// The address of a picture that stands in the page itself.
pub fn address(kind: &str, file: &[u8]) -> String {
    format!("data:image/{kind};base64,{}", STANDARD.encode(file))
}
