//! Names claimed before any work.

use std::cell::LazyCell;
use std::sync::Arc;

use kiln_core::plan::{self, Candidate};

use super::charges::Charge;
use super::out::Out;
use crate::failure::Failure;
use crate::ledger::{Ledger, PieceEntry};
use crate::settings::Settings;

/// Enters every planned piece into the ledger, under all names that it may get, so that even a killed
/// run knows its own again, and stops before any work where files that are none of ours stand in the
/// way.
pub fn claim(
    charges: &[Charge<'_>],
    by: &Arc<str>,
    folder: &Out,
    ledger: &mut Ledger,
    settings: &Settings,
) -> Result<(), Failure> {
    let set_aside = LazyCell::new(|| Ledger::set_aside(folder.of_ledger()));
    // Known by its digest, where the ledger that knew it was damaged.
    let set_aside = |name: &str| {
        let digest = plan::digest(&folder.read(name).ok()?);
        set_aside.contains(&digest).then_some(digest)
    };
    let mut foreign = Vec::new();
    for Charge { key, job, .. } in charges {
        let candidates = job.pieces().flat_map(|(placement, size, piece)| {
            let candidates = piece.candidates.iter();
            candidates.map(move |candidate| (placement, size, piece, candidate))
        });
        for (placement, size, piece, Candidate { name, format }) in candidates {
            let path = folder.below(name);
            let path = path.map_err(Failure::unwritable(&settings.out.join(name)))?;
            let mut standing = None;
            if !ledger.knows(name) && folder.is_taken(name) {
                standing = set_aside(name);
                if standing.is_none() && !settings.adopt {
                    foreign.push(path);
                    continue;
                }
            }
            let entry = PieceEntry {
                place: placement.place.as_deref().map(Into::into),
                by: Some(Arc::clone(by)),
                size: size.size,
                displayed: Some(size.displayed),
                format: *format,
                recipe: piece.recipe,
                made: None,
                standing,
                is_stray: false,
            };
            ledger.enter(key, name, entry);
        }
    }
    if foreign.is_empty() {
        Ok(())
    } else {
        Err(Failure::Foreign(foreign))
    }
}
