//! A ledger as bytes: written in today's form, read in every form that there was. What is read is
//! as untrusted as a picture.

use std::collections::{BTreeMap, HashSet};
use std::io::{self, Write};
use std::sync::Arc;

use kiln_core::encode::{Coding, Format};
use kiln_core::pipeline::Attempt;
use kiln_core::pixels::Size;
use serde::{Deserialize, Serialize};

use super::delivery::{self, Deliveries};
use super::{Entry, Made, PieceEntry, Share, Trimmed};
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
}

/// What every form begins with.
#[derive(Deserialize)]
struct Head {
    schema: u64,
    #[serde(default)]
    kiln: String,
}

/// The form today.
#[derive(Serialize, Deserialize)]
struct Document<T, D> {
    schema: u32,
    kiln: String,
    originals: T,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    deliveries: Option<D>,
}

/// The forms 2 to 4: as today, but that more was said of what was made.
#[derive(Deserialize)]
struct ByOriginals {
    originals: BTreeMap<String, EarlierEntry>,
}

#[derive(Deserialize)]
struct EarlierEntry {
    digest: Option<String>,
    content: Option<Trimmed>,
    pieces: BTreeMap<String, EarlierPiece>,
}

#[derive(Deserialize)]
struct EarlierPiece {
    place: Option<String>,
    size: Size,
    format: Format,
    recipe: String,
    made: Option<EarlierMade>,
}

/// Of what an earlier program made nothing holds but which file it is: its recipe knew nothing of
/// the revisions of codecs.
#[derive(Deserialize)]
struct EarlierMade {
    digest: String,
}

/// The form 1: by pieces, with the path of the original as it was given.
#[derive(Deserialize)]
struct ByPieces {
    pieces: BTreeMap<String, FirstPiece>,
}

#[derive(Deserialize)]
struct FirstPiece {
    original: String,
    #[serde(flatten)]
    piece: EarlierPiece,
}

/// Writes a ledger, as a document.
pub fn write(
    out: &mut dyn Write,
    originals: &Originals,
    deliveries: &Deliveries,
) -> io::Result<()> {
    let document = Document {
        schema: SCHEMA,
        kiln: env!("CARGO_PKG_VERSION").to_owned(),
        originals,
        deliveries: (!deliveries.is_empty()).then_some(deliveries),
    };
    serde_json::to_writer_pretty(&mut *out, &document)?;
    out.write_all(b"\n")
}

/// Reads a ledger's bytes.
pub fn read(text: &[u8]) -> Form {
    let Ok(Head { schema, kiln }) = serde_json::from_slice(text) else {
        return Form::Damaged;
    };
    let mut deliveries = Deliveries::new();
    let originals = match schema {
        1 => serde_json::from_slice(text).map(by_pieces),
        2..=4 => serde_json::from_slice(text).map(by_originals),
        5 => serde_json::from_slice(text).map(|document: Document<_, Deliveries>| {
            deliveries = document.deliveries.unwrap_or_default();
            document.originals
        }),
        _ if schema > SCHEMA.into() => return Form::Newer { schema, kiln },
        _ => return Form::Damaged,
    };
    match originals {
        Ok(originals) => Form::Sound(Sound {
            deliveries: delivery::checked(deliveries),
            ..checked(originals, schema)
        }),
        Err(_) => Form::Damaged,
    }
}

/// All digests that stand anywhere in a text: those of pieces among them.
pub fn digests(text: &[u8]) -> HashSet<String> {
    /// Hexadecimal digits of a digest.
    const DIGITS: usize = 32;
    let words = text.split(|byte| !byte.is_ascii_hexdigit());
    let digests = words.filter(|word| word.len() == DIGITS);
    digests
        .map(|word| String::from_utf8_lossy(word).into_owned())
        .collect()
}

fn by_pieces(earlier: ByPieces) -> Originals {
    let mut originals = Originals::new();
    for (name, FirstPiece { original, piece }) in earlier.pieces {
        let entry = originals.entry(original.into()).or_default();
        entry.pieces.insert(&name, piece.carried());
    }
    originals
}

fn by_originals(earlier: ByOriginals) -> Originals {
    let entry = |(original, entry): (String, EarlierEntry)| {
        let pieces = entry.pieces.into_iter();
        let pieces = pieces
            .map(|(name, piece)| (name.into(), piece.carried()))
            .collect();
        let entry = Entry {
            seen: None,
            digest: entry.digest,
            content: entry.content,
            pieces,
            earlier: BTreeMap::new(),
        };
        (original.into(), entry)
    };
    earlier.originals.into_iter().map(entry).collect()
}

impl EarlierPiece {
    fn carried(self) -> PieceEntry {
        PieceEntry {
            place: self.place,
            by: None,
            size: self.size,
            format: self.format,
            recipe: self.recipe,
            made: None,
            standing: self.made.map(|made| made.digest),
            displayed: None,
            is_stray: false,
        }
    }
}

/// What may be believed of a ledger.
fn checked(mut originals: Originals, schema: u64) -> Sound {
    let outside = originals.values_mut().map(check).sum();
    originals.retain(|_, entry| !entry.pieces.is_empty());
    Sound {
        originals,
        deliveries: Deliveries::new(),
        carried_from: Some(schema).filter(|schema| *schema < SCHEMA.into()),
        outside,
    }
}

/// Leaves what may be believed of an original; returns how many names lead out of the out folder.
pub fn check(entry: &mut Entry) -> usize {
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
    let share = made.share.as_ref();
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

    fn ledger(made: &str) -> String {
        format!(
            r#"{{"schema": 5, "kiln": "0", "originals": {{"../a.jpg": {{"digest": "d", "pieces": {{
                "a-1.webp": {{"place": null, "size": {{"width": 3, "height": 2}}, "format": "webp",
                    "recipe": "r", "made": {made}}},
                "../../b.webp": {{"place": null, "size": {{"width": 3, "height": 2}},
                    "format": "webp", "recipe": "r", "made": null}}}}}}}}}}"#
        )
    }

    fn made(coding: &str, score: &str, share: &str) -> String {
        format!(
            r#"{{"kiln": "0", "digest": "p", "weight": 9, "coding": {coding}, "score": {score},
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
                r#"{{"of": "x", "own": {own}, "kept": {kept}, "verdict": null, "within": null}}"#
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
            let standing = (!believed).then_some("p");
            assert_eq!(piece.standing.as_deref(), standing, "{made}");
        }
    }

    /// A delivery may be true or not; what nobody would do by it is left out.
    #[test]
    fn deliveries_that_lead_elsewhere_are_not_believed() {
        let file =
            |address: &str| format!(r#"{{"digest": "d", "weight": 3, "address": {address}}}"#);
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
        let digest = "0123456789abcdef0123456789abcdef";
        let found = digests(format!("{{\"digest\": \"{digest}\", \"x\": \"{digest}0\"").as_bytes());
        assert_eq!(found, HashSet::from([digest.to_owned()]));
    }
}
