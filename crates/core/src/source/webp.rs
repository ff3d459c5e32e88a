//! The RIFF chunks of a WebP file (RFC 9649).

use std::io::{Read, Seek};

use super::scan::Scan;
use super::{Headers, Kind, Trouble, exif, metadata, size};

const FLAG_ALPHA: u8 = 0x10;

pub(super) fn read<R: Read + Seek>(scan: &mut Scan<R>) -> Result<Headers, Trouble> {
    scan.skip(12)?;
    let mut headers = Headers::new(Kind::WebP, None);
    let (name, length) = (scan.bytes::<4>()?, u64::from(scan.u32_little()?));
    let body = scan.position();
    match &name {
        b"VP8 " => {
            let [_, _, _, a, b, c] = scan.bytes()?;
            if [a, b, c] != [0x9D, 0x01, 0x2A] {
                return Err(Trouble::Rule("the key frame has no start code"));
            }
            let (width, height) = (scan.u16_little()?, scan.u16_little()?);
            headers.stored = Some(size((width & 0x3FFF).into(), (height & 0x3FFF).into())?);
        }
        b"VP8L" => {
            if scan.byte()? != 0x2F {
                return Err(Trouble::Rule("the lossless header has no signature"));
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
            scan.go_to(body + length + (length & 1))?;
            extended(scan, &mut headers)?;
        }
        _ => return Err(Trouble::Rule("the first chunk holds no picture")),
    }
    Ok(headers)
}

/// The chunks behind an extended header.
fn extended<R: Read + Seek>(scan: &mut Scan<R>, headers: &mut Headers) -> Result<(), Trouble> {
    let mut frames = 0;
    while scan.left() >= 8 {
        let (name, length) = (scan.bytes::<4>()?, u64::from(scan.u32_little()?));
        let next = scan.position() + length + (length & 1);
        match &name {
            b"ANMF" => frames += 1,
            b"VP8L" => headers.lossless = true,
            b"EXIF" => exif::read(&scan.vector(length)?, headers),
            b"XMP " => metadata::xmp(&scan.vector(length)?, headers),
            b"ICCP" => headers.add_icc(scan.vector(length)?),
            _ => {}
        }
        if next > scan.position() + scan.left() {
            break; // What is cut off is said by the decoder, which knows whether it matters.
        }
        scan.go_to(next)?;
    }
    headers.frames = frames.max(1);
    Ok(())
}
