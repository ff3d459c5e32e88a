//! What parts of a firing noted, each in a journal of its own in a folder of the out folder, until all is gathered.

use std::collections::{BTreeMap, HashSet};
use std::fs;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use kiln_core::plan::PartOf;

use super::Entry;
use super::form::Sound;
use super::journal::Replayed;
use super::kept;
use crate::wording;
use crate::write::{PARTS, part_name};

/// Parts that were found.
#[derive(Debug, Default)]
pub struct Parts {
    /// Each with its journal.
    found: BTreeMap<PartOf, Journaled>,
    /// The originals that they know.
    noted: HashSet<Arc<str>>,
}

#[derive(Debug)]
struct Journaled {
    path: PathBuf,
    replayed: Replayed,
}

/// Where a part keeps its journal.
pub fn journal_of(out: &Path, part: PartOf) -> PathBuf {
    out.join(PARTS).join(format!("{}.journal", part_name(part)))
}

/// Reads what parts noted in an out folder, and takes it in.
pub fn take_in(out: &Path, sound: &mut Sound) -> io::Result<Parts> {
    let mut parts = Parts::default();
    let folder = out.join(PARTS);
    // A link is not followed.
    let is_folder = folder.symlink_metadata().is_ok_and(|about| about.is_dir());
    let entries = if is_folder {
        Some(fs::read_dir(&folder)?)
    } else {
        None
    };
    for entry in entries.into_iter().flatten() {
        let entry = entry?;
        let name = entry.file_name();
        if let Some(part) = name.to_str().and_then(part_of)
            && entry.file_type()?.is_file()
        {
            let (path, replayed) = (entry.path(), Replayed::default());
            parts.found.insert(part, Journaled { path, replayed });
        }
    }
    for Journaled { path, replayed } in parts.found.values_mut() {
        let mut own = Sound::default();
        *replayed = kept::replay(path, &mut own)?;
        sound.outside += own.outside;
        for (original, mut entry) in own.originals {
            parts.noted.insert(Arc::clone(&original));
            let known = sound.originals.get(&original);
            if known.is_none_or(|known| made(known) <= made(&entry)) {
                sound.texts.share(&mut entry);
                sound.originals.insert(original, entry);
            }
        }
    }
    Ok(parts)
}

/// How many pieces of an original were made: of two parts that know it, as when others were asked for before, the
/// one that came further is believed.
fn made(entry: &Entry) -> usize {
    entry
        .pieces
        .iter()
        .filter(|(_, piece)| piece.made.is_some())
        .count()
}

/// The part that a journal is of, by its name.
fn part_of(name: &str) -> Option<PartOf> {
    let (part, of) = name.strip_suffix(".journal")?.split_once("-of-")?;
    PartOf::new(part.parse().ok()?, of.parse().ok()?)
}

impl Parts {
    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.found.is_empty()
    }

    /// What was read of the journal of a part.
    pub fn replayed(&self, part: PartOf) -> Replayed {
        let found = self.found.get(&part);
        found.map_or(Replayed::default(), |found| found.replayed.clone())
    }

    /// What was read of all journals.
    pub fn all_replayed(&self) -> impl Iterator<Item = &Replayed> {
        self.found.values().map(|found| &found.replayed)
    }

    /// The journals.
    pub fn journals(&self) -> Vec<PathBuf> {
        self.found
            .values()
            .map(|found| found.path.clone())
            .collect()
    }

    /// Whether a part has noted what it made of an original.
    pub fn noted(&self, original: &str) -> bool {
        self.noted.contains(original)
    }

    /// What is to be said of parts that were not made to their end, of as many as most journals tell.
    pub fn lacking(&self) -> Option<String> {
        let mut counts: BTreeMap<u32, u32> = BTreeMap::new();
        for part in self.found.keys() {
            *counts.entry(part.of()).or_default() += 1;
        }
        let (of, _) = counts.into_iter().max_by_key(|(of, count)| (*count, *of))?;
        let ended = |part: &PartOf| {
            self.found
                .get(part)
                .is_some_and(|found| found.replayed.ended)
        };
        let all = (1..=of).filter_map(|number| PartOf::new(number, of));
        let lacking: Vec<String> = all
            .filter(|part| !ended(part))
            .map(|part| part.number().to_string())
            .collect();
        /// Of very many the first tell enough.
        const SHOWN: usize = 10;
        let more = match lacking.len() {
            0 => return None,
            all if all > SHOWN => format!(" and {} more", all - SHOWN),
            _ => String::new(),
        };
        let shown = lacking[..lacking.len().min(SHOWN)].join(", ");
        let (parts, lack) = match lacking.len() {
            1 => ("part", "it lacks"),
            _ => ("parts", "they lack"),
        };
        let of = wording::count(of as usize, "part", "parts");
        Some(format!(
            "of {of} {parts} {shown}{more} did not come to an end; what {lack} is made here"
        ))
    }
}
