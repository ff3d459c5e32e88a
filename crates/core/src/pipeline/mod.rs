//! The one room that knows the order: decode → colour → size → encode within budget.

mod account;
mod bench;
mod candidates;
mod canvas;
mod cuts;
mod easel;
mod eye;
mod pour;
mod shares;
mod studio;
mod versions;

use std::borrow::Cow;
use std::ops::ControlFlow;
use std::sync::{Mutex, PoisonError};

use rayon::prelude::*;
use thiserror::Error;

use crate::colour::ColourNote;
use crate::decode::{self, Allowance, DecodeError, Input, Pixels};
use crate::pixels::Raster;
use crate::plan::{Job, Placement, PlannedPiece, PlannedSize};
use crate::size::knock_out::NotPlain;
pub use account::{Account, Attempt, Order, Ordered, Piece, PieceError};
use cuts::Cut;
pub use cuts::{content, frames};
pub use easel::Easel;
pub use eye::Eye;
pub(crate) use eye::{picture, reduced};
pub use shares::{Part, Settled, Shares, Standing};
use studio::Studio;
pub(crate) use studio::backdrop;
pub use studio::{Aims, piece};
pub use versions::{Answer, Version, Versions, versions};

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
    deliver: impl FnMut(&PlannedPiece, Result<Piece, PieceError>) -> ControlFlow<()> + Send,
) -> Result<Option<ColourNote>, FireError> {
    fire_ordered(input, job, allowance, |_| None, deliver)
}

/// The same, with an order for each piece that is not to be made just as planned.
pub fn fire_ordered<'a, 'o>(
    input: impl Into<Input<'a>>,
    job: &Job,
    allowance: Allowance,
    order: impl Fn(&PlannedPiece) -> Option<&'o Order> + Sync,
    deliver: impl FnMut(&PlannedPiece, Result<Piece, PieceError>) -> ControlFlow<()> + Send,
) -> Result<Option<ColourNote>, FireError> {
    let rasters = Rasters::new(input, job, allowance)?;
    rasters.fire(job, order, deliver);
    Ok(rasters.note)
}

/// The sized pictures of a job, from which its pieces are made.
pub struct Rasters {
    cuts: Vec<Cut>,
    rasters: Vec<Raster>,
    /// What became of the picture's colours.
    pub note: Option<ColourNote>,
}

impl Rasters {
    /// Decodes and sizes what a job needs.
    pub fn new<'a>(
        input: impl Into<Input<'a>>,
        job: &Job,
        allowance: Allowance,
    ) -> Result<Rasters, FireError> {
        let cuts = Cut::all(job);
        let file = decode::File::new(input.into(), &job.original.probe, allowance);
        let (rasters, note) = cuts::rasters(&file, &job.original, &cuts)?;
        Ok(Rasters {
            cuts,
            rasters,
            note,
        })
    }

    /// How many bytes they hold.
    pub fn bytes(&self) -> u64 {
        let rasters = self.rasters.iter();
        rasters.map(|raster| raster.samples().len() as u64).sum()
    }

    /// The picture as a size of a placement wants it.
    pub fn sized(&self, placement: &Placement, planned: &PlannedSize) -> Option<&Raster> {
        let cut = Cut::of(placement, planned);
        let mut known = self.cuts.iter().zip(&self.rasters);
        let found = known.find(|(known, _)| **known == cut);
        found.map(|(_, raster)| raster)
    }

    /// Makes the pieces of a job, all or some of that which these are for; see [`fire_ordered`].
    pub fn fire<'o>(
        &self,
        job: &Job,
        order: impl Fn(&PlannedPiece) -> Option<&'o Order> + Sync,
        deliver: impl FnMut(&PlannedPiece, Result<Piece, PieceError>) -> ControlFlow<()> + Send,
    ) {
        let mut studios = Vec::new();
        for placement in &job.placements {
            let (aims, blocks) = (Aims::of(placement), placement.inscription.blocks());
            for planned in &placement.sizes {
                if let Some(raster) = self.sized(placement, planned) {
                    let raster = Cow::Borrowed(raster);
                    let studio = Studio::new(raster, aims, planned.seen, blocks.clone());
                    studios.push((studio, &planned.pieces));
                }
            }
        }
        let deliver = Mutex::new(deliver);
        // A job that is ended early is no failure. What a studio holds goes with its last piece.
        let _ = studios.into_par_iter().try_for_each(|(studio, pieces)| {
            pieces.par_iter().try_for_each(|piece| {
                let made = match order(piece) {
                    None => studio.make(piece.formats()),
                    Some(order) => studio.ordered(piece.formats(), order),
                };
                let mut deliver = deliver.lock().unwrap_or_else(PoisonError::into_inner);
                deliver(piece, made)
            })
        });
    }
}

/// About how many bytes a job holds at its peak on so many cores, beside its original's file.
pub fn memory(job: &Job, cores: usize) -> u64 {
    let (original, cuts) = (&job.original, Cut::all(job));
    let decoding = decode::memory(&original.probe)
        + Pixels::memory(&original.probe, cuts::passes(original, &cuts).len());
    let sizes = job.placements.iter().flat_map(|placement| &placement.sizes);
    let mut studios: Vec<u64> = sizes.map(Studio::memory).collect();
    studios.sort_unstable_by(|a, b| b.cmp(a));
    let encoding: u64 = studios.iter().take(cores).sum();
    let rasters: u64 = cuts
        .iter()
        .map(|cut| cut.memory(original.probe.stored))
        .sum();
    // The decoder is gone before the first encoder starts.
    rasters + decoding.max(encoding)
}
