//! A ledger as bytes, written in today's form, and what may be believed of what is read: it is as untrusted as a
//! picture.

use std::collections::{BTreeMap, HashSet};
use std::io::{self, BufReader, Read, Seek, Write};
use std::sync::Arc;

use kiln_core::encode::Coding;
use kiln_core::pipeline::Attempt;
use kiln_core::plan::Digest;
use serde::{Deserialize, Serialize};

use super::delivery::Deliveries;
use super::lines::{self, MANY};
use super::reading::Reading;
use super::texts::Texts;
use super::{Entry, Made, Share};
use crate::write::leads_below;

/// The version of the ledger's form; a higher one belongs to a newer program.
pub const SCHEMA: u32 = 5;

/// What bytes are as a ledger.
#[derive(Debug)]
pub enum Form {
    /// A ledger of this or an earlier form.
    Sound(Sound),
    /// One of a form that is not known yet, by a newer program of this version.
    Newer {
        /// Its form.
        schema: u64,
        /// The program's version.
        kiln: String,
    },
    /// None at all, or a damaged one. All digests in it tell pieces that may be ours.
    Damaged,
}

/// Originals by their paths, seen from the out folder.
pub type Originals = BTreeMap<Arc<str>, Entry>;

/// What a ledger holds.
#[derive(Debug, Default)]
pub struct Sound {
    /// The originals and their pieces.
    pub originals: Originals,
    /// What was delivered.
    pub deliveries: Deliveries,
    /// The form that it had, where that is an earlier one.
    pub carried_from: Option<u64>,
    /// Names that lead out of the out folder: they are none that was ever made.
    pub outside: usize,
    /// Texts that many entries have in common.
    pub texts: Texts,
}

/// The form today, as it is written.
#[derive(Serialize)]
struct Document<'a> {
    schema: u32,
    kiln: &'a str,
    originals: &'a Originals,
    #[serde(skip_serializing_if = "Deliveries::is_empty")]
    deliveries: &'a Deliveries,
}

/// Writes a ledger, as a document.
pub fn write(
    out: &mut dyn Write,
    originals: &Originals,
    deliveries: &Deliveries,
) -> io::Result<()> {
    let document = Document {
        schema: SCHEMA,
        kiln: env!("CARGO_PKG_VERSION"),
        originals,
        deliveries,
    };
    if originals.len() < MANY {
        serde_json::to_writer_pretty(&mut *out, &document)?;
    } else {
        let mut out = serde_json::Serializer::with_formatter(&mut *out, lines::Layout::default());
        document.serialize(&mut out)?;
    }
    out.write_all(b"\n")
}

/// Reads a ledger's bytes.
pub fn read(text: &[u8]) -> Form {
    // Bytes in memory can always be read.
    read_by(serde_json::Deserializer::from_slice(text)).unwrap_or(Form::Damaged)
}

/// Reads a ledger as its bytes come, so that those are never held whole.
pub fn read_from(mut file: impl Read + Seek) -> io::Result<Form> {
    if let Some(reading) = lines::read(&mut file)? {
        return Ok(reading.form());
    }
    file.rewind()?;
    let file = BufReader::with_capacity(1 << 16, file);
    read_by(serde_json::Deserializer::from_reader(file))
}

fn read_by<'de>(
    mut text: serde_json::Deserializer<impl serde_json::de::Read<'de>>,
) -> io::Result<Form> {
    let read = Reading::deserialize(&mut text).and_then(|read| text.end().map(|()| read));
    match read {
        Ok(read) => Ok(read.form()),
        Err(error) if error.is_io() => Err(error.into()),
        Err(_) => Ok(Form::Damaged),
    }
}

/// All digests that stand anywhere in a text: those of pieces among them.
pub fn digests(text: &[u8]) -> HashSet<Digest> {
    let words = text.split(|byte| !byte.is_ascii_hexdigit());
    let words = words.filter_map(|word| std::str::from_utf8(word).ok());
    words.filter_map(|word| word.parse().ok()).collect()
}

impl Sound {
    /// Takes in what is said of an original, as far as that may be believed; where that is nothing, it is none of
    /// ours.
    pub fn take(&mut self, original: Arc<str>, entry: Entry) {
        match self.believed(entry) {
            Some(entry) => {
                self.originals.insert(original, entry);
            }
            None => {
                self.originals.remove(&original);
            }
        }
    }

    /// What may be believed of what is said of an original; `None` where that is nothing.
    pub fn believed(&mut self, mut entry: Entry) -> Option<Entry> {
        self.outside += check(&mut entry);
        self.texts.share(&mut entry);
        (!entry.pieces.is_empty()).then_some(entry)
    }
}

