//! The PNG chunks before the pixels (W3C PNG, third edition, section 5).

use std::io::{Read, Seek};

use super::scan::Scan;
use super::{Delivery, Headers, Kind, Model, Trouble, exif, metadata, size};

/// The keyword under which XMP stands in an international text chunk.
const XMP: &[u8] = b"XML:com.adobe.xmp\0";

/// A profile is at most this long once inflated.
const LONGEST_PROFILE: u64 = 16 << 20;

pub(super) fn read<R: Read + Seek>(scan: &mut Scan<R>) -> Result<Headers, Trouble> {
    scan.skip(8)?;
    let (length, name) = (scan.u32_big()?, scan.bytes()?);
    if name != *b"IHDR" || length != 13 {
        return Err(Trouble::Rule("the header chunk does not come first"));
    }
    let (width, height) = (scan.u32_big()?, scan.u32_big()?);
    let [depth, colour, _, _, interlace] = scan.bytes()?;
    scan.skip(4)?;
    let mut headers = Headers::new(Kind::Png, Some(size(width, height)?));
    headers.alpha = matches!(colour, 4 | 6);
    headers.bits = depth;
    headers.lossless = true;
    headers.interlaced = interlace != 0;
    headers.delivery = match interlace {
        0 => Delivery::Rows,
        _ => Delivery::Whole,
    };
    headers.model = match colour {
        0 | 4 => Model::Grey,
        3 => Model::Palette,
        _ => Model::Colour,
    };
    loop {
        let (length, name) = (u64::from(scan.u32_big()?), scan.bytes()?);
        let next = scan.position() + length + 4;
        match &name {
            b"IDAT" | b"IEND" => return Ok(headers),
            b"tRNS" => headers.alpha = true,
            b"acTL" => headers.frames = scan.u32_big()?.max(1),
            b"eXIf" => exif::read(&scan.vector(length)?, &mut headers),
            b"iCCP" => {
                let body = scan.vector(length)?;
                headers.ballast.icc += length;
                headers.icc = inflated(&body);
            }
            b"pHYs" => {
                let dots = scan.u32_big()?;
                scan.skip(4)?;
                if scan.byte()? == 1 {
                    headers.dots_per_inch = Some(f64::from(dots) * 0.0254);
                }
            }
            b"iTXt" => {
                let body = scan.vector(length)?;
                match body.starts_with(XMP) {
                    true => metadata::xmp(&body, &mut headers),
                    false => headers.ballast.comments += length,
                }
            }
            b"tEXt" | b"zTXt" | b"tIME" => headers.ballast.comments += length,
            _ => {}
        }
        scan.go_to(next)?;
    }
}

/// The profile in an `iCCP` chunk: behind its name and the number of the compression method.
fn inflated(body: &[u8]) -> Option<Vec<u8>> {
    let name = body.iter().position(|&byte| byte == 0)?;
    let mut profile = Vec::new();
    let mut inflate = flate2::read::ZlibDecoder::new(body.get(name + 2..)?).take(LONGEST_PROFILE);
    inflate.read_to_end(&mut profile).ok()?;
    Some(profile)
}
