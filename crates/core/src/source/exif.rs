//! The adapter to the EXIF parser.

use exif::{In, Reader, Tag};

use crate::pixels::Orientation;

/// The orientation tag of an EXIF block (TIFF structure, without the `Exif\0\0` before it).
/// A block that cannot be parsed says nothing about the orientation.
pub(super) fn orientation(block: &[u8]) -> Orientation {
    let block = block.strip_prefix(b"Exif\0\0").unwrap_or(block);
    let Ok(exif) = Reader::new().read_raw(block.to_vec()) else {
        return Orientation::default();
    };
    exif.get_field(Tag::Orientation, In::PRIMARY)
        .and_then(|field| field.value.get_uint(0))
        .map(Orientation::from_exif)
        .unwrap_or_default()
}
