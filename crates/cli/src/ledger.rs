//! The record that a firing leaves beside its pieces: `kiln-ledger.json` (docs/formats.md).

use std::collections::{BTreeMap, HashMap};
use std::fs;
use std::io;
use std::path::{Path, PathBuf};

use kiln_core::encode::{Coding, Format};
use kiln_core::pixels::Size;
use kiln_core::plan::{Job, PlannedPiece, PlannedSize};
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
    /// The digest of all that decides its bytes, but for the original.
    pub recipe: String,
    /// What became of it; `None` while it is only planned.
    pub made: Option<Made>,
}

/// A piece that was finished.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Made {
    /// The digest of the original that it was made from.
    pub original_digest: String,
    /// The digest of the piece itself.
    pub digest: String,
    /// Bytes.
    pub weight: u64,
    /// How its samples are coded.
    pub coding: Coding,
    /// How many encodes it took.
    pub encodes: usize,
    /// Whether it keeps its weight.
    pub fits: bool,
    /// Whether transparent pixels were laid over a backdrop.
    pub flattened: bool,
}

/// A digest of bytes, as text (XXH3, 128 bits): it tells files apart, not friend from foe.
pub fn digest(bytes: &[u8]) -> String {
    format!("{:032x}", xxhash_rust::xxh3::xxh3_128(bytes))
}

/// The digest of all that decides a piece's bytes, but for the original. A newer program may
/// make better pieces, so its version belongs to it.
pub fn recipe(job: &Job, size: &PlannedSize, piece: &PlannedPiece) -> io::Result<String> {
    let version = env!("CARGO_PKG_VERSION");
    let decisive = (
        version,
        size.size,
        piece.format,
        job.max_weight,
        job.coding,
        job.backdrop,
    );
    Ok(digest(&serde_json::to_vec(&decisive)?))
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

    /// Enters a piece that shall be made. What is known of an earlier one of the same recipe is
    /// kept: it may still be good.
    pub fn enter(&mut self, piece: &str, mut entry: Entry) {
        if let Some(earlier) = self.entries.remove(piece)
            && earlier.recipe == entry.recipe
        {
            entry.made = earlier.made;
        }
        self.entries.insert(piece.to_owned(), entry);
    }

    /// Every finished piece whose recipe still holds, as it was when the run began.
    pub fn known(&self) -> HashMap<String, Made> {
        let made = |(name, entry): (&String, &Entry)| Some((name.clone(), entry.made.clone()?));
        self.entries.iter().filter_map(made).collect()
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
