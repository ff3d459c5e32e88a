//! What a ledger notes while work goes on: `kiln-ledger.journal`, beside it (docs/formats.md). Every record says all that
//! is known of one original, or of one delivered file, from then on: the last one holds, and it does no harm to
//! read one twice. So it costs the same whether there are ten pieces or a million, and whatever a crash cuts off
//! is lost alone.

use std::fs::{File, OpenOptions};
use std::io::{self, BufRead, Read, Write};
use std::path::{Path, PathBuf};

use serde::{Deserialize, Serialize};

use super::delivery::{self, Delivered};
use super::form::{SCHEMA, Sound};
use super::{Entry, stands_alone};
use crate::write;

/// Its name in the out folder.
pub const NAME: &str = "kiln-ledger.journal";

/// No record is longer; what is, was not written by us.
const LONGEST: u64 = 64 << 20;

/// Hexadecimal digits before each record: XXH3 (64 bits) of its bytes.
const DIGITS: usize = 16;

/// A line of a journal.
#[derive(Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Record<S, E, F> {
    /// Of which form those are that follow, and by which version of the program.
    Form { schema: u64, kiln: S },
    /// All that is known of an original; nothing where it is none of ours any more.
    Original { path: S, entry: Option<E> },
    /// The part that this is the journal of was made to its end.
    Ended {},
    /// A file at a target; nothing where it does not stand there any more.
    Delivered { target: S, name: S, file: Option<F> },
}

/// What a record says, for as long as it is written.
pub type Said<'a> = Record<&'a str, &'a Entry, &'a Delivered>;

/// What was read of a journal.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Replayed {
    /// Records that are of use.
    pub records: usize,
    /// Records that are none; one that was cut off at the end is not counted.
    pub damaged: usize,
    /// The form and the program's version, where that is newer.
    pub newer: Option<(u64, String)>,
    /// Bytes.
    pub length: u64,
    /// Whether the last line lacks its end.
    pub torn: bool,
    /// Whether it is that of a part which was made to its end.
    pub ended: bool,
}

/// Lays what a journal says over what a document said.
pub fn replay(mut journal: impl BufRead, sound: &mut Sound) -> io::Result<Replayed> {
    let mut told = Replayed::default();
    let mut line = Vec::new();
    loop {
        line.clear();
        let read = journal
            .by_ref()
            .take(LONGEST)
            .read_until(b'\n', &mut line)?;
        if read == 0 {
            return Ok(told);
        }
        told.length += read as u64;
        told.torn = !line.ends_with(b"\n");
        match record(&line) {
            Some(Record::Form { schema, kiln }) if schema > SCHEMA.into() => {
                told.newer = Some((schema, kiln));
                return Ok(told);
            }
            Some(record) => {
                // Who begins to write again has not ended.
                told.ended = matches!(record, Record::Ended {});
                told.records += 1;
                apply(record, sound);
            }
            None if !told.torn && line != b"\n" => told.damaged += 1,
            None => {}
        }
    }
}

/// The record of a line, where it is whole.
fn record(line: &[u8]) -> Option<Record<String, Entry, Delivered>> {
    let (sum, rest) = line.split_at_checked(DIGITS)?;
    let text = rest.strip_prefix(b" ")?;
    let text = text.strip_suffix(b"\n").unwrap_or(text);
    if sum != digits(text).as_bytes() {
        return None;
    }
    serde_json::from_slice(text).ok()
}

fn digits(text: &[u8]) -> String {
    format!("{:0DIGITS$x}", xxhash_rust::xxh3::xxh3_64(text))
}

/// Takes in what a record says.
fn apply(record: Record<String, Entry, Delivered>, sound: &mut Sound) {
    match record {
        Record::Form { .. } | Record::Ended {} => {}
        Record::Original { path, entry } => {
            sound.take(path.into(), entry.unwrap_or_default());
        }
        Record::Delivered { target, name, file } => {
            match file.and_then(|file| delivery::believed(&name, file)) {
                Some(file) => {
                    let files = sound.deliveries.entry(target).or_default();
                    files.insert(name, file);
                }
                None => {
                    if let Some(files) = sound.deliveries.get_mut(&target) {
                        files.remove(&name);
                        if files.is_empty() {
                            sound.deliveries.remove(&target);
                        }
                    }
                }
            }
        }
    }
}

/// Adds a record to lines that are to be written.
pub fn add(lines: &mut Vec<u8>, said: &Said<'_>) -> io::Result<()> {
    add_line(lines, &serde_json::to_vec(said)?);
    Ok(())
}

/// Adds the text of a record, with its digest.
pub fn add_line(lines: &mut Vec<u8>, text: &[u8]) {
    lines.extend_from_slice(digits(text).as_bytes());
    lines.push(b' ');
    lines.extend_from_slice(text);
    lines.push(b'\n');
}

/// Lines that begin a journal, behind what says of which form they are.
pub fn opened_with(lines: &[u8]) -> io::Result<Vec<u8>> {
    let kiln = env!("CARGO_PKG_VERSION");
    let schema = SCHEMA.into();
    let mut whole = Vec::new();
    add(&mut whole, &Record::Form { schema, kiln })?;
    whole.extend_from_slice(lines);
    Ok(whole)
}

/// A journal that is written to.
#[derive(Debug)]
pub struct Journal {
    path: PathBuf,
    file: Option<File>,
    length: u64,
    /// Whether the last line may lack its end.
    torn: bool,
}

impl Journal {
    /// One that was read.
    pub fn at(path: PathBuf, replayed: &Replayed) -> Journal {
        Journal {
            path,
            file: None,
            length: replayed.length,
            torn: replayed.torn,
        }
    }

    /// Its bytes.
    pub fn length(&self) -> u64 {
        self.length
    }

    /// Appends lines, and sees that they are on the disk.
    pub fn append(&mut self, lines: &[u8]) -> io::Result<()> {
        let mut whole = Vec::new();
        if self.torn {
            whole.push(b'\n');
        }
        match self.file {
            Some(_) => whole.extend_from_slice(lines),
            None => whole.extend(opened_with(lines)?),
        }
        let file = match &mut self.file {
            Some(file) => file,
            none => none.insert(opened(&self.path)?),
        };
        self.torn = true;
        file.write_all(&whole)?;
        self.torn = false;
        self.length += whole.len() as u64;
        file.sync_data()
    }

    /// Removes it: all that it says stands elsewhere.
    pub fn clear(&mut self) -> io::Result<()> {
        self.file = None;
        if self.length > 0 || self.torn {
            write::remove(&self.path)?;
            (self.length, self.torn) = (0, false);
        }
        Ok(())
    }
}

/// Opened to append to it; a link is not followed.
fn opened(path: &Path) -> io::Result<File> {
    stands_alone(path)?;
    OpenOptions::new().create(true).append(true).open(path)
}
