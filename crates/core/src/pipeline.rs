//! The one file that knows the order: decode → colour → size → encode within budget.

use std::ops::{ControlFlow, RangeInclusive};

use thiserror::Error;

use crate::budget::{self, Outcome, Trial};
use crate::colour::{ColourNote, Working};
use crate::credits::Blocks;
use crate::decode::{self, Allowance, DecodeError, Rows};
use crate::encode::{self, Coding, EncodeError, Format};
use crate::pixels::{Backdrop, Channels, Fit, Focus, Framing, Raster, Size};
use crate::plan::{CodingWish, Job, Placement, PlannedPiece};
use crate::size::{Sizer, focus};
use crate::source::{Nature, Probe};

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
    let cuts = cuts(job);
    let (rasters, note) = sized(bytes, &job.original.probe, &cuts, allowance)?;
    for placement in &job.placements {
        let blocks = placement.inscription.blocks();
        for planned in &placement.sizes {
            let cut = Cut::of(placement, planned.size);
            let Some(index) = cuts.iter().position(|known| *known == cut) else {
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

/// One raster that a job needs: several places may want the same.
#[derive(Clone, Copy, PartialEq)]
struct Cut {
    framing: Framing,
    size: Size,
    /// What fills a padded picture up.
    backdrop: Option<Backdrop>,
}

impl Cut {
    fn of(placement: &Placement, size: Size) -> Cut {
        let Placement {
            framing, backdrop, ..
        } = placement;
        Cut {
            framing: *framing,
            size,
            backdrop: (framing.fit == Fit::Pad).then_some(*backdrop),
        }
    }
}

/// The rasters of a job, each once.
fn cuts(job: &Job) -> Vec<Cut> {
    let mut cuts: Vec<Cut> = Vec::new();
    for placement in &job.placements {
        for planned in &placement.sizes {
            let cut = Cut::of(placement, planned.size);
            if !cuts.contains(&cut) {
                cuts.push(cut);
            }
        }
    }
    cuts
}

/// About how many bytes a job holds at its peak, beside its original's file.
pub fn memory(job: &Job) -> u64 {
    let stored = job.original.probe.stored;
    let row = u64::from(stored.width()) * 16;
    let rasters = |cut: &Cut| cut.size.pixels() * 4 + row * 10;
    let encoders = job
        .pieces()
        .map(|(_, s, piece)| encode::memory(s.size, piece.format));
    let decoding = decode::memory(&job.original.probe);
    let held: u64 = cuts(job).iter().map(rasters).sum();
    // The decoder is gone before the first encoder starts.
    held + decoding.max(encoders.max().unwrap_or(0))
}

/// All rasters of an original from one pass over its rows, upright and framed.
fn sized(
    bytes: &[u8],
    probe: &Probe,
    cuts: &[Cut],
    allowance: Allowance,
) -> Result<(Vec<Raster>, Option<ColourNote>), FireError> {
    let small = match cuts.iter().any(|cut| cut.framing.wants_look()) {
        true => Some(small(bytes, probe, allowance)?),
        false => None,
    };
    let mut rows = decode::open(bytes, probe, allowance)?;
    let (mut working, note) = Working::new(rows.form());
    let channels = working.channels();
    let sizer = |cut: &Cut| {
        let focus = point(&cut.framing, small.as_ref());
        framed_sizer(probe, cut, focus, channels)
    };
    let mut sizers: Vec<Sizer> = cuts.iter().map(sizer).collect();
    pour(rows.as_mut(), &mut working, &mut sizers)?;
    let rasters = sizers.into_iter().zip(cuts).map(|(sizer, cut)| {
        let raster = sizer.finish().ok_or(FireError::RowsMissing)?;
        let raster = probe.orientation.then(cut.framing.turn).apply(raster);
        Ok(match cut.backdrop {
            Some(backdrop) => raster.padded(cut.size, backdrop),
            None => raster,
        })
    });
    Ok((rasters.collect::<Result<_, FireError>>()?, note))
}

/// Gives every row of a picture to every sizer.
fn pour(
    rows: &mut dyn Rows,
    working: &mut Working,
    sizers: &mut [Sizer],
) -> Result<(), DecodeError> {
    let mut light = Vec::new();
    for _ in 0..rows.form().size.height() {
        working.row(rows.next_row()?, &mut light);
        for sizer in &mut *sizers {
            sizer.push(&light);
        }
    }
    Ok(())
}

/// A small copy of an upright picture, to be looked at.
fn small(bytes: &[u8], probe: &Probe, allowance: Allowance) -> Result<Raster, FireError> {
    let mut rows = decode::open_coarse(bytes, probe, allowance)?;
    let form = rows.form().clone();
    let (mut working, _) = Working::new(&form);
    let long_side = focus::LOOKED_AT.min(form.size.long_side());
    let size = Framing::default().frame(form.size).at_long_side(long_side);
    let mut sizer = Sizer::new(form.size, size, working.channels());
    pour(
        rows.as_mut(),
        &mut working,
        std::slice::from_mut(&mut sizer),
    )?;
    let raster = sizer.finish().ok_or(FireError::RowsMissing)?;
    Ok(probe.orientation.apply(raster))
}

/// The point that a crop is laid around, as parts of width and height.
fn point(framing: &Framing, small: Option<&Raster>) -> (f64, f64) {
    match (framing.focus, small) {
        (Focus::Point(x, y), _) => (x, y),
        (Focus::Auto, Some(small)) if framing.wants_look() => {
            focus::find(&framing.turn.apply(small.clone()), framing)
        }
        _ => (0.5, 0.5),
    }
}

/// A sizer that makes a cut, as stored.
fn framed_sizer(probe: &Probe, cut: &Cut, focus: (f64, f64), channels: usize) -> Sizer {
    let orientation = probe.orientation.then(cut.framing.turn);
    let turned = orientation.apply_to_size(probe.stored);
    let stored = |size| orientation.apply_to_size(size);
    if cut.backdrop.is_some() {
        let inner = cut.framing.within(probe.upright(), cut.size);
        return Sizer::new(probe.stored, stored(inner), channels);
    }
    let region = cut.framing.region(turned, focus);
    let region = orientation.stored_region(region, probe.stored);
    Sizer::of_region(probe.stored, region, stored(cut.size), channels)
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
        let mut pieces = placement.sizes.iter().flat_map(|size| &size.pieces);
        let flat_wanted = pieces.any(|piece| !piece.format.holds_alpha());
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
