//! The JPEG marker segments up to the frame header (ITU-T T.81, annex B).

use std::io::{Read, Seek};

use super::scan::Scan;
use super::{Delivery, Kind, Probe, Trouble, exif, size};
use crate::pixels::Orientation;

const START_OF_IMAGE: u8 = 0xD8;
const END_OF_IMAGE: u8 = 0xD9;
const START_OF_SCAN: u8 = 0xDA;
const APP1: u8 = 0xE1;

pub(super) fn read<R: Read + Seek>(scan: &mut Scan<R>) -> Result<Probe, Trouble> {
    scan.skip(2)?;
    let mut orientation = None;
    let mut frame = None;
    loop {
        let marker = marker(scan)?;
        match marker {
            START_OF_IMAGE | 0x01 | 0xD0..=0xD7 => continue,
            START_OF_SCAN | END_OF_IMAGE => break,
            _ => {}
        }
        let length = u64::from(scan.u16_big()?);
        let body = length
            .checked_sub(2)
            .ok_or(Trouble::Rule("a segment is shorter than its own length"))?;
        let next = scan.position() + body;
        match marker {
            APP1 if body >= 6 && orientation.is_none() && scan.bytes()? == *b"Exif\0\0" => {
                orientation = Some(exif::orientation(&scan.vector(body - 6)?));
            }
            0xC0..=0xCF if !matches!(marker, 0xC4 | 0xC8 | 0xCC) => {
                frame = Some(frame_header(scan, marker)?);
            }
            _ => {}
        }
        scan.go_to(next)?;
    }
    let (stored, delivery) = frame.ok_or(Trouble::Rule("there is no frame header"))?;
    Ok(Probe {
        kind: Kind::Jpeg,
        stored,
        orientation: orientation.unwrap_or(Orientation::Upright),
        alpha: false,
        frames: 1,
        delivery,
    })
}

/// The next marker's code, behind any fill bytes.
fn marker<R: Read + Seek>(scan: &mut Scan<R>) -> Result<u8, Trouble> {
    if scan.byte()? != 0xFF {
        return Err(Trouble::Rule("a marker was expected"));
    }
    loop {
        match scan.byte()? {
            0xFF => continue,
            0 => return Err(Trouble::Rule("a marker was expected")),
            code => return Ok(code),
        }
    }
}

fn frame_header<R: Read + Seek>(
    scan: &mut Scan<R>,
    marker: u8,
) -> Result<(crate::pixels::Size, Delivery), Trouble> {
    if matches!(marker, 0xC3 | 0xC5..=0xC7 | 0xC9..=0xCF) {
        return Err(Trouble::Rule(
            "it is coded losslessly, hierarchically or arithmetically, which no browser shows",
        ));
    }
    if scan.byte()? != 8 {
        return Err(Trouble::Rule("it has more than 8 bits per sample"));
    }
    let (height, width) = (scan.u16_big()?, scan.u16_big()?);
    let delivery = match marker {
        0xC2 => Delivery::Passes,
        _ => Delivery::Whole,
    };
    Ok((size(width.into(), height.into())?, delivery))
}
