//! The headers of a still picture (sections 5.5 and 5.9).

use crate::bits::Bits;
use crate::filter::Filters;
use crate::frame::{Frame, SPREAD_STEP};
use crate::picture::{Chroma, Depth};
use crate::quant;
use crate::tiling::Tiling;

/// What colours the samples stand for, as code points of ITU-T H.273.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Colour {
    /// The primaries: 1 for sRGB, 2 for unspecified, 12 for Display P3.
    pub primaries: u8,
    /// The transfer function: 13 for sRGB.
    pub transfer: u8,
    /// The matrix: 0 for green, blue and red as they are, 1 for BT.709, 6 for BT.601.
    pub matrix: u8,
    /// Whether samples use all numbers of their depth.
    pub full_range: bool,
}

impl Default for Colour {
    /// sRGB by the matrix of BT.601, all numbers used.
    fn default() -> Colour {
        Colour {
            primaries: 1,
            transfer: 13,
            matrix: 6,
            full_range: true,
        }
    }
}

impl Colour {
    /// Whether decoders take such samples for red, green and blue, of which nothing more is told.
    fn is_plain_rgb(self) -> bool {
        (self.primaries, self.transfer, self.matrix) == (1, 13, 0)
    }
}

/// The profile that a picture needs: 0, or 1 for full chroma.
pub(crate) fn profile(chroma: Chroma) -> u32 {
    u32::from(chroma == Chroma::Full)
}

/// The level by the size of a picture (annex A.3), as it is coded; 31 where it is beyond all.
pub(crate) fn level((width, height): (usize, usize)) -> u32 {
    const LEVELS: [(usize, usize, usize, u32); 6] = [
        (147_456, 2_048, 1_152, 0),
        (278_784, 2_816, 1_584, 1),
        (665_856, 4_352, 2_448, 4),
        (1_065_024, 5_504, 3_096, 5),
        (2_359_296, 6_144, 3_456, 8),
        (8_912_896, 8_192, 4_352, 12),
    ];
    let fits = |&&(area, across, down, _): &&(usize, usize, usize, u32)| {
        width * height <= area && width <= across && height <= down
    };
    let beyond = if width * height <= 35_651_584 && width <= 16_384 && height <= 8_704 {
        16
    } else {
        31
    };
    LEVELS
        .iter()
        .find(fits)
        .map_or(beyond, |&(.., level)| level)
}

/// The header of a sequence of one picture.
pub(crate) fn sequence(frame: &Frame, colour: Colour) -> Vec<u8> {
    let mut bits = Bits::default();
    bits.put(profile(frame.chroma), 3);
    bits.flag(true); // a still picture
    bits.flag(true); // with a reduced header
    bits.put(level(frame.size), 5);
    let (width, height) = (frame.size.0 as u32 - 1, frame.size.1 as u32 - 1);
    let length = |side: u32| side.max(1).ilog2() + 1;
    bits.put(length(width) - 1, 4);
    bits.put(length(height) - 1, 4);
    bits.put(width, length(width));
    bits.put(height, length(height));
    bits.flag(false); // superblocks of 64
    bits.flag(true); // recursive filters
    bits.flag(frame.filters_edges);
    bits.flag(false); // no super-resolution
    bits.flag(!frame.is_lossless()); // directional enhancement
    bits.flag(false); // no restoration
    colours(&mut bits, frame, colour);
    bits.flag(false); // no film grain
    bits.trailing()
}

fn colours(bits: &mut Bits, frame: &Frame, colour: Colour) {
    bits.flag(frame.depth == Depth::Ten);
    let is_grey = frame.chroma == Chroma::None;
    if frame.chroma != Chroma::Full {
        bits.flag(is_grey);
    }
    bits.flag(true); // colours are described
    bits.put(colour.primaries.into(), 8);
    bits.put(colour.transfer.into(), 8);
    bits.put(colour.matrix.into(), 8);
    if is_grey {
        return bits.flag(colour.full_range);
    }
    if !colour.is_plain_rgb() {
        bits.flag(colour.full_range);
        if frame.chroma == Chroma::Halved {
            bits.put(0, 2); // where chroma lies is not said
        }
    }
    bits.flag(false); // one quantiser for both planes of chroma
}

/// The header of the frame, up to its tiles.
pub(crate) fn frame(frame: &Frame, filters: &Filters, tiling: &Tiling) -> Vec<u8> {
    let mut bits = Bits::default();
    bits.flag(false); // distributions adapt
    bits.flag(frame.has_palettes);
    if frame.has_palettes {
        bits.flag(true); // what a still picture has anyway
    }
    bits.flag(false); // shown as large as it is
    if frame.has_palettes {
        bits.flag(frame.has_copies);
    }
    tiles(&mut bits, tiling);
    bits.put(frame.quantiser.into(), 8);
    bits.delta(0);
    if frame.chroma != Chroma::None {
        bits.delta(0);
        bits.delta(0);
    }
    let weights = frame.scales.weights;
    let has_weights = weights != [quant::ALIKE; 2];
    bits.flag(has_weights);
    if has_weights {
        let [luma, chroma] = weights.map(u32::from);
        bits.put(luma, 4);
        // The two planes of chroma have one quantiser, and so one level.
        bits.put(chroma, 4);
    }
    bits.flag(false); // no segments
    if !frame.is_lossless() {
        bits.flag(frame.spread.is_some());
        if frame.spread.is_some() {
            bits.put(SPREAD_STEP.ilog2(), 2);
            if !frame.has_copies {
                bits.flag(false); // deblocked alike
            }
        }
        if frame.is_filtered() {
            filtered(&mut bits, frame, filters);
        }
        bits.flag(true); // transforms are cut where that serves
    }
    bits.flag(frame.few_kinds);
    bits.aligned()
}

fn filtered(bits: &mut Bits, frame: &Frame, filters: &Filters) {
    let has_chroma = frame.chroma != Chroma::None;
    bits.put(filters.levels[0].into(), 6);
    bits.put(filters.levels[1].into(), 6);
    if has_chroma && filters.levels[..2] != [0, 0] {
        bits.put(filters.levels[2].into(), 6);
        bits.put(filters.levels[3].into(), 6);
    }
    bits.put(0, 3); // as smooth as can be
    bits.flag(false); // alike for all modes
    bits.put(u32::from(filters.damping) - 3, 2);
    bits.put(filters.bits(), 2);
    for strength in &filters.strengths {
        let planes = [strength.luma, strength.chroma];
        for (along, beside) in &planes[..if has_chroma { 2 } else { 1 }] {
            bits.put((*along).into(), 4);
            bits.put((*beside).min(3).into(), 2);
        }
    }
}

fn tiles(bits: &mut Bits, tiling: &Tiling) {
    bits.flag(true); // tiles of one size
    for [least, most, own] in [tiling.columns, tiling.rows] {
        for log in least..most {
            bits.flag(log < own);
            if log >= own {
                break;
            }
        }
    }
    if tiling.bits() > 0 {
        bits.put(0, tiling.bits()); // whose distributions would be handed on
        bits.put(3, 2); // lengths have four bytes
    }
}
