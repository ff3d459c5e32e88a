//! The record that a firing leaves beside its pieces: `kiln-ledger.json` (docs/formats.md).

mod delivery;
mod entry;
mod form;

use std::collections::{BTreeMap, HashMap, HashSet};
use std::fs;
use std::io;
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

use kiln_core::encode::Format;
use kiln_core::pixels::Area;
use kiln_core::plan::PlannedPiece;

use crate::failure::Failure;
use crate::{wording, write};
pub use delivery::{Delivered, Deliveries, is_address};
pub use entry::{Entry, Made, PieceEntry, Share, Trimmed};
use form::Form;

/// The name of the ledger in the out folder.
pub const NAME: &str = "kiln-ledger.json";

/// What plans pieces where no kiln file does.
pub const COMMAND: &str = "kiln fire";

/// While pieces are made, it is saved about this often: more would cost more time than what a
/// crash can lose.
const SAVE_EVERY: Duration = Duration::from_secs(1);

/// Saving takes at most one part in this many of the time.
const SAVE_SHARE: u32 = 20;

/// Names of earlier pieces that are remembered of an original.
const EARLIER: usize = 256;

/// The originals of an out folder and their pieces.
#[derive(Debug)]
pub struct Ledger {
    path: PathBuf,
    originals: BTreeMap<String, Entry>,
    deliveries: Deliveries,
    /// Every piece's original.
    owners: HashMap<String, String>,
    saved: Instant,
    pause: Duration,
}

/// What a ledger holds.
#[derive(Debug)]
pub struct Record {
    /// The originals and their pieces.
    pub originals: BTreeMap<String, Entry>,
    /// What was delivered.
    pub deliveries: Deliveries,
}

/// A planned piece that was finished.
#[derive(Clone, Copy, Debug)]
pub struct Finished<'a> {
    /// The one of its names that it has.
    pub name: &'a str,
    /// What is known under that name.
    pub entry: &'a PieceEntry,
    /// How it was made.
    pub made: &'a Made,
    /// The digest of its original.
    pub original: &'a str,
}

/// A finished piece whose recipe still holds, and the digest of the original that it was made
/// from.
#[derive(Clone, Debug)]
pub struct Known {
    /// The digest of the original.
    pub original: String,
    /// The piece.
    pub made: Made,
}

