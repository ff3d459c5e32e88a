//! The formats that a piece may have, and which of them it gets.

use std::cmp::Ordering;

use super::account::{Account, Piece, PieceError};
use crate::budget::{Aim, Verdict};
use crate::encode::Format;

/// Of pieces in several formats the one that serves best: it keeps its weight, it reaches its look,
/// and then it is the lightest, or the sharpest where that is aimed at or the look is missed. A
/// format that fails is passed over where another does not. Its trail is that of all.
pub(super) fn best(
    formats: impl IntoIterator<Item = Format>,
    aim: Aim,
    make: impl Fn(Format) -> Result<Piece, PieceError>,
) -> Result<Piece, PieceError> {
    let mut kept: Result<Piece, PieceError> = Err(PieceError::NoFormat);
    for made in formats.into_iter().map(make) {
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

/// Whether a piece of another format serves better than one that was made before it.
fn serves_better(aim: Aim, old: &Account, new: &Account) -> bool {
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
