//! A ledger read from an out folder: to go on with it, or only to look at it.

use std::collections::{HashMap, HashSet};
use std::io::{self, Write};
use std::path::Path;

use kiln_core::pixels::Area;
use kiln_core::plan::{Digest, Encodes, PartOf};

use super::form::{self, Form};
use super::kept::{self, Document, Found, Kept};
use super::{Deliveries, Ledger, NAME, Originals, Parts};
use crate::failure::Failure;
use crate::wording;

/// What a ledger holds.
#[derive(Debug)]
pub struct Record {
    /// The originals and their pieces.
    pub originals: Originals,
    /// What was delivered.
    pub deliveries: Deliveries,
    /// Bytes of journals that are not in the document yet.
    pub journal: u64,
}

impl Record {
    /// Writes it as the one document that it would be.
    pub fn write(&self, out: &mut dyn Write) -> io::Result<()> {
        form::write(out, &self.originals, &self.deliveries)
    }
}

/// A ledger as it was found.
#[derive(Debug)]
pub struct Opened {
    /// The ledger.
    pub ledger: Ledger,
    /// What parts have noted, which is in it.
    pub parts: Parts,
    /// What its owner should know.
    pub remarks: Vec<String>,
}

impl Ledger {
    /// The ledger of an out folder, empty where there is none. One of an earlier form is carried
    /// over, one of a newer form left alone, and a damaged one set aside under another name.
    pub fn open(out: &Path) -> Result<Opened, Failure> {
        let found = kept::find(out)?;
        let mut remarks = remarks(&found);
        if found.document == Document::Damaged {
            let path = out.join(NAME);
            let aside = kept::set_aside(&path).map_err(Failure::unwritable(&path))?;
            remarks.push(format!(
                "the ledger could not be read; it is set aside as {} and a new one begun",
                aside.display()
            ));
        }
        let journals = found.parts.journals();
        let kept = Kept::of(out, found.document, &found.replayed, journals);
        Ok(Opened {
            ledger: Ledger::new(kept, found.sound),
            parts: found.parts,
            remarks,
        })
    }

    /// The same for one part of a firing, which keeps what it notes to itself until all is gathered.
    pub fn open_part(out: &Path, part: PartOf) -> Result<Opened, Failure> {
        let found = kept::find(out)?;
        if found.document == Document::Damaged {
            return Err(Failure::NoLedger(out.join(NAME)));
        }
        let kept = Kept::of_part(out, part, &found.parts.replayed(part));
        Ok(Opened {
            remarks: remarks(&found),
            ledger: Ledger::new(kept, found.sound),
            parts: found.parts,
        })
    }

    /// What is recorded of an out folder, which is left as it is; `None` where it cannot be read.
    pub fn look(out: &Path) -> Result<Option<Record>, Failure> {
        let Found {
            sound,
            document,
            replayed,
            parts,
        } = kept::find(out)?;
        let journals = parts.all_replayed().chain([&replayed]);
        let record = Record {
            journal: journals.map(|replayed| replayed.length).sum(),
            originals: sound.originals,
            deliveries: sound.deliveries,
        };
        Ok((document != Document::Damaged).then_some(record))
    }

    /// What uniform borders leave of the originals of an out folder, by the digests of their
    /// bytes; nothing where there is no ledger that can be read.
    pub fn contents(out: &Path) -> HashMap<Digest, Area> {
        let found = kept::find(out).map(|found| found.sound.originals);
        let originals = found.unwrap_or_default();
        let contents = originals.into_values().filter_map(|entry| entry.content);
        contents.map(|content| (content.of, content.area)).collect()
    }

    /// How many encodes the pieces of an out folder took, as its document says: what parts are noting meanwhile is not
    /// counted, so that it is the same for all of them.
    pub fn encodes(out: &Path) -> Encodes {
        let mut encodes = Encodes::default();
        let Ok(Some((_, Form::Sound(sound)))) = kept::document(&out.join(NAME)) else {
            return encodes;
        };
        for (_, piece) in sound
            .originals
            .values()
            .flat_map(|entry| entry.pieces.iter())
        {
            if let Some(made) = &piece.made {
                let tried = made.account.trail.len();
                encodes.note(piece.place.as_deref(), piece.format, tried);
            }
        }
        encodes
    }

    /// The digests in ledgers of an out folder that were damaged and set aside: files with one of
    /// these are pieces of earlier firings.
    pub fn set_aside(out: &Path) -> HashSet<Digest> {
        let path = out.join(NAME);
        let texts = kept::asides(&path);
        texts.flat_map(|text| form::digests(&text)).collect()
    }
}

/// What is odd in what was found.
fn remarks(found: &Found) -> Vec<String> {
    let mut remarks = Vec::new();
    if let Some(schema) = found.sound.carried_from {
        remarks.push(format!(
            "the ledger is of an earlier form (schema {schema}) and is carried over; its pieces are made again where they are planned"
        ));
    }
    if found.sound.outside > 0 {
        let names = wording::count(found.sound.outside, "name", "names");
        remarks.push(format!(
            "the ledger has {names} outside the out folder, which are passed over"
        ));
    }
    let journals = found.parts.all_replayed().chain([&found.replayed]);
    let damaged = journals.map(|replayed| replayed.damaged).sum();
    if damaged > 0 {
        let records = wording::count(damaged, "record", "records");
        remarks.push(format!(
            "{records} of the ledger's journal cannot be read and {} passed over",
            if damaged == 1 { "is" } else { "are" }
        ));
    }
    remarks
}
