//! One picture at one size, of which versions are asked for as somebody turns the dial.

use std::borrow::Cow;
use std::sync::{Mutex, PoisonError};

use rayon::prelude::*;

use super::prove::SPOTS;
use super::{Judges, Loss, Proof, Spot, spots};
use crate::colour::Tint;
use crate::encode::Format;
use crate::pipeline::{Aims, Easel, PieceError, Version};
use crate::pixels::Raster;
use crate::plan::CodingWish;

/// A picture at a size, ready to be made and judged in any format.
pub struct Sitting {
    easel: Easel,
    judges: Judges<'static>,
    /// The parts that are looked at, once a version shows a difference.
    spots: Mutex<Vec<Spot>>,
}

/// A version that was asked for, and what it has lost.
#[derive(Clone, Debug)]
pub struct Shown {
    /// The file, and how it came about.
    pub version: Version,
    /// What became of its colours.
    pub tint: Tint,
    /// The score of every cell, row by row.
    pub cells: Vec<f32>,
    /// The parts that are looked at, and what each has lost.
    pub spots: Vec<(Spot, Loss)>,
}

impl Sitting {
    /// Begins with a picture, seen at a device pixel ratio, of which a proof may have been made. The
    /// same spots are looked at in all versions: those of the proof, else those of the first version
    /// that shows a difference.
    pub fn new(raster: Raster, density: f64, aims: Aims, proof: Option<&Proof>) -> Sitting {
        let formats = proof.iter().flat_map(|proof| &proof.formats);
        let made = formats.flat_map(|proven| &proven.versions);
        let made = made.map(|judged| judged.version.clone()).collect();
        Sitting {
            judges: Judges::new(Cow::Owned(raster.clone()), aims.backdrop),
            easel: Easel::new(raster, density, aims, made),
            spots: Mutex::new(proof.map_or(Vec::new(), |proof| proof.spots.clone())),
        }
    }

    /// The picture.
    pub fn raster(&self) -> &Raster {
        self.easel.raster()
    }

    /// The version that meets a wish in a format.
    pub fn show(&self, format: Format, wish: CodingWish) -> Result<Shown, PieceError> {
        let drawn = self.easel.meet(format, wish)?;
        let judge = self.judges.of(format);
        let finished = judge.open(format, &drawn.file);
        let finished = finished.map_err(|source| PieceError::Unreadable { format, source })?;
        let judged = judge.judge(&finished);
        let own = judged.map.as_ref().map_or(f32::MIN, |map| map.score);
        let version = self.easel.seen(drawn, own, &finished);
        let maps: Vec<_> = judged.map.iter().collect();
        let looked_at = {
            let mut known = self.spots.lock().unwrap_or_else(PoisonError::into_inner);
            if known.is_empty() {
                *known = spots(self.raster(), &maps, SPOTS);
            }
            known.clone()
        };
        let losses = |spot: Spot| {
            let map = judged.map.as_ref()?;
            Some((spot, judge.loss(&finished, map, spot.area)))
        };
        Ok(Shown {
            spots: looked_at.into_par_iter().filter_map(losses).collect(),
            cells: judged.map.map_or(Vec::new(), |map| map.scores),
            tint: judged.tint,
            version,
        })
    }
}
