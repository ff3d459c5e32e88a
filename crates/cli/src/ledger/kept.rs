//! Where a ledger is kept: the document, readable to people, and the journal of what is newer.

use std::fs::{self, File};
use std::io::{self, BufReader, Read};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::SystemTime;

use kiln_core::plan::PartOf;

use super::NAME;
use super::beyond::Beyond;
use super::delivery::Deliveries;
use super::form::{self, Form, Originals, Sound};
use super::journal::{self, Journal, Replayed};
use super::parts::{self, Parts};
use crate::failure::Failure;
use crate::write::{self, PARTS};

/// A document up to this weight is always written anew at the end of a run: that takes a moment.
const LIGHT: u64 = 16 << 20;

/// A heavier one is, once its journal weighs one part in so many of it: every record is then written a few times
/// in all, however many there are.
const SHARE: u64 = 4;

/// A ledger as it was found.
pub struct Found {
    /// What it says.
    pub sound: Sound,
    /// What the document was.
    pub document: Document,
    /// What the journal was.
    pub replayed: Replayed,
    /// What parts of a firing noted.
    pub parts: Parts,
}

/// What a document was found to be.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Document {
    /// There is none.
    Absent,
    /// One of today's form, and its bytes.
    Sound(u64),
    /// One of an earlier form.
    Earlier,
    /// None that can be read.
    Damaged,
}

/// Reads document and journal of an out folder.
pub fn find(out: &Path) -> Result<Found, Failure> {
    let (path, beside) = (out.join(NAME), out.join(journal::NAME));
    loop {
        let before = about(&path);
        let newer = |path: &Path, (schema, kiln)| Failure::NewerLedger {
            path: path.to_owned(),
            schema,
            kiln,
        };
        let form = document(&path).map_err(Failure::unreadable(&path))?;
        let (document, mut sound) = match form {
            None => (Document::Absent, Sound::default()),
            Some((_, Form::Damaged)) => (Document::Damaged, Sound::default()),
            Some((_, Form::Newer { schema, kiln })) => return Err(newer(&path, (schema, kiln))),
            Some((length, Form::Sound(sound))) => match sound.carried_from {
                None => (Document::Sound(length), sound),
                Some(_) => (Document::Earlier, sound),
            },
        };
        let replayed = replay(&beside, &mut sound).map_err(Failure::unreadable(&beside))?;
        let parts = parts::take_in(out, &mut sound);
        let parts = parts.map_err(Failure::unreadable(&out.join(PARTS)))?;
        let known = {
            let mut journals = parts.all_replayed().chain([&replayed]);
            journals.find_map(|replayed| replayed.newer.clone())
        };
        if let Some(known) = known {
            return Err(newer(&beside, known));
        }
        // A run that ended meanwhile may have written the one and removed the other.
        if before == about(&path) {
            return Ok(Found {
                sound,
                document,
                replayed,
                parts,
            });
        }
    }
}

fn about(path: &Path) -> Option<(u64, Option<SystemTime>)> {
    let about = path.symlink_metadata().ok()?;
    Some((about.len(), about.modified().ok()))
}

/// Reads a journal, where there is one.
pub fn replay(path: &Path, sound: &mut Sound) -> io::Result<Replayed> {
    match opened(path)? {
        Some(file) => journal::replay(BufReader::with_capacity(1 << 16, file), sound),
        None => Ok(Replayed::default()),
    }
}

/// A document's length and what it is; `None` where there is none.
pub fn document(path: &Path) -> io::Result<Option<(u64, Form)>> {
    let Some(file) = opened(path)? else {
        return Ok(None);
    };
    let length = file.metadata()?.len();
    let form = match length > LIGHT {
        true => form::read_from(file)?,
        false => form::read(&whole(file)?),
    };
    Ok(Some((length, form)))
}

/// A ledger's bytes; `None` where there is none.
fn text(path: &Path) -> io::Result<Option<Vec<u8>>> {
    opened(path)?.map(whole).transpose()
}

fn whole(mut file: File) -> io::Result<Vec<u8>> {
    let mut text = Vec::new();
    file.read_to_end(&mut text)?;
    Ok(text)
}

