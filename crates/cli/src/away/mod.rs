//! Originals and pieces on other machines: listed, read whole and in parts, written whole. Originals are only read.

mod distant;
mod lease;
mod records;
mod shelf;
#[cfg(test)]
mod tests;

use std::collections::BTreeMap;
use std::fmt;
use std::fs::File;
use std::io::{Seek, Write};
use std::process;
use std::sync::atomic::{AtomicU64, AtomicUsize, Ordering};
use std::time::{SystemTime, UNIX_EPOCH};

use kiln_core::credits::Credits;
use kiln_core::plan;
use kiln_site::kinds;
use tempfile::NamedTempFile;

use crate::carry::{self, Carrier, Crew, Fault, FaultKind, Found, Item, Session};
use crate::failure::Failure;
use crate::settings::Remote;
pub use distant::Distant;
pub use shelf::Shelf;

/// Connections at once.
pub const AT_ONCE: usize = 8;

/// How often something is tried.
const TRIES: usize = 4;

/// After so many requests that failed in a row whatever was tried, patience is of no use.
const IN_A_ROW: usize = 3;

/// A folder on another machine.
pub struct Away {
    crew: Crew,
    address: String,
    /// Requests that failed in a row.
    failed: AtomicUsize,
    /// Marks files on their way: other machines may send the same.
    mark: String,
}

/// Without what is secret.
impl fmt::Debug for Away {
    fn fmt(&self, to: &mut fmt::Formatter<'_>) -> fmt::Result {
        to.debug_tuple("Away").field(&self.address).finish()
    }
}

impl Away {
    /// The folder of a machine. A password is fetched here, once.
    pub fn at(remote: &Remote) -> Result<Away, Failure> {
        Ok(Away::by(carry::to(remote)?))
    }

    fn by(carrier: Box<dyn Carrier>) -> Away {
        Away {
            address: carrier.address(),
            crew: Crew::new(carrier, AT_ONCE, TRIES),
            failed: AtomicUsize::new(0),
            mark: format!("{}-", token()),
        }
    }

    /// Its address, with a slash at its end.
    pub fn address(&self) -> &str {
        &self.address
    }

    /// That of a file in it.
    pub fn address_of(&self, name: &str) -> String {
        format!("{}{name}", self.address)
    }

    /// All files in it by their names, but those in folders that are unwanted by the last part of their names.
    pub fn all(&self, wanted: &dyn Fn(&str) -> bool) -> Result<BTreeMap<String, Found>, Failure> {
        let all = self.ask(|session| session.list_all(wanted));
        all.map_err(|fault| self.failure(fault))
    }

    /// The bytes of a file.
    pub fn bytes(&self, name: &str) -> Result<Vec<u8>, Fault> {
        self.ask(|session| whole(session, name))
    }

    /// The bytes of a file, into one of this machine.
    fn copy(&self, name: &str, into: &File) -> Result<(), Fault> {
        self.ask(|session| {
            // What an earlier try wrote gives way.
            let mut into = into;
            into.set_len(0).map_err(Fault::unread)?;
            into.rewind().map_err(Fault::unread)?;
            session.get(name, &mut into)
        })
    }

    /// Some bytes of a file, from one on.
    fn part(&self, name: &str, from: u64, most: u64) -> Result<Vec<u8>, Fault> {
        self.ask(|session| session.get_part(name, from, most))
    }

    /// The bytes of several files, many at once.
    fn all_bytes(&self, names: &[&str]) -> Result<Vec<Vec<u8>>, Fault> {
        let mut all = vec![Vec::new(); names.len()];
        let mut fault = None;
        let numbers: Vec<usize> = (0..names.len()).collect();
        let broke = self.crew.work(
            &numbers,
            |session, &number| whole(session, names[number]),
            |&number, came| match came {
                Ok(bytes) => all[number] = bytes,
                Err(broken) => fault = Some(broken),
            },
            || {},
        );
        match broke.or(fault) {
            Some(fault) => Err(fault),
            None => Ok(all),
        }
    }

    /// Writes a file, whole or not at all. One that stands there is replaced where `replace` says so; else it is a
    /// fault.
    fn put(&self, name: &str, bytes: &[u8], replace: bool) -> Result<(), Fault> {
        let mut file = NamedTempFile::new().map_err(Fault::unkept)?;
        file.write_all(bytes).map_err(Fault::unkept)?;
        let (digest, meter) = (plan::digest(bytes), AtomicU64::new(0));
        let item = Item {
            name,
            path: file.path(),
            weight: bytes.len() as u64,
            digest,
            kind: match kinds::by_name(name) {
                "" => "application/octet-stream",
                kind => kind,
            },
            cache: None,
            said: &Credits::default(),
            is_decorative: false,
            earlier: None,
            meter: &meter,
            mark: &self.mark,
        };
        self.ask(|session| session.put(&item, replace)).map(drop)
    }

    /// Writes a file where none stands; whether one of these bytes stands there now.
    fn put_new(&self, name: &str, bytes: &[u8]) -> Result<bool, Fault> {
        match self.put(name, bytes, false) {
            Ok(()) => Ok(true),
            // An answer that did not come may have been that it was written.
            Err(fault) if fault.kind == FaultKind::Taken => Ok(self.bytes(name)? == bytes),
            Err(fault) => Err(fault),
        }
    }

    /// Removes a file; none is as good.
    fn remove(&self, name: &str) -> Result<(), Fault> {
        self.ask(|session| session.remove(name, None))
    }

    fn ask<R>(&self, act: impl Fn(&mut dyn Session) -> Result<R, Fault>) -> Result<R, Fault> {
        let is_hopeless = self.failed.load(Ordering::Relaxed) >= IN_A_ROW;
        let done = match is_hopeless {
            true => self.crew.once(act),
            false => self.crew.alone(act),
        };
        match &done {
            Err(fault) if matches!(fault.kind, FaultKind::Passing(_)) => {
                self.failed.fetch_add(1, Ordering::Relaxed);
            }
            _ => self.failed.store(0, Ordering::Relaxed),
        }
        done
    }

    /// A fault of all of it.
    fn failure(&self, fault: Fault) -> Failure {
        Failure::Undelivered {
            address: self.address.clone(),
            says: fault.says,
        }
    }
}

/// All bytes of a file.
fn whole(session: &mut dyn Session, name: &str) -> Result<Vec<u8>, Fault> {
    let mut bytes = Vec::new();
    session.get(name, &mut bytes)?;
    Ok(bytes)
}

/// What no other run has, and no other folder of this one.
fn token() -> String {
    static COUNT: AtomicU64 = AtomicU64::new(0);
    let count = COUNT.fetch_add(1, Ordering::Relaxed);
    let moment = SystemTime::now().duration_since(UNIX_EPOCH);
    let moment = moment.unwrap_or_default().as_nanos();
    format!("{moment:x}-{:x}-{count}", process::id())
}
