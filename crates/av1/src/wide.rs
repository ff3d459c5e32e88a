//! Loops compiled once more for wider vector units: the same integers on every processor.

use pulp::Arch;

/// Runs something by the widest units that there are. What it calls has to be inlined to gain by that.
#[inline]
pub(crate) fn widely<R>(work: impl FnOnce() -> R) -> R {
    Arch::new().dispatch(work)
}
