//! Templates of the user's own.

use std::fs;
use std::path::{Path, PathBuf};

use kiln_site::escape;
use minijinja::{AutoEscape, Environment, Error, UndefinedBehavior};

use super::written::Written;
use crate::failure::Failure;

/// Steps that a template may take for a picture: one that never ends is told as wrong.
const FUEL: u64 = 1_000_000;

/// A template, read and understood.
pub(super) struct Template {
    path: PathBuf,
    environment: Environment<'static>,
}

/// The name that it has within.
const NAME: &str = "template";

/// Reads one. What it prints is escaped for HTML where its name says that it is HTML.
pub(super) fn read(path: &Path) -> Result<Template, Failure> {
    let text = fs::read_to_string(path).map_err(Failure::unreadable(path))?;
    let is_html = path
        .extension()
        .is_some_and(|e| e.eq_ignore_ascii_case("html") || e.eq_ignore_ascii_case("htm"));
    let mut environment = Environment::new();
    environment.set_undefined_behavior(UndefinedBehavior::Strict);
    environment.set_keep_trailing_newline(true);
    environment.set_trim_blocks(true);
    environment.set_lstrip_blocks(true);
    environment.set_fuel(Some(FUEL));
    environment.set_auto_escape_callback(move |_| {
        if is_html {
            AutoEscape::Html
        } else {
            AutoEscape::None
        }
    });
    environment.set_formatter(|out, state, value| match value.as_str() {
        // Slashes need no escape, and addresses are full of them.
        Some(text) if state.auto_escape() == AutoEscape::Html && !value.is_safe() => {
            out.write_str(&escape::attribute(text)).map_err(Error::from)
        }
        _ => minijinja::escape_formatter(out, state, value),
    });
    environment.add_filter("attribute", |text: String| escape::attribute(&text));
    environment.add_filter("markdown", |text: String| escape::markdown(&text));
    let added = environment.add_template_owned(NAME, text);
    added.map_err(|error| wrong(path, &error))?;
    Ok(Template {
        path: path.to_owned(),
        environment,
    })
}

impl Template {
    /// What it makes of a picture.
    pub fn render(&self, picture: &Written) -> Result<String, Failure> {
        let template = self.environment.get_template(NAME);
        let rendered = template.and_then(|template| template.render(picture));
        rendered.map_err(|error| wrong(&self.path, &error))
    }
}

fn wrong(path: &Path, error: &Error) -> Failure {
    let line = error
        .line()
        .map_or(String::new(), |line| format!("line {line}: "));
    let what = error
        .detail()
        .map_or_else(|| error.kind().to_string(), str::to_owned);
    Failure::Refused {
        path: path.to_owned(),
        says: format!("{line}{what}; docs/formats.md says what a template is given"),
    }
}
