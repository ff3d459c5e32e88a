//! Chunks of RIFF, as WebP has them (RFC 9649, section 2.3).

use std::io::{Read, Seek};

use super::{Fault, Part, Scan};

/// The bytes before the first chunk.
pub(crate) const HEAD: u64 = 12;

/// The next chunk; the walk stands at what it holds.
pub(crate) fn next<R: Read + Seek>(scan: &mut Scan<R>) -> Result<Part, Fault> {
    scan.part()?;
    let start = scan.position();
    let (name, length) = (scan.bytes()?, u64::from(scan.u32_little()?));
    let body = scan.position();
    Ok(Part {
        name,
        start,
        body,
        length,
        // To an even offset.
        end: body + length + (length & 1),
    })
}

/// A chunk, with its name, its length and its padding.
pub(crate) fn chunk(name: &[u8; 4], body: &[u8]) -> Vec<u8> {
    let mut chunk = [name, (body.len() as u32).to_le_bytes().as_slice(), body].concat();
    chunk.resize(chunk.len().next_multiple_of(2), 0);
    chunk
}
