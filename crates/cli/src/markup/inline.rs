//! Drawings that stand in the page itself.

use std::fs;
use std::path::Path;

use kiln_site::drawing;
use kiln_site::offer::Layout;
use kiln_site::tags::Words;

/// The drawing of a layout as an element of the page, where it has one that weighs no more than `most`.
pub(super) fn drawing(layout: &Layout<'_>, words: &Words, out: &Path, most: u64) -> Option<String> {
    let form = layout.forms.first()?;
    let (piece, _) = form.candidates.first()?;
    if !piece.is_scalable() || piece.weight > most {
        return None;
    }
    let text = fs::read_to_string(out.join(&piece.name)).ok()?;
    // Two drawings of a page have to keep their names apart.
    let prefix = format!("{}-", kiln_core::plan::slug(&piece.name));
    drawing::inline(&text, words, (layout.width, layout.height), &prefix)
}
