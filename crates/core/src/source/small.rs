//! Formats whose headers are a handful of fields: BMP, ICO, PNM and QOI.

use std::io::{Read, Seek};

use super::{Delivery, Headers, Kind, Model, Stop, size};
use crate::container::{Scan, ico, pnm};

/// A Windows bitmap: the file header, then an information header of one of several lengths.
pub(super) fn bmp<R: Read + Seek>(scan: &mut Scan<R>) -> Result<Headers, Stop> {
    scan.skip(14)?;
    let length = scan.u32_little()?;
    let mut alpha = false;
    let (width, height, bits) = if length == 12 {
        let (width, height) = (scan.u16_little()?, scan.u16_little()?);
        scan.skip(2)?;
        (width.into(), height.into(), scan.u16_little()?)
    } else {
        // A negative height means that the top row comes first.
        let (width, height) = (scan.u32_little()?, scan.u32_little()? as i32);
        scan.skip(2)?;
        let bits = scan.u16_little()?;
        let compression = if length > 16 { scan.u32_little()? } else { 0 };
        if compression == 6 || (compression == 3 && length >= 56) {
            // Behind 20 more bytes the masks, the last of which is that of alpha.
            scan.skip(20 + 12)?;
            alpha = scan.u32_little()? != 0;
        }
        (width, height.unsigned_abs(), bits)
    };
    let mut headers = Headers::new(Kind::Bmp, Some(size(width, height)?));
    headers.lossless = true;
    headers.alpha = alpha;
    headers.model = match bits {
        1..=8 => Model::Palette,
        _ => Model::Colour,
    };
    Ok(headers)
}

/// A Windows icon: the largest of its pictures.
pub(super) fn ico<R: Read + Seek>(scan: &mut Scan<R>) -> Result<Headers, Stop> {
    let icon = ico::largest(scan)?;
    let mut headers = Headers::new(Kind::Ico, Some(size(icon.width, icon.height)?));
    headers.lossless = true;
    headers.alpha = true;
    Ok(headers)
}

/// A portable any-map.
pub(super) fn pnm<R: Read + Seek>(scan: &mut Scan<R>) -> Result<Headers, Stop> {
    let header = pnm::header(scan)?;
    let mut headers = Headers::new(Kind::Pnm, Some(size(header.width, header.height)?));
    headers.lossless = true;
    headers.alpha = matches!(header.count, 2 | 4);
    headers.delivery = Delivery::Rows;
    headers.model = match header.count {
        1 | 2 => Model::Grey,
        _ => Model::Colour,
    };
    headers.bits = match header.most {
        1 => 1,
        2..=255 => 8,
        _ => 16,
    };
    Ok(headers)
}

/// A QOI file (its specification, version 1.0).
pub(super) fn qoi<R: Read + Seek>(scan: &mut Scan<R>) -> Result<Headers, Stop> {
    scan.skip(4)?;
    let mut headers = Headers::new(Kind::Qoi, Some(size(scan.u32_big()?, scan.u32_big()?)?));
    headers.lossless = true;
    headers.alpha = scan.byte()? == 4;
    Ok(headers)
}