/// A file, opened; `None` where there is none. A link is not followed.
fn opened(path: &Path) -> io::Result<Option<File>> {
    if !stands_alone(path)? {
        return Ok(None);
    }
    match File::open(path) {
        Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(None),
        opened => opened.map(Some),
    }
}

/// Whether there is a file; an error where it is none of its own, such as a link.
pub fn stands_alone(path: &Path) -> io::Result<bool> {
    match path.symlink_metadata() {
        Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(false),
        Ok(about) if !about.is_file() => Err(io::Error::other("it is no file of its own")),
        about => about.map(|_| true),
    }
}

/// Document and journal as they are written.
#[derive(Debug)]
pub struct Kept {
    path: PathBuf,
    /// The bytes of the document, where there is one that a journal can go with.
    document: Option<u64>,
    journal: Journal,
    /// Journals of parts that the document has not taken in.
    parts: Vec<PathBuf>,
    /// Whether it is that of a part, which writes no document.
    is_part: bool,
    /// The other machine that all this belongs to.
    beyond: Option<Arc<dyn Beyond>>,
    /// The document, for people.
    shown: PathBuf,
}

impl Kept {
    /// Those of an out folder, as they were found.
    pub fn of(out: &Path, document: Document, replayed: &Replayed, parts: Vec<PathBuf>) -> Kept {
        Kept {
            parts,
            is_part: false,
            beyond: None,
            shown: out.join(NAME),
            path: out.join(NAME),
            document: match document {
                Document::Sound(length) => Some(length),
                Document::Absent | Document::Earlier | Document::Damaged => None,
            },
            journal: Journal::at(out.join(journal::NAME), replayed),
        }
    }

    /// Those of a part, whose journal was found so.
    pub fn of_part(out: &Path, part: PartOf, replayed: &Replayed) -> Kept {
        Kept {
            path: out.join(NAME),
            document: None,
            journal: Journal::at(parts::journal_of(out, part), replayed),
            parts: Vec::new(),
            is_part: true,
            beyond: None,
            shown: out.join(NAME),
        }
    }

    /// Where it is kept, for people.
    pub fn shown(&self) -> &Path {
        &self.shown
    }

    /// What is written goes to another machine as well, from now on.
    pub fn keep_beyond(&mut self, beyond: Arc<dyn Beyond>) {
        self.shown = beyond.address().into();
        self.beyond = Some(beyond);
    }

    /// Whether there is a document that a journal can go with.
    pub fn has_document(&self) -> bool {
        self.is_part || self.document.is_some()
    }

    /// Notes records in the journal.
    pub fn note(&mut self, lines: &[u8]) -> io::Result<()> {
        self.journal.append(lines)?;
        match &self.beyond {
            Some(beyond) => beyond.note(&journal::opened_with(lines)?),
            None => Ok(()),
        }
    }

    /// Whether the journal should go into the document.
    pub fn is_worth_compacting(&self) -> bool {
        let (journal, document) = (self.journal.length(), self.document.unwrap_or(0));
        let is_due = journal > 0 && (document <= LIGHT || journal >= document / SHARE);
        !self.is_part && (is_due || !self.parts.is_empty())
    }

    /// Writes all as one document, whole or not at all; then there is no journal.
    pub fn write(&mut self, originals: &Originals, deliveries: &Deliveries) -> io::Result<()> {
        let length = write::whole_by(&self.path, |out| form::write(out, originals, deliveries))?;
        self.document = Some(length);
        if let Some(beyond) = &self.beyond {
            beyond.write(&self.path)?;
        }
        self.journal.clear()?;
        for journal in self.parts.drain(..) {
            fs::remove_file(journal)?;
        }
        // Where somebody keeps something else in it, it stays.
        let _ = fs::remove_dir(self.path.with_file_name(PARTS));
        Ok(())
    }
}

/// The texts of damaged ledgers that were set aside.
pub fn asides(path: &Path) -> impl Iterator<Item = Vec<u8>> {
    let asides = (1..).map(|number| aside(path, number));
    asides.map_while(|aside| text(&aside).ok().flatten())
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
pub fn set_aside(path: &Path) -> io::Result<PathBuf> {
    let mut names = (1..).map(|number| aside(path, number));
    let free = names.find(|name| name.symlink_metadata().is_err());
    let free = free.unwrap_or_else(|| aside(path, 1));
    fs::rename(path, &free)?;
    Ok(free)
}
