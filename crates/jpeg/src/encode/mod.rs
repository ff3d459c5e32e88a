//! Writing.

mod chain;
mod chroma;
mod code;
mod dial;
mod forward;
mod headroom;
mod prepare;
mod quantise;
mod tables;
mod write;

pub use dial::Effort;
pub use prepare::{Prepared, Refusal, Sampling};
pub use write::{Layout, Options};
