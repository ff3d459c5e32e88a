//! A ledger that belongs to an out folder on another machine, and lies on this one while it is worked on.

use std::fmt::Debug;
use std::io;
use std::path::Path;

/// The other machine: what is written here goes there as well.
pub trait Beyond: Debug + Send + Sync {
    /// Where the ledger is kept there.
    fn address(&self) -> String;

    /// Takes in lines of the journal.
    fn note(&self, lines: &[u8]) -> io::Result<()>;

    /// Takes in the document, which holds all that was noted.
    fn write(&self, document: &Path) -> io::Result<()>;
}
