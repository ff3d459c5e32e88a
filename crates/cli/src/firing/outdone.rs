//! Pieces of a list of formats that gain nothing: they are made, compared, and left out.

use std::collections::HashMap;

use kiln_core::encode::Format;
use kiln_core::pipeline::{self, Account};
use kiln_core::plan::{self, Job, PlannedPiece};

use super::rounds::Run;
use crate::failure::Failure;
use crate::report::{Fate, Fired, StrayReport, Written};

/// Pieces that are outdone, by their keys, and the formats that outdo theirs.
pub type Outdone<'a> = HashMap<&'a str, Format>;

/// The pieces of a job that are outdone.
pub fn of<'a, 'm>(
    job: &'a Job,
    made: impl Fn(&'a PlannedPiece) -> Option<&'m Account>,
) -> Outdone<'a> {
    let placements = job.placements.iter();
    let outdone = placements.flat_map(|placement| pipeline::outdone(placement, &made));
    outdone.map(|(piece, by)| (piece.key(), by)).collect()
}

/// Takes the pieces that are outdone out of the out folder again; files that are not as they were made
/// stay, and are told.
pub fn leave_out(run: &mut Run<'_, '_>) -> Result<Vec<StrayReport>, Failure> {
    let mut told = Vec::new();
    for charge in run.charges.iter_mut() {
        let pieces = charge.report.pieces.iter();
        let written = pieces.filter_map(|piece| Some((piece.planned.key(), piece.written()?)));
        let written: HashMap<&str, &Written> = written.collect();
        let account = |piece: &PlannedPiece| Some(&written.get(piece.key())?.account);
        let outdone = of(charge.job, account);
        for piece in &mut charge.report.pieces {
            let Some(by) = outdone.get(piece.planned.key()).copied() else {
                continue;
            };
            let Fired::Made(written) = &piece.fired else {
                continue;
            };
            let written = written.clone();
            let name = &written.name;
            if run.folder.is_taken(name) {
                let made = run.ledger.made(&piece.planned);
                let digest = made.map(|finished| finished.made.digest);
                let file = run.folder.read(name);
                if file.is_ok_and(|file| Some(plan::digest(&file)) == digest) {
                    let removed = run.folder.remove(name);
                    removed.map_err(Failure::unwritable(&run.settings.out.join(name)))?;
                } else {
                    let (name, fate) = (written.name, Fate::Altered);
                    told.push(StrayReport { name, fate });
                    continue;
                }
            }
            run.ledger.outdone(name, by);
            piece.fired = Fired::Outdone(written, by);
        }
    }
    Ok(told)
}