/// A piece that nothing plans for any more.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Stray {
    /// Its name.
    pub name: String,
    /// The digest that it had when it was finished.
    pub digest: Option<String>,
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
        let path = out.join(NAME);
        let mut remarks = Vec::new();
        let Some(text) = text(&path).map_err(Failure::unreadable(&path))? else {
            let ledger = Ledger::new(path, form::Sound::default());
            return Ok(Opened { ledger, remarks });
        };
        let sound = match form::read(&text) {
            Form::Sound(sound) => {
                if let Some(schema) = sound.carried_from {
                    remarks.push(format!(
                        "the ledger is of an earlier form (schema {schema}) and is carried over; its pieces are made again where they are planned"
                    ));
                }
                if sound.outside > 0 {
                    let names = wording::count(sound.outside, "name", "names");
                    remarks.push(format!(
                        "the ledger has {names} outside the out folder, which are passed over"
                    ));
                }
                sound
            }
            Form::Newer { schema, kiln } => {
                return Err(Failure::NewerLedger { path, schema, kiln });
            }
            Form::Damaged => {
                let aside = set_aside(&path).map_err(Failure::unwritable(&path))?;
                remarks.push(format!(
                    "the ledger could not be read; it is set aside as {} and a new one begun",
                    aside.display()
                ));
                form::Sound::default()
            }
        };
        let ledger = Ledger::new(path, sound);
        Ok(Opened { ledger, remarks })
    }

    /// What is recorded of an out folder, which is left as it is; `None` where it cannot be read.
    pub fn look(out: &Path) -> Result<Option<Record>, Failure> {
        let path = out.join(NAME);
        let text = text(&path).map_err(Failure::unreadable(&path))?;
        Ok(match form::read(&text.unwrap_or_default()) {
            Form::Sound(sound) => Some(Record {
                originals: sound.originals,
                deliveries: sound.deliveries,
            }),
            Form::Newer { schema, kiln } => {
                return Err(Failure::NewerLedger { path, schema, kiln });
            }
            Form::Damaged => None,
        })
    }

    /// What uniform borders leave of the originals of an out folder, by the digests of their
    /// bytes; nothing where there is no ledger that can be read.
    pub fn contents(out: &Path) -> HashMap<String, Area> {
        let text = text(&out.join(NAME)).ok().flatten();
        let entries = match form::read(&text.unwrap_or_default()) {
            Form::Sound(sound) => sound.originals,
            Form::Newer { .. } | Form::Damaged => BTreeMap::new(),
        };
        let contents = entries.into_values().filter_map(|entry| entry.content);
        contents.map(|content| (content.of, content.area)).collect()
    }

    /// The digests in ledgers of an out folder that were damaged and set aside: files with one of
    /// these are pieces of earlier firings.
    pub fn set_aside(out: &Path) -> HashSet<String> {
        let asides = (1..).map(|number| aside(&out.join(NAME), number));
        let texts = asides.map_while(|aside| text(&aside).ok().flatten());
        texts.flat_map(|text| form::digests(&text)).collect()
    }

    fn new(path: PathBuf, sound: form::Sound) -> Ledger {
        let form::Sound {
            originals,
            deliveries,
            ..
        } = sound;
        let owner = |(original, entry): (&String, &Entry)| {
            let names: Vec<String> = entry.pieces.keys().cloned().collect();
            let original = original.clone();
            names.into_iter().map(move |name| (name, original.clone()))
        };
        Ledger {
            path,
            owners: originals.iter().flat_map(owner).collect(),
            originals,
            deliveries,
            saved: Instant::now(),
            pause: SAVE_EVERY,
        }
    }

    /// Whether a piece of that name belongs to this or an earlier firing.
    pub fn knows(&self, piece: &str) -> bool {
        self.owners.contains_key(piece)
    }

    /// Enters a piece that shall be made. What is known of an earlier one of the same original
    /// and recipe is kept: it may still be good.
    pub fn enter(&mut self, original: &str, piece: &str, mut entry: PieceEntry) {
        let owner = self.owners.get(piece);
        if owner.is_some_and(|owner| owner != original) {
            self.forget(piece);
        }
        // The original keeps its digest, even when this is its only piece.
        let owner = self.originals.entry(original.to_owned()).or_default();
        if let Some(mut earlier) = owner.pieces.remove(piece) {
            if earlier.recipe != entry.recipe {
                earlier.unmake();
            }
            entry.made = earlier.made;
            entry.standing = earlier.standing.or(entry.standing);
        }
        owner.earlier.remove(piece);
        owner.pieces.insert(piece.to_owned(), entry);
        self.owners.insert(piece.to_owned(), original.to_owned());
    }

    /// Strikes a piece out, and its original with its last piece. Its name is remembered, where a file
    /// of it stood.
    pub fn forget(&mut self, piece: &str) {
        let Some(original) = self.owners.remove(piece) else {
            return;
        };
        if let Some(owner) = self.originals.get_mut(&original) {
            let entry = owner.pieces.remove(piece);
            if let Some(entry) = entry.filter(|entry| entry.file().is_some()) {
                owner.earlier.insert(piece.to_owned(), entry.place);
                while owner.earlier.len() > EARLIER {
                    owner.earlier.pop_first();
                }
            }
            if owner.pieces.is_empty() {
                self.originals.remove(&original);
            }
        }
    }

    /// Every finished piece whose recipe still holds, as it was when the run began.
    pub fn known(&self) -> HashMap<String, Known> {
        let known = |entry: &Entry| {
            let original = entry.digest.clone();
            let pieces = entry.pieces.iter();
            let known = pieces.filter_map(move |(name, piece)| {
                let known = Known {
                    original: original.clone()?,
                    made: piece.made.clone()?,
                };
                Some((name.clone(), known))
            });
            known.collect::<Vec<_>>()
        };
        self.originals.values().flat_map(known).collect()
    }

    /// Notes the digest of an original. If it is another than before, none of its pieces holds.
    pub fn read(&mut self, original: &str, digest: String) {
        let Some(entry) = self.originals.get_mut(original) else {
            return;
        };
        if entry.digest.as_ref() != Some(&digest) {
            entry.pieces.values_mut().for_each(PieceEntry::unmake);
            entry.digest = Some(digest);
        }
    }

    /// Notes what uniform borders leave of an original.
    pub fn searched(&mut self, original: &str, content: Trimmed) {
        if let Some(entry) = self.originals.get_mut(original) {
            entry.content = Some(content);
        }
    }

    /// A planned piece, if it was finished under one of its names.
    pub fn made<'a>(&'a self, piece: &'a PlannedPiece) -> Option<Finished<'a>> {
        piece.names().find_map(|name| {
            let owner = self.originals.get(self.owners.get(name)?)?;
            let entry = owner.pieces.get(name)?;
            Some(Finished {
                name,
                entry,
                made: entry.made.as_ref()?,
                original: owner.digest.as_deref()?,
            })
        })
    }

    /// Notes that a planned piece was finished under one of its names: under the others nothing
    /// holds any more.
    pub fn finished(&mut self, piece: &PlannedPiece, name: &str, made: Made) {
        for other in piece.names().filter(|other| *other != name) {
            if let Some(entry) = self.entry(other) {
                entry.unmake();
            }
        }
        if let Some(entry) = self.entry(name) {
            entry.made = Some(made);
            entry.standing = None;
        }
    }

    /// Notes that a piece that was finished is left out, for one in another format.
    pub fn outdone(&mut self, name: &str, by: Format) {
        if let Some(made) = self.entry(name).and_then(|entry| entry.made.as_mut()) {
            made.outdone = Some(by);
        }
    }

    /// The digest of a file that stands under a name that was made before, where nothing else of it
    /// holds any more.
    pub fn standing(&self, name: &str) -> Option<&str> {
        let owner = self.originals.get(self.owners.get(name)?)?;
        owner.pieces.get(name)?.standing.as_deref()
    }

    /// The digest of the file that a firing left under a name.
    pub fn digest(&self, name: &str) -> Option<&str> {
        let owner = self.originals.get(self.owners.get(name)?)?;
        owner.pieces.get(name)?.file().map(String::as_str)
    }

    /// Notes that nothing plans a piece any more.
    pub fn strayed(&mut self, name: &str) {
        if let Some(entry) = self.entry(name) {
            entry.is_stray = true;
        }
    }

    /// Notes that nothing stands under a name any more.
    pub fn cleared(&mut self, name: &str) {
        if let Some(entry) = self.entry(name) {
            entry.standing = None;
        }
    }

    /// What deliveries put at a target, by its address.
    pub fn delivered(&self, target: &str) -> BTreeMap<String, Delivered> {
        self.deliveries.get(target).cloned().unwrap_or_default()
    }

    /// Notes that a file arrived at a target.
    pub fn arrived(&mut self, target: &str, name: &str, file: Delivered) {
        let files = self.deliveries.entry(target.to_owned()).or_default();
        files.insert(name.to_owned(), file);
    }

    /// Notes that a file that was delivered does not stand at a target any more.
    pub fn withdrawn(&mut self, target: &str, name: &str) {
        if let Some(files) = self.deliveries.get_mut(target) {
            files.remove(name);
            if files.is_empty() {
                self.deliveries.remove(target);
            }
        }
    }

    fn entry(&mut self, name: &str) -> Option<&mut PieceEntry> {
        let owner = self.originals.get_mut(self.owners.get(name)?)?;
        owner.pieces.get_mut(name)
    }

    /// The pieces that are not among the planned ones and that `unwanted` holds for, which is given
    /// the original and what planned them.
    pub fn strays(
        &self,
        planned: &HashSet<&str>,
        mut unwanted: impl FnMut(&str, Option<&str>) -> bool,
    ) -> Vec<Stray> {
        let mut strays = Vec::new();
        for (original, entry) in &self.originals {
            let pieces = entry.pieces.iter();
            let loose = pieces.filter(|(name, _)| !planned.contains(name.as_str()));
            let stray = loose.filter(|(_, piece)| unwanted(original, piece.by.as_deref()));
            strays.extend(stray.map(|(name, piece)| Stray {
                name: name.clone(),
                digest: piece.file().cloned(),
            }));
        }
        strays.sort_by(|a, b| a.name.cmp(&b.name));
        strays
    }

    /// Saves it, whole or not at all.
    pub fn save(&mut self) -> io::Result<()> {
        let start = Instant::now();
        let text = form::write(&self.originals, &self.deliveries)?;
        let saved = write::whole(&self.path, &text);
        self.saved = Instant::now();
        self.pause = SAVE_EVERY.max(start.elapsed() * SAVE_SHARE);
        saved
    }

    /// Saves it where the last time is a while ago.
    pub fn save_now_and_then(&mut self) -> io::Result<()> {
        if self.saved.elapsed() < self.pause {
            Ok(())
        } else {
            self.save()
        }
    }

    /// Where it is kept.
    pub fn path(&self) -> &Path {
        &self.path
    }
}

