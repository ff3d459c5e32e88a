//! Formats whose headers are a handful of fields: BMP and ICO.

use std::io::{Read, Seek};

use super::{Headers, Kind, Model, Stop, size};
use crate::container::Scan;

/// A Windows bitmap: the file header, then an information header of one of several lengths.
pub(super) fn bmp<R: Read + Seek>(scan: &mut Scan<R>) -> Result<Headers, Stop> {
    scan.skip(14)?;
    let length = scan.u32_little()?;
    let (width, height, bits) = if length == 12 {
        let (width, height) = (scan.u16_little()?, scan.u16_little()?);
        scan.skip(2)?;
        (width.into(), height.into(), scan.u16_little()?)
    } else {
        // A negative height means that the top row comes first.
        let (width, height) = (scan.u32_little()?, scan.u32_little()? as i32);
        scan.skip(2)?;
        (width, height.unsigned_abs(), scan.u16_little()?)
    };
    let mut headers = Headers::new(Kind::Bmp, Some(size(width, height)?));
    headers.lossless = true;
    headers.alpha = bits == 32;
    headers.model = match bits {
        1..=8 => Model::Palette,
        _ => Model::Colour,
    };
    Ok(headers)
}

/// A Windows icon: the largest of its pictures.
pub(super) fn ico<R: Read + Seek>(scan: &mut Scan<R>) -> Result<Headers, Stop> {
    scan.skip(4)?;
    let count = scan.u16_little()?;
    let mut largest = None;
    for _ in 0..count {
        let [width, height] = scan.bytes()?;
        scan.skip(14)?;
        // 0 stands for 256.
        let side = |side: u8| if side == 0 { 256 } else { u32::from(side) };
        let found = size(side(width), side(height))?;
        let larger =
            largest.is_none_or(|known: crate::pixels::Size| found.pixels() > known.pixels());
        if larger {
            largest = Some(found);
        }
    }
    let mut headers = Headers::new(Kind::Ico, largest);
    headers.lossless = true;
    headers.alpha = true;
    Ok(headers)
}
