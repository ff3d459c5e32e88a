//! Everything that formats and looks come to on one picture, judged.

use std::borrow::Cow;

use rayon::prelude::*;

use super::{Judges, Loss, Spot, spots};
use crate::colour::Tint;
use crate::encode::Format;
use crate::pipeline::{self, Aims, Answer, PieceError, Version};
use crate::pixels::Raster;
use crate::plan::CodingWish;

/// Spots that are worth a person's time.
pub(super) const SPOTS: usize = 8;

/// A picture in several formats, for several wishes each.
#[derive(Debug)]
pub struct Proof {
    /// What was made, by format, in the order of the formats.
    pub formats: Vec<Proven>,
    /// Formats that could not be made.
    pub failed: Vec<(Format, PieceError)>,
    /// The parts of the picture that are worth a look, the most telling first.
    pub spots: Vec<Spot>,
}

/// A picture in one format.
#[derive(Debug)]
pub struct Proven {
    /// The format.
    pub format: Format,
    /// Every file that was made, the lightest first.
    pub versions: Vec<Judged>,
    /// What each wish that it can meet came to.
    pub answers: Vec<Answer>,
}

/// A file, and what it has lost, where it answers a wish.
#[derive(Debug)]
pub struct Judged {
    /// The file.
    pub version: Version,
    /// What became of its colours.
    pub tint: Option<Tint>,
    /// The score of every cell, row by row.
    pub cells: Vec<f32>,
    /// What each spot has lost.
    pub losses: Vec<Loss>,
}

/// Makes a picture in several formats for several wishes, and judges every file that was made.
pub fn prove(
    raster: &Raster,
    density: f64,
    formats: &[Format],
    wishes: &[CodingWish],
    aims: Aims,
) -> Proof {
    let mut failed = Vec::new();
    let mut made = Vec::new();
    for (format, versions) in pipeline::versions(raster, density, formats, wishes, aims) {
        match versions {
            Ok(versions) => made.push((format, versions)),
            Err(why) => failed.push((format, why)),
        }
    }
    let judges = Judges::new(Cow::Borrowed(raster), aims.backdrop);
    // Those that answer a wish are looked at; the others were only steps on the way.
    let files = made.iter().flat_map(|(format, versions)| {
        let files = versions.made.iter().enumerate();
        files.map(move |(index, version)| {
            let mut answers = versions.answers.iter();
            let answers = answers.any(|answer| answer.version == index);
            (*format, answers.then_some(version.file.as_slice()))
        })
    });
    let files: Vec<(Format, Option<&[u8]>)> = files.collect();
    let looked = files.par_iter().map(|&(format, file)| {
        let judge = judges.of(format);
        let version = judge.open(format, file?).ok()?;
        Some(judge.judge(&version))
    });
    let looked: Vec<_> = looked.collect();
    let maps = looked.iter().flatten();
    let maps: Vec<_> = maps.filter_map(|one| one.map.as_ref()).collect();
    let spots = spots(raster, &maps, SPOTS);
    let losses = files
        .par_iter()
        .zip(&looked)
        .map(|(&(format, file), looked)| {
            let judge = judges.of(format);
            let map = looked.as_ref().and_then(|looked| looked.map.as_ref());
            let version = file.and_then(|file| judge.open(format, file).ok());
            let (Some(map), Some(version)) = (map, version) else {
                return Vec::new();
            };
            let losses = spots
                .iter()
                .map(|spot| judge.loss(&version, map, spot.area));
            losses.collect()
        });
    let losses: Vec<Vec<Loss>> = losses.collect();
    let mut judged = looked.into_iter().zip(losses);
    let formats = made.into_iter().map(|(format, versions)| {
        let answers = versions.answers;
        let versions = versions.made.into_iter().filter_map(|version| {
            let (looked, losses) = judged.next()?;
            let tint = looked.as_ref().map(|looked| looked.tint);
            let map = looked.and_then(|looked| looked.map);
            Some(Judged {
                version,
                tint,
                cells: map.map_or(Vec::new(), |map| map.scores),
                losses,
            })
        });
        Proven {
            format,
            versions: versions.collect(),
            answers,
        }
    });
    Proof {
        formats: formats.collect(),
        failed,
        spots,
    }
}
