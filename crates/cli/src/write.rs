//! Files that appear whole or not at all, and a folder that one firing works in at a time.

use std::fs::{self, File, OpenOptions, TryLockError};
use std::io::{self, Write};
use std::path::{Path, PathBuf};

use walkdir::WalkDir;

use crate::failure::Failure;

/// Ends the name of a file that is still being written.
const PART: &str = ".kiln-part";

/// The file whose lock a firing holds in its out folder.
const LOCK: &str = ".kiln-lock";

/// Writes a file by way of a temporary one beside it: written, synced, renamed.
pub fn whole(path: &Path, bytes: &[u8]) -> io::Result<()> {
    let name = path.file_name().ok_or(io::ErrorKind::InvalidInput)?;
    if let Some(folder) = path.parent() {
        fs::create_dir_all(folder)?;
    }
    let mut hidden = std::ffi::OsString::from(".");
    hidden.push(name);
    hidden.push(PART);
    let part = path.with_file_name(hidden);
    let written = File::create(&part).and_then(|mut file| {
        file.write_all(bytes)?;
        file.sync_all()
    });
    written
        .and_then(|()| fs::rename(&part, path))
        .inspect_err(|_| {
            // What is already failing can't be made worse by a leftover that can't be removed.
            let _ = fs::remove_file(&part);
        })
}

/// An out folder in which no other firing works until this is dropped.
pub struct OutFolder {
    path: PathBuf,
    lock: File,
}

impl OutFolder {
    /// Makes the folder if need be, takes its lock, and removes what a killed run left behind.
    pub fn enter(path: &Path) -> Result<OutFolder, Failure> {
        fs::create_dir_all(path).map_err(Failure::unwritable(path))?;
        let lock_path = path.join(LOCK);
        let open = OpenOptions::new()
            .create(true)
            .truncate(false)
            .write(true)
            .open(&lock_path);
        let lock = open.map_err(Failure::unwritable(path))?;
        match lock.try_lock() {
            Ok(()) => {}
            Err(TryLockError::WouldBlock) => return Err(Failure::Busy(path.to_owned())),
            Err(TryLockError::Error(error)) => return Err(Failure::unwritable(path)(error)),
        }
        let folder = OutFolder {
            path: path.to_owned(),
            lock,
        };
        folder.sweep()?;
        Ok(folder)
    }

    fn sweep(&self) -> Result<(), Failure> {
        for entry in WalkDir::new(&self.path).into_iter().flatten() {
            let name = entry.file_name().as_encoded_bytes();
            if name.starts_with(b".") && name.ends_with(PART.as_bytes()) {
                fs::remove_file(entry.path()).map_err(Failure::unwritable(entry.path()))?;
            }
        }
        Ok(())
    }

    /// A path below it, from a name with `/` between its parts.
    pub fn below(&self, name: &str) -> PathBuf {
        let mut path = self.path.clone();
        path.extend(name.split('/'));
        path
    }
}

impl Drop for OutFolder {
    fn drop(&mut self) {
        // The lock goes with the handle; an empty file that stays behind would do no harm.
        let _ = fs::remove_file(self.path.join(LOCK));
        let _ = self.lock.unlock();
    }
}
