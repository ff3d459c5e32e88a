//! A reader that walks: it knows where it is, never goes past the end, and keeps to an allowance.

use std::io::{Cursor, Read, Seek, SeekFrom};

use super::{Allowance, Fault};

pub(crate) struct Scan<R> {
    reader: R,
    at: u64,
    length: u64,
    left: Allowance,
}

impl<'a> Scan<Cursor<&'a [u8]>> {
    /// Over bytes in memory.
    pub fn of(bytes: &'a [u8]) -> Self {
        Scan {
            length: bytes.len() as u64,
            reader: Cursor::new(bytes),
            at: 0,
            left: Allowance::default(),
        }
    }
}

impl<R: Read + Seek> Scan<R> {
    /// Over all that a reader has, from its start.
    pub fn new(reader: R) -> Result<Self, Fault> {
        Scan::within(reader, Allowance::default())
    }

    /// The same with an allowance.
    pub fn within(mut reader: R, allowance: Allowance) -> Result<Self, Fault> {
        let length = reader.seek(SeekFrom::End(0))?;
        reader.seek(SeekFrom::Start(0))?;
        Ok(Scan {
            reader,
            at: 0,
            length,
            left: allowance,
        })
    }

    /// The offset of the next byte.
    pub fn position(&self) -> u64 {
        self.at
    }

    /// The offset behind the last byte.
    pub fn end(&self) -> u64 {
        self.length
    }

    /// Bytes from here to the end.
    pub fn left(&self) -> u64 {
        self.length - self.at
    }

    /// Reads as much as there is; returns how much that was.
    pub fn fill(&mut self, into: &mut [u8]) -> Result<usize, Fault> {
        let wanted = self.left().min(into.len() as u64) as usize;
        self.reader.read_exact(&mut into[..wanted])?;
        self.at += wanted as u64;
        Ok(wanted)
    }

    pub fn bytes<const N: usize>(&mut self) -> Result<[u8; N], Fault> {
        let mut bytes = [0; N];
        match self.fill(&mut bytes)? {
            read if read == N => Ok(bytes),
            _ => Err(Fault::CutOff),
        }
    }

    pub fn byte(&mut self) -> Result<u8, Fault> {
        self.bytes::<1>().map(|[b]| b)
    }

    pub fn u16_big(&mut self) -> Result<u16, Fault> {
        self.bytes().map(u16::from_be_bytes)
    }

    pub fn u16_little(&mut self) -> Result<u16, Fault> {
        self.bytes().map(u16::from_le_bytes)
    }

    pub fn u24_little(&mut self) -> Result<u32, Fault> {
        let [a, b, c] = self.bytes()?;
        Ok(u32::from_le_bytes([a, b, c, 0]))
    }

    pub fn u32_big(&mut self) -> Result<u32, Fault> {
        self.bytes().map(u32::from_be_bytes)
    }

    pub fn u32_little(&mut self) -> Result<u32, Fault> {
        self.bytes().map(u32::from_le_bytes)
    }

    /// A whole number of so many bytes, at most 8, the highest first.
    pub fn big(&mut self, count: usize) -> Result<u64, Fault> {
        let mut number = 0;
        for _ in 0..count.min(8) {
            number = number << 8 | u64::from(self.byte()?);
        }
        Ok(number)
    }

    /// So many bytes, held in memory; `None` where the allowance does not cover them, and then
    /// they are passed over.
    pub fn block(&mut self, length: u64) -> Result<Option<Vec<u8>>, Fault> {
        if length > self.left() {
            return Err(Fault::CutOff);
        }
        if length > self.left.bytes {
            self.skip(length)?;
            return Ok(None);
        }
        self.left.bytes -= length;
        let mut bytes = vec![0; length as usize];
        self.fill(&mut bytes)?;
        Ok(Some(bytes))
    }

    pub fn go_to(&mut self, offset: u64) -> Result<(), Fault> {
        if offset > self.length {
            self.at = self.length;
            return Err(Fault::CutOff);
        }
        // A relative seek keeps what a buffered reader has already read.
        let step = offset as i64 - self.at as i64;
        self.reader.seek_relative(step)?;
        self.at = offset;
        Ok(())
    }

    pub fn skip(&mut self, count: u64) -> Result<(), Fault> {
        self.go_to(self.at.saturating_add(count))
    }

    /// Counts one more part.
    pub fn part(&mut self) -> Result<(), Fault> {
        let left = self.left.parts.checked_sub(1);
        self.left.parts = left.ok_or(Fault::Rule("it has more parts than any sound file"))?;
        Ok(())
    }

    /// Walks what a part holds, one level deeper.
    pub fn inside<T, E: From<Fault>>(
        &mut self,
        walk: impl FnOnce(&mut Self) -> Result<T, E>,
    ) -> Result<T, E> {
        let left = self.left.depth.checked_sub(1);
        self.left.depth = left.ok_or(Fault::Rule("its parts lie deeper than in any sound file"))?;
        let walked = walk(self);
        self.left.depth += 1;
        walked
    }
}
