//! `[markup]` of a kiln file: how pages are given their pieces.

use std::path::Path;

use super::diagnosis::Wrong;
use super::{Table, globs, in_order, keys};
use crate::given::{MarkupGiven, Meanwhile};
use crate::wording;

/// Reads it; the paths in it are seen from the folder of the kiln file.
pub fn read(table: &Table<'_>, folder: &Path, wrongs: &mut Vec<Wrong>) -> MarkupGiven {
    let mut markup = MarkupGiven::default();
    for (key, value) in in_order(table) {
        let given = value.get_ref();
        let text = || keys::one(given, |text| Ok(text.to_owned())).map(Some);
        let taken = match key.get_ref().as_ref() {
            "base" => keys::one(given, wording::parse_base).map(|base| markup.base = Some(base)),
            "home" => keys::one(given, wording::parse_home).map(|home| markup.home = Some(home)),
            "meanwhile" => keys::one(given, str::parse::<Meanwhile>)
                .map(|meanwhile| markup.meanwhile = Some(meanwhile)),
            "inline" => {
                keys::one(given, wording::parse_weight).map(|most| markup.inline = Some(most))
            }
            "template" => text().map(|path| markup.template = path.map(|path| folder.join(path))),
            "except" => globs(value).map(|except| markup.except = Some(except)),
            _ => {
                wrongs.push(Wrong::key(key, &keys::MARKUP, "of [markup]"));
                continue;
            }
        };
        if let Err(says) = taken {
            wrongs.push(Wrong::value(key, value, says));
        }
    }
    markup
}
