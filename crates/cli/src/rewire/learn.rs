//! Alternative texts that pages have, taken into the label sheet.

use kiln_core::credits::{Credits, Field};

use super::guide::Finder;
use super::notes::Notes;
use crate::failure::Failure;
use crate::settings::RewireSettings;
use crate::sheet::Sheet;

/// Puts them where the sheet says nothing; returns the originals and their texts. Where pages differ, the
/// first in the order of letters is taken, and that they differ was said.
pub(super) fn take(
    notes: &Notes,
    finder: &Finder,
    settings: &RewireSettings,
) -> Result<Vec<(String, String)>, Failure> {
    if notes.texts.is_empty() {
        return Ok(Vec::new());
    }
    let mut sheet = Sheet::open(&settings.sources.labels)?;
    let mut learned = Vec::new();
    for (original, texts) in &notes.texts {
        let (Some(held), Some(text)) = (finder.stock.originals.get(*original), texts.first())
        else {
            continue;
        };
        let mut said = Credits::default();
        said.set(Field::AlternativeText, text);
        if sheet.fill(&held.name, &said)? {
            learned.push((held.name.clone(), text.clone()));
        }
    }
    if !learned.is_empty() {
        sheet.save()?;
    }
    Ok(learned)
}
