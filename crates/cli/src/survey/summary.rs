//! The sums of a survey: weights, load times, and each finding over all files.

use std::collections::BTreeMap;

use kiln_core::survey::Name;
use serde::Serialize;

use super::Survey;

/// The sums of a survey.
#[derive(Debug, PartialEq, Serialize)]
pub struct Totals {
    /// Files.
    pub files: usize,
    /// Their bytes.
    pub weight: u64,
    /// The bytes that would remain; `None` where pixels were not looked at.
    pub remains: Option<u64>,
    /// How many of the heaviest files make four fifths of the weight.
    pub heaviest: usize,
}

/// One finding over all files.
#[derive(Debug, PartialEq)]
pub struct Sum {
    /// Its name.
    pub name: Name,
    /// Files that have it.
    pub files: usize,
    /// What mending them all is worth, in bytes, as far as known.
    pub worth: u64,
    /// The sentence of the file that it is worth most for.
    pub says: String,
}

/// The sums.
pub fn totals(survey: &Survey) -> Totals {
    let records = &survey.records;
    let weight = records.iter().map(|record| record.weight).sum::<u64>();
    let mut weights: Vec<u64> = records.iter().map(|record| record.weight).collect();
    weights.sort_unstable_by(|a, b| b.cmp(a));
    let mut so_far = 0;
    let mut needed = |w: &&u64| {
        let before = so_far;
        so_far += **w;
        before * 5 < weight * 4
    };
    Totals {
        files: records.len(),
        weight,
        remains: survey
            .looked
            .then(|| records.iter().map(|record| record.remains()).sum()),
        heaviest: weights.iter().take_while(|w| needed(w)).count(),
    }
}

/// Every finding, the most urgent first.
pub fn sums(survey: &Survey) -> Vec<Sum> {
    let mut sums: BTreeMap<Name, (usize, u64, Option<u64>, &str)> = BTreeMap::new();
    for finding in survey.records.iter().flat_map(|record| &record.findings) {
        let worth = finding.worth.unwrap_or(0);
        let entry = sums.entry(finding.name).or_insert((0, 0, None, ""));
        entry.0 += 1;
        entry.1 += worth;
        if entry.2.is_none_or(|most| worth > most) {
            (entry.2, entry.3) = (Some(worth), &finding.says);
        }
    }
    let sum = |(name, (files, worth, _, says)): (Name, (usize, u64, Option<u64>, &str))| Sum {
        name,
        files,
        worth,
        says: says.to_owned(),
    };
    sums.into_iter().map(sum).collect()
}
