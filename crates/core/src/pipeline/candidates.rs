//! The formats that a piece may have, and which of them it gets.

use std::cmp::Ordering;

use super::account::{Account, Piece, PieceError};
use super::canvas::Canvas;
use crate::budget::{Aim, Verdict};
use crate::encode::Format;
use crate::plan::{Placement, PlannedPiece};

/// Of pieces in several formats the one that serves best: it keeps its weight, it reaches its look,
/// and then it is the lightest, or the sharpest where that is aimed at or the look is missed. A
/// format that fails is passed over where another does not. Its trail is that of all. `make` is given the
/// weight of a piece that would do, once there is one: nothing heavier need be looked for.
pub(super) fn best(
    formats: impl IntoIterator<Item = Format>,
    aim: Aim,
    canvas: &Canvas<'_>,
    make: impl Fn(Format, Option<u64>) -> Result<Piece, PieceError>,
) -> Result<Piece, PieceError> {
    let mut kept: Result<Piece, PieceError> = Err(PieceError::NoFormat);
    for format in formats {
        let would_do = |piece: &&Piece| aim == Aim::Lightest && keeps_all(&piece.account);
        let rival = kept.as_ref().ok().filter(would_do);
        let coder = format.coder();
        if rival.is_some() && !coder.may_be_lightest(&canvas.raster, canvas.nature) {
            continue;
        }
        let made = make(format, rival.map(|piece| piece.account.weight));
        kept = match (kept, made) {
            (Ok(kept), Ok(made)) => Ok(kept.or(made, |old, new| serves_better(aim, old, new))),
            (Err(PieceError::NoFormat), made) => made,
            (Ok(kept), Err(_)) => Ok(kept),
            (Err(_), Ok(made)) => Ok(made),
            (Err(first), Err(_)) => Err(first),
        };
    }
    kept
}

/// Whether a piece keeps all its budgets.
pub(super) fn keeps_all(account: &Account) -> bool {
    account.fits && account.verdict.is_some_and(Verdict::reaches)
}

/// Whether a piece of another format, or made in another way, serves better than one that was made before.
pub(super) fn serves_better(aim: Aim, old: &Account, new: &Account) -> bool {
    let rank = |account: &Account| {
        let reaches = account.verdict.is_none_or(Verdict::reaches);
        (account.fits, reaches)
    };
    let lighter = old.weight.cmp(&new.weight);
    let sharper = new.score.total_cmp(&old.score);
    let better = match rank(new) {
        (false, _) => lighter.then(sharper),
        (true, true) if aim == Aim::Lightest => lighter.then(sharper),
        (true, _) => sharper.then(lighter),
    };
    rank(new).cmp(&rank(old)).then(better) == Ordering::Greater
}

/// What the pieces of a placement in one format come to.
struct Sum {
    format: Format,
    weight: u64,
    pieces: usize,
    flattened: bool,
}

/// The pieces of a placement that gain nothing, and the format that outdoes theirs: it is lighter at the
/// same look, all sizes together, and more browsers show it. `made` tells how a piece came about.
/// Pieces that may be of several formats, that share a total, or that miss their budgets are not judged.
pub fn outdone<'a, 'm>(
    placement: &'a Placement,
    made: impl Fn(&'a PlannedPiece) -> Option<&'m Account>,
) -> Vec<(&'a PlannedPiece, Format)> {
    if placement.keep_all || !placement.totals.is_empty() {
        return Vec::new();
    }
    let pieces = || placement.sizes.iter().flat_map(|size| &size.pieces);
    let format_of = |piece: &PlannedPiece| match &piece.candidates[..] {
        [only] => Some(only.format),
        _ => None,
    };
    let mut sums: Vec<Sum> = Vec::new();
    for piece in pieces() {
        let (Some(format), Some(account)) = (format_of(piece), made(piece)) else {
            continue;
        };
        if !keeps_all(account) || account.shrunk.is_some() {
            continue;
        }
        let index = sums.iter().position(|sum| sum.format == format);
        let index = index.unwrap_or_else(|| {
            sums.push(Sum {
                format,
                weight: 0,
                pieces: 0,
                flattened: account.flattened,
            });
            sums.len() - 1
        });
        sums[index].weight += account.weight;
        sums[index].pieces += 1;
        sums[index].flattened |= account.flattened;
    }
    // One that is sharp at every size serves all of them.
    let served = |sum: &Sum| sum.format.is_scalable() || sum.pieces == placement.sizes.len();
    sums.retain(served);
    let by = |format: Format| {
        let own = sums.iter().find(|sum| sum.format == format)?;
        let better = sums.iter().filter(|sum| {
            let wider = sum.format.is_shown_by_more_than(format);
            wider && sum.weight < own.weight && sum.flattened == own.flattened
        });
        Some(better.min_by_key(|sum| sum.weight)?.format)
    };
    let outdone = pieces().filter_map(|piece| Some((piece, by(format_of(piece)?)?)));
    outdone.chain(needless(placement, &made)).collect()
}

/// Where the best of several formats turned out to be sharp at every size, and no piece of another size
/// is lighter, those serve nobody.
fn needless<'a, 'm>(
    placement: &'a Placement,
    made: &impl Fn(&'a PlannedPiece) -> Option<&'m Account>,
) -> Vec<(&'a PlannedPiece, Format)> {
    let pieces = || placement.sizes.iter().flat_map(|size| &size.pieces);
    let is_choice = |piece: &&PlannedPiece| piece.candidates.len() > 1;
    let mut found = pieces().filter(is_choice).filter_map(|piece| {
        let account = made(piece).filter(|account| keeps_all(account))?;
        let mut formats = piece.formats().filter(|format| format.is_scalable());
        let format = formats.find(|&format| account.kept(format).is_some())?;
        Some((piece, format, account.weight))
    });
    let Some((drawn, format, weight)) = found.next() else {
        return Vec::new();
    };
    let others = || {
        pieces()
            .filter(is_choice)
            .filter(|piece| piece.key() != drawn.key())
    };
    let heavier = |piece| made(piece).is_some_and(|account: &Account| account.weight > weight);
    match others().all(heavier) {
        true => others().map(|piece| (piece, format)).collect(),
        false => Vec::new(),
    }
}
