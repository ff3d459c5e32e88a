//! The directory of a Windows icon, and the largest of its pictures.

use std::io::{Read, Seek};

use super::{Fault, Scan};

/// A picture of an icon.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Icon {
    /// Where its bytes lie.
    pub offset: u64,
    pub length: u64,
    pub width: u32,
    pub height: u32,
    /// Whether it is a PNG; else a bitmap without its file header, with a mask below it.
    pub png: bool,
}

/// The largest picture; of equal ones that which has most colours.
pub(crate) fn largest<R: Read + Seek>(scan: &mut Scan<R>) -> Result<Icon, Fault> {
    scan.skip(4)?;
    let count = scan.u16_little()?;
    let mut best: Option<([u32; 2], [u64; 2])> = None;
    for _ in 0..count {
        let [width, height, ..] = scan.bytes::<4>()?;
        scan.skip(2)?;
        let bits = scan.u16_little()?;
        let (length, offset) = (scan.u32_little()?, scan.u32_little()?);
        // 0 stands for 256, and for all that is more.
        let side = |side: u8| if side == 0 { 256 } else { u32::from(side) };
        let rank = [side(width) * side(height), bits.into()];
        if best.is_none_or(|(known, _)| rank > known) {
            best = Some((rank, [offset.into(), length.into()]));
        }
    }
    let (_, [offset, length]) = best.ok_or(Fault::Rule("it holds no picture"))?;
    scan.go_to(offset)?;
    let png = scan.bytes::<8>()? == *b"\x89PNG\r\n\x1A\n";
    let (width, height) = if png {
        scan.skip(8)?;
        (scan.u32_big()?, scan.u32_big()?)
    } else {
        scan.go_to(offset + 4)?;
        (scan.u32_little()?, scan.u32_little()? / 2)
    };
    Ok(Icon {
        offset,
        length,
        width,
        height,
        png,
    })
}
