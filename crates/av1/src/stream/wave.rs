//! Rows of superblocks side by side: each is worked on behind the one above it, so far that what is above it and to
//! its right is there. What comes of it does not depend on how many are worked on at once.

use rayon::prelude::*;

use crate::frame::Frame;
use crate::ground::Ground;
use crate::odds::Odds;
use crate::tile::{Past, Row};

/// So many rows are worked on at once: the fewer, the more has been learnt of symbols when a row begins.
const AT_ONCE: usize = 4;

/// Works on all superblocks of a tile. Rows begin with what is known of symbols at the end of the row above, or else
/// with what that has learnt by then. Returns the rows, with what was made of their superblocks.
pub(super) fn rows<'a, R: Send>(
    frame: &'a Frame,
    ground: &'a Ground,
    known: Option<&[Odds]>,
    make: impl Fn(&mut Row<'a>, (usize, usize)) -> R + Sync,
) -> Vec<(Row<'a>, Vec<R>)> {
    let (across, down) = frame.units();
    let (across, down) = (across.div_ceil(16), down.div_ceil(16));
    // So many superblocks a row is behind the one above it.
    let behind = (across / AT_ONCE).max(2);
    let past = Past::new(frame, ground);
    let mut rows: Vec<(Row<'a>, Vec<R>)> = (0..down)
        .map(|row| {
            let odds = row.checked_sub(1).and_then(|above| known?.get(above));
            (Row::new((frame, ground), row, odds, &past), Vec::new())
        })
        .collect();
    for step in 0..across + behind * (down - 1) {
        // Those that have a superblock to work on.
        let first = (step + 1).saturating_sub(across).div_ceil(behind);
        let last = (step / behind).min(down - 1);
        rows[first..=last]
            .par_iter_mut()
            .enumerate()
            .for_each(|(index, (row, made))| {
                let y = first + index;
                let x = step - behind * y;
                made.push(make(row, (x * 16, y * 16)));
            });
        for y in first..=last {
            let x = step - behind * y;
            past.note(frame.chroma, &rows[y].0.shown, (x * 16, y * 16));
            let (above, below) = rows.split_at_mut(y + 1);
            if let Some((below, _)) = below.first_mut() {
                let begins = known.is_none() && x + 1 == behind.min(across);
                below.follow(&above[y].0, x, begins);
            }
        }
    }
    rows
}
