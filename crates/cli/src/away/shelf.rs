//! An out folder on another machine. Pieces are sent whole; the ledger lies on a desk of this machine while it is worked
//! on (`records`), and a lease keeps other firings away (`lease`).

use std::collections::BTreeMap;
use std::io;
use std::path::Path;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

use kiln_core::plan::PartOf;
use tempfile::TempDir;

use super::lease::Lease;
use super::records::Records;
use super::{Away, lease};
use crate::carry::{Found, is_part};
use crate::failure::Failure;
use crate::ledger::Beyond;
use crate::settings::Remote;
use crate::write::{PARTS, leads_below, part_name};

/// What tells whoever holds it from others, on the lock of an out folder.
const LOCK: &str = ".kiln-lock";

/// An out folder on another machine.
#[derive(Debug)]
pub struct Shelf {
    away: Arc<Away>,
    /// What stands there, as far as this run knows.
    there: Mutex<BTreeMap<String, Found>>,
    desk: TempDir,
    records: Arc<Records>,
    lease: Option<Lease>,
}

impl Shelf {
    /// Takes the out folder for a firing of all, or for one part of it beside others, and brings its ledger to this
    /// machine. Where somebody may be at work there, `note` is told that this takes a while to find out.
    pub fn enter(
        remote: &Remote,
        part: Option<PartOf>,
        note: &dyn Fn(&str),
    ) -> Result<Shelf, Failure> {
        let away = Arc::new(Away::at(remote)?);
        let busy = || match part {
            Some(part) => Failure::BusyPart {
                out: away.address().into(),
                part,
            },
            None => Failure::Busy(away.address().into()),
        };
        let own = match part {
            Some(part) => format!("{PARTS}/{}.lock", part_name(part)),
            None => LOCK.to_owned(),
        };
        let lease = Lease::take(&away, &own, note)?.ok_or_else(busy)?;
        let mut shelf = Shelf::laid_out(away, part)?;
        shelf.lease = Some(lease);
        // A firing of all and its parts keep away from each other; parts do not.
        let is_other = |name: &str| match part {
            Some(_) => name == LOCK,
            None => name.starts_with(PARTS) && name.ends_with(".lock"),
        };
        let there = shelf.there().clone();
        let others: Vec<&String> = there.keys().filter(|name| is_other(name)).collect();
        if lease::is_any_alive(&shelf.away, &others, note) {
            return Err(Failure::Busy(shelf.away.address().into()));
        }
        if part.is_none() {
            shelf.sweep(&there);
        }
        Ok(shelf)
    }

    /// The same only to look: nothing is taken, and nothing written.
    pub fn look(remote: &Remote) -> Result<Shelf, Failure> {
        Shelf::laid_out(Arc::new(Away::at(remote)?), None)
    }

    fn laid_out(away: Arc<Away>, part: Option<PartOf>) -> Result<Shelf, Failure> {
        let there = away.all(&|_| true)?;
        let desk = tempfile::Builder::new().prefix("kiln-desk-").tempdir();
        let desk = desk.map_err(Failure::unwritable(&std::env::temp_dir()))?;
        let records = Records::bring(&away, &there, part, desk.path());
        let records = records.map_err(|error| Failure::Undelivered {
            address: away.address().to_owned(),
            says: format!("its ledger cannot be brought here: {error}"),
        })?;
        Ok(Shelf {
            away,
            there: Mutex::new(there),
            desk,
            records: Arc::new(records),
            lease: None,
        })
    }

    /// The folder of this machine that the ledger lies in meanwhile.
    pub fn desk(&self) -> &Path {
        self.desk.path()
    }

    /// Where what is written into the ledger goes as well.
    pub fn beyond(&self) -> Arc<dyn Beyond> {
        Arc::clone(&self.records) as Arc<dyn Beyond>
    }

    /// The address of a piece; an error where its name leads out.
    pub fn address_of(&self, name: &str) -> io::Result<String> {
        match leads_below(name) {
            true => Ok(self.away.address_of(name)),
            false => Err(io::Error::other("it would lie outside the out folder")),
        }
    }

    /// The bytes of a piece.
    pub fn read(&self, name: &str) -> io::Result<Vec<u8>> {
        self.address_of(name)?;
        if !self.has(name) {
            return Err(io::ErrorKind::NotFound.into());
        }
        self.away.bytes(name).map_err(io::Error::other)
    }

    /// Whether a file has a name.
    pub fn has(&self, name: &str) -> bool {
        self.there().contains_key(name)
    }

    /// Whether a file of so many bytes has a name.
    pub fn has_weight(&self, name: &str, weight: u64) -> bool {
        let there = self.there();
        there.get(name).is_some_and(|found| found.weight == weight)
    }

    /// Writes a piece, whole or not at all, where nothing else came to stand meanwhile.
    pub fn write(&self, name: &str, bytes: &[u8]) -> io::Result<()> {
        self.address_of(name)?;
        if let Some(lease) = &self.lease {
            lease.held()?;
        }
        if self.has(name) {
            self.away.put(name, bytes, true).map_err(io::Error::other)?;
        } else if !self.away.put_new(name, bytes).map_err(io::Error::other)? {
            return Err(io::Error::other(
                "something else came to stand there meanwhile",
            ));
        }
        let found = Found {
            weight: bytes.len() as u64,
            tag: None,
        };
        self.there().insert(name.to_owned(), found);
        Ok(())
    }

    /// Removes a piece.
    pub fn remove(&self, name: &str) -> io::Result<()> {
        self.address_of(name)?;
        self.away.remove(name).map_err(io::Error::other)?;
        self.there().remove(name);
        Ok(())
    }

    /// Removes what killed runs left on its way. What cannot be removed does no harm.
    fn sweep(&self, there: &BTreeMap<String, Found>) {
        let lock = |name: &str| name.starts_with(PARTS) && name.ends_with(".lock");
        for name in there.keys().filter(|name| is_part(name) || lock(name)) {
            let _ = self.remove(name);
        }
    }

    fn there(&self) -> MutexGuard<'_, BTreeMap<String, Found>> {
        self.there.lock().unwrap_or_else(PoisonError::into_inner)
    }
}
