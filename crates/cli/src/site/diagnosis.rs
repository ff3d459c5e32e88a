//! What is wrong in a kiln file, shown with its line.

use std::borrow::Cow;
use std::ops::Range;
use std::path::Path;

use annotate_snippets::renderer::DecorStyle;
use annotate_snippets::{AnnotationKind, Level, Renderer, Snippet};
use strsim::jaro_winkler;
use toml::Spanned;
use toml::de::DeValue;

use crate::wording;

/// How alike two names must be, from 0 to 1, for one to be offered in place of the other.
const ALIKE: f64 = 0.75;

/// A kiln file's text and place.
pub struct Source<'a> {
    /// Where it is.
    pub path: &'a Path,
    /// All of it.
    pub text: &'a str,
}

/// Something wrong in it.
pub struct Wrong {
    /// The bytes that are wrong.
    pub span: Range<usize>,
    title: String,
    label: String,
}

type Key<'a> = Spanned<Cow<'a, str>>;

impl Wrong {
    /// Text that is no TOML.
    pub fn syntax(error: &toml::de::Error) -> Wrong {
        Wrong {
            span: error.span().unwrap_or(0..0),
            title: "this is no sound TOML".to_owned(),
            label: error.message().to_owned(),
        }
    }

    /// A key that does not exist there; the nearest that does is offered.
    pub fn key(key: &Key<'_>, known: &[&str], there: &str) -> Wrong {
        let name = key.get_ref();
        let likeness = |other: &&str| jaro_winkler(&name.to_lowercase(), other);
        let nearest = known
            .iter()
            .copied()
            .max_by(|a, b| likeness(a).total_cmp(&likeness(b)));
        let label = match nearest.filter(|other| likeness(other) >= ALIKE) {
            Some(nearest) => format!("did you mean {nearest:?}?"),
            None => format!("the keys {there} are {}", known.join(", ")),
        };
        Wrong {
            span: key.span(),
            title: format!("there is no key {name:?} {there}"),
            label,
        }
    }

    /// A value that is not allowed.
    pub fn value(key: &Key<'_>, value: &Spanned<DeValue<'_>>, says: impl Into<String>) -> Wrong {
        Wrong {
            span: value.span(),
            title: format!("{:?} cannot be {}", key.get_ref(), shown(value.get_ref())),
            label: says.into(),
        }
    }

    /// A value that is none of its kind.
    pub fn spanned(value: &Spanned<DeValue<'_>>, says: &str) -> Wrong {
        Wrong {
            span: value.span(),
            title: format!("there cannot be {}", shown(value.get_ref())),
            label: says.to_owned(),
        }
    }

    /// A key or a place that cannot stand as it is.
    pub fn whole(key: &Key<'_>, says: String) -> Wrong {
        Wrong {
            span: key.span(),
            title: format!("{:?} cannot stand like this", key.get_ref()),
            label: says,
        }
    }
}

/// A value as people typed it, a long one shortened.
fn shown(value: &DeValue<'_>) -> String {
    let text = match value {
        DeValue::String(text) => format!("{text:?}"),
        DeValue::Integer(number) => number.as_str().to_owned(),
        DeValue::Float(number) => number.as_str().to_owned(),
        DeValue::Boolean(yes) => yes.to_string(),
        DeValue::Datetime(date) => date.to_string(),
        DeValue::Array(list) => {
            let list: Vec<String> = list.iter().map(|one| shown(one.get_ref())).collect();
            format!("[{}]", list.join(", "))
        }
        DeValue::Table(_) => "a table".to_owned(),
    };
    wording::shortened(&text, 40)
}

impl Source<'_> {
    /// The line of an offset, counted from 1.
    pub fn line(&self, offset: usize) -> usize {
        let before = &self.text.as_bytes()[..offset.min(self.text.len())];
        before.iter().filter(|&&byte| byte == b'\n').count() + 1
    }

    /// All that is wrong, each with its line, styled for a terminal.
    pub fn explain(&self, wrongs: &[Wrong]) -> String {
        let path = wording::safe(&self.path.to_string_lossy());
        let renderer = Renderer::styled().decor_style(DecorStyle::Ascii);
        let level = Level::ERROR.with_name("kiln");
        let text = without_secrets(self.text);
        let told = wrongs.iter().map(|wrong| {
            let title = format!(
                "{path}:{}: {}",
                self.line(wrong.span.start),
                wording::safe(&wrong.title)
            );
            let label = wording::safe(&wrong.label);
            let span = AnnotationKind::Primary
                .span(wrong.span.clone())
                .label(&label);
            let snippet = Snippet::source(&text).annotation(span);
            renderer.render(&[level.clone().primary_title(&title).element(snippet)])
        });
        told.collect::<Vec<_>>().join("\n\n")
    }
}

/// A kiln file in which what is given as a secret cannot be read; everything stays where it is.
fn without_secrets(text: &str) -> String {
    const KEY: &str = "secret";
    let value = |line: &str| {
        line.match_indices(KEY).find_map(|(at, _)| {
            let rest = &line[at + KEY.len()..];
            let value = rest
                .trim_start_matches(['"', '\'', ' ', '\t'])
                .strip_prefix('=')?;
            Some(line.len() - value.len())
        })
    };
    let line = |line: &str| match value(line) {
        // As many bytes as before: what is wrong is told by them.
        Some(from) => {
            let end = if line.ends_with('\n') { "\n" } else { "" };
            let most = line.len() - from - end.len();
            format!("{}{}{end}", &line[..from], "*".repeat(most))
        }
        None => line.to_owned(),
    };
    text.split_inclusive('\n').map(line).collect()
}