/// Whether a folder is one that pieces were fired into.
pub fn is_in(folder: &Path) -> bool {
    let about = folder.join(NAME).symlink_metadata();
    about.is_ok_and(|about| about.is_file())
}

/// The names of all pieces that a ledger's bytes tell of.
pub fn names(bytes: &[u8]) -> Vec<String> {
    let Form::Sound(sound) = form::read(bytes) else {
        return form::digests(bytes).into_iter().collect();
    };
    let entries = sound.originals.into_values();
    entries.flat_map(|entry| entry.pieces.into_keys()).collect()
}

/// A ledger's bytes; `None` where there is none. A link is not followed.
fn text(path: &Path) -> io::Result<Option<Vec<u8>>> {
    match path.symlink_metadata() {
        Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(None),
        Ok(about) if !about.is_file() => Err(io::Error::other("it is no file of its own")),
        _ => fs::read(path).map(Some),
    }
}

/// The name of a damaged ledger, by its number.
fn aside(path: &Path, number: usize) -> PathBuf {
    let mut name = format!("{NAME}.unreadable");
    if number > 1 {
        name = format!("{name}-{number}");
    }
    path.with_file_name(name)
}

/// Sets a damaged ledger aside, beside those that were before.
fn set_aside(path: &Path) -> io::Result<PathBuf> {
    let mut names = (1..).map(|number| aside(path, number));
    let free = names.find(|name| name.symlink_metadata().is_err());
    let free = free.unwrap_or_else(|| aside(path, 1));
    fs::rename(path, &free)?;
    Ok(free)
}

#[cfg(test)]
mod tests;
