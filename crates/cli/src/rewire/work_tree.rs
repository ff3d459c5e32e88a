//! Work trees of version control: changes that are not committed are not mixed with others.

use std::collections::HashSet;
use std::path::{Path, PathBuf};
use std::process::Command;

use crate::failure::Failure;
use crate::find;
use crate::settings::RewireSettings;

/// Files that are named of very many.
const NAMED: usize = 3;

/// Refuses to change files that have changes which are not committed, unless that was asked for.
pub(super) fn check(settings: &RewireSettings, changes: &[PathBuf]) -> Result<(), Failure> {
    let root = find::real(&settings.site);
    let Some(top) = root.ancestors().find(|above| above.join(".git").exists()) else {
        return Ok(());
    };
    if settings.uncommitted || changes.is_empty() {
        return Ok(());
    }
    // Without that program nobody can tell; the run can be undone all the same.
    let Some(changed) = changed(&root, top) else {
        return Ok(());
    };
    let mut mixed: Vec<String> = Vec::new();
    for path in changes.iter().filter(|path| changed.contains(*path)) {
        mixed.push(super::below(&root, path));
    }
    if mixed.is_empty() {
        return Ok(());
    }
    let more = mixed.len().saturating_sub(NAMED);
    mixed.truncate(NAMED);
    let more = if more > 0 {
        format!(" and {more} more")
    } else {
        String::new()
    };
    Err(Failure::Refused {
        path: settings.site.clone(),
        says: format!(
            "{}{more} would change and have changes that are not committed; commit them, or say --uncommitted",
            mixed.join(", ")
        ),
    })
}

/// Files below a folder that are tracked and changed; `None` where that cannot be told.
fn changed(root: &Path, top: &Path) -> Option<HashSet<PathBuf>> {
    let output = Command::new("git")
        // Nothing that the work tree asks for is started.
        .args(["-c", "core.fsmonitor=false", "-C"])
        .arg(root)
        .args([
            "status",
            "--porcelain=v1",
            "-z",
            "--untracked-files=no",
            "--no-renames",
            "--",
            ".",
        ])
        .env("GIT_OPTIONAL_LOCKS", "0")
        .output()
        .ok()?;
    if !output.status.success() {
        return None;
    }
    let entries = output.stdout.split(|byte| *byte == 0);
    let paths = entries.filter_map(|entry| Some(top.join(str::from_utf8(entry.get(3..)?).ok()?)));
    Some(paths.collect())
}
