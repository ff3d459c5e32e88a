//! Chunks of PNG (W3C PNG, third edition, section 5).

use std::io::{Read, Seek};

use super::{Fault, Part, Scan};

/// The bytes that every file begins with.
pub(crate) const MAGIC: [u8; 8] = *b"\x89PNG\r\n\x1A\n";

/// So many.
pub(crate) const SIGNATURE: u64 = MAGIC.len() as u64;

/// The signature and the header chunk.
pub(crate) const HEAD: usize = 33;

/// What an international text chunk that holds XMP begins with: its keyword.
pub(crate) const XMP: &[u8] = b"XML:com.adobe.xmp\0";

/// The next chunk; the walk stands at what it holds.
pub(crate) fn next<R: Read + Seek>(scan: &mut Scan<R>) -> Result<Part, Fault> {
    scan.part()?;
    let start = scan.position();
    let (length, name) = (u64::from(scan.u32_big()?), scan.bytes()?);
    let body = scan.position();
    Ok(Part {
        name,
        start,
        body,
        length,
        // A checksum stands behind.
        end: body + length + 4,
    })
}

/// A chunk, with its length, its name and its checksum.
pub(crate) fn chunk(name: &[u8; 4], body: &[&[u8]]) -> Option<Vec<u8>> {
    let body = [name.as_slice(), &body.concat()].concat();
    let mut check = flate2::Crc::new();
    check.update(&body);
    let length = u32::try_from(body.len() - 4).ok()?.to_be_bytes();
    Some([&length, body.as_slice(), &check.sum().to_be_bytes()].concat())
}
