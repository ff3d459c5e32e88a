//! The record that a firing leaves beside its pieces: `kiln-ledger.json` (docs/formats.md).

mod beyond;
mod delivery;
mod entry;
mod few;
mod form;
mod journal;
mod kept;
mod lines;
mod opened;
mod parts;
mod reading;
mod texts;
mod told;

use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};
use std::io;
use std::path::Path;
use std::sync::Arc;
use std::time::{Duration, Instant};

use kiln_core::encode::Format;
use kiln_core::plan::{Digest, PlannedPiece, digest};

use crate::write::PARTS;
pub use beyond::Beyond;
pub use delivery::{Delivered, Deliveries, is_address};
pub use entry::{Entry, Made, PieceEntry, Share, State, Trimmed};
pub use form::Originals;
use form::Sound;
pub use journal::NAME as JOURNAL;
use kept::{Kept, stands_alone};
pub use opened::{Opened, Record};
pub use parts::Parts;
use texts::Texts;
pub use told::{journaled, names};

/// The name of the ledger in the out folder.
pub const NAME: &str = "kiln-ledger.json";

/// The folder of a ledger in an out folder on another machine.
pub const AWAY: &str = ".kiln-ledger";

/// What plans pieces where no kiln file does.
pub const COMMAND: &str = "kiln fire";

/// While pieces are made, what is new is noted about this often: waiting for the disk more often would cost more
/// time than what a crash can lose.
const SAVE_EVERY: Duration = Duration::from_secs(1);

/// The same where that is on another machine.
const SAVE_BEYOND_EVERY: Duration = Duration::from_secs(10);

/// Records are noted in portions of about so many bytes.
const PORTION: usize = 4 << 20;

/// Names of earlier pieces that are remembered of an original.
const EARLIER: usize = 256;

/// The originals of an out folder and their pieces.
#[derive(Debug)]
pub struct Ledger {
    kept: Kept,
    originals: Originals,
    deliveries: Deliveries,
    texts: Texts,
    /// Every piece's original.
    owners: HashMap<Arc<str>, Arc<str>>,
    /// What was changed since it was saved.
    news: News,
    saved: Instant,
    save_every: Duration,
}

/// What was changed.
#[derive(Debug, Default)]
struct News {
    originals: BTreeSet<Arc<str>>,
    /// Targets, and names of files there.
    files: BTreeSet<(String, String)>,
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
    pub original: Digest,
}

/// A finished piece whose recipe still holds, and the digest of the original that it was made
/// from.
#[derive(Clone, Debug)]
pub struct Known {
    /// The digest of the original.
    pub original: Digest,
    /// The piece.
    pub made: Arc<Made>,
}

/// A piece that nothing plans for any more.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Stray {
    /// Its name.
    pub name: String,
    /// The digest that it had when it was finished.
    pub digest: Option<Digest>,
}

impl Ledger {
    fn new(kept: Kept, sound: Sound) -> Ledger {
        let Sound {
            originals,
            deliveries,
            texts,
            ..
        } = sound;
        let owned = originals.iter().flat_map(|(original, entry)| {
            let names = entry.pieces.names();
            names.map(move |name| (Arc::clone(name), Arc::clone(original)))
        });
        Ledger {
            kept,
            owners: owned.collect(),
            originals,
            deliveries,
            texts,
            news: News::default(),
            saved: Instant::now(),
            save_every: SAVE_EVERY,
        }
    }

    /// What is written goes to another machine as well, from now on.
    pub fn keep_beyond(&mut self, beyond: Arc<dyn Beyond>) {
        self.save_every = SAVE_BEYOND_EVERY;
        self.kept.keep_beyond(beyond);
    }

    /// Whether a piece of that name belongs to this or an earlier firing.
    pub fn knows(&self, piece: &str) -> bool {
        self.owners.contains_key(piece)
    }

