//! A folder of this machine, or a share that is mounted there.

use std::fs::{self, File};
use std::io::{self, Write};
use std::path::{Path, PathBuf};
use std::time::UNIX_EPOCH;

use super::{Carrier, Fault, Found, Item, Listed, Placed, Session};
use crate::ledger::Delivered;
use crate::write;

/// A folder.
#[derive(Clone, Debug)]
pub struct Folder {
    path: PathBuf,
}

impl Folder {
    /// The folder at a path without links, which need not be there yet.
    pub fn at(path: &Path) -> Folder {
        Folder {
            path: path.to_owned(),
        }
    }

    fn below(&self, name: &str) -> PathBuf {
        let parts = name.split('/').filter(|part| !part.is_empty());
        let mut path = self.path.clone();
        path.extend(parts);
        path
    }
}

impl Carrier for Folder {
    fn address(&self) -> String {
        self.path.to_string_lossy().into_owned()
    }

    fn open(&self) -> Result<Box<dyn Session>, Fault> {
        fs::create_dir_all(&self.path).map_err(unwritten)?;
        Ok(Box::new(self.clone()))
    }
}

impl Session for Folder {
    fn list(&mut self, folder: &str) -> Result<Listed, Fault> {
        let entries = match fs::read_dir(self.below(folder)) {
            Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(Listed::default()),
            entries => entries.map_err(unreadable)?,
        };
        let mut listed = Listed::default();
        for entry in entries {
            let entry = entry.map_err(unreadable)?;
            let about = entry.metadata().map_err(unreadable)?;
            let name = entry.file_name().to_string_lossy().into_owned();
            if about.is_dir() {
                listed.folders.push(name);
                continue;
            }
            let changed = about.modified().ok();
            let since = changed.and_then(|time| time.duration_since(UNIX_EPOCH).ok());
            let found = Found {
                weight: about.len(),
                tag: since.map(|since| since.as_nanos().to_string()),
            };
            listed.files.insert(name, found);
        }
        Ok(listed)
    }

    fn put(&mut self, item: &Item<'_>, replace: bool) -> Result<Placed, Fault> {
        let path = self.below(item.name);
        let folder = path.parent().unwrap_or(&self.path);
        fs::create_dir_all(folder).map_err(unwritten)?;
        let mut body = item.body()?;
        let part = self.below(&item.part());
        let mut part = write::begun_as(&part).map_err(unwritten)?;
        let copied = io::copy(&mut body, &mut part).map_err(unwritten)?;
        part.as_file().sync_all().map_err(unwritten)?;
        let there = part.as_file().metadata().map_err(unwritten)?.len();
        if copied != item.weight || there != item.weight {
            return Err(Fault::odd(item.weight, there));
        }
        let named = if replace {
            part.persist(&path)
        } else {
            part.persist_noclobber(&path)
        };
        named.map_err(|error| unwritten(error.error))?;
        body.went();
        Ok(Placed::default())
    }

    fn get(&mut self, name: &str, into: &mut dyn Write) -> Result<(), Fault> {
        let mut file = File::open(self.below(name)).map_err(unreadable)?;
        io::copy(&mut file, into).map_err(unreadable)?;
        Ok(())
    }

    fn remove(&mut self, name: &str, _: Option<&Delivered>) -> Result<(), Fault> {
        write::remove(&self.below(name)).map_err(unwritten)
    }
}

fn unreadable(error: io::Error) -> Fault {
    Fault::file(format!(
        "cannot be read there ({error}); check its permissions"
    ))
}

fn unwritten(error: io::Error) -> Fault {
    match error.kind() {
        io::ErrorKind::StorageFull | io::ErrorKind::QuotaExceeded => Fault::full(),
        io::ErrorKind::AlreadyExists => Fault::taken(),
        io::ErrorKind::ReadOnlyFilesystem | io::ErrorKind::PermissionDenied => Fault::target(
            format!("nothing can be written there ({error}); check its permissions"),
        ),
        _ => Fault::file(format!("cannot be written there ({error})")),
    }
}
