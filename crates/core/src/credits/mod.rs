//! What a picture says of itself in words: who made it, whose it is, what it shows, where.
//!
//! Read by the header readers, filtered by the plan, written into pieces as EXIF and XMP.

mod exif;
mod xmp;

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

/// The longest text that is taken over, in bytes: XMP has one JPEG segment of 64 KiB for all.
pub const LONGEST: usize = 4_000;

/// One thing that a picture can say of itself.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Field {
    /// A short name.
    Title,
    /// What it shows, as an editor would print below it.
    Caption,
    /// What it shows, for those who do not see it.
    AlternativeText,
    /// Words to find it by, with commas between them.
    Keywords,
    /// Who made it; several with semicolons between them.
    Creator,
    /// The copyright notice.
    Copyright,
    /// How it is to be credited.
    Credit,
    /// The licence, or its address.
    Licence,
    /// When it was taken: `YYYY-MM-DD`, with `THH:MM:SS` where that is known.
    Date,
    /// The camera.
    Camera,
    /// Where it was taken: latitude and longitude in degrees, north and east positive.
    Position,
}

impl Field {
    /// Every field, in the order in which people list them.
    pub const ALL: [Field; 11] = [
        Field::Title,
        Field::Caption,
        Field::AlternativeText,
        Field::Keywords,
        Field::Creator,
        Field::Copyright,
        Field::Credit,
        Field::Licence,
        Field::Date,
        Field::Camera,
        Field::Position,
    ];

    /// What the law likes to stay in a picture.
    pub const RIGHTS: [Field; 4] = [
        Field::Creator,
        Field::Copyright,
        Field::Credit,
        Field::Licence,
    ];

    /// Whether a text can stand in it; the form that it must have otherwise.
    pub fn check(self, text: &str) -> Result<(), &'static str> {
        let sound = match self {
            Field::Position => position(text).is_some(),
            Field::Date => is_date(text),
            _ => !text.trim().is_empty(),
        };
        match (sound, self) {
            (true, _) => Ok(()),
            (_, Field::Position) => {
                Err("it is latitude and longitude, such as \"58.4417, -3.0928\"")
            }
            (_, Field::Date) => {
                Err("it is a date such as \"2026-06-20\" or \"2026-06-20T21:14:05\"")
            }
            _ => Err("it is a text, and not an empty one"),
        }
    }

    /// Its name in settings and documents.
    pub fn name(self) -> &'static str {
        match self {
            Field::Title => "title",
            Field::Caption => "caption",
            Field::AlternativeText => "alternative-text",
            Field::Keywords => "keywords",
            Field::Creator => "creator",
            Field::Copyright => "copyright",
            Field::Credit => "credit",
            Field::Licence => "licence",
            Field::Date => "date",
            Field::Camera => "camera",
            Field::Position => "position",
        }
    }
}

/// What a picture says of itself: at most one text a field, never an empty one.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(transparent)]
pub struct Credits(BTreeMap<Field, String>);

impl Credits {
    /// The text of a field.
    pub fn get(&self, field: Field) -> Option<&str> {
        self.0.get(&field).map(String::as_str)
    }

    /// Whether nothing is said at all.
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    /// Sets the text of a field, in place of an earlier one. Control characters and blank texts
    /// are left out, and what is longer than [`LONGEST`] is cut.
    pub fn set(&mut self, field: Field, text: &str) {
        let printable = |c: &char| !c.is_control() || *c == '\n';
        let text: String = text.chars().filter(printable).collect();
        // What stands between control characters may be blank too.
        let text = text.trim();
        if !text.is_empty() {
            let mut end = text.len().min(LONGEST);
            while !text.is_char_boundary(end) {
                end -= 1;
            }
            self.0.insert(field, text[..end].trim_end().to_owned());
        }
    }

    /// Only some fields.
    pub fn only(&self, fields: &[Field]) -> Credits {
        let kept = self.0.iter().filter(|(field, _)| fields.contains(field));
        Credits(kept.map(|(field, text)| (*field, text.clone())).collect())
    }

    /// These, and where others say something those.
    pub fn overlaid(mut self, others: &Credits) -> Credits {
        let others = others.0.iter();
        self.0
            .extend(others.map(|(field, text)| (*field, text.clone())));
        self
    }

