//! The first directory of a TIFF file (TIFF 6.0, section 2).

use std::io::{Read, Seek};

use super::{Delivery, Headers, Kind, Model, Stop, metadata, size};
use crate::container::Scan;
use crate::pixels::Orientation;

/// Strips or tiles of at most this many pixels in a row of them come as rows; where they are
/// larger, they are held as a whole.
const BAND: u64 = 4 << 20;

/// Pages beyond these are not counted.
const MOST_PAGES: u32 = 100;

const MAKE: u16 = 271;
const SUB_DIRECTORIES: u16 = 330;
const DNG_VERSION: u16 = 50_706;

/// Numbers in the byte order of the file.
struct Order {
    little: bool,
}

impl Order {
    fn short<R: Read + Seek>(&self, scan: &mut Scan<R>) -> Result<u16, Stop> {
        Ok(if self.little {
            scan.u16_little()?
        } else {
            scan.u16_big()?
        })
    }

    fn long<R: Read + Seek>(&self, scan: &mut Scan<R>) -> Result<u32, Stop> {
        Ok(if self.little {
            scan.u32_little()?
        } else {
            scan.u32_big()?
        })
    }
}

pub(super) fn read<R: Read + Seek>(scan: &mut Scan<R>) -> Result<Headers, Stop> {
    let order = Order {
        little: scan.bytes::<2>()? == *b"II",
    };
    if order.short(scan)? != 42 {
        return Err(Stop::rule("it is a BigTIFF, whose headers are not read"));
    }
    let directory = order.long(scan)?;
    scan.go_to(directory.into())?;
    let mut headers = Headers::new(Kind::Tiff, None);
    headers.lossless = true;
    let (mut width, mut height, mut made, mut nested) = (0, 0, false, false);
    let mut band_rows = u32::MAX;
    for _ in 0..order.short(scan)? {
        scan.part()?;
        let entry = scan.position();
        let (tag, kind) = (order.short(scan)?, order.short(scan)?);
        let count = order.long(scan)?;
        // Single numbers stand in the entry itself; longer values at an offset.
        let number = match kind {
            3 if count <= 2 => order.short(scan)?.into(),
            _ => order.long(scan)?,
        };
        let bytes = u64::from(count) * if kind == 3 { 2 } else { 1 };
        match tag {
            256 => width = number,
            257 => height = number,
            258 if count <= 2 => headers.bits = number as u8,
            258 => {
                scan.go_to(number.into())?;
                headers.bits = order.short(scan)? as u8;
            }
            259 => headers.lossless = !matches!(number, 6 | 7),
            262 => {
                headers.model = match number {
                    0 | 1 => Model::Grey,
                    3 => Model::Palette,
                    5 => Model::Inks,
                    _ => Model::Colour,
                }
            }
            274 => headers.orientation = Orientation::from_exif(number),
            278 | 323 => band_rows = number,
            // Unspecified extra samples are no alpha.
            338 => headers.alpha = matches!(number, 1 | 2),
            700 => {
                scan.go_to(number.into())?;
                match scan.block(bytes)? {
                    Some(packet) => metadata::xmp(&packet, &mut headers),
                    None => headers.ballast.xmp += bytes,
                }
            }
            34_675 => {
                scan.go_to(number.into())?;
                headers.add_icc(bytes, scan.block(bytes)?);
            }
            34_377 => {
                scan.go_to(number.into())?;
                match scan.block(bytes)? {
                    Some(blocks) => metadata::resource_blocks(&blocks, &mut headers),
                    None => headers.ballast.iptc += bytes,
                }
            }
            34_853 => headers.ballast.position = true,
            315 => headers.ballast.person = true,
            33_432 => headers.ballast.copyright = true,
            MAKE => made = true,
            SUB_DIRECTORIES => nested = true,
            DNG_VERSION => return Err(Stop::Unread(Kind::CameraRaw)),
            _ => {}
        }
        scan.go_to(entry + 12)?;
    }
    // A camera's maker and directories within the directory: raw files built on TIFF.
    if made && nested {
        return Err(Stop::Unread(Kind::CameraRaw));
    }
    let stored = size(width, height)?;
    headers.stored = Some(stored);
    if u64::from(stored.width()) * u64::from(band_rows.min(stored.height())) <= BAND {
        headers.delivery = Delivery::Rows;
    }
    headers.frames = pages(scan, &order);
    Ok(headers)
}

/// How many pages there are: directories that do not say to be a smaller copy or a mask. The
/// place of the next directory is read from where the scan stands. Pages that are broken are none.
fn pages<R: Read + Seek>(scan: &mut Scan<R>, order: &Order) -> u32 {
    let mut pages = 1;
    while pages < MOST_PAGES {
        match next_is_page(scan, order) {
            Ok(Some(is_page)) => pages += u32::from(is_page),
            _ => break,
        }
    }
    pages
}

fn next_is_page<R: Read + Seek>(scan: &mut Scan<R>, order: &Order) -> Result<Option<bool>, Stop> {
    const SUBFILE: u16 = 254;
    let (from, next) = (scan.position(), u64::from(order.long(scan)?));
    // Directories follow one another in a file; one that lies before could go round for ever.
    if next < from {
        return Ok(None);
    }
    scan.go_to(next)?;
    let mut is_page = true;
    for _ in 0..order.short(scan)? {
        scan.part()?;
        let (tag, _, _) = (order.short(scan)?, order.short(scan)?, order.long(scan)?);
        is_page &= tag != SUBFILE || order.long(scan)? & 0b101 == 0;
        if tag != SUBFILE {
            scan.skip(4)?;
        }
    }
    Ok(Some(is_page))
}
