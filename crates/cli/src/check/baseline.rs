//! What was wrong before, and may stay so.

use std::collections::HashMap;
use std::fs;
use std::path::Path;

use serde::{Deserialize, Serialize};

use super::Flaw;
use crate::failure::Failure;
use crate::write;

/// The version of the document's form.
const SCHEMA: u32 = 1;

/// What may pass.
#[derive(Debug, Serialize, Deserialize)]
pub(super) struct Baseline {
    schema: u32,
    flaws: Vec<Passed>,
}

/// A broken rule that may pass: where, without line and figures, which change with every edit.
#[derive(Clone, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
struct Passed {
    rule: String,
    file: String,
    #[serde(default, skip_serializing_if = "String::is_empty")]
    about: String,
}

impl Passed {
    fn of(flaw: &Flaw) -> Passed {
        Passed {
            rule: flaw.rule.as_str().to_owned(),
            file: flaw.file.replace('\\', "/"),
            about: flaw.about.clone(),
        }
    }
}

/// Writes all that was found.
pub(super) fn write(path: &Path, flaws: &[Flaw]) -> Result<(), Failure> {
    // Another file of that name is no baseline, and stays.
    if path.exists() {
        read(path)?;
    }
    let mut passed: Vec<Passed> = flaws.iter().map(Passed::of).collect();
    passed.sort();
    let document = Baseline {
        schema: SCHEMA,
        flaws: passed,
    };
    let unwritable = |error: serde_json::Error| Failure::unwritable(path)(error.into());
    let mut text = serde_json::to_vec_pretty(&document).map_err(unwritable)?;
    text.push(b'\n');
    write::whole(path, &text).map_err(Failure::unwritable(path))
}

/// Reads what may pass.
pub(super) fn read(path: &Path) -> Result<Baseline, Failure> {
    let text = fs::read(path).map_err(Failure::unreadable(path))?;
    let baseline: Option<Baseline> = serde_json::from_slice(&text).ok();
    let sound = baseline.filter(|baseline| baseline.schema == SCHEMA);
    sound.ok_or_else(|| Failure::NoBaseline(path.to_owned()))
}

impl Baseline {
    /// Marks what was there before; twice in the baseline lets it pass twice.
    pub fn mark(self, flaws: &mut [Flaw]) {
        let mut left: HashMap<Passed, usize> = HashMap::new();
        for passed in self.flaws {
            *left.entry(passed).or_default() += 1;
        }
        for flaw in flaws {
            if let Some(left) = left.get_mut(&Passed::of(flaw)).filter(|left| **left > 0) {
                *left -= 1;
                flaw.known = true;
            }
        }
    }
}
