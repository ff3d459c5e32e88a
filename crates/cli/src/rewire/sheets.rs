//! What the style sheets of a site say of pictures.

use std::collections::{HashMap, HashSet};
use std::path::PathBuf;

use kiln_site::rewire::{File, Styles};
use kiln_site::{Found, Links, coded, css};
use rayon::prelude::*;

use super::files::{Kind, SiteFile};
use super::guide::Finder;
use super::read;

/// What the style sheets of a site say of the sizes of pictures.
pub(super) struct Sheets {
    by_path: HashMap<PathBuf, (Styles, Vec<String>)>,
    /// All of them together: for texts of which nobody knows in which page they end.
    pub all: Styles,
}

impl Sheets {
    /// Reads all sheets of the site.
    pub fn read(files: &[SiteFile]) -> Sheets {
        let sheets = files.par_iter().filter(|file| file.kind == Kind::Sheet);
        let read = sheets.filter_map(|file| {
            let (text, _) = coded::read(&read(file).ok()?)?;
            let found = css::references(&text);
            let mut styles = Styles::default();
            styles.add(&found);
            Some((file.path.clone(), (styles, imports(&found))))
        });
        let by_path: HashMap<PathBuf, (Styles, Vec<String>)> = read.collect();
        let mut all = Styles::of_a_part();
        let mut paths: Vec<&PathBuf> = by_path.keys().collect();
        paths.sort_unstable();
        for path in paths {
            all.extend(&by_path[path].0);
        }
        Sheets { by_path, all }
    }

    /// What holds for a page: that of the sheets that it names. Where it is a part of one, which names none,
    /// any may hold.
    pub fn of(&self, finder: &Finder, page: &SiteFile, read: &File<'_>) -> Styles {
        let named = imports(read.found);
        if named.is_empty() && !read.text.contains("</html") {
            return self.all.clone();
        }
        let mut styles = Styles::default();
        let mut seen = HashSet::new();
        // Where addresses are seen from, what it says of that, and the addresses.
        let base = read.found.base.as_deref();
        let mut open = vec![(page.path.as_path(), base, &named[..])];
        while let Some((from, base, addresses)) = open.pop() {
            let paths = addresses.iter();
            for path in paths.filter_map(|address| finder.path_of(from, base, address)) {
                let Some((path, (own, imports))) = self.by_path.get_key_value(&path) else {
                    continue;
                };
                if seen.insert(path) {
                    styles.extend(own);
                    open.push((path, None, imports));
                }
            }
        }
        styles
    }
}

fn imports(found: &Found) -> Vec<String> {
    let sheets = found
        .linked
        .iter()
        .filter(|linked| linked.what == Links::Sheet);
    sheets.map(|linked| linked.address.clone()).collect()
}
