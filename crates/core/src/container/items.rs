//! Pictures as items of an ISO base media file (ISO/IEC 14496-12, 8.11; ISO/IEC 23008-12, 6): which one
//! is meant, what is said of each, and where its bytes lie.

use super::{Fault, Scan, iso};

/// What is said of an item.
#[derive(Clone, Debug, PartialEq)]
pub(crate) enum Property {
    /// Width and height in pixels.
    Size(u32, u32),
    /// Bits of its deepest channel, and how many channels there are.
    Depth { bits: u8, channels: u8 },
    /// An ICC profile.
    Icc(Vec<u8>),
    /// Primaries, transfer and matrix by their code points (ITU-T H.273), and whether all values of a
    /// sample are used.
    Cicp {
        primaries: u16,
        transfer: u16,
        matrix: u16,
        full: bool,
    },
    /// Quarter turns to the left.
    Turned(u8),
    /// Mirrored: upside down, or left and right swapped.
    Mirrored { upside_down: bool },
    /// A part of it is meant.
    Cropped,
    /// What it is to another item, as a name.
    Auxiliary(Vec<u8>),
    /// Anything else.
    Other,
}

/// An item.
#[derive(Clone, Debug, Default, PartialEq)]
pub(crate) struct Item {
    pub id: u32,
    /// Four characters.
    pub kind: [u8; 4],
    pub properties: Vec<Property>,
    /// Whether its bytes lie within the box of the items, instead of anywhere in the file.
    inside: bool,
    /// Offset and length of each part.
    extents: Vec<(u64, u64)>,
}

/// That an item stands in a relation to others.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Reference {
    /// Four characters.
    pub kind: [u8; 4],
    pub from: u32,
    pub to: Vec<u32>,
}

/// The items of a file.
#[derive(Clone, Debug, Default, PartialEq)]
pub(crate) struct Items {
    /// The one that is shown.
    primary: u32,
    items: Vec<Item>,
    pub references: Vec<Reference>,
    /// Bytes within the box of the items.
    data: Vec<u8>,
}

/// Sound files have some dozen items; a grid of tiles has a few hundred.
const MOST: usize = 10_000;

type Read = Scan<std::io::Cursor<Vec<u8>>>;

impl Item {
    /// Its bytes, where they lie in one part of the file.
    pub fn read<R: std::io::Read + std::io::Seek>(
        &self,
        scan: &mut Scan<R>,
    ) -> Result<Option<Vec<u8>>, Fault> {
        match self.extents[..] {
            [(offset, length)] if !self.inside => {
                scan.go_to(offset)?;
                scan.block(length)
            }
            _ => Ok(None),
        }
    }
}

impl Items {
    /// Reads what a `meta` box holds.
    pub fn read(meta: Vec<u8>) -> Result<Items, Fault> {
        let mut items = Items::default();
        let (mut properties, mut belongings) = (Vec::new(), Vec::new());
        let mut scan = Scan::new(std::io::Cursor::new(meta))?;
        scan.skip(4)?;
        items.walk(&mut scan, None, &mut properties, &mut belongings)?;
        for (id, index) in belongings {
            let property: Option<&Property> =
                usize::checked_sub(index, 1).and_then(|i| properties.get(i));
            if let Some(property) = property {
                items.entry(id)?.properties.push(property.clone());
            }
        }
        Ok(items)
    }

    /// The item that is shown.
    pub fn primary(&self) -> Option<&Item> {
        self.get(self.primary)
    }

    pub fn get(&self, id: u32) -> Option<&Item> {
        self.items.iter().find(|item| item.id == id)
    }

    /// The items that one refers to in a way, in order.
    pub fn referred(&self, kind: &[u8; 4], from: u32) -> impl Iterator<Item = u32> {
        let references = self.references.iter();
        let own = references.filter(move |one| one.kind == *kind && one.from == from);
        own.flat_map(|one| one.to.iter().copied())
    }

