//! Pictures in folders of other machines.

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use std::thread;

use super::{Aside, Candidate, Read, Searched};
use crate::away::{AT_ONCE, Away, Distant};
use crate::carry::is_part;
use crate::failure::Failure;
use crate::ledger;
use crate::mishap::Mishap;
use crate::settings::Originals;
use crate::write::leads_below;

/// Every file of the machines among the originals. Hidden ones are left out, and so are the out folder and other
/// folders that pieces were fired into.
pub fn candidates(originals: &Originals, out: &Path) -> Result<Searched, Failure> {
    let mut searched = Searched::default();
    for (path, remote) in &originals.remotes {
        let away = Arc::new(Away::at(remote)?);
        let root = away.address().to_owned();
        let out_below = below(&with_slash(out), &root);
        if below(&root, &with_slash(out)).is_some() {
            return Err(Failure::OutHoldsOriginals {
                out: out.to_owned(),
                originals: path.clone(),
            });
        }
        let lead = originals.base.as_deref();
        let lead = lead.and_then(|base| below(&root, &with_slash(base)));
        let mut all = away.all(&|folder| !folder.starts_with('.') || folder == ledger::AWAY)?;
        let fired = fired(all.keys());
        let is_out = |name: &str| out_below.as_ref().is_some_and(|out| name.starts_with(out));
        let is_fired = |name: &str| fired.iter().any(|folder| name.starts_with(folder));
        let hidden = |name: &str| name.split('/').any(|part| part.starts_with('.'));
        all.retain(|name, _| !is_out(name) && !is_fired(name) && !hidden(name) && !is_part(name));
        for folder in fired.iter().filter(|folder| !is_out(folder)) {
            let why = Mishap::new("holds the pieces of a firing, which are no originals");
            let path = away.address_of(folder).into();
            searched.passed_over.push(Aside::of(path, why));
        }
        for (name, found) in all {
            let path = PathBuf::from(away.address_of(&name));
            if !leads_below(&name) {
                let why = Mishap::new("has a name that leads elsewhere; give it another");
                searched.passed_over.push(Aside { path, name, why });
                continue;
            }
            let full = format!("{}{name}", lead.as_deref().unwrap_or_default());
            searched.candidates.push(Candidate {
                distant: Some(Box::new(Distant::new(&away, name, found))),
                ..Candidate::found(path, full)
            });
        }
    }
    let found = &mut searched.candidates;
    found.sort_by(|a, b| a.path.cmp(&b.path));
    found.dedup_by(|a, b| a.path == b.path);
    Ok(searched)
}

/// The folders that pieces were fired into, each with a slash at its end; nothing for all of it.
fn fired<'a>(names: impl Iterator<Item = &'a String>) -> BTreeSet<String> {
    let folders = names.filter_map(|name| {
        let at = name.rfind('/').map_or(0, |at| at + 1);
        let (folder, file) = name.split_at(at);
        let above = folder.strip_suffix('/').unwrap_or(folder);
        match above.strip_suffix(ledger::AWAY) {
            Some(above) if above.is_empty() || above.ends_with('/') => Some(above.to_owned()),
            _ => (file == ledger::NAME).then(|| folder.to_owned()),
        }
    });
    folders.collect()
}

/// The way from one address down to another, with a slash at its end or nothing.
fn below(address: &str, above: &str) -> Option<String> {
    address.strip_prefix(above).map(str::to_owned)
}

fn with_slash(address: &Path) -> String {
    let address = address.to_string_lossy();
    format!("{}/", address.trim_end_matches('/'))
}

/// Reads the headers of files, many at once; they stay in their order.
pub fn headers(candidates: Vec<Candidate>) -> impl Iterator<Item = (Candidate, Read)> {
    let next = AtomicUsize::new(0);
    let mut read: Vec<Read> = Vec::new();
    read.resize_with(candidates.len(), || None);
    let found = Mutex::new(read);
    thread::scope(|scope| {
        for _ in 0..AT_ONCE.min(candidates.len()) {
            scope.spawn(|| {
                while let Some((index, candidate)) = {
                    let index = next.fetch_add(1, Ordering::Relaxed);
                    candidates.get(index).map(|candidate| (index, candidate))
                } {
                    let read = super::headers(candidate);
                    found.lock().unwrap_or_else(PoisonError::into_inner)[index] = read;
                }
            });
        }
    });
    let read = found.into_inner().unwrap_or_else(PoisonError::into_inner);
    candidates.into_iter().zip(read)
}
