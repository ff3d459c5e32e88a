//! Each run is kept as a diff, by which it can be undone.

use std::fs::{self, File};
use std::io::{BufWriter, Write};
use std::path::{Path, PathBuf};
use std::process::ExitCode;

use kiln_site::patch;
use tempfile::NamedTempFile;

use crate::failure::Failure;
use crate::find;
use crate::report::Channels;
use crate::settings::RewireSettings;
use crate::{wording, write};

/// The folder below the site that diffs are kept in.
pub(super) const FOLDER: &str = ".kiln-rewire";

/// The most bytes of a diff that are read back.
const LARGEST: u64 = 1 << 30;

/// Where a diff goes: to standard output, or into a file that is kept in the end.
pub(super) enum Diff {
    Printed,
    Kept {
        file: BufWriter<NamedTempFile>,
        folder: Folder,
    },
}

/// The folder of diffs, which does not stay where nothing is in it.
pub(super) struct Folder(PathBuf);

impl Drop for Folder {
    fn drop(&mut self) {
        let _ = fs::remove_dir(&self.0);
    }
}

impl Diff {
    /// Begins one.
    pub fn begin(settings: &RewireSettings) -> Result<Diff, Failure> {
        if settings.dry_run {
            return Ok(Diff::Printed);
        }
        let folder = settings.site.join(FOLDER);
        let file = fs::create_dir_all(&folder).and_then(|()| NamedTempFile::new_in(&folder));
        let file = file.map_err(Failure::unwritable(&folder))?;
        Ok(Diff::Kept {
            file: BufWriter::new(file),
            folder: Folder(folder),
        })
    }

    /// Takes in the change of a file.
    pub fn take(&mut self, patch: &[u8], channels: &Channels) -> Result<(), Failure> {
        match self {
            Diff::Printed => channels.print_bytes(patch),
            Diff::Kept { file, folder } => {
                let written = file.write_all(patch);
                written.map_err(Failure::unwritable(&folder.0))
            }
        }
    }

    /// Keeps it, before anything is changed.
    pub fn keep(self) -> Result<(), Failure> {
        let Diff::Kept { file, folder } = self else {
            return Ok(());
        };
        let folder = &folder.0;
        let number = kept(folder).last().map_or(1, |(number, _)| number + 1);
        let path = folder.join(format!("{number:04}.patch"));
        let taken = file.into_inner().map_err(|error| error.into_error());
        let file = taken.map_err(Failure::unwritable(&path))?;
        let kept = file
            .as_file()
            .sync_all()
            .and_then(|()| Ok(file.persist_noclobber(&path)?));
        kept.map(drop).map_err(Failure::unwritable(&path))
    }
}

/// The diffs of a site, the oldest first.
fn kept(folder: &Path) -> Vec<(u32, PathBuf)> {
    let entries = fs::read_dir(folder).into_iter().flatten().flatten();
    let mut kept: Vec<(u32, PathBuf)> = entries
        .filter_map(|entry| {
            let path = entry.path();
            let is_patch = path
                .extension()
                .is_some_and(|extension| extension == "patch");
            let number = path.file_stem()?.to_str()?.parse().ok()?;
            is_patch.then_some((number, path))
        })
        .collect();
    kept.sort();
    kept
}

/// Undoes the last run: every file, or none.
pub(super) fn run(settings: &RewireSettings, channels: &Channels) -> Result<ExitCode, Failure> {
    let root = find::real(&settings.site);
    let folder = root.join(FOLDER);
    let Some((_, path)) = kept(&folder).pop() else {
        return Err(Failure::Refused {
            path: settings.site.clone(),
            says: "nothing that was rewired is recorded there".to_owned(),
        });
    };
    let refused = |says: String| Failure::Refused {
        path: path.clone(),
        says,
    };
    let about = File::open(&path).and_then(|file| file.metadata());
    if about.map_err(Failure::unreadable(&path))?.len() > LARGEST {
        return Err(refused(
            "is too large for a diff of this program".to_owned(),
        ));
    }
    let text = fs::read(&path).map_err(Failure::unreadable(&path))?;
    let files = patch::files(&text).map_err(|unfit| refused(unfit.0))?;
    let mut before = Vec::with_capacity(files.len());
    for (name, hunks) in &files {
        // It lies in the site, where anybody may have written it.
        if !write::leads_below(name) {
            return Err(refused(format!(
                "names {}, which is not in the site",
                wording::safe(name)
            )));
        }
        let file = root.join(name);
        let is_inside = find::real(&file).starts_with(&root) && !file.is_symlink();
        if !is_inside {
            return Err(refused(format!(
                "names {}, which leads out of the site",
                wording::safe(name)
            )));
        }
        let bytes = fs::read(&file).map_err(Failure::unreadable(&file))?;
        match patch::undone(&bytes, hunks) {
            Ok(old) => before.push((file, old)),
            // A run that was killed had not come to it.
            Err(_) if patch::is_undone(&bytes, hunks) => {}
            Err(unfit) => {
                return Err(Failure::Refused {
                    path: file,
                    says: format!("{}; nothing was undone in any file", unfit.0),
                });
            }
        }
    }
    for (file, bytes) in &before {
        write::in_place(file, bytes).map_err(Failure::unwritable(file))?;
    }
    fs::remove_file(&path).map_err(Failure::unwritable(&path))?;
    // It is gone with its last diff.
    let _ = fs::remove_dir(&folder);
    channels.print(|out, _| {
        let count = wording::count(before.len(), "file is", "files are");
        writeln!(out, "{count} as before")
    })?;
    Ok(ExitCode::SUCCESS)
}
