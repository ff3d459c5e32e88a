//! Pieces of earlier firings that nothing plans for any more.

use std::collections::HashSet;
use std::path::{Path, PathBuf};

use kiln_core::plan::{self, Digest, Plan};

use super::charges::Keys;
use super::out::Out;
use crate::failure::Failure;
use crate::find;
use crate::ledger::{self, Ledger, Stray};
use crate::report::{Fate, StrayReport};
use crate::settings::{Remote, Settings, is_address};

/// From where a run sees what is a stray.
pub struct Standpoint<'a> {
    /// What plans its pieces, as the ledger has it.
    pub by: &'a str,
    /// Originals that are there but of no use just now: their pieces stay.
    pub refused: HashSet<String>,
    /// All originals that were found on other machines.
    pub distant: HashSet<String>,
}

/// Finds the strays of a run and, where that was asked for, removes them: pieces that the same kiln
/// file planned before, or a command over the same paths.
pub fn tend(
    planned: &HashSet<Digest>,
    known: &Standpoint<'_>,
    settings: &Settings,
    folder: &Out,
    ledger: &mut Ledger,
) -> Result<Vec<StrayReport>, Failure> {
    let named = settings.originals.paths.iter();
    let (addresses, here): (Vec<_>, Vec<_>) = named.partition(|path| is_address(path));
    let named: Vec<PathBuf> = here.into_iter().map(|path| find::real(path)).collect();
    // As they begin in the ledger.
    let machines = addresses
        .iter()
        .filter_map(|path| settings.originals.remotes.get(*path));
    let machines: Vec<String> = machines.map(Remote::address).collect();
    let base = Keys::base(settings);
    // Only a run over the whole site knows that nothing wants a piece; any run can see that an
    // original is gone.
    let strays = ledger.strays(planned, |original, by| {
        // The first form of the ledger had paths as they were given.
        let paths = [base.join(original), original.into()];
        let is_distant = is_address(Path::new(original));
        let on_machine = || machines.iter().any(|machine| original.starts_with(machine));
        let gone = || match is_distant {
            // Of machines that were not looked at nothing is known.
            true => on_machine() && !known.distant.contains(original),
            false => !paths.iter().any(|path: &PathBuf| path.exists()),
        };
        let below = || match is_distant {
            true => on_machine(),
            false => {
                let real = find::real(&paths[0]);
                named.iter().any(|path| real.starts_with(path))
            }
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
    folder: &Out,
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
