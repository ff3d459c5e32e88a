//! Documents with very many originals: a line for each, so that they are half as heavy, and are read on all cores.

use std::io::{self, BufRead, BufReader, Read, Write};
use std::sync::Arc;

use rayon::prelude::*;
use serde_json::ser::Formatter;

use super::Entry;
use super::form::Sound;
use super::reading::Reading;

/// Documents with so many originals are written so.
pub const MANY: usize = 5_000;

/// Lines that are held at a time.
const TOGETHER: usize = 1024;

/// Bytes that come before them, at most, and bytes of one.
const SHORT: usize = 4096;
const LONG: usize = 64 << 20;

/// What the lines of originals follow on, and what on them.
const BEFORE: &[u8] = b"  \"originals\": {";
const BEHIND: &[u8] = b"  }";

/// JSON that is laid out for people down to the second depth, and in one line each below.
#[derive(Default)]
pub struct Layout {
    depth: usize,
    is_empty: bool,
}

impl Layout {
    fn line(&self, out: &mut (impl Write + ?Sized)) -> io::Result<()> {
        write!(out, "\n{:1$}", "", 2 * self.depth)
    }
}

impl Formatter for Layout {
    fn begin_object<W: Write + ?Sized>(&mut self, out: &mut W) -> io::Result<()> {
        (self.depth, self.is_empty) = (self.depth + 1, true);
        out.write_all(b"{")
    }

    fn begin_object_key<W: Write + ?Sized>(&mut self, out: &mut W, first: bool) -> io::Result<()> {
        self.is_empty = false;
        if !first {
            out.write_all(b",")?;
        }
        match self.depth {
            ..=2 => self.line(out),
            _ => Ok(()),
        }
    }

    fn begin_object_value<W: Write + ?Sized>(&mut self, out: &mut W) -> io::Result<()> {
        match self.depth {
            ..=2 => out.write_all(b": "),
            _ => out.write_all(b":"),
        }
    }

    fn end_object<W: Write + ?Sized>(&mut self, out: &mut W) -> io::Result<()> {
        self.depth -= 1;
        if self.depth < 2 && !self.is_empty {
            self.line(out)?;
        }
        self.is_empty = false;
        out.write_all(b"}")
    }
}

/// Reads a document that is laid out so; `None` where it is not, or where only reading it as any other can tell what it
/// says.
pub fn read(file: impl Read) -> io::Result<Option<Reading>> {
    let mut file = BufReader::with_capacity(1 << 18, file);
    // All but the lines of originals, which is a document too.
    let mut frame = Vec::new();
    loop {
        let Some(line) = next(&mut file, SHORT)?.filter(|_| frame.len() < SHORT) else {
            return Ok(None);
        };
        frame.extend_from_slice(&line);
        if line.trim_ascii_end() == BEFORE {
            break;
        }
    }
    let (mut sound, mut originals) = (Sound::default(), Vec::new());
    let mut is_behind = false;
    while !is_behind {
        let mut lines = Vec::new();
        while lines.len() < TOGETHER {
            let Some(line) = next(&mut file, LONG)? else {
                return Ok(None);
            };
            if line.starts_with(BEHIND) {
                frame.extend(line);
                is_behind = true;
                break;
            }
            lines.push(line);
        }
        let parsed: Option<Vec<_>> = lines.par_iter().map(|line| original(line)).collect();
        let Some(parsed) = parsed else {
            return Ok(None);
        };
        for (path, entry) in parsed {
            originals.extend(sound.believed(entry).map(|entry| (path, entry)));
        }
    }
    // A tree that is built at once has no room to spare.
    sound.originals = originals.into_iter().collect();
    file.read_to_end(&mut frame)?;
    Ok(Reading::framed(&frame, sound))
}

/// The next line; `None` where there is none so short.
fn next(file: &mut impl BufRead, most: usize) -> io::Result<Option<Vec<u8>>> {
    let mut line = Vec::new();
    file.take(most as u64).read_until(b'\n', &mut line)?;
    Ok(line.ends_with(b"\n").then_some(line))
}

/// The original of a line, with what is known of it.
fn original(line: &[u8]) -> Option<(Arc<str>, Entry)> {
    let mut told = serde_json::Deserializer::from_slice(line).into_iter();
    let path: Arc<str> = told.next()?.ok()?;
    let rest = line[told.byte_offset()..]
        .strip_prefix(b":")?
        .trim_ascii_end();
    let rest = rest.strip_suffix(b",").unwrap_or(rest);
    Some((path, serde_json::from_slice(rest).ok()?))
}
