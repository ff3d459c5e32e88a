//! The containers of picture files, walked in one room and under one allowance: JPEG segments,
//! ISO base media boxes, RIFF and PNG chunks, TIFF directories, XML.
//!
//! A walk goes over a [`Scan`], which reads from a file as well as from bytes in memory. Whatever
//! a file says of itself, a walk ends: it goes so deep, over so many parts, and holds so many
//! bytes, and no further.

pub(crate) mod ico;
pub(crate) mod iso;
pub(crate) mod items;
pub(crate) mod jpeg;
pub(crate) mod png;
pub(crate) mod pnm;
pub(crate) mod riff;
mod scan;
pub(crate) mod xml;

use std::io;

pub(crate) use scan::Scan;

/// What a walk over one file may come to.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Allowance {
    /// Parts within parts.
    pub depth: u32,
    /// Parts altogether.
    pub parts: u32,
    /// Bytes of parts that are held in memory, altogether.
    pub bytes: u64,
}

impl Default for Allowance {
    /// 16 levels, a million parts, 64 MiB. Sound files need three levels; the longest animations
    /// have some thousand parts; profiles and metadata take a few MiB at most.
    fn default() -> Self {
        Allowance {
            depth: 16,
            parts: 1_000_000,
            bytes: 64 << 20,
        }
    }
}

/// What is wrong with a container.
#[derive(Debug)]
pub(crate) enum Fault {
    /// It ends within a part.
    CutOff,
    /// It breaks a rule of its format.
    Rule(&'static str),
    /// Its bytes could not be read.
    Read(io::Error),
}

impl From<io::Error> for Fault {
    fn from(error: io::Error) -> Self {
        match error.kind() {
            io::ErrorKind::UnexpectedEof => Fault::CutOff,
            _ => Fault::Read(error),
        }
    }
}

/// A part of a container: offsets in bytes from its start.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Part {
    /// Four characters.
    pub name: [u8; 4],
    /// Where it begins, with its length and its name.
    pub start: u64,
    /// Where what it holds begins.
    pub body: u64,
    /// The bytes that it holds.
    pub length: u64,
    /// Where the next part begins.
    pub end: u64,
}

impl Part {
    /// What it holds, of a file in memory.
    pub fn of<'a>(&self, file: &'a [u8]) -> Option<&'a [u8]> {
        let body = usize::try_from(self.body).ok()?;
        let length = usize::try_from(self.length).ok()?;
        file.get(body..)?.get(..length)
    }
}

#[cfg(test)]
mod tests;
