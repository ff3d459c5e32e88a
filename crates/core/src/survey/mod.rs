//! What is heavy, why, and what it would weigh: facts from headers and from a quick look at the
//! pixels, and the findings that follow.

mod activity;
mod estimate;
mod findings;
mod glance;
mod places;
mod reduce;
mod tiles;

pub use estimate::{Asked, Estimate};
pub use findings::{Finding, Limits, Name, Subject, findings};
pub use glance::{Glance, GlanceError, Motif, Rough, digest, glance};
pub use places::{Proposal, Role, Seen, propose};
