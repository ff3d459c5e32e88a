//! A reader that walks headers: it knows where it is and never goes past the end.

use std::io::{self, Read, Seek, SeekFrom};

pub(super) struct Scan<R> {
    reader: R,
    at: u64,
    length: u64,
}

impl<R: Read + Seek> Scan<R> {
    pub(super) fn new(mut reader: R) -> io::Result<Self> {
        let length = reader.seek(SeekFrom::End(0))?;
        reader.seek(SeekFrom::Start(0))?;
        Ok(Scan {
            reader,
            at: 0,
            length,
        })
    }

    /// The offset of the next byte.
    pub(super) fn position(&self) -> u64 {
        self.at
    }

    /// Bytes from here to the end.
    pub(super) fn left(&self) -> u64 {
        self.length - self.at
    }

    /// Reads as much as there is; returns how much that was.
    pub(super) fn fill(&mut self, into: &mut [u8]) -> io::Result<usize> {
        let wanted = self.left().min(into.len() as u64) as usize;
        self.reader.read_exact(&mut into[..wanted])?;
        self.at += wanted as u64;
        Ok(wanted)
    }

    pub(super) fn bytes<const N: usize>(&mut self) -> io::Result<[u8; N]> {
        let mut bytes = [0; N];
        match self.fill(&mut bytes)? {
            read if read == N => Ok(bytes),
            _ => Err(io::ErrorKind::UnexpectedEof.into()),
        }
    }

    pub(super) fn byte(&mut self) -> io::Result<u8> {
        self.bytes::<1>().map(|[b]| b)
    }

    pub(super) fn u16_big(&mut self) -> io::Result<u16> {
        self.bytes().map(u16::from_be_bytes)
    }

    pub(super) fn u16_little(&mut self) -> io::Result<u16> {
        self.bytes().map(u16::from_le_bytes)
    }

    pub(super) fn u24_little(&mut self) -> io::Result<u32> {
        let [a, b, c] = self.bytes()?;
        Ok(u32::from_le_bytes([a, b, c, 0]))
    }

    pub(super) fn u32_big(&mut self) -> io::Result<u32> {
        self.bytes().map(u32::from_be_bytes)
    }

    pub(super) fn u32_little(&mut self) -> io::Result<u32> {
        self.bytes().map(u32::from_le_bytes)
    }

    /// So many bytes as a vector; memory is reserved only for what the file really holds.
    pub(super) fn vector(&mut self, length: u64) -> io::Result<Vec<u8>> {
        if length > self.left() {
            return Err(io::ErrorKind::UnexpectedEof.into());
        }
        let mut bytes = vec![0; length as usize];
        self.fill(&mut bytes)?;
        Ok(bytes)
    }

    pub(super) fn go_to(&mut self, offset: u64) -> io::Result<()> {
        if offset > self.length {
            self.at = self.length;
            return Err(io::ErrorKind::UnexpectedEof.into());
        }
        // A relative seek keeps what a buffered reader has already read.
        let step = offset as i64 - self.at as i64;
        self.reader.seek_relative(step)?;
        self.at = offset;
        Ok(())
    }

    pub(super) fn skip(&mut self, count: u64) -> io::Result<()> {
        self.go_to(self.at.saturating_add(count))
    }
}