    /// The item that holds another's alpha.
    pub fn alpha_of(&self, item: u32) -> Option<&Item> {
        let about = self
            .references
            .iter()
            .filter(|one| one.kind == *b"auxl" && one.to.contains(&item));
        let mut about = about.filter_map(|one| self.get(one.from));
        about.find(|item| {
            item.properties.iter().any(|property| {
                matches!(property, Property::Auxiliary(name) if name.ends_with(b":alpha") || name.ends_with(b"auxid:1"))
            })
        })
    }

    /// Items of a kind that describe another.
    pub fn describing(&self, item: u32, kind: [u8; 4]) -> impl Iterator<Item = &Item> {
        let about = self.references.iter();
        let about = about.filter(move |one| one.kind == *b"cdsc" && one.to.contains(&item));
        let about = about.filter_map(|one| self.get(one.from));
        about.filter(move |item| item.kind == kind)
    }

    /// An item's bytes, of a file in memory.
    pub fn bytes(&self, item: &Item, file: &[u8]) -> Option<Vec<u8>> {
        let source = if item.inside { &self.data } else { file };
        let mut bytes = Vec::new();
        for &(offset, length) in &item.extents {
            let rest = source.get(usize::try_from(offset).ok()?..)?;
            let length = match length {
                0 => rest.len(),
                _ => usize::try_from(length).ok()?,
            };
            // Parts may overlap: together they are no longer than what they are parts of.
            if bytes.len() + length > source.len() {
                return None;
            }
            bytes.extend_from_slice(rest.get(..length)?);
        }
        Some(bytes)
    }

    fn entry(&mut self, id: u32) -> Result<&mut Item, Fault> {
        if let Some(index) = self.items.iter().position(|item| item.id == id) {
            return Ok(&mut self.items[index]);
        }
        if self.items.len() == MOST {
            return Err(Fault::Rule("it has more items than any sound file"));
        }
        self.items.push(Item {
            id,
            ..Item::default()
        });
        let last = self.items.len() - 1;
        Ok(&mut self.items[last])
    }

    fn walk(
        &mut self,
        scan: &mut Read,
        end: Option<u64>,
        properties: &mut Vec<Property>,
        belongings: &mut Vec<(u32, usize)>,
    ) -> Result<(), Fault> {
        let end = end.unwrap_or(scan.end());
        while let Some(part) = iso::next(scan, end)? {
            match &part.name {
                b"iprp" => {
                    scan.inside(|scan| self.walk(scan, Some(part.end), properties, belongings))?;
                }
                b"ipco" => {
                    while let Some(one) = iso::next(scan, part.end)? {
                        properties.push(property(scan, &one.name, one.end)?);
                        scan.go_to(one.end)?;
                    }
                }
                b"ipma" => associations(scan, belongings)?,
                b"pitm" => {
                    let [version, ..] = scan.bytes::<4>()?;
                    self.primary = scan.big(if version == 0 { 2 } else { 4 })? as u32;
                }
                b"iinf" => self.kinds(scan, part.end)?,
                b"iloc" => self.locations(scan)?,
                b"iref" => self.relations(scan, part.end)?,
                b"idat" => self.data = scan.block(part.length)?.unwrap_or_default(),
                _ => {}
            }
            scan.go_to(part.end)?;
        }
        Ok(())
    }

    fn kinds(&mut self, scan: &mut Read, end: u64) -> Result<(), Fault> {
        let [version, ..] = scan.bytes::<4>()?;
        scan.big(if version == 0 { 2 } else { 4 })?;
        while let Some(part) = iso::next(scan, end)? {
            if part.name == *b"infe" {
                let [version, ..] = scan.bytes::<4>()?;
                if version >= 2 {
                    let id = scan.big(if version == 2 { 2 } else { 4 })? as u32;
                    scan.skip(2)?;
                    self.entry(id)?.kind = scan.bytes()?;
                }
            }
            scan.go_to(part.end)?;
        }
        Ok(())
    }

