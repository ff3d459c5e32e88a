//! The marker segments of JPEG (ITU-T T.81, annex B).

use std::io::{Read, Seek};

use super::{Fault, Scan};

pub(crate) const START_OF_IMAGE: u8 = 0xD8;
pub(crate) const END_OF_IMAGE: u8 = 0xD9;
pub(crate) const START_OF_SCAN: u8 = 0xDA;
pub(crate) const QUANTISATION_TABLES: u8 = 0xDB;
pub(crate) const APP0: u8 = 0xE0;
pub(crate) const APP1: u8 = 0xE1;
pub(crate) const APP2: u8 = 0xE2;
pub(crate) const APP13: u8 = 0xED;
pub(crate) const APP14: u8 = 0xEE;
pub(crate) const APP15: u8 = 0xEF;
pub(crate) const COMMENT: u8 = 0xFE;

/// What begins an EXIF segment (CIPA DC-008, 4.7.2).
pub(crate) const EXIF: &[u8] = b"Exif\0\0";

/// What begins an XMP segment (XMP specification, part 3).
pub(crate) const XMP: &[u8] = b"http://ns.adobe.com/xap/1.0/\0";

/// A marker segment: offsets in bytes from the start of the file.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Segment {
    /// The marker's second byte.
    pub marker: u8,
    /// Where it begins, with its marker.
    pub start: u64,
    /// Where what it holds begins.
    pub body: u64,
    /// The bytes that it holds.
    pub length: u64,
}

impl Segment {
    /// Where the next segment, or coded data, begin.
    pub fn end(&self) -> u64 {
        self.body + self.length
    }
}

/// The next segment; the walk stands at what it holds. `None` at the end of the image. Markers that
/// stand alone are passed over; behind a scan's header, the walk has to be taken past its data.
pub(crate) fn next<R: Read + Seek>(scan: &mut Scan<R>) -> Result<Option<Segment>, Fault> {
    loop {
        scan.part()?;
        let start = scan.position();
        match marker(scan)? {
            END_OF_IMAGE => return Ok(None),
            START_OF_IMAGE | 0x01 | 0xD0..=0xD7 => {}
            marker => {
                let length = u64::from(scan.u16_big()?).checked_sub(2);
                let shorter = Fault::Rule("a segment is shorter than its own length");
                return Ok(Some(Segment {
                    marker,
                    start,
                    body: scan.position(),
                    length: length.ok_or(shorter)?,
                }));
            }
        }
    }
}

/// The next marker's code, behind any fill bytes.
fn marker<R: Read + Seek>(scan: &mut Scan<R>) -> Result<u8, Fault> {
    const EXPECTED: Fault = Fault::Rule("a marker was expected");
    if scan.byte()? != 0xFF {
        return Err(EXPECTED);
    }
    loop {
        match scan.byte()? {
            0xFF => continue,
            0 => return Err(EXPECTED),
            code => return Ok(code),
        }
    }
}

/// A segment, with its marker and its length.
pub(crate) fn segment(marker: u8, body: &[&[u8]]) -> Option<Vec<u8>> {
    let body = body.concat();
    let length = u16::try_from(2 + body.len()).ok()?.to_be_bytes();
    Some([&[0xFF, marker], length.as_slice(), &body].concat())
}
