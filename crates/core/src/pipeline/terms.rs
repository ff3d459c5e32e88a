//! What files of a canvas are for.

use crate::credits::Blocks;
use crate::encode::{Pace, Passes};

/// What holds for every file of a bench.
#[derive(Clone, Copy)]
pub(super) struct Terms<'c> {
    /// The device pixel ratio that it is seen at.
    pub density: f64,
    /// The most that it may weigh, in bytes.
    pub max_weight: Option<u64>,
    /// How much time it may cost.
    pub pace: Pace,
    /// Whether it comes in several passes.
    pub passes: Passes,
    /// A look shall be found in so many trials.
    pub trials: usize,
    /// Whether the score of a large photo may be told from its tiles, as nothing is decided by it.
    pub glances: bool,
    /// What it gets beside its pixels: it counts in its weight.
    pub blocks: &'c Blocks,
}
