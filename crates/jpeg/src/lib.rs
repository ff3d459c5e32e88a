//! A JPEG codec (ITU-T T.81 and T.871) for pictures on the web.
//!
//! # Reading
//!
//! [`Decoder::new`] reads the header of a file. From there on there are two doors:
//! [`Decoder::rows`] gives pixels, row by row and, where that is enough, at a half, a quarter or an
//! eighth of the size, and [`Decoder::deep_rows`] the same with 16 bits a sample;
//! [`Decoder::coefficients`] gives the quantised coefficients.
//!
//! Baseline, extended sequential and progressive files are read, with Huffman coding and 8 bits a
//! sample: grey, three components and four, in every sampling. What browsers pass over is passed over
//! and told as an [`Oddity`]; so is damaged data, behind which reading goes on. Everything in a file is distrusted: sizes and scans are bounded by
//! [`Limits`] before anything is reserved, and no input makes the decoder panic.
//!
//! # Writing
//!
//! [`Prepared::new`] takes a picture in RGB: what all files of it need is computed once, and
//! [`Prepared::encode`] is asked for one dial after the other; [`Coefficients::rows`] shows what will be
//! seen of a file before it is written. [`Coefficients::write`] writes
//! coefficients that were read, so that a file comes out lighter with the same pixels;
//! [`Coefficients::part`] and [`Coefficients::turned`] crop and turn it without loss.
//!
//! # Bounds
//!
//! A sequential file whose components come in one scan is decoded in bands: memory does not grow with
//! its height; of others coefficients are held, mostly in a byte each. Where a pool of threads is at hand,
//! restart intervals and scans that do not meet are read side by side. The same pixels on every machine.

mod block;
mod decode;
mod encode;
mod error;
mod exact;
mod frame;
mod huffman;
mod turn;

pub use decode::{
    Coefficient, Coefficients, Colours, Decoder, DeepRows, Header, Ink, Limits, Oddity, Rows,
    Scale, Wanted,
};
pub use encode::{Effort, Layout, Options, Prepared, Refusal, Sampling};
pub use error::Error;
pub use exact::Turning;
pub use frame::{Component, Frame};
