//! The one room that knows the order: decode → colour → size → encode within budget.

mod account;
mod bench;
mod candidates;
mod canvas;
mod cuts;
mod easel;
mod eye;
mod own;
mod pour;
mod sampled;
mod shares;
mod studio;
mod terms;
mod versions;

use std::borrow::Cow;
use std::ops::ControlFlow;
use std::sync::{Arc, Mutex, PoisonError};

use rayon::prelude::*;
use thiserror::Error;

use crate::colour::ColourNote;
use crate::decode::{self, Allowance, DecodeError, Input, Oddity, Pixels};
use crate::pixels::{Backdrop, Fit, Raster};
use crate::plan::{Job, Placement, PlannedPiece, PlannedSize};
use crate::size::knock_out::NotPlain;
pub use account::{Account, Attempt, Order, Ordered, Piece, PieceError};
pub use candidates::outdone;
use cuts::{Cut, Sized};
pub use cuts::{content, frames};
pub use easel::Easel;
pub use eye::Eye;
pub(crate) use eye::{picture, reduced};
use own::Own;
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
) -> Result<Remarks, FireError> {
    fire_ordered(input, job, allowance, |_| None, deliver)
}

/// The same, with an order for each piece that is not to be made just as planned.
pub fn fire_ordered<'a, 'o>(
    input: impl Into<Input<'a>>,
    job: &Job,
    allowance: Allowance,
    order: impl Fn(&PlannedPiece) -> Option<&'o Order> + Sync,
    deliver: impl FnMut(&PlannedPiece, Result<Piece, PieceError>) -> ControlFlow<()> + Send,
) -> Result<Remarks, FireError> {
    let rasters = Rasters::new(input, job, allowance)?;
    rasters.fire(job, order, deliver);
    Ok(rasters.remarks)
}

/// The sized pictures of a job, from which its pieces are made.
pub struct Rasters {
    cuts: Vec<Cut>,
    rasters: Vec<Raster>,
    /// For each what it shows of the original as it is.
    own: Vec<Option<Own>>,
    /// What its owner should hear.
    pub remarks: Remarks,
}

/// What the owner of a picture should hear of it.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Remarks {
    /// What became of its colours.
    pub colours: Option<ColourNote>,
    /// What was odd in its file.
    pub oddities: Vec<Oddity>,
}

impl Rasters {
    /// Decodes and sizes what a job needs.
    pub fn new<'a>(
        input: impl Into<Input<'a>>,
        job: &Job,
        allowance: Allowance,
    ) -> Result<Rasters, FireError> {
        let (cuts, probe) = (Cut::all(job), &job.original.probe);
        let input = input.into();
        let file = decode::File::new(input, probe, allowance);
        let Sized {
            rasters,
            shown,
            remarks,
        } = cuts::rasters(&file, &job.original, &cuts)?;
        let mut own = vec![None; cuts.len()];
        if keeps_format(job) && shown.iter().any(Option::is_some) {
            let bytes: Arc<[u8]> = input.bytes()?.as_ref().into();
            for (own, shown) in own.iter_mut().zip(shown) {
                *own = shown.map(|shown| Own {
                    bytes: bytes.clone(),
                    kind: probe.kind,
                    stored: probe.stored,
                    shown,
                });
            }
        }
        Ok(Rasters {
            cuts,
            rasters,
            own,
            remarks,
        })
    }

    /// How many bytes they hold.
    pub fn bytes(&self) -> u64 {
        let rasters = self.rasters.iter();
        let rasters: u64 = rasters.map(|raster| raster.samples().len() as u64).sum();
        // All are of the same file.
        let own = self.own.iter().flatten().next();
        rasters + own.map_or(0, |own| own.bytes.len() as u64)
    }

    /// The picture as a size of a placement wants it.
    pub fn sized(&self, placement: &Placement, planned: &PlannedSize) -> Option<&Raster> {
        Some(&self.rasters[self.index(placement, planned)?])
    }

    fn index(&self, placement: &Placement, planned: &PlannedSize) -> Option<usize> {
        let cut = Cut::of(placement, planned);
        self.cuts.iter().position(|known| *known == cut)
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
                if let Some(index) = self.index(placement, planned) {
                    let raster = Cow::Borrowed(&self.rasters[index]);
                    let studio = Studio::new(raster, aims, planned.seen, blocks.clone());
                    let studio = studio.showing(self.own[index].as_ref());
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

/// Whether a piece of a job may have its original's format.
fn keeps_format(job: &Job) -> bool {
    let kind = job.original.probe.kind;
    job.pieces()
        .any(|(_, _, piece)| piece.formats().any(|format| format.kind() == kind))
}

/// Whether pixels of a placement become transparent that were not.
fn adds_alpha(placement: &Placement) -> bool {
    let is_padded = placement.framing.fit == Fit::Pad;
    placement.rendering.knock_out.is_some()
        || (is_padded && placement.backdrop == Backdrop::Transparent)
}

/// About how many bytes a job holds at its peak on so many cores, beside its original's file.
pub fn memory(job: &Job, cores: usize) -> u64 {
    let (original, cuts) = (&job.original, Cut::all(job));
    let passes = cuts::passes(original, &cuts);
    let decoding = if original.probe.is_drawn() {
        let sizes = passes
            .iter()
            .map(|wanted| decode::drawn_memory(wanted.least));
        sizes.max().unwrap_or(0)
    } else {
        decode::memory(&original.probe) + Pixels::memory(&original.probe, passes.len())
    };
    let sizes = job.placements.iter().flat_map(|placement| &placement.sizes);
    let transparent = original.probe.alpha || job.placements.iter().any(adds_alpha);
    let studios = sizes.map(|size| Studio::memory(size, transparent));
    let mut studios: Vec<u64> = studios.collect();
    studios.sort_unstable_by(|a, b| b.cmp(a));
    let encoding: u64 = studios.iter().take(cores).sum();
    let rasters: u64 = cuts
        .iter()
        .map(|cut| cut.memory(original.probe.stored))
        .sum();
    let may_keep = |cut: &Cut| cut.may_keep_samples(original);
    let encoding = if keeps_format(job) && cuts.iter().any(may_keep) {
        encoding + Own::memory(&original.probe)
    } else {
        encoding
    };
    // The decoder is gone before the first encoder starts.
    rasters + decoding.max(encoding)
}
