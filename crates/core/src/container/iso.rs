//! Boxes of the ISO base media file format (ISO/IEC 14496-12, section 4.2).

use std::io::{Read, Seek};

use super::{Fault, Part, Scan};

/// The next box before an offset; the walk stands at what it holds.
pub(crate) fn next<R: Read + Seek>(scan: &mut Scan<R>, end: u64) -> Result<Option<Part>, Fault> {
    let start = scan.position();
    if start.saturating_add(8) > end {
        return Ok(None);
    }
    scan.part()?;
    let (length, name) = (u64::from(scan.u32_big()?), scan.bytes::<4>()?);
    let length = match length {
        0 => end - start,
        1 => u64::from_be_bytes(scan.bytes()?),
        _ => length,
    };
    if name == *b"uuid" {
        scan.skip(16)?;
    }
    let (body, next) = (scan.position(), start.saturating_add(length));
    if next > end || next < body {
        return Err(Fault::Rule("a box reaches beyond its parent"));
    }
    Ok(Some(Part {
        name,
        start,
        body,
        length: next - body,
        end: next,
    }))
}

/// All boxes that bytes are filled with, none of them entered.
pub(crate) fn parts(bytes: &[u8]) -> Option<Vec<Part>> {
    let mut scan = Scan::of(bytes);
    let mut parts = Vec::new();
    while let Some(part) = next(&mut scan, bytes.len() as u64).ok()? {
        scan.go_to(part.end).ok()?;
        parts.push(part);
    }
    (scan.left() == 0).then_some(parts)
}

/// A box, with its length and its name.
pub(crate) fn boxed(name: &[u8; 4], body: &[u8]) -> Option<Vec<u8>> {
    let length = u32::try_from(body.len() + 8).ok()?;
    Some([&length.to_be_bytes(), name.as_slice(), body].concat())
}
