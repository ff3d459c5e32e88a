//! Names of pieces: patterns with fields, slugs that are safe in a web address, and names that
//! say nothing.

use std::fmt;
use std::str::FromStr;

use serde::{Deserialize, Serialize};
use thiserror::Error;

use super::Digest;

/// The longest slug of a title or a folder, in bytes: enough for a sentence's gist.
const LONGEST_SLUG: usize = 80;

/// What stands for a title in which no letter is left.
const NAMELESS: &str = "picture";

/// Digits of a `{digest}` without a number.
const DIGEST_DIGITS: usize = 8;

/// How the files of a place are named, such as `{folders}/{title}-{width}`. The extension is
/// added where the pattern does not end in it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
pub struct Pattern(Vec<Part>);

#[derive(Clone, Debug, PartialEq, Eq)]
enum Part {
    Text(String),
    Slot(Slot, Option<usize>),
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Slot {
    Title,
    Stem,
    Verbatim,
    Path,
    Suffix,
    Folders,
    Place,
    Width,
    Height,
    Density,
    Number,
    Digest,
    Extension,
}

/// The fields by their names.
const FIELDS: [(&str, Slot); 13] = [
    ("title", Slot::Title),
    ("stem", Slot::Stem),
    ("verbatim", Slot::Verbatim),
    ("path", Slot::Path),
    ("suffix", Slot::Suffix),
    ("folders", Slot::Folders),
    ("place", Slot::Place),
    ("width", Slot::Width),
    ("height", Slot::Height),
    ("density", Slot::Density),
    ("number", Slot::Number),
    ("digest", Slot::Digest),
    ("extension", Slot::Extension),
];

/// Why a text is no pattern.
#[derive(Clone, Debug, PartialEq, Eq, Error)]
pub enum PatternError {
    /// A field that does not exist.
    #[error("there is no field {{{0}}}; the fields are {list}", list = field_list())]
    NoField(String),
    /// A brace without its other.
    #[error("a brace is open; fields are written like {{title}}")]
    Open,
    /// A number behind a field that takes none, or no sensible one.
    #[error("{{{0}}} cannot be; only number and digest take a count of digits, from 1 to 32")]
    Digits(String),
    /// A character that a web address would have to escape.
    #[error("{0:?} is not safe in a web address; use letters, digits and - _ . ~ @ /")]
    Unsafe(char),
    /// Empty, absolute, hidden or leading upwards.
    #[error("a name cannot be empty, begin with a slash or a dot, or lead out of its folder")]
    Path,
}

fn field_list() -> String {
    let names = FIELDS.map(|(name, _)| format!("{{{name}}}"));
    names.join(" ")
}

/// What the fields of a pattern are filled with.
#[derive(Clone, Copy)]
pub(super) struct Filling<'a> {
    /// The title, or the stem where there is none.
    pub title: &'a str,
    /// The original's path below its folder, with `/` between the parts.
    pub original: &'a str,
    pub place: Option<&'a str>,
    pub width: u32,
    pub height: u32,
    pub density: f64,
    /// Its number in the series, and the digits of the last one's.
    pub number: (usize, usize),
    /// Hexadecimal text.
    pub digest: Digest,
    pub extension: &'a str,
    /// Whether it is sharp at every size: then its measures say nothing of it.
    pub scalable: bool,
}

impl Default for Pattern {
    fn default() -> Self {
        let field = |field| Part::Slot(field, None);
        let text = |text: &str| Part::Text(text.to_owned());
        Pattern(vec![
            field(Slot::Folders),
            text("/"),
            field(Slot::Title),
            text("-"),
            field(Slot::Width),
        ])
    }
}

impl Pattern {
    /// Whether it needs the digest of an original's bytes.
    pub fn wants_digest(&self) -> bool {
        let is_digest = |part: &Part| matches!(part, Part::Slot(Slot::Digest, _));
        self.0.iter().any(is_digest)
    }

    /// Whether titles make its names.
    pub fn wants_title(&self) -> bool {
        let is_title = |part: &Part| matches!(part, Part::Slot(Slot::Title, _));
        self.0.iter().any(is_title)
    }

    /// Whether it needs the number of an original in its series.
    pub(super) fn wants_number(&self) -> bool {
        let is_number = |part: &Part| matches!(part, Part::Slot(Slot::Number, _));
        self.0.iter().any(is_number)
    }

