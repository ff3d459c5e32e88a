//! A PNG original as it came: some were packed with more patience than a firing has.

use crate::container::{Scan, png};
use crate::encode::{Own, Repack, Repacked};
use crate::pixels::{Area, Orientation};

/// The original's picture without what is no picture, where it is shown whole and upright. Whether
/// that shows the very pixels, who asks for it has to see.
pub(super) fn repack(own: &Own<'_>) -> Option<Repacked> {
    let is_whole = own.area == Area::whole(own.stored);
    if !is_whole || own.orientation != Orientation::Upright || own.profile {
        return None;
    }
    let mut scan = Scan::of(own.bytes);
    let mut file = png::MAGIC.to_vec();
    scan.skip(png::SIGNATURE).ok()?;
    loop {
        let chunk = png::next(&mut scan).ok()?;
        let whole = own.bytes.get(chunk.start as usize..chunk.end as usize)?;
        match &chunk.name {
            b"IHDR" | b"PLTE" | b"tRNS" | b"IDAT" | b"IEND" => file.extend(whole),
            _ => {}
        }
        if chunk.name == *b"IEND" {
            let how = Repack::AsItCame;
            return Some(Repacked { file, how });
        }
        scan.go_to(chunk.end).ok()?;
    }
}
