//! Pieces of earlier firings that nothing plans for any more.

use std::collections::HashSet;
use std::path::PathBuf;

use kiln_core::plan::{self, Plan};

use crate::failure::Failure;
use crate::find;
use crate::ledger::{self, Ledger, Stray};
use crate::report::{Fate, StrayReport};
use crate::settings::Settings;
use crate::write::OutFolder;

/// From where a run sees what is a stray.
pub struct Standpoint<'a> {
    /// What plans its pieces, as the ledger has it.
    pub by: &'a str,
    /// Originals that are there but of no use just now: their pieces stay.
    pub refused: HashSet<String>,
}

/// Finds the strays of a run and, where that was asked for, removes them: pieces that the same kiln
/// file planned before, or a command over the same paths.
pub fn tend(
    plan: &Plan,
    known: &Standpoint<'_>,
    settings: &Settings,
    folder: &OutFolder,
    ledger: &mut Ledger,
) -> Result<Vec<StrayReport>, Failure> {
    let planned = plan.jobs.iter().flat_map(|job| job.pieces());
    let planned: HashSet<&str> = planned.flat_map(|(_, _, piece)| piece.names()).collect();
    let named: Vec<PathBuf> = settings
        .originals
        .paths
        .iter()
        .map(|p| find::real(p))
        .collect();
    // Only a run over the whole site knows that nothing wants a piece; any run can see that an
    // original is gone.
    let strays = ledger.strays(&planned, |original, by| {
        // The first form of the ledger had paths as they were given.
        let paths = [settings.out.join(original), original.into()];
        let gone = || !paths.iter().any(|path: &PathBuf| path.exists());
        let below = || {
            named
                .iter()
                .any(|path| find::real(&paths[0]).starts_with(path))
        };
        let ours = match by {
            None => true,
            Some(ledger::COMMAND) => known.by == ledger::COMMAND && below(),
            Some(by) => by == known.by,
        };
        ours && !known.refused.contains(original) && (settings.complete || gone())
    });
    let mut told = Vec::new();
    for Stray { name, digest } in strays {
        if !folder.is_taken(&name) {
            ledger.forget(&name);
            continue;
        }
        ledger.strayed(&name);
        let bytes = folder.read(&name);
        let ours = bytes.is_ok_and(|bytes| digest == Some(plan::digest(&bytes)));
        let fate = match (settings.remove_strays, ours) {
            (false, _) => Fate::Listed,
            (true, false) => Fate::Altered,
            (true, true) => {
                let removed = folder.remove(&name);
                removed.map_err(Failure::unwritable(&settings.out.join(&name)))?;
                ledger.forget(&name);
                Fate::Removed
            }
        };
        told.push(StrayReport { name, fate });
    }
    Ok(told)
}

/// Removes what earlier firings left under other names of pieces that are made now: the same pieces
/// in formats that serve less well. A file that is not as it was made stays, and is told.
pub fn replaced(
    plan: &Plan,
    settings: &Settings,
    folder: &OutFolder,
    ledger: &mut Ledger,
) -> Result<Vec<StrayReport>, Failure> {
    let mut told = Vec::new();
    for (_, _, piece) in plan.jobs.iter().flat_map(|job| job.pieces()) {
        if ledger.made(piece).is_none() {
            continue;
        }
        for name in piece.names() {
            let Some(digest) = ledger.standing(name) else {
                continue;
            };
            let as_made = |bytes: Vec<u8>| plan::digest(&bytes) == digest;
            if !folder.is_taken(name) {
                ledger.cleared(name);
            } else if folder.read(name).is_ok_and(as_made) {
                let removed = folder.remove(name);
                removed.map_err(Failure::unwritable(&settings.out.join(name)))?;
                ledger.cleared(name);
            } else {
                let (name, fate) = (name.to_owned(), Fate::Altered);
                told.push(StrayReport { name, fate });
            }
        }
    }
    Ok(told)
}
