//! Two pieces that would be one file.

use std::collections::HashMap;

use thiserror::Error;

use super::Plan;

/// Two originals whose pieces would have one name.
#[derive(Clone, Debug, PartialEq, Eq, Error)]
#[error("{first} and {second} would both become {piece}")]
pub struct Clash {
    /// The original that came first.
    pub first: String,
    /// The original that came second.
    pub second: String,
    /// The name that both would have, as the second has it.
    pub piece: String,
}

/// The first clash of a plan. Names that differ in case only clash too: on many file systems
/// they are one file.
pub(super) fn find(plan: &Plan) -> Option<Clash> {
    let mut owners: HashMap<String, &str> = HashMap::new();
    for job in &plan.jobs {
        for (_, piece) in job.pieces() {
            let name = job.original.path.as_str();
            let first = owners.insert(piece.name.to_lowercase(), name);
            if let Some(first) = first.filter(|&first| first != name) {
                return Some(Clash {
                    first: first.to_owned(),
                    second: name.to_owned(),
                    piece: piece.name.clone(),
                });
            }
        }
    }
    None
}
