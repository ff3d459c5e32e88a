//! Pieces of earlier firings that nothing plans for any more.

use std::collections::HashSet;
use std::fs;
use std::path::Path;

use kiln_core::plan::{self, Plan};

use crate::failure::Failure;
use crate::ledger::{Ledger, Stray};
use crate::report::{Fate, StrayReport};
use crate::settings::Settings;
use crate::write::OutFolder;

/// Finds the strays of a run and, where that was asked for, removes them. `refused` are originals
/// that are there but of no use just now: their pieces stay.
pub fn tend(
    plan: &Plan,
    refused: &HashSet<String>,
    settings: &Settings,
    folder: &OutFolder,
    ledger: &mut Ledger,
) -> Result<Vec<StrayReport>, Failure> {
    let planned = plan.jobs.iter().flat_map(|job| job.pieces());
    let planned: HashSet<&str> = planned.map(|(_, _, piece)| piece.name.as_str()).collect();
    // Only a run over the whole site knows that nothing wants a piece; any run can see that an
    // original is gone.
    let strays = ledger.strays(&planned, |original| {
        let gone = || !settings.out.join(original).exists();
        !refused.contains(original) && (settings.complete || gone())
    });
    let mut told = Vec::new();
    for stray in strays {
        let path = folder.below(&stray.name);
        let Ok(bytes) = fs::read(&path) else {
            ledger.forget(&stray.name);
            continue;
        };
        let ours = stray.digest.as_ref() == Some(&plan::digest(&bytes));
        let fate = match (settings.remove_strays, ours) {
            (false, _) => Fate::Listed,
            (true, false) => Fate::Altered,
            (true, true) => {
                fs::remove_file(&path).map_err(Failure::unwritable(&path))?;
                ledger.forget(&stray.name);
                prune(path.parent(), &settings.out);
                Fate::Removed
            }
        };
        let Stray { name, .. } = stray;
        told.push(StrayReport { name, fate });
    }
    Ok(told)
}

/// Removes folders that are empty now, up to the out folder.
fn prune(mut folder: Option<&Path>, out: &Path) {
    while let Some(path) = folder.filter(|path| *path != out && path.starts_with(out)) {
        if fs::remove_dir(path).is_err() {
            return; // It still holds something.
        }
        folder = path.parent();
    }
}
