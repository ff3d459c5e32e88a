//! The blocks of a GIF file: the screen, and how many frames follow (GIF 89a).

use std::io::{Read, Seek};

use super::{Headers, Kind, Model, Stop, size};
use crate::container::Scan;
use crate::pixels::Size;

const EXTENSION: u8 = 0x21;
const IMAGE: u8 = 0x2C;
const GRAPHIC_CONTROL: u8 = 0xF9;
const COMMENT: u8 = 0xFE;

pub(super) fn read<R: Read + Seek>(scan: &mut Scan<R>) -> Result<Headers, Stop> {
    scan.skip(6)?;
    let (width, height) = (scan.u16_little()?, scan.u16_little()?);
    let stored = size(width.into(), height.into())?;
    let [flags, _, _] = scan.bytes()?;
    scan.skip(palette_bytes(flags))?;
    let mut headers = Headers::new(Kind::Gif, Some(stored));
    headers.frames = 0;
    headers.model = Model::Palette;
    headers.lossless = true;
    // A file that is cut off behind its first frame still has that one.
    let walked = blocks(scan, stored, &mut headers);
    match walked {
        Err(trouble) if headers.frames == 0 => Err(trouble),
        _ if headers.frames == 0 => Err(Stop::rule("it holds no frame")),
        _ => Ok(headers),
    }
}

fn blocks<R: Read + Seek>(
    scan: &mut Scan<R>,
    screen: Size,
    headers: &mut Headers,
) -> Result<(), Stop> {
    loop {
        match scan.byte()? {
            IMAGE => {
                headers.frames += 1;
                let (left, top) = (scan.u16_little()?, scan.u16_little()?);
                let (width, height) = (scan.u16_little()?, scan.u16_little()?);
                // What a first frame leaves uncovered is transparent.
                let covers = |start: u16, side: u16, whole| start == 0 && u32::from(side) >= whole;
                if headers.frames == 1 {
                    headers.alpha |= !covers(left, width, screen.width())
                        || !covers(top, height, screen.height());
                }
                let flags = scan.byte()?;
                scan.skip(palette_bytes(flags) + 1)?;
            }
            EXTENSION => match scan.byte()? {
                GRAPHIC_CONTROL if headers.frames == 0 => {
                    let [_, flags] = scan.bytes()?;
                    headers.alpha |= flags & 1 == 1;
                    scan.skip(3)?;
                }
                COMMENT => {
                    let start = scan.position();
                    skip_sub_blocks(scan)?;
                    headers.ballast.comments += scan.position() - start;
                    continue;
                }
                _ => {}
            },
            _ => return Ok(()),
        }
        skip_sub_blocks(scan)?;
    }
}

/// Bytes of the colour table that a flags byte announces.
fn palette_bytes(flags: u8) -> u64 {
    match flags & 0x80 {
        0 => 0,
        _ => 3 << ((flags & 7) + 1),
    }
}

fn skip_sub_blocks<R: Read + Seek>(scan: &mut Scan<R>) -> Result<(), Stop> {
    loop {
        match scan.byte()? {
            0 => return Ok(()),
            length => scan.skip(length.into())?,
        }
    }
}
