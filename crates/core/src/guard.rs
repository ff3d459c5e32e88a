//! Outside codecs may panic; what they do on a broken picture shall cost that picture and nothing
//! else. Every call of one goes through here.

use std::cell::Cell;
use std::panic::{self, AssertUnwindSafe};

/// A panic that was caught.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Panicked;

thread_local! {
    static GUARDING: Cell<bool> = const { Cell::new(false) };
}

/// Works, and catches a panic. What the work had in hand must not be used after one.
pub fn guarded<T>(work: impl FnOnce() -> T) -> Result<T, Panicked> {
    let before = GUARDING.replace(true);
    let worked = panic::catch_unwind(AssertUnwindSafe(work));
    GUARDING.set(before);
    worked.map_err(|_| Panicked)
}

/// Whether this thread is within [`guarded`]: a panic there is told as a failure of the picture,
/// and its own words would only confuse.
pub fn is_guarding() -> bool {
    GUARDING.get()
}

/// A codec that panics when a file tells it to, so that tests can see what comes of it.
#[cfg(feature = "faulty")]
pub mod faulty {
    /// Strikes while headers are read.
    pub const HEADERS: &[u8] = b"panic while headers are read";
    /// Strikes when a picture is opened.
    pub const OPENING: &[u8] = b"panic when it is opened";
    /// Strikes while rows are decoded.
    pub const ROWS: &[u8] = b"panic while rows are decoded";

    #[allow(clippy::panic)]
    pub(crate) fn strike(head: &[u8], on: &[u8]) {
        if memchr::memmem::find(head, on).is_some() {
            panic!("as the file wishes");
        }
    }
}
