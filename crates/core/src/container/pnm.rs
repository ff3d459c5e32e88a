//! The headers of portable any-maps: PBM, PGM and PPM, plain and raw, and PAM (as their manual pages
//! define them).

use std::io::{Read, Seek};

use super::{Fault, Scan};

/// How the samples are written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Writing {
    /// As decimal numbers.
    Plain,
    /// As digits 0 and 1, which may stand without space between them; 1 is black.
    PlainBits,
    /// As bytes, two for deep samples, the higher first.
    Raw,
    /// As bits, the highest first, each row from a new byte on; 1 is black.
    RawBits,
}

/// What stands before the samples.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Header {
    pub width: u32,
    pub height: u32,
    /// Samples of a pixel, 1 to 4: grey or colours, each with alpha or without.
    pub count: usize,
    /// The greatest value of a sample.
    pub most: u16,
    pub writing: Writing,
}

const NO_NUMBER: Fault = Fault::Rule("there is no number where one belongs");

/// Reads a header; the walk stands at the first sample.
pub(crate) fn header<R: Read + Seek>(scan: &mut Scan<R>) -> Result<Header, Fault> {
    let [_, number] = scan.bytes()?;
    if number == b'7' {
        return any_map(scan);
    }
    let (writing, count) = match number {
        b'1' => (Writing::PlainBits, 1),
        b'2' => (Writing::Plain, 1),
        b'3' => (Writing::Plain, 3),
        b'4' => (Writing::RawBits, 1),
        b'5' => (Writing::Raw, 1),
        _ => (Writing::Raw, 3),
    };
    let (width, height) = (self::number(scan)?, self::number(scan)?);
    let most = match writing {
        Writing::PlainBits | Writing::RawBits => 1,
        Writing::Plain | Writing::Raw => self::number(scan)?,
    };
    Ok(Header {
        width,
        height,
        count,
        most: greatest(most)?,
        writing,
    })
}

fn greatest(most: u32) -> Result<u16, Fault> {
    let most = u16::try_from(most).ok().filter(|&most| most > 0);
    most.ok_or(Fault::Rule("its greatest value is none from 1 to 65,535"))
}

/// A PAM: a line for each thing that is said.
fn any_map<R: Read + Seek>(scan: &mut Scan<R>) -> Result<Header, Fault> {
    let (mut sides, mut depth, mut most) = ([0, 0], 0, 0);
    loop {
        let line = line(scan)?;
        let (name, value) = line.split_once(char::is_whitespace).unwrap_or((&line, ""));
        let number = || value.trim().parse::<u32>().map_err(|_| NO_NUMBER);
        match name {
            "WIDTH" => sides[0] = number()?,
            "HEIGHT" => sides[1] = number()?,
            "DEPTH" => depth = number()?,
            "MAXVAL" => most = number()?,
            "ENDHDR" => break,
            _ => {}
        }
    }
    let count = depth as usize;
    if !(1..=4).contains(&count) {
        return Err(Fault::Rule("its pixels are of no known kind"));
    }
    Ok(Header {
        width: sides[0],
        height: sides[1],
        count,
        most: greatest(most)?,
        writing: Writing::Raw,
    })
}

/// A line of a header, which are short.
fn line<R: Read + Seek>(scan: &mut Scan<R>) -> Result<String, Fault> {
    let mut line = Vec::new();
    loop {
        scan.part()?;
        match scan.byte()? {
            b'\n' => return Ok(String::from_utf8_lossy(&line).trim().to_owned()),
            byte => line.push(byte),
        }
    }
}

/// A decimal number behind white space and comments, and the one byte behind it.
pub(crate) fn number<R: Read + Seek>(scan: &mut Scan<R>) -> Result<u32, Fault> {
    let mut byte = first(scan)?;
    let mut number = None;
    while byte.is_ascii_digit() {
        let digit = u32::from(byte - b'0');
        let longer = number.unwrap_or(0u32).checked_mul(10);
        number = longer.and_then(|number| number.checked_add(digit));
        if number.is_none() {
            break;
        }
        // The last number of a file may end with it.
        if scan.left() == 0 {
            break;
        }
        byte = scan.byte()?;
    }
    number.ok_or(NO_NUMBER)
}

/// The first byte behind white space and comments.
pub(crate) fn first<R: Read + Seek>(scan: &mut Scan<R>) -> Result<u8, Fault> {
    loop {
        match scan.byte()? {
            b'#' => while scan.byte()? != b'\n' {},
            byte if byte.is_ascii_whitespace() => {}
            byte => return Ok(byte),
        }
    }
}
