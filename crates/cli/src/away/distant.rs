//! An original on another machine.

use std::fs::File;
use std::io::{self, Read, Seek, SeekFrom};
use std::sync::Arc;

use super::Away;
use crate::carry::{Fault, Found};

/// How much of a file is asked for at first: headers are rarely longer.
const FIRST: u64 = 32 << 10;

/// The most that is asked for at a time.
const MOST: u64 = 1 << 20;

/// A file on another machine.
#[derive(Clone, Debug)]
pub struct Distant {
    away: Arc<Away>,
    name: String,
    found: Found,
}

impl Distant {
    /// One that was found there.
    pub fn new(away: &Arc<Away>, name: String, found: Found) -> Distant {
        let away = Arc::clone(away);
        Distant { away, name, found }
    }

    /// Its bytes, as they were counted when it was found.
    pub fn weight(&self) -> u64 {
        self.found.weight
    }

    /// What tells one state of it from another, where its machine says so.
    pub fn state(&self) -> Option<String> {
        let tag = self.found.tag.as_ref()?;
        Some(format!("{} {tag}", self.found.weight))
    }

    /// All its bytes.
    pub fn bytes(&self) -> io::Result<Vec<u8>> {
        self.away.bytes(&self.name).map_err(unread)
    }

    /// All its bytes, written somewhere.
    pub fn copy(&self, into: &File) -> io::Result<()> {
        self.away.copy(&self.name, into).map_err(unread)
    }

    /// Its bytes as they are needed.
    pub fn reader(&self) -> Reader<'_> {
        Reader {
            file: self,
            at: 0,
            from: 0,
            held: Vec::new(),
            next: FIRST,
        }
    }
}

/// A fault as the reading of a file tells it.
fn unread(fault: Fault) -> io::Error {
    io::Error::other(fault)
}

/// Reads a file on another machine by its parts: those that are asked for, and a little ahead.
pub struct Reader<'a> {
    file: &'a Distant,
    at: u64,
    /// What is held begins here.
    from: u64,
    held: Vec<u8>,
    /// How much is asked for the next time.
    next: u64,
}

impl Read for Reader<'_> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let end = self.from + self.held.len() as u64;
        if self.at >= self.file.weight() || buffer.is_empty() {
            return Ok(0);
        }
        if !(self.from..end).contains(&self.at) {
            let most = self.next.min(self.file.weight() - self.at);
            let part = self.file.away.part(&self.file.name, self.at, most);
            (self.from, self.held) = (self.at, part.map_err(unread)?);
            self.next = (self.next * 4).min(MOST);
        }
        let held = self.held.get((self.at - self.from) as usize..);
        let held = held.unwrap_or_default();
        let read = held.len().min(buffer.len());
        buffer[..read].copy_from_slice(&held[..read]);
        self.at += read as u64;
        Ok(read)
    }
}

impl Seek for Reader<'_> {
    fn seek(&mut self, to: SeekFrom) -> io::Result<u64> {
        let (base, by) = match to {
            SeekFrom::Start(at) => {
                self.at = at;
                return Ok(at);
            }
            SeekFrom::Current(by) => (self.at, by),
            SeekFrom::End(by) => (self.file.weight(), by),
        };
        self.at = base
            .checked_add_signed(by)
            .ok_or(io::ErrorKind::InvalidInput)?;
        Ok(self.at)
    }
}