    pub(super) fn fill(&self, with: &Filling<'_>) -> String {
        let (folders, file) = with
            .original
            .rsplit_once('/')
            .unwrap_or(("", with.original));
        let mut name = String::new();
        let mut unmeasured = false;
        for part in &self.0 {
            let behind_measure = std::mem::take(&mut unmeasured);
            match part {
                // As in `@2x` and `800w`.
                Part::Text(text) if behind_measure => {
                    name.push_str(text.trim_start_matches(['x', 'w', 'h']));
                }
                Part::Text(text) => name.push_str(text),
                Part::Slot(Slot::Width | Slot::Height | Slot::Density, _) if with.scalable => {
                    let kept = name.trim_end_matches(['-', '_', '.', '@', '~']).len();
                    name.truncate(kept);
                    unmeasured = true;
                }
                Part::Slot(field, digits) => name.push_str(&match field {
                    Slot::Title => slug(with.title),
                    Slot::Stem => slug(stem(file)),
                    Slot::Verbatim => verbatim(stem(file)),
                    Slot::Path => {
                        let parts = folders.split('/').filter(|part| !part.is_empty());
                        let parts = parts.chain([stem(file)]).map(verbatim);
                        parts.collect::<Vec<_>>().join("/")
                    }
                    Slot::Suffix => slug(&file[stem(file).len()..]),
                    Slot::Folders => {
                        let parts = folders.split('/').filter(|part| !part.is_empty());
                        parts.map(slug).collect::<Vec<_>>().join("/")
                    }
                    Slot::Place => with.place.map_or("every".to_owned(), slug),
                    Slot::Width => with.width.to_string(),
                    Slot::Height => with.height.to_string(),
                    Slot::Density => with.density.to_string(),
                    Slot::Number => {
                        let (number, least) = with.number;
                        let digits = digits.unwrap_or(0).max(least);
                        format!("{number:0digits$}")
                    }
                    Slot::Digest => {
                        let mut digest = with.digest.to_string();
                        digest.truncate(digits.unwrap_or(DIGEST_DIGITS));
                        digest
                    }
                    Slot::Extension => with.extension.to_owned(),
                }),
            }
        }
        if name.is_empty() || name.ends_with('/') {
            name.push_str(&slug(with.title));
        }
        let ends = matches!(self.0.last(), Some(Part::Slot(Slot::Extension, _)));
        if !(ends && name.ends_with(&format!(".{}", with.extension))) {
            name.push('.');
            name.push_str(with.extension);
        }
        // A picture without folders leaves the slash behind them.
        let parts = name.split('/').filter(|part| !part.is_empty());
        parts.collect::<Vec<_>>().join("/")
    }
}

impl FromStr for Pattern {
    type Err = PatternError;

    fn from_str(text: &str) -> Result<Self, PatternError> {
        let (mut parts, mut rest) = (Vec::new(), text);
        while !rest.is_empty() {
            let (literal, behind) = rest.split_at(rest.find('{').unwrap_or(rest.len()));
            if let Some(odd) = literal.chars().find(|c| !is_safe(*c)) {
                return Err(match odd {
                    '}' => PatternError::Open,
                    odd => PatternError::Unsafe(odd),
                });
            }
            if !literal.is_empty() {
                parts.push(Part::Text(literal.to_owned()));
            }
            let Some(inside) = behind.strip_prefix('{') else {
                break;
            };
            let (field, behind) = inside.split_once('}').ok_or(PatternError::Open)?;
            parts.push(Part::parse(field)?);
            rest = behind;
        }
        let pattern = Pattern(parts);
        let shown = pattern.to_string();
        let hidden = |part: &str| part.starts_with('.');
        if text.is_empty() || shown.starts_with('/') || shown.split('/').any(hidden) {
            Err(PatternError::Path)
        } else {
            Ok(pattern)
        }
    }
}

impl Part {
    fn parse(text: &str) -> Result<Part, PatternError> {
        let (name, digits) = match text.split_once(':') {
            Some((name, digits)) => (name, Some(digits)),
            None => (text, None),
        };
        let known = FIELDS.iter().find(|(known, _)| *known == name.trim());
        let (_, field) = known.ok_or_else(|| PatternError::NoField(name.to_owned()))?;
        let digits = match (digits, field) {
            (None, _) => None,
            (Some(digits), Slot::Number | Slot::Digest) => match digits.trim().parse() {
                Ok(digits @ 1..=32) => Some(digits),
                _ => return Err(PatternError::Digits(text.to_owned())),
            },
            _ => return Err(PatternError::Digits(text.to_owned())),
        };
        Ok(Part::Slot(*field, digits))
    }
}

