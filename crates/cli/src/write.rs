//! Files that appear whole or not at all, and the out folder: one firing works in it at a time, and
//! nothing outside of it is ever touched through it.

use std::collections::HashMap;
use std::ffi::{OsStr, OsString};
use std::fs::{self, File, OpenOptions, TryLockError};
use std::io::{self, BufWriter, Write};
use std::path::{Component, Path, PathBuf};
use std::sync::{Mutex, PoisonError};

use kiln_core::plan::PartOf;
use same_file::Handle;
use tempfile::NamedTempFile;
use walkdir::WalkDir;

use crate::failure::Failure;

/// Ends the name of a file that is still being written.
const PART: &str = ".kiln-part";

/// The file whose lock a firing holds in its out folder.
const LOCK: &str = ".kiln-lock";

/// The folder of what parts of a firing leave in the out folder until they are gathered.
pub const PARTS: &str = ".kiln-parts";

/// Writes a file by way of a temporary one beside it: written, synced, renamed. A link of that name
/// is replaced, not followed.
pub fn whole(path: &Path, bytes: &[u8]) -> io::Result<()> {
    whole_by(path, |out| out.write_all(bytes)).map(drop)
}

/// The same of bytes that are written as they come; returns how many those are.
pub fn whole_by(
    path: &Path,
    write: impl FnOnce(&mut dyn Write) -> io::Result<()>,
) -> io::Result<u64> {
    let name = path.file_name().ok_or(io::ErrorKind::InvalidInput)?;
    let folder = match path.parent() {
        Some(folder) if !folder.as_os_str().is_empty() => folder,
        _ => Path::new("."),
    };
    fs::create_dir_all(folder)?;
    let mut hidden = OsString::from(".");
    hidden.push(name);
    let mut out = BufWriter::new(begun(folder, &hidden, PART)?);
    write(&mut out)?;
    let part = out.into_inner().map_err(io::IntoInnerError::into_error)?;
    part.as_file().sync_all()?;
    let length = part.as_file().metadata()?.len();
    part.persist(path)?;
    Ok(length)
}

/// A temporary file in a folder, which is to be named when it is whole. Readable to others as any file is, and new: a
/// link that somebody laid is not followed.
pub fn begun(folder: &Path, prefix: &OsStr, suffix: &str) -> io::Result<NamedTempFile> {
    tempfile::Builder::new()
        .prefix(prefix)
        .suffix(suffix)
        .make_in(folder, |part| File::create_new(part))
}

/// The same under a name of its own: what a killed run left under it gives way.
pub fn begun_as(path: &Path) -> io::Result<NamedTempFile> {
    let name = path.file_name().ok_or(io::ErrorKind::InvalidInput)?;
    let folder = path.parent().unwrap_or(Path::new("."));
    remove(path)?;
    tempfile::Builder::new()
        .prefix(name)
        .rand_bytes(0)
        .make_in(folder, |part| File::create_new(part))
}

/// Removes a file, where there is one.
pub fn remove(path: &Path) -> io::Result<()> {
    match fs::remove_file(path) {
        Err(error) if error.kind() != io::ErrorKind::NotFound => Err(error),
        _ => Ok(()),
    }
}

/// Writes a file that is there already, whole or not at all; who may read and write it stays.
pub fn in_place(path: &Path, bytes: &[u8]) -> io::Result<()> {
    let permissions = fs::metadata(path)?.permissions();
    whole(path, bytes)?;
    fs::set_permissions(path, permissions)
}

/// Whether a name, with `/` between its parts, leads to something below the folder that it is seen
/// from, whatever links may lie there.
pub fn leads_below(name: &str) -> bool {
    let plain = |part: Component<'_>| matches!(part, Component::Normal(_));
    !name.is_empty()
        && !name.contains('\0')
        // What a path library would pass over is no name that was ever made.
        && name.split('/').all(|part| !matches!(part, "" | "." | ".."))
        && Path::new(name).components().all(plain)
}

/// An out folder in which no other firing works until this is dropped, but for other parts of the same one.
pub struct OutFolder {
    path: PathBuf,
    /// Without links.
    real: PathBuf,
    /// Locks, and whether their files go with them.
    locks: Vec<(File, Option<PathBuf>)>,
    /// Folders below it, and whether they are truly below it. Paths are hashed part by part, which takes longer.
    inner: Mutex<HashMap<OsString, bool>>,
}

impl OutFolder {
    /// Makes the folder if need be, takes its lock, and removes what a killed run left behind.
    pub fn enter(path: &Path) -> Result<OutFolder, Failure> {
        let mut folder = OutFolder::of(path)?;
        let file = folder.real.join(LOCK);
        let lock = lock(&file, File::try_lock).map_err(Failure::unwritable(path))?;
        let lock = lock.ok_or_else(|| Failure::Busy(path.to_owned()))?;
        folder.locks.push((lock, Some(file)));
        folder.sweep()?;
        Ok(folder)
    }

