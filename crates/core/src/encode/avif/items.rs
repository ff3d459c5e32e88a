//! Metadata items in an AVIF file (ISO/IEC 14496-12, 8.11; ISO/IEC 23008-12, annex A), in whatever
//! layout its writer chose.

use crate::container::{Part, Scan, iso};
use crate::credits::Blocks;

/// New items have numbers from here on: lower ones are left to those of the picture.
const FIRST: u32 = 16;

/// An item to add: its type, for XMP its media type, and its bytes.
struct Item {
    kind: &'static [u8; 4],
    media: &'static [u8],
    bytes: Vec<u8>,
}

/// The items to add, the number of the first of them, and that of the picture that they describe.
struct Added {
    items: Vec<Item>,
    first: u32,
    picture: u32,
}

/// Where the file grows: what stands behind its `meta` box moves, and the new items' bytes follow
/// at its end.
#[derive(Clone, Copy)]
struct Growth {
    /// What stands from here on moves.
    behind: u64,
    /// By so many bytes.
    moved: u64,
    /// Where the bytes of the new items begin.
    end: u64,
}

/// The file with the blocks as items; `None` where its boxes are none that can be added to.
pub fn inscribe(file: &[u8], blocks: &Blocks) -> Option<Vec<u8>> {
    let items = items(blocks);
    if items.is_empty() {
        return Some(file.to_vec());
    }
    let outer = iso::parts(file)?;
    let meta = outer.iter().find(|part| part.name == *b"meta")?;
    let body = meta.of(file)?;
    let children = iso::parts(body.get(4..)?)?;
    let children: Vec<_> = children
        .iter()
        .map(|part| Some((part.name, part.of(&body[4..])?)))
        .collect::<Option<_>>()?;
    let child = |name: &[u8; 4]| children.iter().find(|(known, _)| known == name);
    let added = Added {
        items,
        first: (highest(child(b"iinf")?.1)? + 1).max(FIRST),
        picture: picture(child(b"pitm")?.1)?,
    };
    let described = |growth: Growth| described(&body[..4], &children, &added, growth);
    // The length of the new boxes does not depend on the offsets in them.
    let unmoved = Growth {
        behind: meta.end,
        moved: 0,
        end: 0,
    };
    let grown = described(unmoved)?.len() as u64 + 8 - (meta.end - meta.start);
    let growth = Growth {
        moved: grown,
        end: file.len() as u64 + grown + 8,
        ..unmoved
    };
    let bytes: Vec<u8> = added
        .items
        .iter()
        .flat_map(|item| item.bytes.clone())
        .collect();
    let (start, end) = (meta.start as usize, meta.end as usize);
    Some(
        [
            &file[..start],
            &iso::boxed(b"meta", &described(growth)?)?,
            &file[end..],
            &iso::boxed(b"mdat", &bytes)?,
        ]
        .concat(),
    )
}

fn items(blocks: &Blocks) -> Vec<Item> {
    let exif = blocks.exif.as_ref().map(|exif| Item {
        kind: b"Exif",
        media: b"",
        // Before the block stands how far its header is away: not at all.
        bytes: [&[0; 4], exif.as_slice()].concat(),
    });
    let xmp = blocks.xmp.as_ref().map(|xmp| Item {
        kind: b"mime",
        media: b"application/rdf+xml\0",
        bytes: xmp.clone().into_bytes(),
    });
    exif.into_iter().chain(xmp).collect()
}

/// The body of the `meta` box with the items in it.
fn described(
    version: &[u8],
    children: &[([u8; 4], &[u8])],
    added: &Added,
    growth: Growth,
) -> Option<Vec<u8>> {
    let mut body = version.to_vec();
    let mut referred = false;
    for (name, child) in children {
        let child = match name {
            b"iloc" => located(child, added, growth)?,
            b"iinf" => listed(child, added)?,
            b"iref" => {
                referred = true;
                [child, references(*child.first()?, added)?.as_slice()].concat()
            }
            _ => child.to_vec(),
        };
        body.extend(iso::boxed(name, &child)?);
    }
    if !referred {
        let version = u8::from(added.first > 0xFFFF);
        let child = [&[version, 0, 0, 0], references(version, added)?.as_slice()].concat();
        body.extend(iso::boxed(b"iref", &child)?);
    }
    Some(body)
}

/// The number of the picture's own item.
fn picture(pitm: &[u8]) -> Option<u32> {
    let mut scan = Scan::of(pitm);
    let [version, ..] = scan.bytes::<4>().ok()?;
    let width = if version == 0 { 2 } else { 4 };
    Some(scan.big(width).ok()? as u32)
}

/// The highest number of an item.
fn highest(iinf: &[u8]) -> Option<u32> {
    let entries = iinf.get(if *iinf.first()? == 0 { 6 } else { 8 }..)?;
    let number = |part: &Part| {
        let mut scan = Scan::of(part.of(entries)?);
        let [version, ..] = scan.bytes::<4>().ok()?;
        Some(scan.big(if version < 3 { 2 } else { 4 }).ok()? as u32)
    };
    let numbers: Option<Vec<u32>> = iso::parts(entries)?.iter().map(number).collect();
    numbers?.into_iter().max()
}

