//! Names that cannot be: found in the plan, before any work.

use std::collections::HashMap;

use thiserror::Error;

use super::{Job, Placement, Plan};

/// The longest path of a piece, in bytes: what remains of 260, the most that some systems take,
/// for the folders above.
const LONGEST_PATH: usize = 180;

/// The longest part of a path, in bytes: 255 less what a file's name has more while it is written.
const LONGEST_PART: usize = 240;

/// Names that some systems keep for devices, whatever their extension.
const DEVICES: [&str; 4] = ["con", "prn", "aux", "nul"];

/// Why a plan cannot be carried out.
#[derive(Clone, Debug, PartialEq, Eq, Error)]
pub enum Trouble {
    /// Two originals whose pieces would have one name.
    #[error(
        "{first} and {second} would both become {piece}{}; rename one of them or give it a title",
        if *.by_case { ", but for the case" } else { "" }
    )]
    Originals {
        /// The original that came first.
        first: String,
        /// The original that came second.
        second: String,
        /// The name that both would have, as the second has it.
        piece: String,
        /// Whether the names differ in case only: on many file systems they are one.
        by_case: bool,
    },
    /// Two places that give an original the same piece.
    #[error(
        "{original} would become {piece} for {first} and for {second}; put {{place}} into their names"
    )]
    Places {
        /// The original.
        original: String,
        /// The place that came first.
        first: String,
        /// The place that came second.
        second: String,
        /// The name.
        piece: String,
    },
    /// Two sizes of one name.
    #[error("two sizes of {original} would both become {piece}; put {{width}} into the name")]
    Sizes {
        /// The original.
        original: String,
        /// The name.
        piece: String,
    },
    /// A name that some system keeps for itself.
    #[error(
        "{original} would become {piece}, and {part:?} cannot be a name on every system; rename it"
    )]
    Reserved {
        /// The original.
        original: String,
        /// The piece.
        piece: String,
        /// The part of its path that is reserved.
        part: String,
    },
    /// A name that its pattern makes hidden, or lead out of the out folder.
    #[error(
        "{original} would become {piece}, and no part of a name can begin with a dot; change the name pattern of {place}"
    )]
    Dotted {
        /// The original.
        original: String,
        /// The piece.
        piece: String,
        /// The place whose pattern it is.
        place: String,
    },
    /// A path that some system cannot take.
    #[error(
        "{original} would become a path of {length} bytes, above {LONGEST_PATH}; shorten the names of its folders"
    )]
    TooLong {
        /// The original.
        original: String,
        /// The length of the piece's path, in bytes.
        length: usize,
    },
}

/// All troubles of a plan.
pub(super) fn find(plan: &Plan) -> Vec<Trouble> {
    let mut owners: HashMap<String, (&Job, &Placement, &str)> = HashMap::new();
    let mut troubles = Vec::new();
    let named = plan.jobs.iter().flat_map(|job| {
        let pieces = job.pieces();
        let named = pieces.flat_map(|(placement, _, piece)| {
            let names = piece.names();
            names.map(move |name| (placement, name))
        });
        named.map(move |(placement, name)| (job, placement, name))
    });
    for (job, placement, name) in named {
        troubles.extend(unfit(job, placement, name));
        let first = owners.insert(name.to_lowercase(), (job, placement, name));
        if let Some((earlier, other, known)) = first {
            let same = std::ptr::eq(earlier, job);
            troubles.push(match (same, std::ptr::eq(other, placement)) {
                (false, _) => Trouble::Originals {
                    first: earlier.original.path.clone(),
                    second: job.original.path.clone(),
                    piece: name.to_owned(),
                    by_case: known != name,
                },
                (true, false) => Trouble::Places {
                    original: job.original.path.clone(),
                    first: other.label().to_owned(),
                    second: placement.label().to_owned(),
                    piece: name.to_owned(),
                },
                (true, true) => Trouble::Sizes {
                    original: job.original.path.clone(),
                    piece: name.to_owned(),
                },
            });
        }
    }
    // Every format of a size would say the same again.
    let mut once = Vec::new();
    for trouble in troubles {
        if !once.iter().any(|known| alike(known, &trouble)) {
            once.push(trouble);
        }
    }
    once
}

/// Whether two troubles are told by one line.
fn alike(a: &Trouble, b: &Trouble) -> bool {
    use Trouble::{Dotted, Originals, Places, Reserved, Sizes, TooLong};
    match (a, b) {
        (
            Originals { first, second, .. },
            Originals {
                first: one,
                second: two,
                ..
            },
        ) => (first, second) == (one, two),
        (
            Places { original, .. },
            Places {
                original: other, ..
            },
        )
        | (
            Sizes { original, .. },
            Sizes {
                original: other, ..
            },
        )
        | (
            Dotted { original, .. },
            Dotted {
                original: other, ..
            },
        )
        | (
            Reserved { original, .. },
            Reserved {
                original: other, ..
            },
        )
        | (
            TooLong { original, .. },
            TooLong {
                original: other, ..
            },
        ) => original == other,
        _ => false,
    }
}

fn unfit(job: &Job, placement: &Placement, name: &str) -> Option<Trouble> {
    let original = job.original.path.clone();
    if name.split('/').any(|part| part.starts_with('.')) {
        return Some(Trouble::Dotted {
            original,
            piece: name.to_owned(),
            place: placement.label().to_owned(),
        });
    }
    if name.len() > LONGEST_PATH || name.split('/').any(|part| part.len() > LONGEST_PART) {
        let length = name.len();
        return Some(Trouble::TooLong { original, length });
    }
    let reserved = name.split('/').find(|part| is_reserved(part))?;
    Some(Trouble::Reserved {
        original,
        piece: name.to_owned(),
        part: reserved.to_owned(),
    })
}

fn is_reserved(part: &str) -> bool {
    let stem = part.split('.').next().unwrap_or(part).to_lowercase();
    let numbered = |port: &str| {
        let digit = stem.strip_prefix(port);
        digit.is_some_and(|digit| matches!(digit.as_bytes(), [b'1'..=b'9']))
    };
    DEVICES.contains(&stem.as_str()) || numbered("com") || numbered("lpt") || part.ends_with('.')
}
