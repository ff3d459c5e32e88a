//! The PNG chunks before the pixels (W3C PNG, third edition, section 5).

use std::io::{Read, Seek};

use super::{Delivery, Headers, Kind, Model, Stop, exif, metadata, size};
use crate::container::{Scan, png};

/// A profile is at most this long once inflated.
const LONGEST_PROFILE: u64 = 16 << 20;

pub(super) fn read<R: Read + Seek>(scan: &mut Scan<R>) -> Result<Headers, Stop> {
    scan.skip(png::SIGNATURE)?;
    let first = png::next(scan)?;
    if first.name != *b"IHDR" || first.length != 13 {
        return Err(Stop::rule("the header chunk does not come first"));
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
        let chunk = png::next(scan)?;
        let length = chunk.length;
        match &chunk.name {
            b"IDAT" | b"IEND" => return Ok(headers),
            b"tRNS" => headers.alpha = true,
            b"acTL" => headers.frames = scan.u32_big()?.max(1),
            b"eXIf" => match scan.block(length)? {
                Some(block) => exif::read(&block, &mut headers),
                None => headers.ballast.exif += length,
            },
            b"iCCP" => {
                let profile = scan.block(length)?.and_then(|body| inflated(&body));
                headers.add_icc(length, profile);
            }
            b"pHYs" => {
                let dots = scan.u32_big()?;
                scan.skip(4)?;
                if scan.byte()? == 1 {
                    headers.dots_per_inch = Some(f64::from(dots) * 0.0254);
                }
            }
            b"iTXt" => match scan.block(length)? {
                Some(body) if body.starts_with(png::XMP) => metadata::xmp(&body, &mut headers),
                _ => headers.ballast.comments += length,
            },
            b"tEXt" | b"zTXt" | b"tIME" => headers.ballast.comments += length,
            _ => {}
        }
        scan.go_to(chunk.end)?;
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
