//! An encoder for AV1 still pictures.
//!
//! Intra frames of the AV1 bitstream (AV1 Bitstream & Decoding Process Specification, version 1.0.0 with errata 1),
//! profiles 0 and 1, at 8 and 10 bits, with a reduced still-picture header. Numbers of sections in the documentation
//! of this crate are those of that specification.

#[cfg(test)]
extern crate self as kiln_av1;

mod bits;
mod block;
mod coefs;
mod context;
mod encoder;
mod filter;
mod frame;
mod grain;
mod ground;
mod hadamard;
mod headers;
mod odds;
mod once;
mod palette;
mod picture;
mod predict;
mod quant;
mod range;
mod repeats;
mod satd;
mod shape;
mod stream;
mod tables;
mod tile;
mod tiling;
mod transform;
mod wide;

pub use encoder::{Pace, Prepared, encode};
pub use ground::is_drawn;
pub use headers::Colour;
pub use picture::{Chroma, Depth, LONGEST, Picture, Plane};
pub use stream::Coded;
