//! A quick glance at the pixels: one pass over the rows.

use std::hash::Hasher;
use std::ops::ControlFlow;

use serde::Serialize;
use thiserror::Error;
use xxhash_rust::xxh3::Xxh3;

use super::activity;
use super::estimate::{self, Asked, Estimate, Sampler};
use super::reduce::{Reduced, Reducer};
use super::tiles::Tiles;
use crate::colour::Working;
use crate::decode::{self, Allowance, DecodeError, Form, Ink, Row};
use crate::encode::{Format, Pace, Passes};
use crate::pipeline::{self, Aims, FireError, Order, Ordered, PieceError, Rasters};
use crate::pixels::{Backdrop, Channels, Gamut, Kernel, Raster, Size};
use crate::plan::{Extent, Job, Original, Wish};
use crate::size;
use crate::source::{Nature, Probe, Traits};

/// The small copy's longer side is about this, in pixels: graphics and photos are told apart
/// best at the size at which they are looked at.
const SMALL: u32 = 720;

/// A graphic whose neighbours differ strongly at least this often is made of text. Measured at
/// 800 pixels: posters and screenshots 0.08 to 0.4, charts and logos up to 0.046.
const TEXT_EDGES: f64 = 0.06;

/// Graphics above this are estimated from bands as well: a second pass would take too long.
const WHOLE_TRIAL_PIXELS: u64 = 40_000_000;

/// Above this a whole trial is a sketch: a file near the look, from which its weight is told.
const SKETCHED_PIXELS: u64 = 1_000_000;

/// Marks of few flat colours are lighter than this in any format, and only they can be traced.
const TRACED_BELOW: u64 = 30_000;

/// Up to this, a picture that is not made smaller is decoded exactly: the estimate of a small
/// file would else miss its finest details. Large ones have details to spare, and cost time.
const EXACT_PIXELS: u64 = 4_000_000;

/// What a picture shows.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Motif {
    /// Continuous tones.
    Photo,
    /// Text: a poster, a screenshot.
    Text,
    /// Flat areas: a logo, a chart.
    Flat,
}

/// What a glance has shown.
#[derive(Clone, Debug)]
pub struct Glance {
    /// What the picture shows.
    pub motif: Motif,
    /// Whether any pixel is transparent.
    pub alpha_used: bool,
    /// Whether any sample needs more than 8 bits.
    pub depth_used: bool,
    /// Whether the small copy has no more colours than a palette holds.
    pub few_colours: bool,
    /// What it would weigh as a drawing, in bytes, where it is a mark that can be traced.
    pub traced: Option<u64>,
    /// What it would weigh.
    pub estimate: Estimate,
    /// A small picture of it, upright.
    pub thumbnail: Option<Raster>,
    /// What tells it from most others.
    pub rough: Rough,
}

/// The parts of a side that a rough look tells apart.
const ROUGH: usize = 4;

/// Levels that a rough look is off where the same picture is decoded otherwise.
const ROUGHLY: u8 = 4;

/// A rough look at a picture as it is stored: the mean of each channel in the cells of a small grid.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Rough([u8; ROUGH * ROUGH * 3]);

impl Rough {
    fn of(raster: &Raster) -> Rough {
        let (step, width) = (raster.channels().count(), raster.size().width() as usize);
        let height = raster.size().height() as usize;
        let (mut sums, mut counts) = ([0u64; ROUGH * ROUGH * 3], [0u64; ROUGH * ROUGH]);
        for (y, row) in raster.rows().enumerate() {
            for column in 0..ROUGH {
                let cell = y * ROUGH / height * ROUGH + column;
                let (from, to) = (column * width / ROUGH, (column + 1) * width / ROUGH);
                counts[cell] += (to - from) as u64;
                for pixel in row[from * step..to * step].chunks_exact(step) {
                    for (sum, &sample) in sums[cell * 3..][..3].iter_mut().zip(pixel) {
                        *sum += u64::from(sample);
                    }
                }
            }
        }
        Rough(std::array::from_fn(|at| {
            (sums[at] / counts[at / 3].max(1)) as u8
        }))
    }

    /// Whether another picture may show the same.
    pub fn may_be(&self, other: &Rough) -> bool {
        let mut pairs = self.0.iter().zip(&other.0);
        pairs.all(|(a, b)| a.abs_diff(*b) <= ROUGHLY)
    }
}

