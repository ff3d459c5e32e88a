//! Metadata items in an AVIF file (ISO/IEC 14496-12, 8.11; ISO/IEC 23008-12, annex A).
//!
//! The container's writer lays out its boxes in one known way; what is added here fits that and
//! nothing else: item locations of version 0 with 4-byte offsets from the start of the file.

use crate::credits::Blocks;

/// The picture's own item, which the others describe.
const PICTURE: u16 = 1;

/// The first item number that the container's writer never uses.
const FIRST_FREE: u16 = 16;

/// A box: its name, and its body behind length and name.
type Part<'a> = (&'a [u8], &'a [u8]);

/// An item to add: its type, for XMP its media type, and its bytes.
struct Item {
    id: u16,
    kind: &'static [u8; 4],
    media: &'static [u8],
    bytes: Vec<u8>,
}

/// The file with the blocks as items; `None` where its boxes are not as expected.
pub(super) fn inscribe(file: &[u8], blocks: &Blocks) -> Option<Vec<u8>> {
    let mut items = Vec::new();
    if let Some(exif) = &blocks.exif {
        items.push(Item {
            id: FIRST_FREE,
            kind: b"Exif",
            media: b"",
            // Before the block stands how far its header is away: not at all.
            bytes: [&[0; 4], exif.as_slice()].concat(),
        });
    }
    if let Some(xmp) = &blocks.xmp {
        items.push(Item {
            id: FIRST_FREE + 1,
            kind: b"mime",
            media: b"application/rdf+xml\0",
            bytes: xmp.clone().into_bytes(),
        });
    }
    if items.is_empty() {
        return Some(file.to_vec());
    }
    let outer = parts(file)?;
    let meta = outer.iter().find(|(name, _)| *name == b"meta")?.1;
    // The length of the new boxes does not depend on the offsets in them.
    let grown = described(meta, &items, 0, 0)?.len() - meta.len();
    let first = file.len() + grown + 8;
    let meta = described(meta, &items, grown, first)?;
    let mut inscribed = Vec::with_capacity(first);
    for (name, body) in outer {
        inscribed.extend(boxed(name, if name == b"meta" { &meta } else { body })?);
    }
    let bytes: Vec<u8> = items.into_iter().flat_map(|item| item.bytes).collect();
    inscribed.extend(boxed(b"mdat", &bytes)?);
    Some(inscribed)
}

/// The body of the `meta` box with the items in it; earlier items move by `moved` bytes, the new
/// ones stand from offset `first` on.
fn described(meta: &[u8], items: &[Item], moved: usize, first: usize) -> Option<Vec<u8>> {
    let (version, children) = meta.split_at_checked(4)?;
    let mut body = version.to_vec();
    let mut referred = false;
    for (name, child) in parts(children)? {
        let child = match name {
            b"iloc" => located(child, items, moved, first)?,
            b"iinf" => listed(child, items)?,
            b"iref" => {
                referred = true;
                [child, &references(items)?].concat()
            }
            _ => child.to_vec(),
        };
        body.extend(boxed(name, &child)?);
    }
    if !referred {
        let child = [&[0; 4], references(items)?.as_slice()].concat();
        body.extend(boxed(b"iref", &child)?);
    }
    Some(body)
}

fn located(child: &[u8], items: &[Item], moved: usize, first: usize) -> Option<Vec<u8>> {
    let (head, mut rest) = child.split_at_checked(8)?;
    // Version 0, offsets and lengths of 4 bytes, no base offset.
    let [0, 0, 0, 0, 0x44, 0, high, low] = *head else {
        return None;
    };
    let count = u16::from_be_bytes([high, low]);
    let mut body = [0, 0, 0, 0, 0x44, 0].to_vec();
    body.extend((count + items.len() as u16).to_be_bytes());
    for _ in 0..count {
        let (entry, behind) = rest.split_at_checked(14)?;
        let [_, _, _, _, 0, 1, offset @ ..] = entry else {
            return None;
        };
        let (offset, length) = offset.split_first_chunk::<4>()?;
        let offset = u32::from_be_bytes(*offset).checked_add(moved as u32)?;
        body.extend(&entry[..6]);
        body.extend(offset.to_be_bytes());
        body.extend(length);
        rest = behind;
    }
    let mut offset = first;
    for item in items {
        body.extend(item.id.to_be_bytes());
        body.extend([0, 0, 0, 1]);
        body.extend(u32::try_from(offset).ok()?.to_be_bytes());
        body.extend((item.bytes.len() as u32).to_be_bytes());
        offset += item.bytes.len();
    }
    Some(body)
}

fn listed(child: &[u8], items: &[Item]) -> Option<Vec<u8>> {
    let (head, entries) = child.split_at_checked(6)?;
    let [0, 0, 0, 0, high, low] = *head else {
        return None;
    };
    let count = u16::from_be_bytes([high, low]) + items.len() as u16;
    let mut body = [&[0; 4], count.to_be_bytes().as_slice(), entries].concat();
    for item in items {
        let id = item.id.to_be_bytes();
        let entry = [
            // Version 2, and the flag of an item that is not to be shown.
            &[2, 0, 0, 1],
            id.as_slice(),
            &[0, 0],
            item.kind,
            &[0],
            item.media,
        ];
        body.extend(boxed(b"infe", &entry.concat())?);
    }
    Some(body)
}

/// Each item describes the picture.
fn references(items: &[Item]) -> Option<Vec<u8>> {
    let mut all = Vec::new();
    for item in items {
        let ends = [item.id, 1, PICTURE].map(u16::to_be_bytes);
        all.extend(boxed(b"cdsc", ends.as_flattened())?);
    }
    Some(all)
}

fn boxed(name: &[u8], body: &[u8]) -> Option<Vec<u8>> {
    let length = u32::try_from(body.len() + 8).ok()?;
    Some([&length.to_be_bytes(), name, body].concat())
}

/// The boxes that fill some bytes.
fn parts(mut bytes: &[u8]) -> Option<Vec<Part<'_>>> {
    let mut parts = Vec::new();
    while let Some((length, behind)) = bytes.split_first_chunk::<4>() {
        let body = (u32::from_be_bytes(*length) as usize).checked_sub(8)?;
        let (name, behind) = behind.split_at_checked(4)?;
        let (body, rest) = behind.split_at_checked(body)?;
        parts.push((name, body));
        bytes = rest;
    }
    Some(parts)
}
