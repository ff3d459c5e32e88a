//! The one file that knows the order: decode → colour → size → encode within budget.

use std::ops::{ControlFlow, RangeInclusive};

use thiserror::Error;

use crate::budget::{self, Outcome, Trial};
use crate::colour::{ColourNote, Working};
use crate::credits::Blocks;
use crate::decode::{self, Allowance, DecodeError};
use crate::encode::{self, Coding, EncodeError, Format};
use crate::pixels::{Channels, Raster, Size};
use crate::plan::{CodingWish, Job, Placement, PlannedPiece};
use crate::size::Sizer;
use crate::source::Nature;

/// A visual score of a finished file against the raster that it was made from, 0 to 100.
pub type Score<'a> = dyn Fn(&Raster, Format, &[u8]) -> f32 + Sync + 'a;

/// A finished file and how it came about.
#[derive(Clone, Debug, PartialEq)]
pub struct Piece {
    /// The whole file.
    pub file: Vec<u8>,
    /// How its samples are coded.
    pub coding: Coding,
    /// Its visual score, where one was taken.
    pub score: Option<f32>,
    /// Coding and weight of every encode that was made for it, in order.
    pub trail: Vec<(Coding, u64)>,
    /// Whether it keeps its weight.
    pub fits: bool,
    /// Whether transparent pixels were laid over the backdrop.
    pub flattened: bool,
}

/// Why an original gave no pieces at all.
#[derive(Debug, Error)]
pub enum FireError {
    /// It could not be decoded.
    #[error(transparent)]
    Decode(#[from] DecodeError),
    /// Rows were missing at the end.
    #[error("the picture is cut off: rows are missing at its end")]
    RowsMissing,
}

/// Makes every piece of a job from the bytes of its original and hands each to `deliver` as
/// soon as it is finished, in the order of the plan; `deliver` can end the job early.
pub fn fire(
    bytes: &[u8],
    job: &Job,
    allowance: Allowance,
    score: Option<&Score<'_>>,
    mut deliver: impl FnMut(&PlannedPiece, Result<Piece, EncodeError>) -> ControlFlow<()>,
) -> Result<Option<ColourNote>, FireError> {
    let sizes = distinct_sizes(job);
    let (rasters, note) = sized(bytes, job, &sizes, allowance)?;
    for placement in &job.placements {
        let blocks = placement.inscription.blocks();
        for planned in &placement.sizes {
            let Some(index) = sizes.iter().position(|size| *size == planned.size) else {
                continue;
            };
            let studio = Studio::new(&rasters[index], placement, &blocks, score);
            for piece in &planned.pieces {
                let made = studio.make(piece.format);
                if deliver(piece, made).is_break() {
                    return Ok(note);
                }
            }
        }
    }
    Ok(note)
}

/// The pixel sizes of a job, each once: several places may want the same.
fn distinct_sizes(job: &Job) -> Vec<Size> {
    let mut sizes: Vec<Size> = Vec::new();
    for planned in job.placements.iter().flat_map(|p| &p.sizes) {
        if !sizes.contains(&planned.size) {
            sizes.push(planned.size);
        }
    }
    sizes
}

/// About how many bytes a job holds at its peak, beside its original's file.
pub fn memory(job: &Job) -> u64 {
    let stored = job.original.probe.stored;
    let row = u64::from(stored.width()) * 16;
    let rasters = |size: &Size| size.pixels() * 4 + row * 10;
    let encoders = job
        .pieces()
        .map(|(_, s, piece)| encode::memory(s.size, piece.format));
    let decoding = decode::memory(&job.original.probe);
    let held: u64 = distinct_sizes(job).iter().map(rasters).sum();
    // The decoder is gone before the first encoder starts.
    held + decoding.max(encoders.max().unwrap_or(0))
}

/// All sizes of an original from one pass over its rows, upright.
fn sized(
    bytes: &[u8],
    job: &Job,
    sizes: &[Size],
    allowance: Allowance,
) -> Result<(Vec<Raster>, Option<ColourNote>), FireError> {
    let probe = &job.original.probe;
    let mut rows = decode::open(bytes, probe, allowance)?;
    let (mut working, note) = Working::new(rows.form());
    let channels = working.channels();
    let stored = |upright| probe.orientation.apply_to_size(upright);
    let mut sizers: Vec<Sizer> = sizes
        .iter()
        .map(|size| Sizer::new(probe.stored, stored(*size), channels))
        .collect();
    let mut light = Vec::new();
    for _ in 0..probe.stored.height() {
        working.row(rows.next_row()?, &mut light);
        for sizer in &mut sizers {
            sizer.push(&light);
        }
    }
    let rasters = sizers.into_iter().map(|sizer| {
        let raster = sizer.finish().ok_or(FireError::RowsMissing)?;
        Ok(probe.orientation.apply(raster))
    });
    Ok((rasters.collect::<Result<_, FireError>>()?, note))
}

/// A sized raster, ready to be encoded in any format.
struct Studio<'a> {
    raster: &'a Raster,
    /// The raster on its backdrop, where it has transparent pixels and a format wants none.
    opaque: Option<Raster>,
    nature: Nature,
    placement: &'a Placement,
    /// What every file gets beside its pixels: it counts in its weight.
    blocks: &'a Blocks,
    score: Option<&'a Score<'a>>,
}

