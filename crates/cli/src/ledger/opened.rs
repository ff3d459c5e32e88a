//! A ledger read from an out folder: to go on with it, or only to look at it.

use std::collections::{HashMap, HashSet};
use std::path::Path;

use kiln_core::pixels::Area;

use super::kept::{self, Document, Found, Kept};
use super::{Deliveries, Ledger, NAME, Originals, form};
use crate::failure::Failure;
use crate::wording;

/// What a ledger holds.
#[derive(Debug)]
pub struct Record {
    /// The originals and their pieces.
    pub originals: Originals,
    /// What was delivered.
    pub deliveries: Deliveries,
}

/// A ledger as it was found.
#[derive(Debug)]
pub struct Opened {
    /// The ledger.
    pub ledger: Ledger,
    /// What its owner should know.
    pub remarks: Vec<String>,
}

impl Ledger {
    /// The ledger of an out folder, empty where there is none. One of an earlier form is carried
    /// over, one of a newer form left alone, and a damaged one set aside under another name.
    pub fn open(out: &Path) -> Result<Opened, Failure> {
        let Found {
            sound,
            document,
            replayed,
        } = kept::find(out)?;
        let mut remarks = Vec::new();
        if let Some(schema) = sound.carried_from {
            remarks.push(format!(
                "the ledger is of an earlier form (schema {schema}) and is carried over; its pieces are made again where they are planned"
            ));
        }
        if document == Document::Damaged {
            let path = out.join(NAME);
            let aside = kept::set_aside(&path).map_err(Failure::unwritable(&path))?;
            remarks.push(format!(
                "the ledger could not be read; it is set aside as {} and a new one begun",
                aside.display()
            ));
        }
        if sound.outside > 0 {
            let names = wording::count(sound.outside, "name", "names");
            remarks.push(format!(
                "the ledger has {names} outside the out folder, which are passed over"
            ));
        }
        if replayed.damaged > 0 {
            let records = wording::count(replayed.damaged, "record", "records");
            remarks.push(format!(
                "{records} of the ledger's journal cannot be read and {} passed over",
                if replayed.damaged == 1 { "is" } else { "are" }
            ));
        }
        let kept = Kept::of(out, document, &replayed);
        let ledger = Ledger::new(kept, sound);
        Ok(Opened { ledger, remarks })
    }

    /// What is recorded of an out folder, which is left as it is; `None` where it cannot be read.
    pub fn look(out: &Path) -> Result<Option<Record>, Failure> {
        let Found {
            sound, document, ..
        } = kept::find(out)?;
        let record = Record {
            originals: sound.originals,
            deliveries: sound.deliveries,
        };
        Ok((document != Document::Damaged).then_some(record))
    }

    /// What uniform borders leave of the originals of an out folder, by the digests of their
    /// bytes; nothing where there is no ledger that can be read.
    pub fn contents(out: &Path) -> HashMap<String, Area> {
        let found = kept::find(out).map(|found| found.sound.originals);
        let originals = found.unwrap_or_default();
        let contents = originals.into_values().filter_map(|entry| entry.content);
        contents.map(|content| (content.of, content.area)).collect()
    }

    /// The digests in ledgers of an out folder that were damaged and set aside: files with one of
    /// these are pieces of earlier firings.
    pub fn set_aside(out: &Path) -> HashSet<String> {
        let path = out.join(NAME);
        let texts = kept::asides(&path);
        texts.flat_map(|text| form::digests(&text)).collect()
    }
}
