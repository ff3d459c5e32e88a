//! The item properties of an AVIF file (ISO/IEC 14496-12 and 23008-12).

use std::io::{Read, Seek};

use super::{Headers, Kind, Model, Stop, size};
use crate::container::{Scan, iso};

pub(super) fn read<R: Read + Seek>(scan: &mut Scan<R>) -> Result<Headers, Stop> {
    let mut headers = Headers::new(Kind::Avif, None);
    let end = scan.end();
    boxes(scan, end, &mut headers)?;
    match headers.stored {
        Some(_) => Ok(headers),
        None => Err(Stop::rule("it has no item with a size")),
    }
}

/// Walks boxes up to an offset, and into those that hold what matters here.
fn boxes<R: Read + Seek>(scan: &mut Scan<R>, end: u64, headers: &mut Headers) -> Result<(), Stop> {
    while let Some(part) = iso::next(scan, end)? {
        match &part.name {
            b"meta" => {
                scan.skip(4)?;
                scan.inside(|scan| boxes(scan, part.end, headers))?;
            }
            b"iprp" | b"ipco" => scan.inside(|scan| boxes(scan, part.end, headers))?,
            b"ispe" => {
                scan.skip(4)?;
                let found = size(scan.u32_big()?, scan.u32_big()?)?;
                let larger = headers
                    .stored
                    .is_none_or(|known| found.pixels() > known.pixels());
                if larger {
                    headers.stored = Some(found);
                }
            }
            b"pixi" => {
                scan.skip(4)?;
                let [channels, bits] = scan.bytes()?;
                headers.bits = headers.bits.max(bits);
                if channels == 1 && headers.stored.is_none() {
                    headers.model = Model::Grey;
                }
            }
            b"colr" => {
                if matches!(&scan.bytes::<4>()?, b"prof" | b"rICC") {
                    let length = part.end.saturating_sub(scan.position());
                    headers.add_icc(length, scan.block(length)?);
                }
            }
            b"auxC" => {
                let about = scan.block(part.length)?.unwrap_or_default();
                headers.alpha |= about.windows(5).any(|part| part == b"alpha");
            }
            _ => {}
        }
        scan.go_to(part.end)?;
    }
    Ok(())
}
