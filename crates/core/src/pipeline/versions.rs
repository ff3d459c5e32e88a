//! One picture in several formats, for several looks each: every file that was made on the way.

use std::borrow::Cow;

use rayon::prelude::*;

use super::account::{Account, Attempt, PieceError};
use super::studio::{Aims, Studio};
use crate::budget::Verdict;
use crate::credits::Inscription;
use crate::encode::Format;
use crate::pixels::Raster;
use crate::plan::CodingWish;

/// A picture in one format.
#[derive(Clone, Debug, PartialEq)]
pub struct Versions {
    /// Every file that was made, the lightest first.
    pub made: Vec<Version>,
    /// What each wish that the format can meet came to, in the order of the wishes.
    pub answers: Vec<Answer>,
}

/// A file, and how it was made.
#[derive(Clone, Debug, PartialEq)]
pub struct Version {
    /// How it was made, and what it came to.
    pub attempt: Attempt,
    /// The whole file.
    pub file: Vec<u8>,
}

/// What a wish came to in a format.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Answer {
    /// The wish, by its index.
    pub wish: usize,
    /// What the search came to; `None` where a dial was set.
    pub verdict: Option<Verdict>,
    /// The version that serves it best, by its index.
    pub version: usize,
}

/// Makes a raster in several formats, in each for several wishes: what was tried for one is known
/// for the next. The formats are worked on side by side.
pub fn versions(
    raster: &Raster,
    density: f64,
    formats: &[Format],
    wishes: &[CodingWish],
    aims: Aims,
) -> Vec<(Format, Result<Versions, PieceError>)> {
    let blocks = Inscription::default().blocks();
    let studio = Studio::new(Cow::Borrowed(raster), aims, density, blocks);
    let each = formats.par_iter();
    each.map(|&format| (format, of_format(&studio, format, wishes)))
        .collect()
}

/// Whether a format may serve a wish best.
fn can_meet(format: Format, wish: &CodingWish) -> bool {
    *wish != CodingWish::Exact || format.is_light_exactly()
}

/// A slow coder's wishes are shared out to so many threads, which do not tell each other what they try.
const HALVES: usize = 2;

fn of_format(
    studio: &Studio<'_>,
    format: Format,
    wishes: &[CodingWish],
) -> Result<Versions, PieceError> {
    let wishes = wishes.iter().copied().enumerate();
    let wishes: Vec<(usize, CodingWish)> =
        wishes.filter(|(_, wish)| can_meet(format, wish)).collect();
    let parts = if format.coder().abilities().slow {
        HALVES
    } else {
        1
    };
    let met = (0..parts).into_par_iter().map(|part| {
        let own = wishes.iter().skip(part).step_by(parts);
        meet(studio, format, own)
    });
    let met: Result<Vec<_>, PieceError> = met.collect();
    let (mut made, mut found) = (Vec::<Version>::new(), Vec::new());
    for (versions, pieces) in met? {
        for version in versions {
            // Both may have tried the same.
            let manner = version.attempt.manner();
            if made.iter().all(|known| known.attempt.manner() != manner) {
                made.push(version);
            }
        }
        found.extend(pieces);
    }
    made.sort_by_key(|version| (version.attempt.weight, version.attempt.score.to_bits()));
    found.sort_by_key(|(wish, _)| *wish);
    let answer = |(wish, account): &(usize, Account)| {
        let is_it = |version: &Version| account.is_of(format, &version.attempt);
        made.iter().position(is_it).map(|version| Answer {
            wish: *wish,
            verdict: account.verdict,
            version,
        })
    };
    let answers = found.iter().filter_map(answer).collect();
    Ok(Versions { made, answers })
}

/// All files that were made for some wishes, and how those were met.
type Met = (Vec<Version>, Vec<(usize, Account)>);

/// Meets wishes one after the other: what was tried for one is known for the next.
fn meet<'w>(
    studio: &Studio<'_>,
    format: Format,
    wishes: impl Iterator<Item = &'w (usize, CodingWish)>,
) -> Result<Met, PieceError> {
    let bench = studio.bench(format, studio.terms())?.keeping(Vec::new());
    let mut found = Vec::new();
    for &(index, wish) in wishes {
        let piece = bench.meet(wish, &bench.known(), None)?;
        found.push((index, piece.account));
    }
    Ok((bench.into_made(), found))
}
