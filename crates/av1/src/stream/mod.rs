//! From decisions to a whole picture.

use crate::bits::{self, Unit};
use crate::block::Node;
use crate::filter::{self, Filters};
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

/// Codes a picture whose superblocks are decided as they come, and filters it as it is decided once all are there.
pub(crate) fn coded(
    frame: &Frame,
    picture: &Picture,
    colour: Colour,
    mut decide: impl FnMut(&mut Tile<'_>, (usize, usize)) -> Node,
    filter: impl FnOnce(&Tile<'_>) -> (Filters, Vec<u8>),
) -> Option<Coded> {
    let mut tile = Tile::new(frame, picture);
    // What is told of symbols here is only learnt from.
    let mut learnt = Writer::new();
    let mut nodes = Vec::new();
    for at in tile.outline.superblocks() {
        let node = decide(&mut tile, at);
        tile.superblock(&mut learnt, at, &node);
        nodes.push(node);
    }
    let mut shown = std::mem::take(&mut tile.shown);
    let mut filters = Filters::default();
    let mut choices = vec![0; nodes.len()];
    if !frame.is_lossless() {
        tile.shown = shown;
        (filters, choices) = filter(&tile);
        shown = std::mem::take(&mut tile.shown);
        filter::apply(&mut shown, &tile.outline, &filters, &choices);
    }
    let places = tile.outline.superblocks();
    let mut tile = tile.rewound();
    let mut writer = Writer::new();
    for ((at, node), choice) in places.zip(&nodes).zip(choices) {
        tile.superblock(&mut writer, at, node, (filters.bits(), choice.into()));
    }
    let mut payload = headers::frame(frame, &filters);
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
    let shown = shown.iter().zip(picture.planes()).map(cropped).collect();
    Some(Coded {
        units,
        shown: Picture::new(picture.chroma(), picture.depth(), shown)?,
    })
}

#[cfg(test)]
mod tests;
