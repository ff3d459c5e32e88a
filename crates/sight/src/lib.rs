//! How near a coded picture comes to its reference, as the eye sees it: the SSIMULACRA2 measure
//! (Sneyers, 2022; version 2.1), with the reference prepared once and compared many times.
//!
//! Both pictures are taken from linear light into the opponent colours XYB, at six scales from
//! full size to a thirty-second of it. At each scale three errors are taken of every pixel and
//! colour: how little the structure agrees (the SSIM index without its luminance denominator),
//! edges that were not there (blocks, ringing, banding) and edges that are gone (blur). Their means
//! and fourth-power means, 108 figures, are weighted and bent to a score: 100 for no difference, 90
//! for one that is not seen side by side, 70 for one that is not seen without the reference, 50
//! for a fair and 30 for a poor picture; very bad ones fall below 0.
//!
//! Most of the published weights are next to nothing: at full size only lightness counts, and blue
//! against yellow only from an eighth of it on. What counts so little that it moves no score by more
//! than a tenth is not computed.
//!
//! Rows are worked on as they come, so a comparison holds no copy of the candidate: prepared, a
//! reference takes 27 bytes a pixel, and a comparison some thousand bytes a column beside it.
//! Products and sums are fused where the measure says so and nowhere else, so every machine gives
//! the same score.

mod blur;
mod compare;
mod light;
mod map;
mod picture;
mod reference;
mod rows;
mod scales;
mod score;

/// Counts up whenever a picture comes to another score.
pub const REVISION: u32 = 2;

pub use map::Map;
pub use picture::{Picture, Primaries};
pub use reference::Reference;
