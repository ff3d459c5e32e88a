//! The first directory of a TIFF file (TIFF 6.0, section 2).

use std::io::{Read, Seek};

use super::scan::Scan;
use super::{Headers, Kind, Model, Trouble, metadata, size};
use crate::pixels::Orientation;

const MAKE: u16 = 271;
const SUB_DIRECTORIES: u16 = 330;
const DNG_VERSION: u16 = 50_706;

/// Numbers in the byte order of the file.
struct Order {
    little: bool,
}

impl Order {
    fn short<R: Read + Seek>(&self, scan: &mut Scan<R>) -> Result<u16, Trouble> {
        Ok(if self.little {
            scan.u16_little()?
        } else {
            scan.u16_big()?
        })
    }

    fn long<R: Read + Seek>(&self, scan: &mut Scan<R>) -> Result<u32, Trouble> {
        Ok(if self.little {
            scan.u32_little()?
        } else {
            scan.u32_big()?
        })
    }
}

pub(super) fn read<R: Read + Seek>(scan: &mut Scan<R>) -> Result<Headers, Trouble> {
    let order = Order {
        little: scan.bytes::<2>()? == *b"II",
    };
    if order.short(scan)? != 42 {
        return Err(Trouble::Rule("it is a BigTIFF, whose headers are not read"));
    }
    let directory = order.long(scan)?;
    scan.go_to(directory.into())?;
    let mut headers = Headers::new(Kind::Tiff, None);
    headers.lossless = true;
    let (mut width, mut height, mut made, mut nested) = (0, 0, false, false);
    for _ in 0..order.short(scan)? {
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
            338 => headers.alpha = true,
            700 => {
                scan.go_to(number.into())?;
                let packet = scan.vector(bytes)?;
                metadata::xmp(&packet, &mut headers);
            }
            34_675 => {
                scan.go_to(number.into())?;
                let profile = scan.vector(bytes)?;
                headers.add_icc(profile);
            }
            34_377 => {
                scan.go_to(number.into())?;
                let blocks = scan.vector(bytes)?;
                metadata::resource_blocks(&blocks, &mut headers);
            }
            34_853 => headers.ballast.position = true,
            315 => headers.ballast.person = true,
            33_432 => headers.ballast.copyright = true,
            MAKE => made = true,
            SUB_DIRECTORIES => nested = true,
            DNG_VERSION => return Err(Trouble::Unread(Kind::CameraRaw)),
            _ => {}
        }
        scan.go_to(entry + 12)?;
    }
    // A camera's maker and directories within the directory: raw files built on TIFF.
    if made && nested {
        return Err(Trouble::Unread(Kind::CameraRaw));
    }
    headers.stored = Some(size(width, height)?);
    Ok(headers)
}
