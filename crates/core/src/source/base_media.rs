//! AVIF (ISO/IEC 14496-12 and 23000-22): what is said of the item that is shown, and how many frames a
//! sequence has.

use std::io::{Read, Seek};

use super::{Headers, Kind, Model, Stop, exif, metadata, size};
use crate::container::items::{Items, Property};
use crate::container::{Scan, iso};
use crate::pixels::Orientation;

pub(super) fn read<R: Read + Seek>(scan: &mut Scan<R>) -> Result<Headers, Stop> {
    let mut headers = Headers::new(Kind::Avif, None);
    let end = scan.end();
    let mut items = None;
    boxes(scan, end, &mut headers, &mut items)?;
    let items: Items = items.ok_or(Stop::rule("it holds no still picture"))?;
    of_primary(&items, &mut headers)?;
    described(scan, &items, &mut headers);
    match headers.stored {
        Some(_) => Ok(headers),
        None => Err(Stop::rule("it has no item with a size")),
    }
}

/// Walks boxes up to an offset, and into those that hold what matters here.
fn boxes<R: Read + Seek>(
    scan: &mut Scan<R>,
    end: u64,
    headers: &mut Headers,
    items: &mut Option<Items>,
) -> Result<(), Stop> {
    while let Some(part) = iso::next(scan, end)? {
        match &part.name {
            b"meta" if items.is_none() => {
                if let Some(meta) = scan.block(part.length)? {
                    *items = Some(Items::read(meta)?);
                }
            }
            b"moov" | b"trak" | b"mdia" | b"minf" | b"stbl" => {
                scan.inside(|scan| boxes(scan, part.end, headers, items))?;
            }
            b"stsz" => {
                scan.skip(8)?;
                headers.frames = headers.frames.max(scan.u32_big()?);
            }
            _ => {}
        }
        scan.go_to(part.end)?;
    }
    Ok(())
}

fn of_primary(items: &Items, headers: &mut Headers) -> Result<(), Stop> {
    let primary = items.primary();
    let primary = primary.ok_or(Stop::rule("it does not say which of its items is shown"))?;
    headers.alpha = items.alpha_of(primary.id).is_some();
    for property in &primary.properties {
        match property {
            Property::Size(width, height) => headers.stored = Some(size(*width, *height)?),
            Property::Depth { bits, channels } => {
                headers.bits = *bits;
                if *channels == 1 {
                    headers.model = Model::Grey;
                }
            }
            Property::Icc(profile) => headers.add_icc(profile.len() as u64, Some(profile.clone())),
            Property::Turned(quarters) => {
                let turned = [1, 8, 3, 6][usize::from(*quarters)];
                headers.orientation = headers.orientation.then(Orientation::from_exif(turned));
            }
            Property::Mirrored { upside_down } => {
                let mirrored = if *upside_down { 4 } else { 2 };
                headers.orientation = headers.orientation.then(Orientation::from_exif(mirrored));
            }
            _ => {}
        }
    }
    Ok(())
}

/// What EXIF and XMP say of the item that is shown; what cannot be read of them is passed over.
fn described<R: Read + Seek>(scan: &mut Scan<R>, items: &Items, headers: &mut Headers) {
    let Some(primary) = items.primary() else {
        return;
    };
    let orientation = headers.orientation;
    for item in items.describing(primary.id, *b"Exif") {
        if let Ok(Some(bytes)) = item.read(scan) {
            // The first four bytes tell how many more stand before the block.
            let before = bytes
                .first_chunk()
                .map_or(0, |&before| u32::from_be_bytes(before));
            let block = usize::try_from(before)
                .ok()
                .and_then(|before| bytes.get(before.checked_add(4)?..));
            exif::read(block.unwrap_or_default(), headers);
        }
    }
    // How it stands, only its properties tell.
    headers.orientation = orientation;
    for item in items.describing(primary.id, *b"mime") {
        if let Ok(Some(packet)) = item.read(scan) {
            metadata::xmp(&packet, headers);
        }
    }
}