    fn position(&self) -> Option<(f64, f64)> {
        position(self.get(Field::Position)?)
    }
}

/// Latitude and longitude in degrees.
fn position(text: &str) -> Option<(f64, f64)> {
    let (latitude, longitude) = text.split_once(',')?;
    let degrees = |text: &str, most: f64| {
        let degrees: f64 = text.trim().parse().ok()?;
        (degrees.abs() <= most).then_some(degrees)
    };
    Some((degrees(latitude, 90.0)?, degrees(longitude, 180.0)?))
}

/// Whether a text has the form `YYYY-MM-DD`, or that with `THH:MM:SS`.
fn is_date(text: &str) -> bool {
    const FORM: &str = "0000-00-00T00:00:00";
    let fits = |(c, form): (char, char)| match form {
        '0' => c.is_ascii_digit(),
        form => c == form,
    };
    matches!(text.len(), 10 | 19) && text.is_ascii() && text.chars().zip(FORM.chars()).all(fits)
}

/// What is written into a finished file beside its pixels.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Inscription {
    /// What it says.
    pub credits: Credits,
    /// The resolution tag, in dots per inch.
    pub dots_per_inch: Option<u16>,
}

/// An inscription as the two blocks that every container has a place for.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Blocks {
    /// A TIFF structure (CIPA DC-008), without the `Exif\0\0` that JPEG wants before it.
    pub exif: Option<Vec<u8>>,
    /// An XMP packet (ISO 16684-1).
    pub xmp: Option<String>,
    /// The resolution tag, for containers that have one of their own.
    pub dots_per_inch: Option<u16>,
}

impl Inscription {
    /// Whether there is nothing to write.
    pub fn is_empty(&self) -> bool {
        self.credits.is_empty() && self.dots_per_inch.is_none()
    }

    /// The blocks to write.
    pub fn blocks(&self) -> Blocks {
        Blocks {
            exif: exif::block(&self.credits, self.dots_per_inch),
            xmp: xmp::packet(&self.credits),
            dots_per_inch: self.dots_per_inch,
        }
    }
}

pub(crate) use xmp::read as read_xmp;

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn texts_are_bounded_and_never_blank() {
        let mut credits = Credits::default();
        credits.set(Field::Title, " \u{0}\t ");
        assert!(credits.is_empty());
        credits.set(Field::Title, &"ü".repeat(LONGEST));
        assert_eq!(credits.get(Field::Title).map(str::len), Some(LONGEST));
        credits.set(Field::Title, "Lamp\u{1b}[2J room");
        for (field, sound, wrong) in [
            (Field::Position, "-58.4, 3", "58.4"),
            (Field::Position, "90,-180", "91, 0"),
            (Field::Date, "2026-06-20", "20.6.2026"),
            (Field::Date, "2026-06-20T21:14:05", "2026-06-20 21:14"),
            (Field::Title, "Lamp", " "),
        ] {
            assert!(
                field.check(sound).is_ok() && field.check(wrong).is_err(),
                "{field:?}"
            );
        }
        assert_eq!(credits.get(Field::Title), Some("Lamp[2J room"));
    }

    #[test]
    fn a_packet_is_read_as_it_was_written() {
        let mut credits = Credits::default();
        for field in Field::ALL {
            credits.set(field, &format!("<{}> & \"Überfahrt\" 灯台", field.name()));
        }
        credits.set(Field::Keywords, "lamp, sea");
        credits.set(Field::Creator, "Ines Varga; Tom Ost");
        credits.set(Field::Licence, "https://tern-point.example/licence?a=1&b=2");
        credits.set(Field::Date, "2026-06-20T21:14:05");
        credits.set(Field::Position, "58.441700, -3.092800");
        let packet = xmp::packet(&credits).expect("there is something to say");
        let found = xmp::read(packet.as_bytes());
        // The camera stands in EXIF only.
        let wanted: Vec<Field> = Field::ALL
            .into_iter()
            .filter(|f| *f != Field::Camera)
            .collect();
        assert_eq!(found, credits.only(&wanted));
        for cut in 0..packet.len() {
            xmp::read(&packet.as_bytes()[..cut]);
        }
    }
}
