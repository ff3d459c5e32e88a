//! Names that cannot be: found in the plan, before any work.

use std::collections::{BTreeMap, HashMap};
use std::fmt;

use thiserror::Error;

use super::{Job, Placement};

/// The longest path of a piece, in bytes: what remains of 260, the most that some systems take,
/// for the folders above.
const LONGEST_PATH: usize = 180;

/// The longest part of a path, in bytes: 255 less what a file's name has more while it is written.
const LONGEST_PART: usize = 240;

/// Names that some systems keep for devices, whatever their extension.
const DEVICES: [&str; 4] = ["con", "prn", "aux", "nul"];

/// An original that cannot be planned for, and why.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Trouble {
    /// Its index among those given.
    pub index: usize,
    /// Its path.
    pub original: String,
    /// Why.
    pub why: Why,
}

/// Whether one of a plan's troubles, which come in the order of the originals, is that of an original.
pub fn concerns(troubles: &[Trouble], index: usize) -> bool {
    let found = troubles.binary_search_by_key(&index, |trouble| trouble.index);
    found.is_ok()
}

impl fmt::Display for Trouble {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}: {}", self.original, self.why)
    }
}

/// Why an original cannot be planned for.
#[derive(Clone, Debug, PartialEq, Eq, Error)]
pub enum Why {
    /// Another original would have a piece of the same name.
    #[error(
        "would become {piece}, as would {other}{}; rename one of them, give it a title, or put {{suffix}} into the name",
        if *.by_case { " but for the case" } else { "" }
    )]
    Originals {
        /// The other.
        other: String,
        /// The name that both would have, as this one has it.
        piece: String,
        /// Whether the names differ in case only: on many file systems they are one.
        by_case: bool,
    },
    /// Two places that give it the same piece.
    #[error("would become {piece} for {first} and for {second}; put {{place}} into their names")]
    Places {
        /// The place that came first.
        first: String,
        /// The place that came second.
        second: String,
        /// The name.
        piece: String,
    },
    /// Two sizes of one name.
    #[error("two sizes of it would both become {piece}; put {{width}} into the name")]
    Sizes {
        /// The name.
        piece: String,
    },
    /// A name that some system keeps for itself.
    #[error("would become {piece}, and {part:?} cannot be a name on every system; rename it")]
    Reserved {
        /// The piece.
        piece: String,
        /// The part of its path that is reserved.
        part: String,
    },
    /// A name that its pattern makes hidden, or lead out of the out folder.
    #[error(
        "would become {piece}, and no part of a name can begin with a dot; change the name pattern of {place}"
    )]
    Dotted {
        /// The piece.
        piece: String,
        /// The place whose pattern it is.
        place: String,
    },
    /// A path that some system cannot take.
    #[error(
        "would become a path of {length} bytes, above {LONGEST_PATH}; shorten the names of its folders"
    )]
    TooLong {
        /// The length of the piece's path, in bytes.
        length: usize,
    },
}

/// The troubles of jobs, which are those of originals of the given indices; each original's first.
pub(super) fn find(jobs: &[Job], indices: &[usize]) -> Vec<Trouble> {
    let mut owners: HashMap<String, (usize, &Placement, &str)> = HashMap::new();
    let mut troubles: BTreeMap<usize, Why> = BTreeMap::new();
    for (index, job) in jobs.iter().enumerate() {
        let named = job.pieces().flat_map(|(placement, _, piece)| {
            let names = piece.names();
            names.map(move |name| (placement, name))
        });
        for (placement, name) in named {
            let mut add = |index: usize, why: Why| {
                troubles.entry(index).or_insert(why);
            };
            if let Some(why) = unfit(placement, name) {
                add(index, why);
            }
            let first = owners.insert(name.to_lowercase(), (index, placement, name));
            let Some((earlier, other, known)) = first else {
                continue;
            };
            if earlier == index {
                let piece = name.to_owned();
                add(
                    index,
                    if std::ptr::eq(other, placement) {
                        Why::Sizes { piece }
                    } else {
                        Why::Places {
                            first: other.label().to_owned(),
                            second: placement.label().to_owned(),
                            piece,
                        }
                    },
                );
                continue;
            }
            for (one, own, other) in [(earlier, known, index), (index, name, earlier)] {
                add(
                    one,
                    Why::Originals {
                        other: jobs[other].original.path.clone(),
                        piece: own.to_owned(),
                        by_case: known != name,
                    },
                );
            }
        }
    }
    let trouble = |(index, why): (usize, Why)| Trouble {
        index: indices[index],
        original: jobs[index].original.path.clone(),
        why,
    };
    troubles.into_iter().map(trouble).collect()
}

/// Why a name cannot be, whatever others there are.
pub(super) fn unfit(placement: &Placement, name: &str) -> Option<Why> {
    if name.split('/').any(|part| part.starts_with('.')) {
        return Some(Why::Dotted {
            piece: name.to_owned(),
            place: placement.label().to_owned(),
        });
    }
    if name.len() > LONGEST_PATH || name.split('/').any(|part| part.len() > LONGEST_PART) {
        return Some(Why::TooLong { length: name.len() });
    }
    let reserved = name.split('/').find(|part| is_reserved(part))?;
    Some(Why::Reserved {
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
