//! Rules for the pieces of a ledger: there, as they were made, of their originals as these are now, and no
//! heavier than their places allow.

use std::fs::{self, File};
use std::io::BufReader;
use std::path::Path;

use kiln_core::plan;

use super::files::Files;
use super::{At, Flaws};
use crate::failure::Failure;
use crate::find;
use crate::ledger::{Entry, Ledger, Record};
use crate::rules::Rule;
use crate::write::leads_below;

/// Checks every ledger that was found.
pub(super) fn check(files: &Files, flaws: &mut Flaws<'_>) -> Result<(), Failure> {
    for folder in &files.fired {
        let Some(Record { originals, .. }) = Ledger::look(folder)? else {
            let file = folder.join(crate::ledger::NAME);
            let file = file.to_string_lossy();
            let value = "the ledger cannot be read".to_owned();
            flaws.add(
                Rule::Damaged,
                At::file(&file),
                value,
                String::new(),
                "run kiln fire again",
            );
            continue;
        };
        let site = flaws.settings.site.as_ref();
        let is_own = site.is_some_and(|site| find::real(&site.out) == find::real(folder));
        for (original, entry) in &originals {
            pieces(folder, original, entry, is_own, flaws);
        }
    }
    Ok(())
}

fn pieces(folder: &Path, original: &str, entry: &Entry, is_own: bool, flaws: &mut Flaws<'_>) {
    let advice = "run kiln fire";
    let is_stale = || {
        let path = folder.join(original);
        let now = File::open(path)
            .ok()
            .and_then(|file| plan::digest_of(BufReader::new(file)).ok());
        now.is_some() && now != entry.digest
    };
    let is_stale = flaws.wants(Rule::Outdated) && is_stale();
    for (name, piece) in entry.pieces.iter() {
        let standing = piece.made.as_ref().filter(|made| made.outdone.is_none());
        let Some(made) = standing.filter(|_| leads_below(name)) else {
            continue;
        };
        let path = folder.join(name);
        let file = path.to_string_lossy().into_owned();
        let at = At::file(&file);
        let Ok(bytes) = fs::read(&path) else {
            let value = "is not there, and the ledger has it".to_owned();
            flaws.add(Rule::Missing, at, value, String::new(), advice);
            continue;
        };
        if plan::digest(&bytes) != made.digest {
            let value = "was changed since it was made".to_owned();
            flaws.add(Rule::Altered, at, value, String::new(), advice);
        } else if is_stale {
            let value = format!("is older than its original {original}");
            flaws.add(Rule::Outdated, at, value, String::new(), advice);
        }
        if let (true, Some(place)) = (is_own, &piece.place) {
            let site = flaws.settings.site.as_ref();
            let places = site.map(|site| &site.site.places[..]).unwrap_or_default();
            let most = places
                .iter()
                .find(|one| *one.name == **place)
                .and_then(|one| one.wish.max_weight);
            let advice = format!("run kiln fire, or give {place} more");
            flaws.add_weight(Rule::PlaceWeight, &file, bytes.len() as u64, most, &advice);
        }
    }
}
