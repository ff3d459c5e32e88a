//! The codec against itself, against another decoder, and against broken files.
#![allow(missing_docs, clippy::expect_used, clippy::panic)]

mod exact;
mod reading;
mod support;
mod writing;
