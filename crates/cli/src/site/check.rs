//! `[check]` of a kiln file: what files are held to.

use std::path::Path;

use toml::de::DeValue;

use super::diagnosis::Wrong;
use super::{Table, in_order, keys};
use crate::rules::{CheckLimits, Level, Rule};
use crate::wording;

/// Reads it; the paths in it are seen from the folder of the kiln file.
pub fn read(table: &Table<'_>, folder: &Path, wrongs: &mut Vec<Wrong>) -> CheckLimits {
    let mut limits = CheckLimits::default();
    for (key, value) in in_order(table) {
        let given = value.get_ref();
        let weight = || keys::one(given, wording::parse_weight).map(Some);
        let taken = match key.get_ref().as_ref() {
            "max-weight" => weight().map(|most| limits.max_weight = most),
            "max-total" => weight().map(|most| limits.max_total = most),
            "page-total" => weight().map(|most| limits.page_total = most),
            "folder-total" => weight().map(|most| limits.folder_total = most),
            "max-width" => {
                keys::one(given, wording::parse_width).map(|most| limits.max_width = Some(most))
            }
            "look" => keys::one(given, wording::parse_look).map(|look| limits.look = Some(look)),
            "baseline" => keys::one(given, |text| Ok(text.to_owned()))
                .map(|path| limits.baseline = Some(folder.join(path))),
            "error" => rules(given).map(|rules| limits.levels.set(&rules, Level::Error)),
            "warning" => rules(given).map(|rules| limits.levels.set(&rules, Level::Warning)),
            "off" => rules(given).map(|rules| limits.levels.set(&rules, Level::Off)),
            _ => {
                wrongs.push(Wrong::key(key, &keys::CHECK, "of [check]"));
                continue;
            }
        };
        if let Err(says) = taken {
            wrongs.push(Wrong::value(key, value, says));
        }
    }
    limits
}

/// A rule, or a list of them.
fn rules(value: &DeValue<'_>) -> Result<Vec<Rule>, String> {
    let texts = keys::texts(value);
    let texts = texts.ok_or("it is a list of rules, such as [\"unused\", \"sides\"]")?;
    texts.iter().map(|text| text.parse()).collect()
}