/// Leaves what may be believed of an original; returns how many names lead out of the out folder.
fn check(entry: &mut Entry) -> usize {
    let all = entry.pieces.len();
    entry.pieces.retain(|name, _| leads_below(name));
    entry.earlier.retain(|name, _| leads_below(name));
    for piece in entry.pieces.values_mut() {
        if piece.made.as_ref().is_some_and(|made| !is_sound(made)) {
            // It will be made again; the file is ours all the same.
            piece.unmake();
        }
        let is_width = |width: &f64| width.is_finite() && *width > 0.0;
        piece.displayed = piece.displayed.filter(is_width);
    }
    all - entry.pieces.len()
}

/// Whether what is said of a piece can be true.
fn is_sound(made: &Made) -> bool {
    let codes = |coding: Coding| !matches!(coding, Coding::Dial(101..));
    let scores = |score: f32| score.is_finite() && score <= 100.0;
    let attempts = |attempt: &Attempt| codes(attempt.coding) && scores(attempt.score);
    let account = &made.account;
    let share = made.share.as_deref();
    codes(account.coding)
        && scores(account.score)
        && account.trail.iter().all(attempts)
        && share.is_none_or(|Share { part, .. }| {
            part.kept < part.own && part.own <= account.trail.len()
        })
}

#[cfg(test)]
mod tests {
    use super::*;

    const DIGEST: &str = "0123456789abcdef0123456789abcdef";

