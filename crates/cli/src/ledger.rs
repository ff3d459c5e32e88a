//! The record that a firing leaves beside its pieces: `kiln-ledger.json` (docs/formats.md).

use std::collections::{BTreeMap, HashMap, HashSet};
use std::fs;
use std::io;
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

use kiln_core::budget::Verdict;
use kiln_core::encode::Format;
use kiln_core::pipeline::Account;
use kiln_core::pixels::{Area, Size};
use serde::{Deserialize, Serialize};

use crate::write;

/// The name of the ledger in the out folder.
pub const NAME: &str = "kiln-ledger.json";

/// The version of the ledger's form; a higher one belongs to a newer program.
const SCHEMA: u32 = 4;

/// While pieces are made, it is saved about this often: more would cost more time than what a
/// crash can lose.
const SAVE_EVERY: Duration = Duration::from_secs(1);

/// Saving takes at most one part in this many of the time.
const SAVE_SHARE: u32 = 20;

/// The originals of an out folder and their pieces.
#[derive(Debug)]
pub struct Ledger {
    path: PathBuf,
    originals: BTreeMap<String, Entry>,
    /// Every piece's original.
    owners: HashMap<String, String>,
    saved: Instant,
    pause: Duration,
}

/// What is known of one original.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Entry {
    /// The digest of its bytes, once they were read.
    pub digest: Option<String>,
    /// What uniform borders leave of it, where that was looked for.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub content: Option<Content>,
    /// Its pieces by their names.
    pub pieces: BTreeMap<String, PieceEntry>,
}

/// What uniform borders leave of an original.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Content {
    /// The digest of the bytes that were looked at.
    pub of: String,
    /// The area, as stored.
    pub area: Area,
}

/// What is known of one piece.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct PieceEntry {
    /// The place that it is for.
    pub place: Option<String>,
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
    /// The program's version.
    pub kiln: String,
    /// The digest of the piece itself.
    pub digest: String,
    /// How it came about.
    #[serde(flatten)]
    pub account: Account,
    /// What it shares a total for; `None` where it shares none.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub share: Option<Share>,
}

/// How a piece came to its part in a total that pictures share.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Share {
    /// The digest of all who share, and of what.
    pub of: String,
    /// How many of its attempts were made for itself, before there was anything to share.
    pub own: usize,
    /// The index of the attempt that would have been kept then.
    pub kept: usize,
    /// What that would have counted as.
    pub verdict: Option<Verdict>,
    /// The most that it may weigh, where it is the smaller copy of a picture that was pressed.
    pub within: Option<u64>,
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

#[derive(Serialize, Deserialize)]
struct Document<T> {
    schema: u32,
    kiln: String,
    originals: T,
}

impl Ledger {
    /// The ledger of an out folder, empty where there is none. One that cannot be read is set
    /// aside under another name, which is returned.
    pub fn open(out: &Path) -> io::Result<(Ledger, Option<PathBuf>)> {
        let path = out.join(NAME);
        let text = match fs::read(&path) {
            Ok(text) => text,
            Err(error) if error.kind() == io::ErrorKind::NotFound => {
                return Ok((Ledger::new(path, BTreeMap::new()), None));
            }
            Err(error) => return Err(error),
        };
        match serde_json::from_slice(&text) {
            Ok(Document {
                schema: SCHEMA,
                originals,
                ..
            }) => Ok((Ledger::new(path, originals), None)),
            _ => {
                let aside = out.join(format!("{NAME}.unreadable"));
                fs::rename(&path, &aside)?;
                Ok((Ledger::new(path, BTreeMap::new()), Some(aside)))
            }
        }
    }

    /// What uniform borders leave of the originals of an out folder, by the digests of their
    /// bytes; nothing where there is no ledger that can be read.
    pub fn contents(out: &Path) -> HashMap<String, Area> {
        let text = fs::read(out.join(NAME)).unwrap_or_default();
        let document: Option<Document<BTreeMap<String, Entry>>> =
            serde_json::from_slice(&text).ok();
        let entries = document.into_iter().flat_map(|document| document.originals);
        let contents = entries.filter_map(|(_, entry)| entry.content);
        contents.map(|content| (content.of, content.area)).collect()
    }

