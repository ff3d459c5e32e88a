//! What the markup of a page tells of what a screen loads.

use std::collections::{HashMap, HashSet};

use kiln_site::{Page, Role, Viewport};
use url::Url;

use super::visit::{Loaded, Picture};

/// Notes what a screen loads of a page by its markup.
pub(super) fn by_markup(
    screen: usize,
    viewport: &Viewport,
    page: &Page,
    numbers: &HashMap<Url, usize>,
    pictures: &mut [Picture],
) -> Vec<Loaded> {
    let (mut loads, mut known) = (Vec::new(), HashSet::new());
    for load in page.loads(viewport) {
        let Some(&number) = numbers.get(&page.pictures[load.picture].address) else {
            continue;
        };
        let showing = page.showing(load.used);
        // Shown twice, it has to serve both; nobody knows how wide one of unknown width is.
        let shown = &mut pictures[number].shown[screen];
        shown.width = match (shown.width, load.width) {
            (Some(a), Some(b)) => Some(a.max(b)),
            (None, width) if !shown.is_loaded => width,
            _ => None,
        };
        shown.is_lazy = showing.lazy && (shown.is_lazy || !shown.is_loaded);
        let is_sized = showing.width.is_some() && showing.height.is_some();
        shown.is_unsized |= showing.role == Role::Image && !is_sized;
        shown.is_loaded = true;
        let file = Some(load.used.file);
        if known.insert(number) {
            loads.push(Loaded { number, file });
        }
    }
    loads
}