impl fmt::Display for Pattern {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for part in &self.0 {
            match part {
                Part::Text(text) => f.write_str(text)?,
                Part::Slot(field, digits) => {
                    let name = FIELDS.iter().find(|(_, known)| known == field);
                    let name = name.map_or("", |(name, _)| name);
                    match digits {
                        Some(digits) => write!(f, "{{{name}:{digits}}}")?,
                        None => write!(f, "{{{name}}}")?,
                    }
                }
            }
        }
        Ok(())
    }
}

impl TryFrom<String> for Pattern {
    type Error = PatternError;

    fn try_from(text: String) -> Result<Self, PatternError> {
        text.parse()
    }
}

impl From<Pattern> for String {
    fn from(pattern: Pattern) -> String {
        pattern.to_string()
    }
}

/// Characters that stand for themselves in a web address (RFC 3986, unreserved), with the slash
/// between folders and the sign that many put before a density.
fn is_safe(c: char) -> bool {
    c.is_ascii_alphanumeric() || matches!(c, '-' | '_' | '.' | '~' | '@' | '/')
}

/// A text as part of a web address: any script in Latin letters, lower case, hyphens for all
/// else.
pub fn slug(text: &str) -> String {
    let mut slug = String::new();
    // Accents that are stored apart from their letters belong to them.
    let text = plain_name(text);
    for c in deunicode::deunicode(&text).chars() {
        match c {
            c if c.is_ascii_alphanumeric() => slug.push(c.to_ascii_lowercase()),
            // The keeper's room is no "keeper-s-room".
            '\'' | '`' => {}
            _ if slug.is_empty() || slug.ends_with('-') => {}
            _ => slug.push('-'),
        }
    }
    if slug.len() > LONGEST_SLUG {
        let end = slug[..=LONGEST_SLUG].rfind('-').unwrap_or(LONGEST_SLUG);
        slug.truncate(end);
    }
    let slug = slug.trim_end_matches('-');
    if slug.is_empty() {
        NAMELESS.to_owned()
    } else {
        slug.to_owned()
    }
}

/// A name as it is spelled, but for what cannot be in a file's name on every system.
fn verbatim(name: &str) -> String {
    let kept = |c: char| match c {
        '/' | '\\' | ':' | '*' | '?' | '"' | '<' | '>' | '|' => '-',
        c if c.is_control() => '-',
        c => c,
    };
    name.chars().map(kept).collect()
}

/// A path's name in the one way in which an accent can be stored, so that two can be compared.
pub fn plain_name(name: &str) -> String {
    unicode_normalization::UnicodeNormalization::nfc(name).collect()
}

/// A file's name without its extension.
pub fn stem(file: &str) -> &str {
    match file.rfind('.') {
        Some(dot) if dot > 0 => &file[..dot],
        _ => file,
    }
}

/// Words that programs and cameras put where a name should be.
const EMPTY_WORDS: [&str; 20] = [
    "at",
    "bild",
    "bildschirmfoto",
    "capture",
    "copy",
    "download",
    "export",
    "file",
    "foto",
    "image",
    "img",
    "kopie",
    "photo",
    "pic",
    "picture",
    "scan",
    "screen",
    "screenshot",
    "shot",
    "untitled",
];

/// Whether a stem says nothing of its picture: a camera's count (`IMG_2041`, `P1010347`), a
/// word such as `untitled`, a number of a copy, or random digits.
pub fn says_nothing(stem: &str) -> bool {
    let stem = stem.trim().to_lowercase();
    // `lamp (1)` is a copy's name, whatever stands before.
    let copy = stem.ends_with(')')
        && stem.rsplit_once('(').is_some_and(|(_, number)| {
            number.len() > 1
                && number[..number.len() - 1]
                    .bytes()
                    .all(|b| b.is_ascii_digit())
        });
    let digits = stem.chars().filter(char::is_ascii_digit).count();
    let letters: usize = stem.chars().filter(|c| c.is_alphabetic()).count();
    // A few letters and a count, or a date and a few more letters: every camera and phone.
    let counted = digits >= 3 && letters <= 4 || digits >= 8 && letters <= 8;
    let hexadecimal = |c: char| c.is_ascii_hexdigit() || c == '-';
    let random = stem.len() >= 16 && digits >= 4 && stem.chars().all(hexadecimal);
    let mut words = stem.split(|c: char| !c.is_alphabetic());
    let empty = words.all(|word| word.is_empty() || EMPTY_WORDS.contains(&word));
    copy || counted || random || empty
}

#[cfg(test)]
mod tests;