    fn ledger(made: &str) -> String {
        format!(
            r#"{{"schema": 5, "kiln": "0", "originals": {{"../a.jpg": {{"digest": "{DIGEST}", "pieces": {{
                "a-1.webp": {{"place": null, "size": {{"width": 3, "height": 2}}, "format": "webp",
                    "recipe": "{DIGEST}", "made": {made}}},
                "../../b.webp": {{"place": null, "size": {{"width": 3, "height": 2}},
                    "format": "webp", "recipe": "{DIGEST}", "made": null}}}}}}}}}}"#
        )
    }

    fn made(coding: &str, score: &str, share: &str) -> String {
        format!(
            r#"{{"kiln": "0", "digest": "{DIGEST}", "weight": 9, "coding": {coding}, "score": {score},
                "verdict": "met", "fits": true, "flattened": false, "shrunk": null, "trail": [
                {{"format": "webp", "coding": {coding}, "chroma": "full", "pace": "steady", "weight": 9,
                "score": {score}, "width": 3}}], "share": {share}}}"#
        )
    }

    fn sound(text: &str) -> Sound {
        match read(text.as_bytes()) {
            Form::Sound(sound) => sound,
            other => panic!("{other:?}"),
        }
    }

    /// What cannot be true is not believed: the piece is made again.
    #[test]
    fn absurd_entries_are_not_believed() {
        let share = |own: usize, kept: usize| {
            format!(
                r#"{{"of": "{DIGEST}", "own": {own}, "kept": {kept}, "verdict": null, "within": null}}"#
            )
        };
        let cases = [
            (made(r#"{"dial": 80}"#, "76.5", "null"), true),
            (made(r#""lossless""#, "100", &share(1, 0)), true),
            (made(r#"{"dial": 180}"#, "76.5", "null"), false),
            (made(r#"{"dial": 80}"#, "1e39", "null"), false),
            (made(r#"{"dial": 80}"#, "100.5", "null"), false),
            (made(r#"{"dial": 80}"#, "76.5", &share(2, 0)), false),
            (made(r#"{"dial": 80}"#, "76.5", &share(1, 1)), false),
        ];
        for (made, believed) in cases {
            let found = sound(&ledger(&made));
            assert_eq!(found.outside, 1, "a name that leads out");
            let piece = found.originals["../a.jpg"].pieces.get("a-1.webp");
            let piece = piece.expect("it is known");
            assert_eq!(piece.made.is_some(), believed, "{made}");
            let standing = (!believed).then_some(DIGEST);
            assert_eq!(
                piece.standing.map(|digest| digest.to_string()).as_deref(),
                standing,
                "{made}"
            );
        }
    }

    /// A delivery may be true or not; what nobody would do by it is left out.
    #[test]
    fn deliveries_that_lead_elsewhere_are_not_believed() {
        let file = |address: &str| {
            format!(r#"{{"digest": "{DIGEST}", "weight": 3, "address": {address}}}"#)
        };
        let text = ledger("null").replace(
            r#""originals""#,
            &format!(
                r#""deliveries": {{"davs://a.example/": {{"a.webp": {}, "../b.webp": {}, "c.webp": {}}}, "x": {{}}}},
                "originals""#,
                file(r#""https://a.example/a.webp""#),
                file("null"),
                file(r#""javascript:alert(1)""#),
            ),
        );
        let found = sound(&text).deliveries;
        let files = &found["davs://a.example/"];
        assert_eq!((found.len(), files.len()), (1, 2));
        assert_eq!(
            files["a.webp"].address.as_deref(),
            Some("https://a.example/a.webp")
        );
        assert_eq!(files["c.webp"].address, None);
        let entry = super::super::Deliveries::from([("x".to_owned(), files.clone())]);
        let mut written = Vec::new();
        write(&mut written, &Originals::new(), &entry).expect("memory");
        let again = sound(&String::from_utf8(written).expect("text")).deliveries;
        assert_eq!(again, entry);
    }

    /// Members may come in any order, and bytes in any portions.
    #[test]
    fn a_ledger_is_read_however_it_comes() {
        let text = ledger(&made("\"lossless\"", "100", "null"));
        let (head, rest) = text.split_at(text.find("\"originals\"").expect("it is there"));
        let head = head.trim_start_matches('{').trim_end_matches(", ");
        let last = format!("{{{}, {head}}}", rest.strip_suffix('}').expect("an end"));
        let usual = sound(&text);
        for other in [sound(&last), streamed(&text)] {
            assert_eq!(
                (&other.originals, other.outside),
                (&usual.originals, usual.outside)
            );
        }
        let twice = format!("{text}{text}");
        assert!(matches!(read(twice.as_bytes()), Form::Damaged));
        struct Broken;
        impl Read for Broken {
            fn read(&mut self, _: &mut [u8]) -> io::Result<usize> {
                Err(io::Error::other("the disk"))
            }
        }
        impl Seek for Broken {
            fn seek(&mut self, _: io::SeekFrom) -> io::Result<u64> {
                Ok(0)
            }
        }
        assert!(read_from(Broken).is_err(), "that is no damaged ledger");
    }

    fn streamed(text: &str) -> Sound {
        match read_from(io::Cursor::new(text)).expect("memory") {
            Form::Sound(sound) => sound,
            other => panic!("{other:?}"),
        }
    }

    /// A document with very many originals has a line for each, and says the same however it is read; what has become
    /// of its lines since is read as any other text.
    #[test]
    fn very_many_originals_have_a_line_each() {
        let one = sound(&ledger(&made("\"lossless\"", "100", "null"))).originals;
        let one = one.values().next().expect("an original").clone();
        let named = |index: usize| (format!("../{index} \"{{\n.jpg").into(), one.clone());
        let originals: Originals = (0..MANY).map(named).collect();
        let deliveries = Deliveries::from([("davs://a.example/".to_owned(), Default::default())]);
        let mut text = Vec::new();
        write(&mut text, &originals, &deliveries).expect("memory");
        let text = String::from_utf8(text).expect("a text");
        assert_eq!(text.lines().count(), MANY + 9);
        let parsed: serde_json::Value = serde_json::from_str(&text).expect("JSON");
        let pretty = serde_json::to_string_pretty(&parsed).expect("memory");
        let lines: Vec<&str> = text.split_inclusive('\n').collect();
        assert!(lines::read(text.as_bytes()).expect("memory").is_some());
        assert!(lines::read(pretty.as_bytes()).expect("memory").is_none());
        for other in [sound(&text), streamed(&text), streamed(&pretty)] {
            assert!(other.originals == originals && other.outside == 0);
        }
        for cut in [0, 2, 3, 4, 4000, lines.len() - 5, lines.len() - 1] {
            let cut = lines[..cut].concat();
            let read = read_from(io::Cursor::new(cut)).expect("memory");
            assert!(matches!(read, Form::Damaged));
        }
        let newer = text.replacen(&format!("\"schema\": {SCHEMA}"), "\"schema\": 99", 1);
        let newer = read_from(io::Cursor::new(newer)).expect("memory");
        assert!(matches!(newer, Form::Newer { schema: 99, .. }));
        let fewer = streamed(&[&lines[..4], &lines[5..]].concat().concat());
        assert_eq!(fewer.originals.len(), MANY - 1);
    }

    #[test]
    fn a_newer_form_and_a_damaged_one_are_told_apart() {
        let newer = br#"{"schema": 6, "kiln": "3.1", "anything": []}"#;
        assert!(matches!(read(newer), Form::Newer { schema: 6, kiln } if kiln == "3.1"));
        let whole = ledger("null");
        for damaged in ["", "{", "[]", r#"{"schema": 0}"#, &whole[..whole.len() - 1]] {
            assert!(
                matches!(read(damaged.as_bytes()), Form::Damaged),
                "{damaged}"
            );
        }
        let found = digests(format!("{{\"digest\": \"{DIGEST}\", \"x\": \"{DIGEST}0\"").as_bytes());
        assert_eq!(found, HashSet::from([DIGEST.parse().expect("a digest")]));
    }
}