    /// Enters a piece that shall be made. What is known of an earlier one of the same original
    /// and recipe is kept: it may still be good.
    pub fn enter(&mut self, original: &str, piece: &str, mut entry: PieceEntry) {
        let owner = self.owners.get(piece);
        if owner.is_some_and(|owner| **owner != *original) {
            self.forget(piece);
        }
        // The original keeps its digest, even when this is its only piece.
        let known = self.originals.get_key_value(original);
        let key = known.map_or_else(|| original.into(), |(key, _)| Arc::clone(key));
        let owner = self.originals.entry(Arc::clone(&key)).or_default();
        let was_earlier = owner.earlier.remove(piece).is_some();
        self.texts.share_piece(&mut entry);
        match owner.pieces.get_mut(piece) {
            Some(earlier) => {
                if earlier.recipe != entry.recipe {
                    earlier.unmake();
                }
                entry.made.clone_from(&earlier.made);
                entry.standing = earlier.standing.or(entry.standing);
                if was_earlier || *earlier != entry {
                    self.news.originals.insert(key);
                }
                *earlier = entry;
            }
            None => {
                let piece: Arc<str> = piece.into();
                owner.pieces.insert(Arc::clone(&piece), entry);
                self.owners.insert(piece, Arc::clone(&key));
                self.news.originals.insert(key);
            }
        }
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
                owner.earlier.insert(piece.into(), entry.place);
                while owner.earlier.len() > EARLIER {
                    owner.earlier.pop_first();
                }
            }
            if owner.pieces.is_empty() {
                self.originals.remove(&original);
            }
        }
        self.news.originals.insert(original);
    }

    /// Those of the named pieces that were finished and whose recipe still holds, as it is now.
    pub fn known<'a>(&self, names: impl Iterator<Item = &'a str>) -> HashMap<String, Known> {
        let known = names.filter_map(|name| {
            let (owner, piece) = self.piece(name)?;
            let known = Known {
                original: owner.digest?,
                made: piece.made.clone()?,
            };
            Some((name.to_owned(), known))
        });
        known.collect()
    }

    /// Notes the digest of an original, and by what its machine tells its states apart. If the digest is another than
    /// before, none of its pieces holds.
    pub fn read(&mut self, original: &str, digest: Digest, seen: Option<&str>) {
        self.change(original, |entry| {
            let is_new = entry.digest != Some(digest);
            if is_new {
                entry.pieces.values_mut().for_each(PieceEntry::unmake);
                entry.digest = Some(digest);
            }
            let is_known = entry.seen.as_deref() == seen;
            if !is_known {
                entry.seen = seen.map(Into::into);
            }
            is_new || !is_known
        });
    }

    /// The digest of an original that is in a state in which it was read.
    pub fn told(&self, original: &str, seen: &str) -> Option<Digest> {
        let entry = self.originals.get(original)?;
        let is_same = entry.seen.as_deref() == Some(seen);
        entry.digest.filter(|_| is_same)
    }

    /// Notes what uniform borders leave of an original.
    pub fn searched(&mut self, original: &str, content: Trimmed) {
        self.change(original, |entry| {
            let content = Some(Box::new(content));
            let is_new = entry.content != content;
            entry.content = content;
            is_new
        });
    }

    /// Changes what is known of an original, where it is one; it is told whether that is new.
    fn change(&mut self, original: &str, change: impl FnOnce(&mut Entry) -> bool) {
        // What is in a tree under a key lends it unchanged only.
        let key = self.originals.get_key_value(original);
        let key = key.map(|(key, _)| Arc::clone(key));
        if let (Some(entry), Some(key)) = (self.originals.get_mut(original), key)
            && change(entry)
        {
            self.news.originals.insert(key);
        }
    }

    /// A planned piece, if it was finished under one of its names.
    pub fn made<'a>(&'a self, piece: &'a PlannedPiece) -> Option<Finished<'a>> {
        piece.names().find_map(|name| {
            let (owner, entry) = self.piece(name)?;
            Some(Finished {
                name,
                entry,
                made: entry.made.as_ref()?,
                original: owner.digest?,
            })
        })
    }

    /// Notes that a planned piece was finished under one of its names: under the others nothing
    /// holds any more.
    pub fn finished(&mut self, piece: &PlannedPiece, name: &str, mut made: Made) {
        self.texts.share_made(&mut made);
        for other in piece.names().filter(|other| *other != name) {
            self.change_piece(other, |entry| {
                let is_new = entry.made.is_some();
                entry.unmake();
                is_new
            });
        }
        self.change_piece(name, |entry| {
            entry.made = Some(Arc::new(made));
            entry.standing = None;
            true
        });
    }

    /// Notes that a piece that was finished is left out, for one in another format.
    pub fn outdone(&mut self, name: &str, by: Format) {
        self.change_piece(name, |entry| {
            let made = entry.made.as_mut();
            let Some(made) = made.filter(|made| made.outdone != Some(by)) else {
                return false;
            };
            Arc::make_mut(made).outdone = Some(by);
            true
        });
    }

    /// The digest of a file that stands under a name that was made before, where nothing else of it
    /// holds any more.
    pub fn standing(&self, name: &str) -> Option<Digest> {
        self.piece(name)?.1.standing
    }

    /// The digest of the file that a firing left under a name.
    pub fn digest(&self, name: &str) -> Option<Digest> {
        self.piece(name)?.1.file()
    }

    /// What is known under the name of a piece, and of its original.
    fn piece(&self, name: &str) -> Option<(&Entry, &PieceEntry)> {
        let owner = self.originals.get(self.owners.get(name)?)?;
        Some((owner, owner.pieces.get(name)?))
    }

    /// Notes that nothing plans a piece any more.
    pub fn strayed(&mut self, name: &str) {
        self.change_piece(name, |entry| !std::mem::replace(&mut entry.is_stray, true));
    }

    /// Notes that nothing stands under a name any more.
    pub fn cleared(&mut self, name: &str) {
        self.change_piece(name, |entry| entry.standing.take().is_some());
    }

    /// Changes what is known of a piece, where it is one; it is told whether that is new.
    fn change_piece(&mut self, name: &str, change: impl FnOnce(&mut PieceEntry) -> bool) {
        let Some(owner) = self.owners.get(name).map(Arc::clone) else {
            return;
        };
        self.change(&owner, |entry| {
            entry.pieces.get_mut(name).is_some_and(change)
        });
    }

    /// What deliveries put at a target, by its address.
    pub fn delivered(&self, target: &str) -> BTreeMap<String, Delivered> {
        self.deliveries.get(target).cloned().unwrap_or_default()
    }

    /// Notes that a file arrived at a target.
    pub fn arrived(&mut self, target: &str, name: &str, file: Delivered) {
        let files = self.deliveries.entry(target.to_owned()).or_default();
        if files.get(name) != Some(&file) {
            files.insert(name.to_owned(), file);
            let news = (target.to_owned(), name.to_owned());
            self.news.files.insert(news);
        }
    }

    /// Notes that a file that was delivered does not stand at a target any more.
    pub fn withdrawn(&mut self, target: &str, name: &str) {
        let Some(files) = self.deliveries.get_mut(target) else {
            return;
        };
        if files.remove(name).is_some() {
            let news = (target.to_owned(), name.to_owned());
            self.news.files.insert(news);
        }
        if files.is_empty() {
            self.deliveries.remove(target);
        }
    }

    /// The pieces whose names are not among the planned ones, told by their digests, and that `unwanted` holds for, which
    /// is given the original and what planned them.
    pub fn strays(
        &self,
        planned: &HashSet<Digest>,
        mut unwanted: impl FnMut(&str, Option<&str>) -> bool,
    ) -> Vec<Stray> {
        let mut strays = Vec::new();
        for (original, entry) in &self.originals {
            let pieces = entry.pieces.iter();
            let loose = pieces.filter(|(name, _)| !planned.contains(&digest(name.as_bytes())));
            let stray = loose.filter(|(_, piece)| unwanted(original, piece.by.as_deref()));
            strays.extend(stray.map(|(name, piece)| Stray {
                name: name.to_owned(),
                digest: piece.file(),
            }));
        }
        strays.sort_by(|a, b| a.name.cmp(&b.name));
        strays
    }

    /// Saves what is new.
    pub fn save(&mut self) -> io::Result<()> {
        self.saved = Instant::now();
        if !self.kept.has_document() {
            return self.compact();
        }
        let News { originals, files } = &self.news;
        let mut lines = Vec::new();
        for path in originals {
            let entry = self.originals.get(path);
            journal::add(&mut lines, &journal::Record::Original { path, entry })?;
            if lines.len() >= PORTION {
                self.kept.note(&lines)?;
                lines.clear();
            }
        }
        for (target, name) in files {
            let files = self.deliveries.get(target);
            let file = files.and_then(|files| files.get(name));
            let (target, name) = (target.as_str(), name.as_str());
            let record = journal::Record::Delivered { target, name, file };
            journal::add(&mut lines, &record)?;
        }
        if !lines.is_empty() {
            self.kept.note(&lines)?;
        }
        self.news = News::default();
        Ok(())
    }

    /// Saves what is new where the last time is a while ago.
    pub fn save_now_and_then(&mut self) -> io::Result<()> {
        if self.saved.elapsed() < self.save_every {
            Ok(())
        } else {
            self.save()
        }
    }

    /// Saves it at the end of a run: as one document, but where that is large and little is new.
    pub fn settle(&mut self) -> io::Result<()> {
        self.save()?;
        if self.kept.is_worth_compacting() {
            self.compact()?;
        }
        Ok(())
    }

    /// Saves what a part has made, and that it came to its end.
    pub fn end_part(&mut self) -> io::Result<()> {
        self.save()?;
        let mut line = Vec::new();
        journal::add(&mut line, &journal::Record::Ended {})?;
        self.kept.note(&line)
    }

    /// Saves all of it as one document.
    pub fn compact(&mut self) -> io::Result<()> {
        self.kept.write(&self.originals, &self.deliveries)?;
        self.news = News::default();
        Ok(())
    }

    /// How many pieces it tells of.
    pub fn count(&self) -> usize {
        self.owners.len()
    }

    /// Where it is kept.
    pub fn path(&self) -> &Path {
        self.kept.shown()
    }
}

/// Whether a folder is one that pieces were fired into.
pub fn is_in(folder: &Path) -> bool {
    let about = folder.join(NAME).symlink_metadata();
    about.is_ok_and(|about| about.is_file()) || folder.join(PARTS).is_dir()
}

#[cfg(test)]
mod tests;
