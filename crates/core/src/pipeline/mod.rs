//! The one room that knows the order: decode → colour → size → encode within budget.

mod cuts;

use std::ops::{ControlFlow, RangeInclusive};
use std::sync::{Mutex, PoisonError};

use rayon::prelude::*;
use thiserror::Error;

use crate::budget::{self, Outcome, Trial};
use crate::colour::{self, ColourNote};
use crate::credits::Blocks;
use crate::decode::{self, Allowance, DecodeError, Input};
use crate::encode::{self, Coding, EncodeError, Format};
use crate::pixels::{Backdrop, Channels, Raster};
use crate::plan::{CodingWish, Job, Placement, PlannedPiece};
use crate::size::knock_out::NotPlain;
use crate::source::Nature;
use cuts::Cut;
pub use cuts::content;

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
    /// Its background is none that can be made transparent.
    #[error(transparent)]
    NotPlain(#[from] NotPlain),
}

/// Makes every piece of a job from its original and hands each to `deliver` as
/// soon as it is finished, in any order; `deliver` can end the job early. Where cores are free,
/// pieces are made side by side; their bytes do not depend on it.
pub fn fire<'a>(
    input: impl Into<Input<'a>>,
    job: &Job,
    allowance: Allowance,
    score: Option<&Score<'_>>,
    deliver: impl FnMut(&PlannedPiece, Result<Piece, EncodeError>) -> ControlFlow<()> + Send,
) -> Result<Option<ColourNote>, FireError> {
    let cuts = Cut::all(job);
    let (rasters, note) = cuts::rasters(input.into(), &job.original, &cuts, allowance)?;
    let mut studios = Vec::new();
    for placement in &job.placements {
        let blocks = placement.inscription.blocks();
        for planned in &placement.sizes {
            let cut = Cut::of(placement, planned);
            let known = cuts.iter().zip(&rasters).find(|(known, _)| **known == cut);
            if let Some((_, raster)) = known {
                let studio = Studio::new(raster, placement, blocks.clone(), score);
                studios.push((studio, &planned.pieces));
            }
        }
    }
    let deliver = Mutex::new(deliver);
    let pieces = studios
        .par_iter()
        .flat_map_iter(|(studio, pieces)| pieces.iter().map(move |piece| (studio, piece)));
    // A job that is ended early is no failure.
    let _ = pieces.try_for_each(|(studio, piece)| {
        let made = studio.make(piece.format);
        let mut deliver = deliver.lock().unwrap_or_else(PoisonError::into_inner);
        deliver(piece, made)
    });
    Ok(note)
}

/// About how many bytes a job holds at its peak on so many cores, beside its original's file.
pub fn memory(job: &Job, cores: usize) -> u64 {
    let stored = job.original.probe.stored;
    let mut encoders: Vec<u64> = job
        .pieces()
        .map(|(_, s, piece)| encode::memory(s.size, piece.format))
        .collect();
    encoders.sort_unstable_by(|a, b| b.cmp(a));
    let encoding: u64 = encoders.iter().take(cores).sum();
    let decoding = decode::memory(&job.original.probe);
    let held: u64 = Cut::all(job).iter().map(|cut| cut.memory(stored)).sum();
    // The decoder is gone before the first encoder starts.
    held + decoding.max(encoding)
}

/// A sized raster, ready to be encoded in any format.
struct Studio<'a> {
    raster: &'a Raster,
    /// The raster on its backdrop, where it has transparent pixels and a format wants none.
    opaque: Option<Raster>,
    nature: Nature,
    placement: &'a Placement,
    /// What every file gets beside its pixels: it counts in its weight.
    blocks: Blocks,
    score: Option<&'a Score<'a>>,
}

impl<'a> Studio<'a> {
    fn new(
        raster: &'a Raster,
        placement: &'a Placement,
        blocks: Blocks,
        score: Option<&'a Score<'a>>,
    ) -> Self {
        let transparent = raster.channels() == Channels::Rgba;
        let mut pieces = placement.sizes.iter().flat_map(|size| &size.pieces);
        let flat_wanted = pieces.any(|piece| !piece.format.holds_alpha());
        let colour = match placement.backdrop {
            Backdrop::Colour(colour) => colour::in_gamut(colour, raster.gamut()),
            Backdrop::Transparent => [255; 3],
        };
        let opaque = (transparent && flat_wanted).then(|| raster.over(colour));
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
        encode::inscribe(file, format, &self.blocks)
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
