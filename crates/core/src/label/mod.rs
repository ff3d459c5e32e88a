//! What the label sheet says of each original, and what is wrong with it.

use std::collections::HashMap;
use std::fmt;

use crate::credits::{Credits, Field};
use crate::plan::{says_nothing, stem};

/// The longest alternative text that a screen reader says in one breath, in characters.
const LONGEST_TEXT: usize = 150;

/// A word of at least this many letters that stands in a text three times is there for search
/// engines, not for people.
const LONG_WORD: usize = 4;

/// What begins a text that says what everyone knows: that this is a picture.
const IDLE_STARTS: [&str; 18] = [
    "a photo of",
    "a picture of",
    "an image of",
    "bild von",
    "foto de",
    "foto von",
    "graphic of",
    "icon of",
    "illustration of",
    "image de",
    "image of",
    "imagen de",
    "logo image",
    "photo de",
    "photo of",
    "photograph of",
    "picture of",
    "screenshot of",
];

/// One row of the label sheet.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Label {
    /// The original, by its path below the folder of originals.
    pub file: String,
    /// What is said of it.
    pub credits: Credits,
    /// Whether it only adorns, and needs no text.
    pub decorative: bool,
}

/// Something wrong with a row.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Flaw {
    /// It has no title, and the file's name says nothing.
    NoTitle,
    /// It has no alternative text, and is not decorative.
    NoText,
    /// A text that is the file's name.
    FileName(Field),
    /// An alternative text that is too long, in characters.
    TooLong(usize),
    /// A word that stands there too often.
    Repeated(String),
    /// A beginning that says what everyone knows.
    IdleStart(&'static str),
    /// The same alternative text as that of an earlier file.
    SameAs(String),
    /// A text on a picture that is decorative.
    TextOnDecorative,
}

impl Flaw {
    /// Whether something is not there yet, rather than wrong.
    pub fn is_missing(&self) -> bool {
        matches!(self, Flaw::NoTitle | Flaw::NoText)
    }
}

impl fmt::Display for Flaw {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Flaw::NoTitle => f.write_str("no title, and its name says nothing"),
            Flaw::NoText => f.write_str("no alternative text, and not decorative"),
            Flaw::FileName(field) => {
                let field = field.name().replace('-', " ");
                write!(f, "its {field} is a file name; say what it shows")
            }
            Flaw::TooLong(length) => write!(
                f,
                "its alternative text has {length} characters, above {LONGEST_TEXT}; move the rest to the caption"
            ),
            Flaw::Repeated(word) => write!(f, "its alternative text repeats {word:?}"),
            Flaw::IdleStart(start) => write!(
                f,
                "its alternative text begins with {start:?}; say what it shows instead"
            ),
            Flaw::SameAs(other) => write!(f, "its alternative text is that of {other}"),
            Flaw::TextOnDecorative => {
                f.write_str("decorative, and yet with an alternative text; drop one of them")
            }
        }
    }
}

/// What is wrong with each row, in the order of the rows; a row without flaws gives none.
pub fn check(labels: &[Label]) -> Vec<(&Label, Vec<Flaw>)> {
    let mut first: HashMap<String, &str> = HashMap::new();
    let mut checked = Vec::new();
    for label in labels {
        let mut flaws = flaws(label);
        let text = label.credits.get(Field::AlternativeText);
        if let Some(text) = text.filter(|_| !label.decorative) {
            match first.get(&text.to_lowercase()) {
                Some(earlier) => flaws.push(Flaw::SameAs((*earlier).to_owned())),
                None => {
                    first.insert(text.to_lowercase(), &label.file);
                }
            }
        }
        if !flaws.is_empty() {
            checked.push((label, flaws));
        }
    }
    checked
}

fn flaws(label: &Label) -> Vec<Flaw> {
    let mut flaws = Vec::new();
    let file = label.file.rsplit('/').next().unwrap_or(&label.file);
    match label.credits.get(Field::Title) {
        None if says_nothing(stem(file)) => flaws.push(Flaw::NoTitle),
        Some(title) if is_file_name(title, file) => flaws.push(Flaw::FileName(Field::Title)),
        _ => {}
    }
    let text = label.credits.get(Field::AlternativeText);
    match (text, label.decorative) {
        (None, false) => flaws.push(Flaw::NoText),
        (Some(_), true) => flaws.push(Flaw::TextOnDecorative),
        (Some(text), false) => flaws.extend(flaws_of_text(text, file)),
        (None, true) => {}
    }
    flaws
}

