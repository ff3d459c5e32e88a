//! What there is to check: pictures, pages and their sheets, ledgers.

use std::fs;
use std::path::{Path, PathBuf};

use kiln_site::kinds;
use walkdir::WalkDir;

use crate::failure::Failure;
use crate::find::{Candidate, slashed};
use crate::ledger;

/// All that was found.
#[derive(Debug, Default)]
pub(super) struct Files {
    /// What may be pictures, by path.
    pub pictures: Vec<Candidate>,
    /// Files that may refer to pictures, with the folder of their site.
    pub pages: Vec<(PathBuf, PathBuf)>,
    /// Folders that hold a ledger.
    pub fired: Vec<PathBuf>,
    /// Files and folders that cannot be read, and why.
    pub unreadable: Vec<(PathBuf, String)>,
}

/// Finds all files below the paths but hidden ones.
pub(super) fn find(paths: &[PathBuf]) -> Result<Files, Failure> {
    let mut files = Files::default();
    for path in paths {
        let about = fs::metadata(path).map_err(Failure::unreadable(path))?;
        if about.is_file() {
            let root = path.parent().filter(|above| !above.as_os_str().is_empty());
            files.take(path, root.unwrap_or(Path::new(".")), true);
            continue;
        }
        let hidden = |name: &std::ffi::OsStr| name.as_encoded_bytes().starts_with(b".");
        let walk = WalkDir::new(path).follow_links(true).sort_by_file_name();
        let walk = walk.into_iter();
        for entry in walk.filter_entry(|entry| entry.depth() == 0 || !hidden(entry.file_name())) {
            match entry {
                Ok(entry) if entry.file_type().is_file() => files.take(entry.path(), path, false),
                Ok(_) => {}
                Err(error) if error.loop_ancestor().is_some() => {}
                Err(error) => {
                    let at = error.path().unwrap_or(path).to_owned();
                    files.unreadable.push((at, error.to_string()));
                }
            }
        }
    }
    Ok(files)
}

impl Files {
    fn take(&mut self, path: &Path, root: &Path, named_by_user: bool) {
        if path.file_name().is_some_and(|name| name == ledger::NAME) {
            self.fired.push(path.parent().unwrap_or(root).to_owned());
        }
        let kind = kinds::by_name(&path.to_string_lossy());
        let is_drawing = kind == "image/svg+xml";
        let is_site = is_drawing || !(kind.is_empty() || kinds::is_picture(kind));
        if is_site {
            self.pages.push((path.to_owned(), root.to_owned()));
        }
        // A drawing is both.
        if !is_site || is_drawing {
            let below = path.strip_prefix(root).unwrap_or(path);
            self.pictures.push(Candidate {
                named_by_user,
                ..Candidate::found(path.to_owned(), slashed(below))
            });
        }
    }
}
