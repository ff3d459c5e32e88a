//! From decisions to a whole picture.

mod wave;

use crate::bits::{self, Unit};
use crate::block::Node;
use rayon::prelude::*;

use crate::filter::{self, Filters, Outline};
use crate::frame::Frame;
use crate::ground::Ground;
use crate::headers::{self, Colour};
use crate::odds::Odds;
use crate::picture::{Picture, Plane};
use crate::range::Writer;
use crate::tile::{Care, Effort, Row, Written};
use crate::tiling::Tiling;

/// A picture that was coded.
#[derive(Clone, Debug)]
pub struct Coded {
    /// The sequence header and the frame, as units with their lengths.
    pub units: Vec<u8>,
    /// What every decoder shows.
    pub shown: Picture,
}

/// A tile, rendered row by row.
struct Part<'a> {
    frame: &'a Frame,
    ground: &'a Ground,
    rows: Vec<(Row<'a>, Vec<Node>)>,
    /// Where it begins, in superblocks.
    at: (usize, usize),
}

/// How the blocks of a tile are cut, and what was learnt of the symbols of its rows.
pub(crate) struct Cuts {
    /// Those of superblocks, row by row.
    nodes: Vec<Vec<Node>>,
    /// Those that each row ended with; none where cuts are as foretold.
    odds: Vec<Odds>,
}

/// Decides how the blocks of each tile are cut.
pub(crate) fn cuts(frame: &Frame, grounds: &[Ground], effort: &Effort) -> Vec<Cuts> {
    let frames = tiles(frame, &Tiling::new(frame.units()));
    let tiles = frames.par_iter().zip(grounds);
    let cuts = tiles.map(|((_, frame), ground)| {
        let rows = wave::rows(frame, ground, None, |row, at| {
            let mut node = row.decide(effort, at);
            if effort.tries() {
                row.superblock(at, &mut node);
            }
            node
        });
        let mut cuts = Cuts {
            nodes: Vec::new(),
            odds: Vec::new(),
        };
        for (row, nodes) in rows {
            cuts.nodes.push(nodes);
            cuts.odds.extend(effort.tries().then_some(row.odds));
        }
        cuts
    });
    cuts.collect()
}

/// Codes a picture whose blocks are cut, and filters it as it is decided once all are there.
pub(crate) fn refined(
    frame: &Frame,
    grounds: &[Ground],
    colour: Colour,
    (cuts, care): (&[Cuts], &Care),
    filter: impl FnOnce(&mut [Plane], &[Plane], &Outline) -> (Filters, Vec<u8>),
) -> Option<Coded> {
    let odds = |tile: usize| Some(&cuts[tile].odds[..]).filter(|odds| !odds.is_empty());
    let make = |tile: usize, row: &mut Row<'_>, at: (usize, usize)| {
        let mut node = cuts[tile].nodes[at.1 / 16][at.0 / 16].clone();
        row.refine(care, at, &mut node);
        node
    };
    coded(frame, grounds, colour, (odds, make), filter)
}

/// Codes a picture whose superblocks are rendered by a function, given the number of their tile and what is known of
/// its symbols, and filters it as it is decided once all are there.
fn coded<'k>(
    frame: &Frame,
    grounds: &[Ground],
    colour: Colour,
    (odds, make): (
        impl Fn(usize) -> Option<&'k [Odds]> + Sync,
        impl Fn(usize, &mut Row<'_>, (usize, usize)) -> Node + Sync,
    ),
    filter: impl FnOnce(&mut [Plane], &[Plane], &Outline) -> (Filters, Vec<u8>),
) -> Option<Coded> {
    let tiling = Tiling::new(frame.units());
    let frames = tiles(frame, &tiling);
    let tiles = frames.par_iter().zip(grounds).enumerate();
    let parts: Vec<Part<'_>> = tiles
        .map(|(tile, ((at, frame), ground))| Part {
            frame,
            ground,
            rows: wave::rows(frame, ground, odds(tile), |row, at| make(tile, row, at)),
            at: *at,
        })
        .collect();
    let mut filters = Filters::default();
    let (mut shown, source, outline) = joined(frame, &parts);
    let mut choices = vec![0; outline.superblocks().count()];
    if frame.is_filtered() {
        (filters, choices) = filter(&mut shown, &source, &outline);
        filter::clear(&mut shown, &outline, &filters, &choices);
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
    let cropped = |(index, plane): (usize, &Plane)| {
        let (width, height) = frame.chroma.size(index, frame.size);
        plane.resized(width, height)
    };
    let shown = shown.iter().enumerate().map(cropped).collect();
    Some(Coded {
        units,
        shown: Picture::new(frame.chroma, frame.depth, shown)?,
    })
}

/// The tiles of a frame, with where they begin in superblocks.
fn tiles(frame: &Frame, tiling: &Tiling) -> Vec<((usize, usize), Frame)> {
    let tiles = tiling.tiles().into_iter();
    tiles.map(|(at, size)| (at, frame.part(at, size))).collect()
}

/// What is told of the tiles of a picture before any quantiser is known; `frame` may have any.
pub(crate) fn grounds(frame: &Frame, picture: &Picture) -> Option<Vec<Ground>> {
    let tiles = tiles(frame, &Tiling::new(frame.units()));
    let grounds = tiles.par_iter().map(|(at, frame)| {
        let part = picture.part((at.0 * 64, at.1 * 64), frame.size)?;
        Some(Ground::new(frame, &part))
    });
    grounds.collect()
}

/// The symbols of a tile, with the choices of its superblocks.
fn written(part: Part<'_>, choice: impl Fn((usize, usize)) -> (u32, u32)) -> Vec<u8> {
    let mut writer = Writer::new();
    let mut tile = Written::new(part.frame, part.ground);
    for (y, (row, nodes)) in part.rows.into_iter().enumerate() {
        tile.enter(row.log, y == 0);
        for (x, mut node) in nodes.into_iter().enumerate() {
            let choice = choice((part.at.0 + x, part.at.1 + y));
            tile.superblock(&mut writer, (x * 16, y * 16), &mut node, choice);
        }
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
    for part in parts {
        for plane in 0..shown.len() {
            let (x, y) = frame.chroma.shift(plane);
            let at = ((part.at.0 * 64) >> x, (part.at.1 * 64) >> y);
            source[plane].paste(&part.ground.source[plane], at);
            for (row, _) in &part.rows {
                shown[plane].paste(&row.shown[plane], at);
            }
        }
        for (y, (row, _)) in part.rows.iter().enumerate() {
            outline.paste(&row.outline, (part.at.0 * 16, (part.at.1 + y) * 16));
        }
    }
    (shown, source, outline)
}

#[cfg(test)]
mod decoded;
#[cfg(test)]
mod tests;
