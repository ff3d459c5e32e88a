//! The tests of the core, in one program: each file is one room of them.
#![allow(missing_docs, clippy::expect_used, clippy::panic, clippy::print_stdout)]

mod common;
mod firing;
mod framing;
mod headers;
mod hostile;
mod inscribing;
mod kept;
mod looks;
#[cfg(target_os = "linux")]
mod memory;
mod orders;
mod other_eyes;
mod own;
mod reading;
mod reading_more;
mod sharing;
mod shown;
mod stored;
mod survey;
