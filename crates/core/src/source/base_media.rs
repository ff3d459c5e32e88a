//! The item properties of an AVIF file (ISO/IEC 14496-12 and 23008-12).

use std::io::{Read, Seek};

use super::scan::Scan;
use super::{Headers, Kind, Model, Trouble, size};

pub(super) fn read<R: Read + Seek>(scan: &mut Scan<R>) -> Result<Headers, Trouble> {
    let mut headers = Headers::new(Kind::Avif, None);
    let end = scan.position() + scan.left();
    boxes(scan, end, &mut headers)?;
    match headers.stored {
        Some(_) => Ok(headers),
        None => Err(Trouble::Rule("it has no item with a size")),
    }
}

/// Walks boxes up to an offset, and into those that hold what matters here.
fn boxes<R: Read + Seek>(
    scan: &mut Scan<R>,
    end: u64,
    headers: &mut Headers,
) -> Result<(), Trouble> {
    while scan.position() + 8 <= end {
        let start = scan.position();
        let (length, name) = (u64::from(scan.u32_big()?), scan.bytes::<4>()?);
        let length = match length {
            0 => end - start,
            1 => u64::from_be_bytes(scan.bytes()?),
            _ => length,
        };
        let next = start.saturating_add(length);
        if next > end || next < scan.position() {
            return Err(Trouble::Rule("a box reaches beyond its parent"));
        }
        match &name {
            b"meta" => {
                scan.skip(4)?;
                boxes(scan, next, headers)?;
            }
            b"iprp" | b"ipco" => boxes(scan, next, headers)?,
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
                    let profile = scan.vector(next - scan.position())?;
                    headers.add_icc(profile);
                }
            }
            b"auxC" => {
                let about = scan.vector(next - scan.position())?;
                headers.alpha |= about.windows(5).any(|part| part == b"alpha");
            }
            _ => {}
        }
        scan.go_to(next)?;
    }
    Ok(())
}