    fn new(path: PathBuf, originals: BTreeMap<String, Entry>) -> Ledger {
        let owner = |(original, entry): (&String, &Entry)| {
            let names: Vec<String> = entry.pieces.keys().cloned().collect();
            let original = original.clone();
            names.into_iter().map(move |name| (name, original.clone()))
        };
        Ledger {
            path,
            owners: originals.iter().flat_map(owner).collect(),
            originals,
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
        if let Some(earlier) = owner.pieces.remove(piece)
            && earlier.recipe == entry.recipe
        {
            entry.made = earlier.made;
        }
        owner.pieces.insert(piece.to_owned(), entry);
        self.owners.insert(piece.to_owned(), original.to_owned());
    }

    /// Strikes a piece out, and its original with its last piece.
    pub fn forget(&mut self, piece: &str) {
        let Some(original) = self.owners.remove(piece) else {
            return;
        };
        if let Some(owner) = self.originals.get_mut(&original) {
            owner.pieces.remove(piece);
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
            for piece in entry.pieces.values_mut() {
                piece.made = None;
            }
            entry.digest = Some(digest);
        }
    }

    /// Notes what uniform borders leave of an original.
    pub fn searched(&mut self, original: &str, content: Content) {
        if let Some(entry) = self.originals.get_mut(original) {
            entry.content = Some(content);
        }
    }

    /// A planned piece that was finished: its entry, what is known of it, and the digest of its
    /// original.
    pub fn made(&self, piece: &str) -> Option<(&PieceEntry, &Made, &str)> {
        let owner = self.originals.get(self.owners.get(piece)?)?;
        let entry = owner.pieces.get(piece)?;
        Some((entry, entry.made.as_ref()?, owner.digest.as_deref()?))
    }

    /// Notes that a planned piece was finished.
    pub fn finished(&mut self, piece: &str, made: Made) {
        let owner = self.owners.get(piece);
        let entry = owner.and_then(|original| self.originals.get_mut(original));
        if let Some(piece) = entry.and_then(|entry| entry.pieces.get_mut(piece)) {
            piece.made = Some(made);
        }
    }

    /// The pieces that are not among the planned ones, of originals for which `unwanted` holds.
    pub fn strays(
        &self,
        planned: &HashSet<&str>,
        mut unwanted: impl FnMut(&str) -> bool,
    ) -> Vec<Stray> {
        let mut strays = Vec::new();
        for (original, entry) in &self.originals {
            let pieces = entry.pieces.iter();
            let loose = pieces.filter(|(name, _)| !planned.contains(name.as_str()));
            let loose: Vec<_> = loose.collect();
            if !loose.is_empty() && unwanted(original) {
                strays.extend(loose.into_iter().map(|(name, piece)| Stray {
                    name: name.clone(),
                    digest: piece.made.as_ref().map(|made| made.digest.clone()),
                }));
            }
        }
        strays.sort_by(|a, b| a.name.cmp(&b.name));
        strays
    }

    /// Saves it, whole or not at all.
    pub fn save(&mut self) -> io::Result<()> {
        let start = Instant::now();
        let document = Document {
            schema: SCHEMA,
            kiln: env!("CARGO_PKG_VERSION").to_owned(),
            originals: &self.originals,
        };
        let mut text = serde_json::to_vec_pretty(&document)?;
        text.push(b'\n');
        let saved = write::whole(&self.path, &text);
        self.saved = Instant::now();
        self.pause = SAVE_EVERY.max(start.elapsed() * SAVE_SHARE);
        saved
    }

    /// Saves it where the last time is a while ago.
    pub fn save_now_and_then(&mut self) -> io::Result<()> {
        match self.saved.elapsed() < self.pause {
            true => Ok(()),
            false => self.save(),
        }
    }

    /// Where it is kept.
    pub fn path(&self) -> &Path {
        &self.path
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use kiln_core::encode::Coding;

    fn entry(recipe: &str) -> PieceEntry {
        PieceEntry {
            place: None,
            size: Size::new(3, 2).expect("a size"),
            format: Format::WebP,
            recipe: recipe.to_owned(),
            made: None,
        }
    }

    fn made(digest: &str) -> Made {
        Made {
            kiln: "0".to_owned(),
            digest: digest.to_owned(),
            account: Account {
                weight: 9,
                coding: Coding::Dial(80),
                score: 76.0,
                verdict: Some(Verdict::Met),
                trail: Vec::new(),
                fits: true,
                flattened: false,
                shrunk: None,
            },
            share: None,
        }
    }

    /// A ledger with one original of two pieces, both made.
    fn fired() -> Ledger {
        let mut ledger = Ledger::new(PathBuf::new(), BTreeMap::new());
        for piece in ["a-1.webp", "a-2.webp"] {
            ledger.enter("../a.jpg", piece, entry("r"));
        }
        ledger.read("../a.jpg", "content".to_owned());
        ledger.finished("a-1.webp", made("one"));
        ledger.finished("a-2.webp", made("two"));
        ledger
    }

    fn known(ledger: &Ledger) -> Vec<String> {
        let mut names: Vec<String> = ledger.known().into_keys().collect();
        names.sort();
        names
    }

    /// What borders leave is kept with the digest of what was searched, and read without a ledger
    /// being opened, whatever stands there.
    #[test]
    fn what_borders_leave_is_known_by_what_was_searched() {
        let folder = tempfile::tempdir().expect("a folder");
        assert!(Ledger::contents(folder.path()).is_empty(), "no ledger");
        let area = Area::whole(Size::new(3, 2).expect("a size"));
        let (mut ledger, _) = Ledger::open(folder.path()).expect("a new one");
        ledger.enter("../a.jpg", "a-1.webp", entry("r"));
        let of = "seen".to_owned();
        ledger.searched("../a.jpg", Content { of, area });
        let of = "lost".to_owned();
        ledger.searched("../none.jpg", Content { of, area });
        ledger.save().expect("room");
        let known = Ledger::contents(folder.path());
        assert_eq!(known, [("seen".to_owned(), area)].into());
        fs::write(folder.path().join(NAME), b"{").expect("room");
        assert!(
            Ledger::contents(folder.path()).is_empty(),
            "an unreadable one"
        );
        assert!(folder.path().join(NAME).exists(), "which is left alone");
    }

    #[test]
    fn pieces_hold_while_original_and_recipe_do() {
        let mut ledger = fired();
        assert_eq!(known(&ledger), ["a-1.webp", "a-2.webp"]);
        ledger.enter("../a.jpg", "a-1.webp", entry("r"));
        ledger.enter("../a.jpg", "a-2.webp", entry("other"));
        assert_eq!(known(&ledger), ["a-1.webp"], "a changed recipe");
        ledger.read("../a.jpg", "content".to_owned());
        assert_eq!(known(&ledger), ["a-1.webp"]);
        ledger.read("../a.jpg", "changed".to_owned());
        assert!(known(&ledger).is_empty(), "a changed original");
    }

    /// The very last piece of an original keeps what is known of it as well.
    #[test]
    fn the_only_piece_of_an_original_holds_too() {
        let mut ledger = fired();
        ledger.forget("a-2.webp");
        ledger.enter("../a.jpg", "a-1.webp", entry("r"));
        assert_eq!(known(&ledger), ["a-1.webp"]);
    }

    #[test]
    fn a_name_that_goes_to_another_original_is_made_anew() {
        let mut ledger = fired();
        ledger.enter("../b.jpg", "a-1.webp", entry("r"));
        assert_eq!(known(&ledger), ["a-2.webp"]);
        assert!(ledger.knows("a-1.webp"));
        ledger.forget("a-1.webp");
        assert!(!ledger.knows("a-1.webp") && !ledger.originals.contains_key("../b.jpg"));
    }

    #[test]
    fn strays_are_what_nothing_plans_for_of_unwanted_originals() {
        let ledger = fired();
        let planned = HashSet::from(["a-1.webp"]);
        let strays = ledger.strays(&planned, |original| original == "../a.jpg");
        let wanted = Stray {
            name: "a-2.webp".to_owned(),
            digest: Some("two".to_owned()),
        };
        assert_eq!(strays, [wanted]);
        assert!(ledger.strays(&planned, |_| false).is_empty());
    }

    /// A part in a total is kept with the piece, over a run that only plans it again.
    #[test]
    fn a_share_is_kept_as_long_as_its_piece_holds() {
        let folder = tempfile::tempdir().expect("a folder");
        let share = Share {
            of: "all".to_owned(),
            own: 3,
            kept: 1,
            verdict: Some(Verdict::Met),
            within: Some(70),
        };
        let (mut ledger, _) = Ledger::open(folder.path()).expect("a new one");
        ledger.enter("../a.jpg", "a-1.webp", entry("r"));
        assert!(ledger.made("a-1.webp").is_none(), "it is only planned");
        ledger.read("../a.jpg", "content".to_owned());
        let shared = Made {
            share: Some(share.clone()),
            ..made("one")
        };
        ledger.finished("a-1.webp", shared);
        ledger.save().expect("room");
        let (mut again, aside) = Ledger::open(folder.path()).expect("the same");
        assert_eq!(aside, None);
        again.enter("../a.jpg", "a-1.webp", entry("r"));
        let (entry_again, made_again, original) = again.made("a-1.webp").expect("it stands");
        assert_eq!((entry_again.recipe.as_str(), original), ("r", "content"));
        assert_eq!(made_again.share, Some(share));
        again.enter("../a.jpg", "a-1.webp", entry("other"));
        assert!(again.made("a-1.webp").is_none() && again.made("b.webp").is_none());
    }
}