/// A whole number in so many bytes, the highest first; `None` where it does not fit.
fn big(number: u64, width: usize) -> Option<Vec<u8>> {
    let bytes = number.to_be_bytes();
    let (zeros, rest) = bytes.split_at(8 - width.min(8));
    zeros.iter().all(|&byte| byte == 0).then(|| rest.to_vec())
}

/// How many bytes each field of an item location takes (8.11.3).
struct Widths {
    version: u8,
    offset: usize,
    length: usize,
    base: usize,
    index: usize,
}

impl Widths {
    fn number(&self) -> usize {
        if self.version < 2 { 2 } else { 4 }
    }
}

/// The item locations: those of earlier items moved, those of new ones added.
fn located(iloc: &[u8], added: &Added, growth: Growth) -> Option<Vec<u8>> {
    let mut scan = Scan::of(iloc);
    let [version, ..] = scan.bytes::<4>().ok()?;
    let [sizes, more] = scan.bytes().ok()?;
    let widths = Widths {
        version,
        offset: usize::from(sizes >> 4),
        length: usize::from(sizes & 15),
        base: usize::from(more >> 4),
        index: if version == 0 {
            0
        } else {
            usize::from(more & 15)
        },
    };
    let count = scan.big(widths.number()).ok()?;
    let mut body = iloc.get(..6)?.to_vec();
    body.extend(big(count + added.items.len() as u64, widths.number())?);
    for _ in 0..count {
        entry(&mut scan, &widths, growth, &mut body)?;
    }
    let mut offset = growth.end;
    for (number, item) in (added.first..).zip(&added.items) {
        body.extend(big(number.into(), widths.number())?);
        // In version 1 and 2: bytes of the file itself. Then the file itself, and no base offset.
        body.extend(vec![
            0;
            if widths.version == 0 { 2 } else { 4 } + widths.base
        ]);
        body.extend(big(1, 2)?);
        body.extend(vec![0; widths.index]);
        body.extend(big(offset, widths.offset)?);
        body.extend(big(item.bytes.len() as u64, widths.length)?);
        offset += item.bytes.len() as u64;
    }
    Some(body)
}

/// One item location, moved where what it points at moves.
fn entry(
    scan: &mut Scan<std::io::Cursor<&[u8]>>,
    widths: &Widths,
    growth: Growth,
    body: &mut Vec<u8>,
) -> Option<()> {
    body.extend(big(scan.big(widths.number()).ok()?, widths.number())?);
    let method = match widths.version {
        0 => 0,
        _ => scan.big(2).ok()?,
    };
    if widths.version > 0 {
        body.extend(big(method, 2)?);
    }
    let other_file = scan.big(2).ok()?;
    body.extend(big(other_file, 2)?);
    let base = scan.big(widths.base).ok()?;
    let count = scan.big(2).ok()?;
    let mut extents = Vec::new();
    for _ in 0..count {
        let [index, offset, length] =
            [widths.index, widths.offset, widths.length].map(|width| scan.big(width).ok());
        extents.push((index?, offset?, length?));
    }
    // Only what is in this file, and not within the boxes themselves, moves.
    let in_file = method & 15 == 0 && other_file == 0;
    let moves = |offset: u64| in_file && base.saturating_add(offset) >= growth.behind;
    let all = extents.iter().all(|(_, offset, _)| moves(*offset));
    let by_base = widths.base > 0 && all;
    let moved = |moves: bool| if moves { growth.moved } else { 0 };
    body.extend(big(base.checked_add(moved(by_base))?, widths.base)?);
    body.extend(big(count, 2)?);
    for (index, offset, length) in extents {
        let moved = moved(!by_base && moves(offset));
        body.extend(big(index, widths.index)?);
        body.extend(big(offset.checked_add(moved)?, widths.offset)?);
        body.extend(big(length, widths.length)?);
    }
    Some(())
}

/// The list of items, with the new ones.
fn listed(iinf: &[u8], added: &Added) -> Option<Vec<u8>> {
    let mut scan = Scan::of(iinf);
    let version = scan.bytes::<4>().ok()?;
    let width = if version[0] == 0 { 2 } else { 4 };
    let count = scan.big(width).ok()? + added.items.len() as u64;
    let entries = iinf.get(4 + width..)?;
    let mut body = [&version, big(count, width)?.as_slice(), entries].concat();
    for (number, item) in (added.first..).zip(&added.items) {
        let (version, width) = if number > 0xFFFF { (3, 4) } else { (2, 2) };
        let number = big(number.into(), width)?;
        let entry = [
            // The flag of an item that is not to be shown.
            &[version, 0, 0, 1],
            number.as_slice(),
            &[0, 0],
            item.kind,
            &[0],
            item.media,
        ];
        body.extend(iso::boxed(b"infe", &entry.concat())?);
    }
    Some(body)
}

/// Each item describes the picture.
fn references(version: u8, added: &Added) -> Option<Vec<u8>> {
    let width = if version == 0 { 2 } else { 4 };
    let mut all = Vec::new();
    for (number, _) in (added.first..).zip(&added.items) {
        let [from, one, to] = [
            (u64::from(number), width),
            (1, 2),
            (added.picture.into(), width),
        ]
        .map(|(number, width)| big(number, width));
        all.extend(iso::boxed(b"cdsc", &[from?, one?, to?].concat())?);
    }
    Some(all)
}
