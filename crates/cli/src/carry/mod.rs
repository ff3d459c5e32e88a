//! Files carried to a target and back: one interface, and behind it a room for each way. What a target
//! answers is as untrusted as a picture.

#[cfg(feature = "bucket")]
mod bucket;
mod crew;
mod folder;
#[cfg(feature = "ftp")]
mod ftp;
mod http;
mod library;
mod login;
#[cfg(feature = "sftp")]
mod sftp;
mod webdav;

use std::collections::BTreeMap;
use std::fs::File;
use std::io::{self, Read, Write};
use std::path::Path;
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::Duration;

use kiln_core::credits::Credits;
use kiln_core::plan::Digest;
use thiserror::Error;

use crate::failure::Failure;
use crate::given::Protocol;
use crate::ledger::Delivered;
use crate::settings::Remote;
pub use crew::Crew;
pub use folder::Folder;

/// Begins the name of a file that is still on its way.
pub const PART: &str = "kiln-part-";

/// The most that a target may answer where it tells of files.
const ANSWER: u64 = 64 << 20;

/// Folders in folders are looked into so deep.
const DEEPEST: usize = 60;

/// A target that may be connected to, several times at once.
pub trait Carrier: Send + Sync {
    /// Where it is, for people and for the ledger.
    fn address(&self) -> String;

    /// Whether files have the names there that they have here: else only the ledger knows what is there.
    fn keeps_names(&self) -> bool {
        true
    }

    /// Connects.
    fn open(&self) -> Result<Box<dyn Session>, Fault>;
}

/// A connection to a target.
pub trait Session: Send {
    /// What is in a folder, which is named from the target; nothing where there is no such folder.
    fn list(&mut self, folder: &str) -> Result<Listed, Fault>;

    /// All files by their names from the target, those in its folders too, but in folders whose last part is
    /// unwanted.
    fn list_all(
        &mut self,
        wanted: &dyn Fn(&str) -> bool,
    ) -> Result<BTreeMap<String, Found>, Fault> {
        let mut all = BTreeMap::new();
        let mut folders = vec![String::new()];
        while let Some(folder) = folders.pop() {
            let Listed {
                files,
                folders: inner,
            } = self.list(&folder)?;
            let below = |name: &str| match folder.as_str() {
                "" => name.to_owned(),
                folder => format!("{folder}/{name}"),
            };
            all.extend(files.into_iter().map(|(name, found)| (below(&name), found)));
            // A server may show a folder in itself.
            if folder.matches('/').count() < DEEPEST {
                let inner = inner.iter().filter(|name| wanted(name));
                folders.extend(inner.map(|name| below(name)));
            }
        }
        Ok(all)
    }

    /// Sends a file: it appears whole or not at all. One that stands there is replaced where `replace` says so;
    /// else it is a fault.
    fn put(&mut self, item: &Item<'_>, replace: bool) -> Result<Placed, Fault>;

    /// Sends the texts of a file that is there, where the target keeps any.
    fn tell(&mut self, _: &Item<'_>) -> Result<(), Fault> {
        Ok(())
    }

    /// Reads a file back.
    fn get(&mut self, name: &str, into: &mut dyn Write) -> Result<(), Fault>;

    /// Reads some bytes of a file: from one on, as many as there are up to so many.
    fn get_part(&mut self, _: &str, _: u64, _: u64) -> Result<Vec<u8>, Fault> {
        Err(Fault::target("files are not read in parts there"))
    }

    /// Removes a file, of which this is known; none is as good.
    fn remove(&mut self, name: &str, earlier: Option<&Delivered>) -> Result<(), Fault>;
}

/// Where a target put a file, as far as it says.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Placed {
    /// Where visitors find it.
    pub address: Option<String>,
    /// What the target calls it.
    pub id: Option<String>,
}

/// What is in a folder at a target.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Listed {
    /// Its files.
    pub files: BTreeMap<String, Found>,
    /// The folders in it.
    pub folders: Vec<String>,
}

/// A file at a target.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Found {
    /// Its bytes.
    pub weight: u64,
    /// By what the target tells one state of it from another.
    pub tag: Option<String>,
}

