//! The RIFF chunks of a WebP file (RFC 9649).

use std::io::{Read, Seek};

use super::{Headers, Kind, Stop, exif, metadata, size};
use crate::container::{Scan, riff};

const FLAG_ALPHA: u8 = 0x10;

pub(super) fn read<R: Read + Seek>(scan: &mut Scan<R>) -> Result<Headers, Stop> {
    scan.skip(riff::HEAD)?;
    let mut headers = Headers::new(Kind::WebP, None);
    let first = riff::next(scan)?;
    match &first.name {
        b"VP8 " => {
            let [_, _, _, a, b, c] = scan.bytes()?;
            if [a, b, c] != [0x9D, 0x01, 0x2A] {
                return Err(Stop::rule("the key frame has no start code"));
            }
            let (width, height) = (scan.u16_little()?, scan.u16_little()?);
            headers.stored = Some(size((width & 0x3FFF).into(), (height & 0x3FFF).into())?);
        }
        b"VP8L" => {
            if scan.byte()? != 0x2F {
                return Err(Stop::rule("the lossless header has no signature"));
            }
            let bits = scan.u32_little()?;
            headers.stored = Some(size((bits & 0x3FFF) + 1, (bits >> 14 & 0x3FFF) + 1)?);
            headers.alpha = bits >> 28 & 1 == 1;
            headers.lossless = true;
        }
        b"VP8X" => {
            let [flags, _, _, _] = scan.bytes()?;
            let (width, height) = (scan.u24_little()? + 1, scan.u24_little()? + 1);
            headers.stored = Some(size(width, height)?);
            headers.alpha = flags & FLAG_ALPHA != 0;
            scan.go_to(first.end)?;
            extended(scan, &mut headers)?;
        }
        _ => return Err(Stop::rule("the first chunk holds no picture")),
    }
    Ok(headers)
}

/// The chunks behind an extended header.
fn extended<R: Read + Seek>(scan: &mut Scan<R>, headers: &mut Headers) -> Result<(), Stop> {
    let mut frames = 0;
    while scan.left() >= 8 {
        let chunk = riff::next(scan)?;
        let length = chunk.length;
        match &chunk.name {
            b"ANMF" => frames += 1,
            b"VP8L" => headers.lossless = true,
            b"EXIF" => match scan.block(length)? {
                Some(block) => exif::read(&block, headers),
                None => headers.ballast.exif += length,
            },
            b"XMP " => match scan.block(length)? {
                Some(packet) => metadata::xmp(&packet, headers),
                None => headers.ballast.xmp += length,
            },
            b"ICCP" => headers.add_icc(length, scan.block(length)?),
            _ => {}
        }
        if chunk.end > scan.end() {
            break; // What is cut off is said by the decoder, which knows whether it matters.
        }
        scan.go_to(chunk.end)?;
    }
    headers.frames = frames.max(1);
    Ok(())
}
