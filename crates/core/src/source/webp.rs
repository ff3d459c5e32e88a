//! The RIFF chunks of a WebP file (RFC 9649).

use std::io::{Read, Seek};

use super::scan::Scan;
use super::{Delivery, Kind, Probe, Trouble, exif, size};
use crate::pixels::{Orientation, Size};

const FLAG_ALPHA: u8 = 0x10;
const FLAG_EXIF: u8 = 0x08;
const FLAG_ANIMATION: u8 = 0x02;

pub(super) fn read<R: Read + Seek>(scan: &mut Scan<R>) -> Result<Probe, Trouble> {
    scan.skip(12)?;
    let (name, length) = (scan.bytes::<4>()?, scan.u32_little()?);
    let mut probe = Probe {
        kind: Kind::WebP,
        stored: Size::new(1, 1).ok_or(Trouble::CutOff)?,
        orientation: Orientation::Upright,
        alpha: false,
        frames: 1,
        delivery: Delivery::Whole,
    };
    match &name {
        b"VP8 " => {
            let [_, _, _, a, b, c] = scan.bytes()?;
            if [a, b, c] != [0x9D, 0x01, 0x2A] {
                return Err(Trouble::Rule("the key frame has no start code"));
            }
            let (width, height) = (scan.u16_little()?, scan.u16_little()?);
            probe.stored = size((width & 0x3FFF).into(), (height & 0x3FFF).into())?;
        }
        b"VP8L" => {
            if scan.byte()? != 0x2F {
                return Err(Trouble::Rule("the lossless header has no signature"));
            }
            let bits = scan.u32_little()?;
            probe.stored = size((bits & 0x3FFF) + 1, (bits >> 14 & 0x3FFF) + 1)?;
            probe.alpha = bits >> 28 & 1 == 1;
        }
        b"VP8X" => {
            let [flags, _, _, _] = scan.bytes()?;
            probe.stored = size(scan.u24_little()? + 1, scan.u24_little()? + 1)?;
            probe.alpha = flags & FLAG_ALPHA != 0;
            if flags & (FLAG_ANIMATION | FLAG_EXIF) != 0 {
                scan.go_to(20 + u64::from(length))?;
                extended(scan, &mut probe, flags)?;
            }
        }
        _ => return Err(Trouble::Rule("the first chunk holds no picture")),
    }
    Ok(probe)
}

/// The chunks behind an extended header: frames are counted, the orientation looked up.
fn extended<R: Read + Seek>(
    scan: &mut Scan<R>,
    probe: &mut Probe,
    flags: u8,
) -> Result<(), Trouble> {
    let mut frames = 0;
    while scan.left() >= 8 {
        let (name, length) = (scan.bytes::<4>()?, u64::from(scan.u32_little()?));
        let next = scan.position() + length + (length & 1);
        match &name {
            b"ANMF" => frames += 1,
            b"EXIF" => probe.orientation = exif::orientation(&scan.vector(length)?),
            _ => {}
        }
        if next > scan.position() + scan.left() {
            break; // What is cut off is said by the decoder, which knows whether it matters.
        }
        scan.go_to(next)?;
    }
    if flags & FLAG_ANIMATION != 0 {
        probe.frames = frames.max(1);
    }
    Ok(())
}
