//! From decisions to a whole picture.

use crate::bits::{self, Unit};
use crate::block::Node;
use crate::headers::{self, Colour};
use crate::picture::{Picture, Plane};
use crate::range::Writer;
use crate::tile::{Frame, Tile};

/// A picture that was coded.
#[derive(Clone, Debug)]
pub struct Coded {
    /// The sequence header and the frame, as units with their lengths.
    pub units: Vec<u8>,
    /// What every decoder shows.
    pub shown: Picture,
}

/// Codes a picture whose superblocks are decided as they come.
pub(crate) fn coded(
    frame: &Frame,
    picture: &Picture,
    colour: Colour,
    mut decide: impl FnMut(&mut Tile<'_>, (usize, usize)) -> Node,
) -> Option<Coded> {
    let mut tile = Tile::new(frame, picture);
    let mut writer = Writer::new();
    for at in tile.superblocks() {
        let node = decide(&mut tile, at);
        tile.superblock(&mut writer, at, &node);
    }
    let mut payload = headers::frame(frame);
    payload.extend(writer.finish());
    let mut units = Vec::new();
    bits::unit(
        &mut units,
        Unit::Sequence,
        &headers::sequence(frame, colour),
    );
    bits::unit(&mut units, Unit::Frame, &payload);
    let cropped =
        |(plane, source): (&Plane, &Plane)| plane.resized(source.width(), source.height());
    let shown = tile
        .shown
        .iter()
        .zip(picture.planes())
        .map(cropped)
        .collect();
    Some(Coded {
        units,
        shown: Picture::new(picture.chroma(), picture.depth(), shown)?,
    })
}

#[cfg(test)]
mod tests;
