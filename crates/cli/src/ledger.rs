//! The record that a firing leaves beside its pieces: `kiln-ledger.json` (docs/formats.md).

use std::collections::BTreeMap;
use std::fs;
use std::io;
use std::path::{Path, PathBuf};

use kiln_core::encode::{Coding, Format};
use kiln_core::pixels::Size;
use serde::{Deserialize, Serialize};

use crate::write;

/// The name of the ledger in the out folder.
pub const NAME: &str = "kiln-ledger.json";

/// The version of the ledger's form; a higher one belongs to a newer program.
const SCHEMA: u32 = 1;

/// The pieces of an out folder, by their names.
#[derive(Debug)]
pub struct Ledger {
    path: PathBuf,
    entries: BTreeMap<String, Entry>,
}

/// What is known of one piece.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Entry {
    /// The original's path as it was given.
    pub original: String,
    /// Width and height in pixels.
    pub size: Size,
    /// The format.
    pub format: Format,
    /// What became of it; `None` while it is only planned.
    pub made: Option<Made>,
}

/// A piece that was finished.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Made {
    /// Bytes.
    pub weight: u64,
    /// How its samples are coded.
    pub coding: Coding,
    /// How many encodes it took.
    pub encodes: usize,
    /// Whether it keeps its weight.
    pub fits: bool,
}

#[derive(Serialize, Deserialize)]
struct Document {
    schema: u32,
    kiln: String,
    pieces: BTreeMap<String, Entry>,
}

impl Ledger {
    /// The ledger of an out folder, empty where there is none. One that cannot be read is set
    /// aside under another name, which is returned.
    pub fn open(out: &Path) -> io::Result<(Ledger, Option<PathBuf>)> {
        let path = out.join(NAME);
        let empty = |path| Ledger {
            path,
            entries: BTreeMap::new(),
        };
        let text = match fs::read(&path) {
            Ok(text) => text,
            Err(error) if error.kind() == io::ErrorKind::NotFound => {
                return Ok((empty(path), None));
            }
            Err(error) => return Err(error),
        };
        match serde_json::from_slice::<Document>(&text) {
            Ok(Document {
                schema: SCHEMA,
                pieces: entries,
                ..
            }) => Ok((Ledger { path, entries }, None)),
            _ => {
                let aside = out.join(format!("{NAME}.unreadable"));
                fs::rename(&path, &aside)?;
                Ok((empty(path), Some(aside)))
            }
        }
    }

    /// Whether a piece of that name belongs to this or an earlier firing.
    pub fn knows(&self, piece: &str) -> bool {
        self.entries.contains_key(piece)
    }

    /// Enters a piece, over what was there.
    pub fn enter(&mut self, piece: &str, entry: Entry) {
        self.entries.insert(piece.to_owned(), entry);
    }

    /// Notes that a planned piece was finished.
    pub fn finished(&mut self, piece: &str, made: Made) {
        if let Some(entry) = self.entries.get_mut(piece) {
            entry.made = Some(made);
        }
    }

    /// Saves it, whole or not at all.
    pub fn save(&self) -> io::Result<()> {
        let document = Document {
            schema: SCHEMA,
            kiln: env!("CARGO_PKG_VERSION").to_owned(),
            pieces: self.entries.clone(),
        };
        let mut text = serde_json::to_vec_pretty(&document)?;
        text.push(b'\n');
        write::whole(&self.path, &text)
    }

    /// Where it is kept.
    pub fn path(&self) -> &Path {
        &self.path
    }
}
