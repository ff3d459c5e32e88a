//! From decisions to a whole picture.

use crate::bits::{self, Unit};
use crate::block::Node;
use rayon::prelude::*;

use crate::filter::{self, Filters, Outline};
use crate::headers::{self, Colour};
use crate::picture::{Picture, Plane};
use crate::range::Writer;
use crate::tile::{Frame, Tile};
use crate::tiling::Tiling;

/// A picture that was coded.
#[derive(Clone, Debug)]
pub struct Coded {
    /// The sequence header and the frame, as units with their lengths.
    pub units: Vec<u8>,
    /// What every decoder shows.
    pub shown: Picture,
}

/// A tile, rendered.
struct Part<'a> {
    tile: Tile<'a>,
    nodes: Vec<Node>,
    /// Where it begins, in superblocks.
    at: (usize, usize),
}

/// Codes a picture whose superblocks are decided as they come, and filters it as it is decided once all are there.
/// Tiles are worked on side by side.
pub(crate) fn coded(
    frame: &Frame,
    picture: &Picture,
    colour: Colour,
    decide: impl Fn(&mut Tile<'_>, (usize, usize)) -> Node + Sync,
    filter: impl FnOnce(&[Plane], &[Plane], &Outline) -> (Filters, Vec<u8>),
) -> Option<Coded> {
    let tiling = Tiling::new(frame.units());
    let frames = tiling
        .tiles()
        .into_iter()
        .map(|(at, size)| (at, frame.part(at, size)));
    let frames: Vec<((usize, usize), Frame)> = frames.collect();
    let parts: Option<Vec<Part<'_>>> = frames
        .par_iter()
        .map(|(at, frame)| {
            let tile = Tile::new(frame, &picture.part((at.0 * 64, at.1 * 64), frame.size)?);
            Some(rendered(tile, *at, &decide))
        })
        .collect();
    let parts = parts?;
    let mut filters = Filters::default();
    let (mut shown, source, outline) = joined(frame, &parts);
    let mut choices = vec![0; outline.superblocks().count()];
    if !frame.is_lossless() {
        (filters, choices) = filter(&shown, &source, &outline);
        filter::apply(&mut shown, &outline, &filters, &choices);
    }
    drop(source);
    let across = frame.units().0.div_ceil(16);
    let choice = |(x, y): (usize, usize)| (filters.bits(), choices[y * across + x].into());
    let tiles: Vec<Vec<u8>> = parts
        .into_par_iter()
        .map(|part| written(part, choice))
        .collect();
    let mut payload = headers::frame(frame, &filters, &tiling);
    if tiles.len() > 1 {
        // All tiles are in one group.
        payload.push(0);
    }
    for (index, tile) in tiles.iter().enumerate() {
        if index + 1 < tiles.len() {
            payload.extend((tile.len() as u32 - 1).to_le_bytes());
        }
        payload.extend(tile);
    }
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

fn rendered<'a>(
    mut tile: Tile<'a>,
    at: (usize, usize),
    decide: impl Fn(&mut Tile<'_>, (usize, usize)) -> Node,
) -> Part<'a> {
    // What is told of symbols here is only learnt from.
    let mut learnt = Writer::new();
    let mut nodes = Vec::new();
    for at in tile.outline.superblocks() {
        let node = decide(&mut tile, at);
        tile.superblock(&mut learnt, at, &node);
        nodes.push(node);
    }
    Part { tile, nodes, at }
}

/// The symbols of a tile, with the choices of its superblocks.
fn written(part: Part<'_>, choice: impl Fn((usize, usize)) -> (u32, u32)) -> Vec<u8> {
    let Part { tile, nodes, at } = part;
    let places = tile.outline.superblocks();
    let mut tile = tile.rewound();
    let mut writer = Writer::new();
    for ((x, y), node) in places.zip(&nodes) {
        tile.superblock(
            &mut writer,
            (x, y),
            node,
            choice((at.0 + x / 16, at.1 + y / 16)),
        );
    }
    writer.finish()
}

/// What all tiles show, what they were to show, and their blocks.
fn joined(frame: &Frame, parts: &[Part<'_>]) -> (Vec<Plane>, Vec<Plane>, Outline) {
    let (across, down) = frame.units();
    let whole = |units: usize| units.div_ceil(16) * 64;
    let blank = |plane: usize| {
        let (x, y) = frame.chroma.shift(plane);
        Plane::filled(whole(across) >> x, whole(down) >> y, 0)
    };
    let blanks: Vec<Plane> = (0..frame.chroma.planes()).map(blank).collect();
    let (mut shown, mut source) = (blanks.clone(), blanks);
    let mut outline = Outline::new((across, down), frame.chroma, frame.depth, frame.size);
    for Part { tile, at, .. } in parts {
        for plane in 0..shown.len() {
            let (x, y) = frame.chroma.shift(plane);
            let at = ((at.0 * 64) >> x, (at.1 * 64) >> y);
            shown[plane].paste(&tile.shown[plane], at);
            source[plane].paste(&tile.source[plane], at);
        }
        outline.paste(&tile.outline, (at.0 * 16, at.1 * 16));
    }
    (shown, source, outline)
}

#[cfg(test)]
mod tests;