/// Why a glance failed.
#[derive(Debug, Error)]
pub enum GlanceError {
    /// The original is damaged.
    #[error(transparent)]
    Decode(#[from] DecodeError),
    /// The trial could not be made.
    #[error(transparent)]
    Piece(#[from] PieceError),
    /// Rows were missing.
    #[error("the picture is cut off: rows are missing at its end")]
    RowsMissing,
}

/// Looks at a picture.
pub fn glance(
    bytes: &[u8],
    probe: &Probe,
    allowance: Allowance,
    wanted: Asked,
) -> Result<Glance, GlanceError> {
    let upright = probe.upright();
    let target = upright.at_width(wanted.width.min(upright.width()));
    // As in a firing for both: what fills no more than the display is for plain screens.
    let density = if target.width() > wanted.displayed {
        f64::from(wanted.width) / f64::from(wanted.displayed.max(1))
    } else {
        1.0
    };
    let shrinks = u64::from(upright.width()) * 10 >= u64::from(target.width()) * 14;
    let quick = shrinks || upright.pixels() > EXACT_PIXELS;
    let pixels = if quick {
        decode::Wanted::look(probe)
    } else {
        decode::Wanted::all(probe)
    };
    let mut rows = decode::open(bytes, probe, pixels, allowance)?;
    let form = rows.form().clone();
    let mut reducer = Reducer::new(&form, SMALL);
    let mut sampler = Sampler::new(&form, probe.orientation.apply_to_size(target));
    let (mut alpha_used, mut depth_used) = (false, false);
    for _ in 0..form.size.height() {
        let row = rows.next_row()?;
        alpha_used = alpha_used || (form.ink.has_alpha() && has_clear_pixel(row, form.ink.count()));
        depth_used = depth_used || needs_depth(row);
        reducer.push(row);
        sampler.push(row);
    }
    let small = reducer.finish(form.icc).ok_or(GlanceError::RowsMissing)?;
    let sample = sampler.finish().ok_or(GlanceError::RowsMissing)?;
    let stored = sized(&small, small.form.size).ok_or(GlanceError::RowsMissing)?;
    let Traits {
        nature,
        edges,
        few_colours,
    } = Traits::of(&stored);
    let weight = match nature {
        // What makes a graphic heavy stands in a few places: only the whole of it tells.
        Nature::Graphic if upright.pixels() <= WHOLE_TRIAL_PIXELS => {
            whole_trial(bytes, probe, allowance, (target, density), &wanted)?
        }
        _ => sample.weigh(density, &wanted, &activity::of_rows(&stored))?,
    };
    let is_light = weight <= TRACED_BELOW;
    let may_be_mark = nature == Nature::Graphic && few_colours && probe.frames == 1 && is_light;
    let traced = may_be_mark.then(|| traced(&stored, &wanted)).flatten();
    let upright_small = probe.orientation.apply_to_size(small.form.size);
    let thumbnail = (wanted.thumbnail > 0).then(|| {
        let size = upright_small.at_width(wanted.thumbnail.min(upright_small.width()));
        let raster = sized(&small, probe.orientation.apply_to_size(size));
        raster.map(|raster| probe.orientation.apply(raster))
    });
    Ok(Glance {
        motif: match nature {
            Nature::Photo => Motif::Photo,
            Nature::Graphic if edges > TEXT_EDGES => Motif::Text,
            Nature::Graphic => Motif::Flat,
        },
        alpha_used,
        depth_used,
        few_colours,
        traced,
        estimate: Estimate {
            size: target,
            format: wanted.format,
            weight,
        },
        thumbnail: thumbnail.flatten(),
        rough: Rough::of(&stored),
    })
}

/// What a mark would weigh as a drawing, from its small copy: it looks the same at every size.
fn traced(small: &Raster, wanted: &Asked) -> Option<u64> {
    let aims = Aims {
        coding: wanted.coding,
        max_weight: None,
        pace: Pace::default(),
        passes: Passes::default(),
        backdrop: Backdrop::WHITE,
    };
    let piece = pipeline::piece(small, 1.0, Format::Svg, aims);
    piece.ok().map(|piece| piece.account.weight)
}

/// A digest of all pixels in the working space, as stored: equal for files that show the same.
pub fn digest(bytes: &[u8], probe: &Probe, allowance: Allowance) -> Result<u64, DecodeError> {
    let mut rows = decode::open(bytes, probe, decode::Wanted::all(probe), allowance)?;
    let form = rows.form().clone();
    let (mut working, _) = Working::new(&form, Gamut::Srgb);
    let mut hasher = Xxh3::new();
    let (mut light, mut opaque) = (Vec::new(), Vec::new());
    for _ in 0..form.size.height() {
        working.row(rows.next_row()?, &mut light);
        // An alpha channel that is idle does not make another picture.
        let row: &[f32] = match working.channels() {
            4 if light.chunks_exact(4).all(|pixel| pixel[3] == 1.0) => {
                opaque.clear();
                opaque.extend(light.chunks_exact(4).flat_map(|p| [p[0], p[1], p[2]]));
                &opaque
            }
            _ => &light,
        };
        for light in row {
            hasher.write_u32(light.to_bits());
        }
    }
    hasher.write_u32(form.size.width());
    Ok(hasher.finish())
}

fn has_clear_pixel(row: Row<'_>, step: usize) -> bool {
    match row {
        Row::Eight(row) => row
            .chunks_exact(step)
            .any(|pixel| pixel[step - 1] != u8::MAX),
        Row::Sixteen(row) => row
            .chunks_exact(step)
            .any(|pixel| pixel[step - 1] != u16::MAX),
    }
}

/// Whether 16-bit samples are more than 8-bit ones written twice.
fn needs_depth(row: Row<'_>) -> bool {
    match row {
        Row::Eight(_) => false,
        Row::Sixteen(row) => row.iter().any(|&sample| sample % 257 != 0),
    }
}

/// The small copy in sRGB at a size, as stored.
fn sized(small: &Reduced, size: Size) -> Option<Raster> {
    let Form {
        size: from, ink, ..
    } = small.form;
    if size == from && ink == Ink::Rgb && small.form.icc.is_none() {
        return Raster::new(size, Channels::Rgb, small.samples.clone());
    }
    size::sized(
        &small.form,
        &small.samples,
        Gamut::Srgb,
        size,
        Kernel::Clear,
    )
}

/// The weight of the finished piece itself.
fn whole_trial(
    bytes: &[u8],
    probe: &Probe,
    allowance: Allowance,
    (target, density): (Size, f64),
    wanted: &Asked,
) -> Result<u64, GlanceError> {
    let wish = Wish {
        extent: Extent::Widths(vec![target.width()]),
        formats: vec![wanted.format.into()],
        coding: wanted.coding,
        ..Wish::default()
    };
    let weight = bytes.len() as u64;
    let original = Original::new(String::new(), String::new(), weight, probe.clone());
    let mut job = Job::new(original, &wish);
    let sizes = job.placements.iter_mut().flat_map(|p| &mut p.sizes);
    sizes.for_each(|size| size.seen = density);
    let sketch = Order {
        what: Ordered::Sketch,
        known: Vec::new(),
    };
    let order = (target.pixels() > SKETCHED_PIXELS).then_some(&sketch);
    let rasters = Rasters::new(bytes, &job, allowance).map_err(|error| match error {
        FireError::Decode(error) => GlanceError::Decode(error),
        // Nothing was to be knocked out.
        FireError::RowsMissing | FireError::NotPlain(_) => GlanceError::RowsMissing,
    })?;
    let placements = job.placements.iter();
    let mut sizes = placements.flat_map(|p| p.sizes.iter().map(move |size| (p, size)));
    let raster = sizes.find_map(|(placement, size)| rasters.sized(placement, size));
    if let Some(tiles) = raster.and_then(Tiles::of) {
        return Ok(estimate::of_tiles(&tiles, density, wanted)?);
    }
    let mut weight = Err(GlanceError::RowsMissing);
    rasters.fire(
        &job,
        |_| order,
        |_, made| {
            weight = made
                .map(|piece| match order {
                    Some(_) => piece.account.weight_at_look(wanted.coding),
                    None => piece.account.weight,
                })
                .map_err(GlanceError::from);
            ControlFlow::Continue(())
        },
    );
    weight
}
