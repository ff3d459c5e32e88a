//! The PNG chunks before the pixels (W3C PNG, third edition, section 5).

use std::io::{Read, Seek};

use super::scan::Scan;
use super::{Delivery, Kind, Probe, Trouble, exif, size};
use crate::pixels::Orientation;

pub(super) fn read<R: Read + Seek>(scan: &mut Scan<R>) -> Result<Probe, Trouble> {
    scan.skip(8)?;
    let (length, name) = (scan.u32_big()?, scan.bytes()?);
    if name != *b"IHDR" || length != 13 {
        return Err(Trouble::Rule("the header chunk does not come first"));
    }
    let (width, height) = (scan.u32_big()?, scan.u32_big()?);
    let [_depth, colour, _, _, interlace] = scan.bytes()?;
    scan.skip(4)?;
    let mut probe = Probe {
        kind: Kind::Png,
        stored: size(width, height)?,
        orientation: Orientation::Upright,
        alpha: matches!(colour, 4 | 6),
        frames: 1,
        delivery: match interlace {
            0 => Delivery::Rows,
            _ => Delivery::Whole,
        },
    };
    loop {
        let (length, name) = (u64::from(scan.u32_big()?), scan.bytes()?);
        let next = scan.position() + length + 4;
        match &name {
            b"IDAT" | b"IEND" => return Ok(probe),
            b"tRNS" => probe.alpha = true,
            b"acTL" => probe.frames = scan.u32_big()?.max(1),
            b"eXIf" => probe.orientation = exif::orientation(&scan.vector(length)?),
            _ => {}
        }
        scan.go_to(next)?;
    }
}
