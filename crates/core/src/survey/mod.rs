//! What is heavy, why, and what it would weigh: facts from headers and from a quick look at the
//! pixels, and the findings that follow.

mod activity;
mod estimate;
mod findings;
mod look;
mod places;
mod reduce;

pub use findings::{Finding, Limits, Name, Subject, findings};
pub use look::{Content, Estimate, Look, LookError, Wanted, digest, look};
pub use places::{Proposal, Role, Seen, propose};