impl<'a> Studio<'a> {
    fn new(
        raster: &'a Raster,
        placement: &'a Placement,
        blocks: &'a Blocks,
        score: Option<&'a Score<'a>>,
    ) -> Self {
        let transparent = raster.channels() == Channels::Rgba;
        let pieces = placement.sizes.iter().flat_map(|size| &size.pieces);
        let flat_wanted = pieces.into_iter().any(|piece| !piece.format.holds_alpha());
        let opaque = (transparent && flat_wanted).then(|| raster.over(placement.backdrop));
        Studio {
            nature: Nature::of(raster),
            opaque,
            raster,
            placement,
            blocks,
            score,
        }
    }

    fn make(&self, format: Format) -> Result<Piece, EncodeError> {
        let opaque = self.opaque.as_ref().filter(|_| !format.holds_alpha());
        let raster = opaque.unwrap_or(self.raster);
        let mut piece = match (self.placement.coding, format.dials()) {
            (_, None) => self.lossless(raster, format)?,
            (CodingWish::Dial(dial), Some(_)) => self.search(raster, format, dial..=dial, dial)?,
            (CodingWish::Usual, Some(dials)) => {
                let lossy = self.search(raster, format, dials, format.usual_dial())?;
                match self.nature == Nature::Graphic && format.has_lossless_mode() {
                    true => better(self.lossless(raster, format)?, lossy, format),
                    false => lossy,
                }
            }
        };
        piece.flattened = opaque.is_some();
        Ok(piece)
    }

    fn file(
        &self,
        raster: &Raster,
        format: Format,
        coding: Coding,
    ) -> Result<Vec<u8>, EncodeError> {
        let file = encode::encode(raster, format, coding, self.nature)?;
        encode::inscribe(file, format, self.blocks)
    }

    fn lossless(&self, raster: &Raster, format: Format) -> Result<Piece, EncodeError> {
        let file = self.file(raster, format, Coding::Lossless)?;
        let weight = file.len() as u64;
        Ok(Piece {
            file,
            coding: Coding::Lossless,
            score: None,
            trail: vec![(Coding::Lossless, weight)],
            fits: self.placement.max_weight.is_none_or(|most| weight <= most),
            flattened: false,
        })
    }

    fn search(
        &self,
        raster: &Raster,
        format: Format,
        dials: RangeInclusive<u8>,
        usual: u8,
    ) -> Result<Piece, EncodeError> {
        let attempt = |dial| {
            let file = self.file(raster, format, Coding::Dial(dial))?;
            let score = self.score.map(|score| score(raster, format, &file));
            Ok(Trial { dial, file, score })
        };
        let Outcome { kept, trail, fits } =
            budget::within(self.placement.max_weight, dials, usual, attempt)?;
        let trail = trail.into_iter();
        Ok(Piece {
            file: kept.file,
            coding: Coding::Dial(kept.dial),
            score: kept.score,
            trail: trail
                .map(|(dial, weight)| (Coding::Dial(dial), weight))
                .collect(),
            fits,
            flattened: false,
        })
    }
}

/// The lossless piece where it keeps the weight and is no heavier, or where the lossy one had to
/// give up quality to keep it; else the lossy one.
fn better(mut lossless: Piece, mut lossy: Piece, format: Format) -> Piece {
    let lighter = lossless.file.len() <= lossy.file.len();
    let lowered = lossy.coding != Coding::Dial(format.usual_dial());
    if lossless.fits && (lighter || lowered) {
        lossless.trail.splice(0..0, lossy.trail);
        lossless
    } else {
        lossy.trail.extend(lossless.trail);
        lossy
    }
}
