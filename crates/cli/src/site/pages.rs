//! The pages of a kiln file: which pictures share a total.

use kiln_core::plan::Total;
use toml::de::DeValue;

use super::diagnosis::{Source, Wrong};
use super::{PageGiven, Table, globs, in_order, keys};
use crate::wording;

/// Reads all pages. Places that they name must be among those of the file.
pub fn read(
    table: &Table<'_>,
    document: &Table<'_>,
    source: &Source<'_>,
    wrongs: &mut Vec<Wrong>,
) -> Vec<PageGiven> {
    let places = document
        .get("place")
        .and_then(|value| value.get_ref().as_table());
    let places: Vec<&str> = places
        .into_iter()
        .flatten()
        .map(|(key, _)| key.get_ref().as_ref())
        .collect();
    let mut pages = Vec::new();
    for (key, value) in in_order(table) {
        let Some(table) = value.get_ref().as_table() else {
            wrongs.push(Wrong::value(key, value, "a page is a table: [page.NAME]"));
            continue;
        };
        let mut total = Total {
            page: Some(key.get_ref().to_string()),
            places: Vec::new(),
            of: Vec::new(),
            max_total: 0,
            shared: true,
        };
        let mut line = None;
        for (key, value) in in_order(table) {
            let taken = match key.get_ref().as_ref() {
                "max-total" => keys::one(value.get_ref(), wording::parse_weight).map(|most| {
                    total.max_total = most;
                    line = Some(source.line(key.span().start));
                }),
                "places" => named(value.get_ref(), &places).map(|named| total.places = named),
                "of" => globs(value).map(|globs| total.of = globs),
                _ => {
                    wrongs.push(Wrong::key(key, &keys::PAGE, "of a page"));
                    continue;
                }
            };
            if let Err(says) = taken {
                wrongs.push(Wrong::value(key, value, says));
            }
        }
        match line {
            Some(line) => pages.push(PageGiven { total, line }),
            None if table.contains_key("max-total") => {} // Wrong, and named already.
            None => wrongs.push(Wrong::whole(
                key,
                "it does not say what its pictures may weigh together; add max-total = \"1 MB\""
                    .to_owned(),
            )),
        }
    }
    pages
}

/// Names of places.
fn named(value: &DeValue<'_>, places: &[&str]) -> Result<Vec<String>, String> {
    let texts = keys::texts(value).filter(|texts| !texts.is_empty());
    let form = || "it is a list of places, such as [\"banner\", \"card\"]".to_owned();
    let texts = texts.ok_or_else(form)?;
    match texts.iter().find(|text| !places.contains(&text.as_str())) {
        None => Ok(texts),
        Some(unknown) if places.is_empty() => Err(format!(
            "there is no place {unknown:?}, nor any other; leave this out"
        )),
        Some(unknown) => Err(format!(
            "there is no place {unknown:?}; the places are {}",
            places.join(", ")
        )),
    }
}