    /// The same to make one part in it, while others make theirs. What is half-written may be theirs.
    pub fn enter_for(path: &Path, part: PartOf) -> Result<OutFolder, Failure> {
        let mut folder = OutFolder::of(path)?;
        let shared = lock(&folder.real.join(LOCK), File::try_lock_shared);
        let shared = shared.map_err(Failure::unwritable(path))?;
        let shared = shared.ok_or_else(|| Failure::Busy(path.to_owned()))?;
        // The others hold it too: its file stays until a firing of all removes it.
        folder.locks.push((shared, None));
        let parts = folder.real.join(PARTS);
        if parts.is_symlink() {
            let alien = io::Error::other("it is a link");
            return Err(Failure::unwritable(&parts)(alien));
        }
        fs::create_dir_all(&parts).map_err(Failure::unwritable(path))?;
        let file = parts.join(format!("{}.lock", part_name(part)));
        let own = lock(&file, File::try_lock).map_err(Failure::unwritable(path))?;
        let out = path.to_owned();
        let own = own.ok_or(Failure::BusyPart { out, part })?;
        folder.locks.push((own, Some(file)));
        Ok(folder)
    }

    fn of(path: &Path) -> Result<OutFolder, Failure> {
        fs::create_dir_all(path).map_err(Failure::unwritable(path))?;
        Ok(OutFolder {
            path: path.to_owned(),
            real: path.canonicalize().map_err(Failure::unwritable(path))?,
            locks: Vec::new(),
            inner: Mutex::default(),
        })
    }

    fn sweep(&self) -> Result<(), Failure> {
        for entry in WalkDir::new(&self.path).into_iter().flatten() {
            let name = entry.file_name().as_encoded_bytes();
            let is_part = name.starts_with(b".") && name.ends_with(PART.as_bytes());
            // Nobody makes a part now.
            let folder = entry.path().parent();
            let is_lock = name.ends_with(b".lock") && folder == Some(&self.path.join(PARTS));
            if is_part || is_lock {
                fs::remove_file(entry.path()).map_err(Failure::unwritable(entry.path()))?;
            }
        }
        Ok(())
    }

    /// A path below it, from a name with `/` between its parts; an error where the name, or a link
    /// on the way, leads out of it.
    pub fn below(&self, name: &str) -> io::Result<PathBuf> {
        let outside = || io::Error::other("it would lie outside the out folder");
        if !leads_below(name) {
            return Err(outside());
        }
        let mut path = self.path.clone();
        path.extend(name.split('/'));
        let folder = path.parent().unwrap_or(&self.path);
        let mut inner = self.inner.lock().unwrap_or_else(PoisonError::into_inner);
        let is_inner = match inner.get(folder.as_os_str()) {
            Some(is_inner) => *is_inner,
            None => {
                // Of a folder that is not there yet, the nearest that is decides.
                let there = folder
                    .ancestors()
                    .find_map(|above| above.canonicalize().ok());
                let is_inner = there.is_some_and(|there| there.starts_with(&self.real));
                inner.insert(folder.into(), is_inner);
                is_inner
            }
        };
        if is_inner { Ok(path) } else { Err(outside()) }
    }

    /// The bytes of a piece; an error where there is none, or a link instead.
    pub fn read(&self, name: &str) -> io::Result<Vec<u8>> {
        let path = self.below(name)?;
        if path.symlink_metadata()?.is_file() {
            fs::read(path)
        } else {
            Err(io::Error::other("it is no file"))
        }
    }

    /// Whether a piece is there as a file of its own.
    pub fn has(&self, name: &str) -> bool {
        let path = self.below(name).ok();
        path.is_some_and(|path| path.symlink_metadata().is_ok_and(|about| about.is_file()))
    }

    /// Whether anything at all has the name of a piece.
    pub fn is_taken(&self, name: &str) -> bool {
        self.below(name)
            .is_ok_and(|path| path.symlink_metadata().is_ok())
    }

    /// Writes a piece, whole or not at all.
    pub fn write(&self, name: &str, bytes: &[u8]) -> io::Result<()> {
        whole(&self.below(name)?, bytes)
    }

    /// Removes a piece, and the folders that are empty then.
    pub fn remove(&self, name: &str) -> io::Result<()> {
        let path = self.below(name)?;
        fs::remove_file(&path)?;
        let folders = path.ancestors().skip(1);
        for folder in folders.take_while(|folder| *folder != self.path) {
            if fs::remove_dir(folder).is_err() {
                break; // It still holds something.
            }
        }
        Ok(())
    }
}

