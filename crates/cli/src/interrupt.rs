//! Ctrl-C: what is in hand is finished, and nothing new begun.

use std::sync::atomic::{AtomicBool, Ordering};

use crate::failure::Failure;

static CAME: AtomicBool = AtomicBool::new(false);

/// From now on Ctrl-C ends the program only where it is asked for.
pub fn watch() -> Result<(), Failure> {
    static WATCHED: AtomicBool = AtomicBool::new(false);
    if !WATCHED.swap(true, Ordering::SeqCst) {
        ctrlc::set_handler(|| CAME.store(true, Ordering::SeqCst))?;
    }
    Ok(())
}

/// Whether it came.
pub fn came() -> bool {
    CAME.load(Ordering::SeqCst)
}