/// A file to be sent.
pub struct Item<'a> {
    /// Its name at the target, with `/` between its parts.
    pub name: &'a str,
    /// Where it is.
    pub path: &'a Path,
    /// Its bytes.
    pub weight: u64,
    /// Their digest.
    pub digest: Digest,
    /// Its media type.
    pub kind: &'static str,
    /// What `Cache-Control` says of it (RFC 9111, 5.2), where anything is said.
    pub cache: Option<&'a str>,
    /// What the label sheet says of it.
    pub said: &'a Credits,
    /// Whether it tells nothing to those who do not see it.
    pub is_decorative: bool,
    /// What is known of an earlier one.
    pub earlier: Option<&'a Delivered>,
    /// Counts the bytes that went.
    pub meter: &'a AtomicU64,
    /// What tells it from the same file on its way from elsewhere; empty where nobody else sends any.
    pub mark: &'a str,
}

impl<'a> Item<'a> {
    /// Opens it, to be read once.
    pub fn body(&self) -> Result<Body<'a>, Fault> {
        Body::of(self.path, self.weight, self.meter)
    }

    /// The folder that it goes to, and its name there.
    fn parts(&self) -> (&'a str, &'a str) {
        self.name.rsplit_once('/').unwrap_or(("", self.name))
    }

    /// What it is called until it is whole.
    fn part(&self) -> String {
        let (folder, file) = self.parts();
        let slash = if folder.is_empty() { "" } else { "/" };
        format!("{folder}{slash}{PART}{}{file}", self.mark)
    }
}

/// The bytes of a file on their way: exactly as many as were told. What was counted of an attempt that failed is
/// taken back.
pub struct Body<'a> {
    file: File,
    left: u64,
    counted: u64,
    meter: &'a AtomicU64,
}

impl<'a> Body<'a> {
    /// Those of a file that has so many.
    pub fn of(path: &Path, weight: u64, meter: &'a AtomicU64) -> Result<Body<'a>, Fault> {
        Ok(Body {
            file: File::open(path).map_err(Fault::unread)?,
            left: weight,
            counted: 0,
            meter,
        })
    }

    /// All bytes went, and stay counted.
    pub fn went(&mut self) {
        self.counted = 0;
    }
}

impl Read for Body<'_> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let most = usize::try_from(self.left)
            .unwrap_or(usize::MAX)
            .min(buffer.len());
        if most == 0 {
            return Ok(0);
        }
        let read = self.file.read(&mut buffer[..most])?;
        if read == 0 {
            return Err(io::Error::new(
                io::ErrorKind::UnexpectedEof,
                "it became shorter while it was read",
            ));
        }
        self.left -= read as u64;
        self.counted += read as u64;
        self.meter.fetch_add(read as u64, Ordering::Relaxed);
        Ok(read)
    }
}

impl Drop for Body<'_> {
    fn drop(&mut self) {
        self.meter.fetch_sub(self.counted, Ordering::Relaxed);
    }
}

/// Whether a file is on its way still, or was when a connection broke.
pub fn is_part(name: &str) -> bool {
    name.rsplit('/')
        .next()
        .is_some_and(|file| file.starts_with(PART))
}

/// What went wrong at a target.
#[derive(Debug, Error)]
#[error("{says}")]
pub struct Fault {
    /// What it means for the rest.
    pub kind: FaultKind,
    /// For people.
    pub says: String,
}

/// What a fault means for the rest.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum FaultKind {
    /// It may go better the next time; not before that much time.
    Passing(Option<Duration>),
    /// This file cannot be sent.
    File,
    /// A file stands there already.
    Taken,
    /// Nothing can be sent.
    Target,
}

impl Fault {
    fn new(kind: FaultKind, says: impl Into<String>) -> Fault {
        let says = says.into();
        Fault { kind, says }
    }

    /// It may go better the next time.
    fn passing(says: impl Into<String>) -> Fault {
        Fault::new(FaultKind::Passing(None), says)
    }

    /// Of this file.
    fn file(says: impl Into<String>) -> Fault {
        Fault::new(FaultKind::File, says)
    }