impl Drop for OutFolder {
    fn drop(&mut self) {
        for (lock, file) in self.locks.iter().rev() {
            // Unlinked while it is still held: whoever opened it before finds out, once it has the
            // lock, that it holds nothing. A file that stays behind would do no harm.
            if let Some(file) = file {
                let _ = fs::remove_file(file);
            }
            let _ = lock.unlock();
        }
    }
}

/// The name of what belongs to a part, without its extension.
pub fn part_name(part: PartOf) -> String {
    format!("{}-of-{}", part.number(), part.of())
}

/// Takes the lock of a file, in one way or another; `None` where another process has it.
fn lock(path: &Path, take: impl Fn(&File) -> Result<(), TryLockError>) -> io::Result<Option<File>> {
    loop {
        if path
            .symlink_metadata()
            .is_ok_and(|about| about.is_symlink())
        {
            fs::remove_file(path)?;
        }
        // A lock that is shared wants to read where it is kept over a network.
        let open = OpenOptions::new()
            .create(true)
            .truncate(false)
            .read(true)
            .write(true)
            .open(path)?;
        match take(&open) {
            Ok(()) if stands_at(&open, path)? => return Ok(Some(open)),
            // It was unlinked between opening and locking; who is next makes it anew.
            Ok(()) => {}
            Err(TryLockError::WouldBlock) => return Ok(None),
            Err(TryLockError::Error(error)) => return Err(error),
        }
    }
}

/// Whether a file that was opened is still the one at a path.
fn stands_at(open: &File, path: &Path) -> io::Result<bool> {
    let there = match Handle::from_path(path) {
        Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(false),
        there => there?,
    };
    Ok(there == Handle::from_file(open.try_clone()?)?)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_that_lead_out_are_told() {
        for name in ["a.webp", "rooms/a.webp", "a..b/c...webp", "ü/ñ.jpg"] {
            assert!(leads_below(name), "{name}");
        }
        for name in [
            "", "/etc/x", "../x", "a/../x", "a/./x", "a//x", "a/", "x\0y", ".", "..",
        ] {
            assert!(!leads_below(name), "{name:?}");
        }
    }

    /// A lock on a file that was unlinked since holds nothing: two firings would both have one.
    #[test]
    fn a_lock_on_an_unlinked_file_is_none() {
        let folder = tempfile::tempdir().expect("a folder");
        let path = folder.path().join(LOCK);
        let first = lock(&path, File::try_lock).expect("room").expect("free");
        assert!(
            lock(&path, File::try_lock).expect("room").is_none(),
            "it is held"
        );
        let opened = File::options()
            .write(true)
            .open(&path)
            .expect("it is there");
        fs::remove_file(&path).expect("it is there");
        drop(first);
        opened.try_lock().expect("nobody has this one");
        assert!(!stands_at(&opened, &path).expect("memory"));
        let second = lock(&path, File::try_lock).expect("room").expect("free");
        assert!(stands_at(&second, &path).expect("memory"));
        assert!(
            !stands_at(&opened, &path).expect("memory"),
            "another file by now"
        );
    }

    #[cfg(unix)]
    #[test]
    fn links_lead_nowhere() {
        use std::os::unix::fs::symlink;
        let folder = tempfile::tempdir().expect("a folder");
        let (out, other) = (folder.path().join("out"), folder.path().join("other"));
        fs::create_dir_all(&other).expect("room");
        fs::create_dir_all(&out).expect("room");
        fs::write(other.join("mine"), b"mine").expect("room");
        symlink(&other, out.join("rooms")).expect("a link");
        symlink(other.join("mine"), out.join("a.webp")).expect("a link");
        symlink(other.join("mine"), out.join(".b.webp.kiln-part")).expect("a link");
        symlink(other.join("mine"), out.join(LOCK)).expect("a link");
        let entered = OutFolder::enter(&out).expect("free");
        assert!(entered.read("rooms/mine").is_err() && !entered.is_taken("rooms/mine"));
        assert!(entered.remove("rooms/mine").is_err());
        assert!(entered.write("rooms/deeper/new", b"x").is_err());
        assert!(entered.read("a.webp").is_err() && !entered.has("a.webp"));
        assert!(entered.is_taken("a.webp"));
        // The link gives way, what it leads to stays.
        entered.write("a.webp", b"piece").expect("room");
        symlink(other.join("mine"), out.join(".b.webp.kiln-part")).expect("a link");
        entered.write("b.webp", b"piece").expect("room");
        assert_eq!(entered.read("a.webp").expect("a file"), b"piece");
        drop(entered);
        assert_eq!(fs::read(other.join("mine")).expect("untouched"), b"mine");
        assert_eq!(fs::read_dir(&other).expect("a folder").count(), 1);
    }
}