/// What is wrong with an alternative text that is said of a file.
pub fn flaws_of_text(text: &str, file: &str) -> Vec<Flaw> {
    let mut flaws = Vec::new();
    if is_file_name(text, file) {
        flaws.push(Flaw::FileName(Field::AlternativeText));
    }
    let length = text.chars().count();
    if length > LONGEST_TEXT {
        flaws.push(Flaw::TooLong(length));
    }
    if let Some(word) = repeated(text) {
        flaws.push(Flaw::Repeated(word));
    }
    let lower = text.to_lowercase();
    let starts = |start: &&&str| {
        let rest = lower.strip_prefix(**start);
        rest.is_some_and(|rest| !rest.starts_with(char::is_alphanumeric))
    };
    if let Some(start) = IDLE_STARTS.iter().find(starts) {
        flaws.push(Flaw::IdleStart(start));
    }
    flaws
}

/// Whether a text is the name of its file, or of any picture.
fn is_file_name(text: &str, file: &str) -> bool {
    let extensions = [
        ".jpg", ".jpeg", ".png", ".gif", ".webp", ".avif", ".svg", ".tif",
    ];
    let lower = text.trim().to_lowercase();
    let named = extensions
        .iter()
        .any(|extension| lower.ends_with(extension));
    // `lamp-room` for lamp-room.jpg is its name; `Breakfast` for breakfast.png may be a title.
    let typed = text == stem(file) && text.contains(['_', '-']);
    named || typed || (text == stem(file) && says_nothing(text))
}

/// A word twice in a row, or a long one three times.
fn repeated(text: &str) -> Option<String> {
    let words: Vec<String> = text
        .split(|c: char| !c.is_alphanumeric() && c != '\'')
        .filter(|word| !word.is_empty())
        .map(str::to_lowercase)
        .collect();
    let twice = words
        .windows(2)
        .find(|pair| pair[0] == pair[1] && !pair[0].chars().all(|c| c.is_ascii_digit()));
    let often = |word: &&String| {
        word.chars().count() >= LONG_WORD && words.iter().filter(|other| other == word).count() >= 3
    };
    let word = twice
        .map(|pair| &pair[0])
        .or_else(|| words.iter().find(often));
    word.cloned()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn label(file: &str, title: &str, text: &str, decorative: bool) -> Label {
        let mut credits = Credits::default();
        credits.set(Field::Title, title);
        credits.set(Field::AlternativeText, text);
        Label {
            file: file.to_owned(),
            credits,
            decorative,
        }
    }

    #[test]
    fn every_flaw_is_found_and_good_labels_have_none() {
        let long = format!("A lamp {}", "that turns and turns back ".repeat(7));
        let labels = [
            label(
                "a/IMG_2041.JPG",
                "Evening light",
                "The lighthouse at dusk, seen from the sea",
                false,
            ),
            label("a/IMG_2042.JPG", "", "", false),
            label("a/lamp-room.jpg", "lamp-room", "lamp-room.jpg", false),
            label("a/stairs.jpg", "", "Image of the the spiral stairs", false),
            label("a/fog.jpg", "", &long, false),
            label("a/wave.svg", "", "", true),
            label("a/line.svg", "", "A line", true),
            label(
                "b/dusk.jpg",
                "",
                "the lighthouse AT dusk, seen from the sea",
                false,
            ),
            label("b/breakfast.png", "Breakfast", "Breakfast", false),
            label(
                "b/tower.jpg",
                "",
                "Imagery of Tern Point, 100 100 years ago",
                false,
            ),
            label(
                "b/hotel.jpg",
                "",
                "hotel lighthouse, hotel sea, hotel room",
                false,
            ),
        ];
        let told: Vec<String> = check(&labels)
            .into_iter()
            .flat_map(|(label, flaws)| {
                let told = flaws
                    .into_iter()
                    .map(|flaw| format!("{}: {flaw}", label.file));
                told.collect::<Vec<_>>()
            })
            .collect();
        insta::assert_snapshot!(told.join("\n"), @r#"
        a/IMG_2042.JPG: no title, and its name says nothing
        a/IMG_2042.JPG: no alternative text, and not decorative
        a/lamp-room.jpg: its title is a file name; say what it shows
        a/lamp-room.jpg: its alternative text is a file name; say what it shows
        a/stairs.jpg: its alternative text repeats "the"
        a/stairs.jpg: its alternative text begins with "image of"; say what it shows instead
        a/fog.jpg: its alternative text has 188 characters, above 150; move the rest to the caption
        a/fog.jpg: its alternative text repeats "that"
        a/line.svg: decorative, and yet with an alternative text; drop one of them
        b/dusk.jpg: its alternative text is that of a/IMG_2041.JPG
        b/hotel.jpg: its alternative text repeats "hotel"
        "#);
    }
}