    /// Of the whole target.
    pub fn target(says: impl Into<String>) -> Fault {
        Fault::new(FaultKind::Target, says)
    }

    /// A file of ours that cannot be read.
    pub fn unread(error: io::Error) -> Fault {
        Fault::file(format!("cannot be read ({error}); check its permissions"))
    }

    /// A copy on its way that cannot be kept on this machine.
    pub fn unkept(error: io::Error) -> Fault {
        Fault::target(format!(
            "the folder for temporary files cannot hold it ({error}); make room there"
        ))
    }

    /// A file that came to stand there in the meantime.
    fn taken() -> Fault {
        Fault::new(
            FaultKind::Taken,
            "stands there already, and no delivery put it there; move it away, or name it with --replace",
        )
    }

    /// Fewer or more bytes than were sent.
    fn odd(sent: u64, there: u64) -> Fault {
        Fault::passing(format!(
            "{there} bytes stand there of {sent} that were sent"
        ))
    }

    /// No host of that name.
    fn nowhere() -> Fault {
        Fault::target("there is no such host; check the address")
    }

    /// Nobody at that address.
    fn nobody() -> Fault {
        Fault::target("nothing answers there; check the address, and that its server runs")
    }

    /// No answer for too long.
    fn late() -> Fault {
        Fault::passing("the server did not answer in time")
    }

    /// A certificate that does not hold.
    fn untrusted(says: &str) -> Fault {
        Fault::target(format!(
            "the certificate of the server is not to be trusted ({says}); ask its owner, or name the authority with --authority"
        ))
    }

    /// A connection that broke, or never came about.
    fn broken(error: io::Error) -> Fault {
        let says = error.to_string();
        match error.kind() {
            // A handshake fails as it reads.
            io::ErrorKind::InvalidData if says.contains("certificate") => Fault::untrusted(&says),
            io::ErrorKind::InvalidData if says.contains("corrupt message") => {
                Fault::target("what answers there does not speak TLS; check address and port")
            }
            io::ErrorKind::ConnectionRefused
            | io::ErrorKind::HostUnreachable
            | io::ErrorKind::NetworkUnreachable => Fault::nobody(),
            io::ErrorKind::TimedOut | io::ErrorKind::WouldBlock => Fault::late(),
            // What the library says of it is long.
            io::ErrorKind::UnexpectedEof => Fault::passing("the server ended the connection early"),
            _ if says.contains("lookup") => Fault::nowhere(),
            _ => Fault::passing(format!("the connection broke ({says})")),
        }
    }

    /// Where nothing but the target was asked, what is refused is a fault of that.
    fn at_target(self) -> Fault {
        match self.kind {
            FaultKind::File | FaultKind::Taken => Fault::target(self.says),
            _ => self,
        }
    }

    /// No room there.
    fn full() -> Fault {
        Fault::target("there is no room left; make some, then deliver again")
    }
}

/// What is read of an answer, whatever it is: the files of a list, and an entry of a library with texts in it.
pub fn told(text: &str) -> (Vec<String>, Option<String>) {
    let files = webdav::told(text).unwrap_or_default();
    let names = files.into_iter().filter_map(webdav::named);
    let names = names.map(|(name, _)| name).collect();
    (names, library::entry_told(text))
}

/// The way to another machine.
pub fn to(remote: &Remote) -> Result<Box<dyn Carrier>, Failure> {
    Ok(match remote.protocol {
        Protocol::Webdav => Box::new(webdav::Webdav::at(remote)?),
        #[cfg(feature = "sftp")]
        Protocol::Sftp => Box::new(sftp::Sftp::at(remote)?),
        #[cfg(feature = "ftp")]
        Protocol::Ftp => Box::new(ftp::Ftp::at(remote)?),
        #[cfg(feature = "bucket")]
        Protocol::Bucket => Box::new(bucket::Store::at(remote)?),
        Protocol::Library(kind) => Box::new(library::Library::at(remote, kind)?),
        // What was left out when this program was built.
        #[allow(unreachable_patterns)]
        _ => {
            return Err(Failure::Undelivered {
                address: remote.address(),
                says: "this program was built without that; build it with all its features"
                    .to_owned(),
            });
        }
    })
}
