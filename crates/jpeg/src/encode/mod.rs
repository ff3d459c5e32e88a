//! Writing.

mod code;
mod tables;
mod write;

pub use write::{Layout, Options};