    fn locations(&mut self, scan: &mut Read) -> Result<(), Fault> {
        let [version, _, _, _, sizes, more] = scan.bytes::<6>()?;
        let wide = if version < 2 { 2 } else { 4 };
        let [offset, length, base] = [sizes >> 4, sizes & 15, more >> 4].map(usize::from);
        let index = if version == 0 {
            0
        } else {
            usize::from(more & 15)
        };
        for _ in 0..scan.big(wide)? {
            scan.part()?;
            let id = scan.big(wide)? as u32;
            let method = match version {
                0 => 0,
                _ => scan.u16_big()? & 15,
            };
            scan.skip(2)?;
            let from = scan.big(base)?;
            let mut extents = Vec::new();
            for _ in 0..scan.u16_big()? {
                scan.part()?;
                scan.skip(index as u64)?;
                let at = from.saturating_add(scan.big(offset)?);
                extents.push((at, scan.big(length)?));
            }
            let item = self.entry(id)?;
            (item.inside, item.extents) = (method == 1, extents);
        }
        Ok(())
    }

    fn relations(&mut self, scan: &mut Read, end: u64) -> Result<(), Fault> {
        let [version, ..] = scan.bytes::<4>()?;
        let wide = if version == 0 { 2 } else { 4 };
        while let Some(part) = iso::next(scan, end)? {
            let from = scan.big(wide)? as u32;
            let mut to = Vec::new();
            for _ in 0..scan.u16_big()? {
                to.push(scan.big(wide)? as u32);
            }
            let kind = part.name;
            self.references.push(Reference { kind, from, to });
            scan.go_to(part.end)?;
        }
        Ok(())
    }
}

/// Which properties each item has, by their places from 1.
fn associations(scan: &mut Read, belongings: &mut Vec<(u32, usize)>) -> Result<(), Fault> {
    let [version, _, _, flags] = scan.bytes::<4>()?;
    for _ in 0..scan.u32_big()? {
        let id = scan.big(if version == 0 { 2 } else { 4 })? as u32;
        for _ in 0..scan.byte()? {
            scan.part()?;
            // The highest bit tells whether a reader has to know it.
            let index = match flags & 1 {
                0 => u16::from(scan.byte()? & 0x7F),
                _ => scan.u16_big()? & 0x7FFF,
            };
            belongings.push((id, index.into()));
        }
    }
    Ok(())
}

fn property(scan: &mut Read, name: &[u8; 4], end: u64) -> Result<Property, Fault> {
    let rest = |scan: &mut Read| {
        let length = end.saturating_sub(scan.position());
        Ok::<_, Fault>(scan.block(length)?.unwrap_or_default())
    };
    Ok(match name {
        b"ispe" => {
            scan.skip(4)?;
            Property::Size(scan.u32_big()?, scan.u32_big()?)
        }
        b"pixi" => {
            scan.skip(4)?;
            let channels = scan.byte()?;
            let bits = rest(scan)?.into_iter().max().unwrap_or(0);
            Property::Depth { bits, channels }
        }
        b"colr" => match &scan.bytes::<4>()? {
            b"prof" | b"rICC" => Property::Icc(rest(scan)?),
            b"nclx" => Property::Cicp {
                primaries: scan.u16_big()?,
                transfer: scan.u16_big()?,
                matrix: scan.u16_big()?,
                full: scan.byte()? >> 7 == 1,
            },
            _ => Property::Other,
        },
        b"irot" => Property::Turned(scan.byte()? & 3),
        b"imir" => Property::Mirrored {
            upside_down: scan.byte()? & 1 == 0,
        },
        b"clap" => Property::Cropped,
        b"auxC" => {
            scan.skip(4)?;
            let name = rest(scan)?;
            let end = name.iter().position(|&byte| byte == 0);
            Property::Auxiliary(name[..end.unwrap_or(name.len())].to_vec())
        }
        _ => Property::Other,
    })
}
