//! A ledger's document read in one go, in every form that there was: what it says of each original is taken in as it
//! comes.

use std::collections::BTreeMap;
use std::fmt;
use std::marker::PhantomData;
use std::sync::Arc;

use kiln_core::encode::Format;
use kiln_core::pixels::Size;
use kiln_core::plan::Digest;
use serde::de::{DeserializeSeed, IgnoredAny, MapAccess, Visitor};
use serde::{Deserialize, Deserializer};
use serde_json::value::RawValue;

use super::delivery::{self, Deliveries};
use super::few::Few;
use super::form::{Form, SCHEMA, Sound};
use super::{Entry, PieceEntry, Trimmed};

/// What was read of a document.
#[derive(Default)]
pub struct Reading {
    schema: Option<u64>,
    kiln: String,
    sound: Sound,
    has_originals: bool,
    /// Members that came before it was known of which form they are.
    early: Vec<(String, Box<RawValue>)>,
}

impl Reading {
    /// What it is as a ledger.
    pub fn form(mut self) -> Form {
        let Some(schema) = self.schema else {
            return Form::Damaged;
        };
        if schema > SCHEMA.into() {
            let kiln = self.kiln;
            return Form::Newer { schema, kiln };
        }
        for (key, value) in std::mem::take(&mut self.early) {
            let member = Member(&mut self, &key, schema);
            let mut value = serde_json::Deserializer::from_str(value.get());
            if member.deserialize(&mut value).is_err() {
                return Form::Damaged;
            }
        }
        if !self.has_originals {
            return Form::Damaged;
        }
        self.sound.carried_from = Some(schema).filter(|schema| *schema < SCHEMA.into());
        Form::Sound(self.sound)
    }
}

impl Reading {
    /// A document of today's form that holds what was read of its originals, and all else that it says; `None` where it is
    /// of another form.
    pub fn framed(frame: &[u8], originals: Sound) -> Option<Reading> {
        let mut read: Reading = serde_json::from_slice(frame).ok()?;
        if read.schema != Some(SCHEMA.into()) || !read.sound.originals.is_empty() {
            return None;
        }
        read.sound = Sound {
            deliveries: read.sound.deliveries,
            ..originals
        };
        Some(read)
    }
}

impl<'de> Deserialize<'de> for Reading {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct Members;
        impl<'de> Visitor<'de> for Members {
            type Value = Reading;

            fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.write_str("a ledger")
            }

            fn visit_map<A: MapAccess<'de>>(self, mut map: A) -> Result<Reading, A::Error> {
                let mut read = Reading::default();
                while let Some(key) = map.next_key::<String>()? {
                    match (key.as_str(), read.schema) {
                        ("schema", _) => read.schema = Some(map.next_value()?),
                        ("kiln", _) => read.kiln = map.next_value()?,
                        (_, Some(schema)) => {
                            map.next_value_seed(Member(&mut read, &key, schema))?
                        }
                        (_, None) => {
                            let value = map.next_value()?;
                            read.early.push((key, value));
                        }
                    }
                }
                Ok(read)
            }
        }
        deserializer.deserialize_map(Members)
    }
}

/// A member of a document, by its name, of a form.
struct Member<'a>(&'a mut Reading, &'a str, u64);

impl<'de> DeserializeSeed<'de> for Member<'_> {
    type Value = ();

    fn deserialize<D: Deserializer<'de>>(self, deserializer: D) -> Result<(), D::Error> {
        let Member(read, key, schema) = self;
        let sound = &mut read.sound;
        match (schema, key) {
            (1, "pieces") => {
                let mut by_original = BTreeMap::<Arc<str>, Entry>::new();
                each(deserializer, |name, first: FirstPiece| {
                    let FirstPiece { original, piece } = first;
                    let entry = by_original.entry(original).or_default();
                    entry.pieces.insert(name, piece.carried());
                })?;
                for (original, entry) in by_original {
                    sound.take(original, entry);
                }
            }
            (2..=4, "originals") => each(deserializer, |original, entry: EarlierEntry| {
                sound.take(original, entry.carried());
            })?,
            (5, "originals") => each(deserializer, |original, entry| sound.take(original, entry))?,
            (5, "deliveries") => {
                let told: Option<Deliveries> = Deserialize::deserialize(deserializer)?;
                sound.deliveries = delivery::checked(told.unwrap_or_default());
                return Ok(());
            }
            _ => {
                IgnoredAny::deserialize(deserializer)?;
                return Ok(());
            }
        }
        read.has_originals = true;
        Ok(())
    }
}

/// Hands on the entries of a map as they come.
fn each<'de, V: Deserialize<'de>, D: Deserializer<'de>>(
    deserializer: D,
    take: impl FnMut(Arc<str>, V),
) -> Result<(), D::Error> {
    struct Each<V, F>(F, PhantomData<V>);
    impl<'de, V: Deserialize<'de>, F: FnMut(Arc<str>, V)> Visitor<'de> for Each<V, F> {
        type Value = ();

        fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
            f.write_str("a map")
        }

        fn visit_map<A: MapAccess<'de>>(mut self, mut map: A) -> Result<(), A::Error> {
            while let Some((key, value)) = map.next_entry()? {
                (self.0)(key, value);
            }
            Ok(())
        }
    }
    deserializer.deserialize_map(Each(take, PhantomData))
}

/// An original in the forms 2 to 4: as today, but that more was said of what was made.
#[derive(Deserialize)]
struct EarlierEntry {
    digest: Option<Digest>,
    content: Option<Box<Trimmed>>,
    pieces: BTreeMap<Arc<str>, EarlierPiece>,
}

#[derive(Deserialize)]
struct EarlierPiece {
    place: Option<Arc<str>>,
    size: Size,
    format: Format,
    recipe: Digest,
    made: Option<EarlierMade>,
}

/// Of what an earlier program made nothing holds but which file it is: its recipe knew nothing of
/// the revisions of codecs.
#[derive(Deserialize)]
struct EarlierMade {
    digest: Digest,
}

/// A piece in the form 1, with the path of its original as it was given.
#[derive(Deserialize)]
struct FirstPiece {
    original: Arc<str>,
    #[serde(flatten)]
    piece: EarlierPiece,
}

impl EarlierEntry {
    fn carried(self) -> Entry {
        let pieces = self.pieces.into_iter();
        Entry {
            seen: None,
            digest: self.digest,
            content: self.content,
            pieces: pieces
                .map(|(name, piece)| (name, piece.carried()))
                .collect(),
            earlier: Few::default(),
        }
    }
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
