//! Pieces of a list of formats that gain nothing: they are made, compared, and left out.

use std::collections::HashMap;

use kiln_core::encode::Format;
use kiln_core::pipeline::{self, Account};
use kiln_core::plan::{self, Job, PlannedPiece};

use super::rounds::Run;
use crate::failure::Failure;
use crate::report::{Fate, Fired, StrayReport};

/// The pieces of a job that are outdone, by their keys, and the formats that outdo theirs.
pub fn of<'a>(
    job: &'a Job,
    made: impl Fn(&'a PlannedPiece) -> Option<&'a Account>,
) -> HashMap<&'a str, Format> {
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
        let accounts = pieces.filter_map(|piece| {
            let account = piece.written()?.account.clone();
            Some((piece.planned.key().to_owned(), account))
        });
        let accounts: HashMap<String, Account> = accounts.collect();
        let outdone = of(charge.job, |piece| accounts.get(piece.key()));
        for piece in &mut charge.report.pieces {
            let Some(by) = outdone.get(piece.planned.key()).copied() else {
                continue;
            };
            let Fired::Made(written) = &piece.fired else {
                continue;
            };
            let (written, name) = (written.clone(), written.name.clone());
            if run.folder.is_taken(&name) {
                let made = run.ledger.made(&piece.planned);
                let digest = made.map(|finished| finished.made.digest.clone());
                let file = run.folder.read(&name);
                if file.is_ok_and(|file| Some(plan::digest(&file)) == digest) {
                    let removed = run.folder.remove(&name);
                    removed.map_err(Failure::unwritable(&run.settings.out.join(&name)))?;
                } else {
                    let fate = Fate::Altered;
                    told.push(StrayReport { name, fate });
                    continue;
                }
            }
            run.ledger.outdone(&written.name, by);
            piece.fired = Fired::Outdone(written, by);
        }
    }
    Ok(told)
}
