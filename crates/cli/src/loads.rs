//! What pages on this disk make a browser load.

use std::collections::HashSet;
use std::path::{Path, PathBuf};

use kiln_site::{Answer, Page, Viewport, Walk};
use url::Url;

use crate::fetch;

/// A page with all that it is made of on this disk; what is elsewhere is left alone. Addresses with a
/// leading slash are looked for in `root`. `None` where the page cannot be read.
pub fn walked(path: &Path, root: &Path) -> Option<Page> {
    let absolute = |path: &Path| std::path::absolute(path).ok();
    let address = Url::from_file_path(absolute(path)?).ok()?;
    let root = Url::from_directory_path(absolute(root)?).ok()?;
    let mut walk = Walk::new(address, Some(root));
    let mut is_first = true;
    loop {
        let wanted = walk.wanted();
        if wanted.is_empty() {
            return Some(walk.end());
        }
        for request in wanted {
            if request.address.scheme() != "file" {
                continue;
            }
            let came = fetch::text_on_disk(&request.address);
            match came {
                Ok((got, text)) => walk.take(
                    &request,
                    Answer {
                        address: got.address,
                        weight: got.weight,
                        // A drawing is asked for what it refers to, not shown.
                        kind: if is_first { String::new() } else { got.kind },
                        text,
                    },
                ),
                Err(_) if is_first => return None,
                Err(_) => {}
            }
            is_first = false;
        }
    }
}

/// The pictures on this disk that a screen makes a browser load, each once.
pub fn pictures(page: &Page, screen: &Viewport) -> HashSet<PathBuf> {
    let loads = page.loads(screen).into_iter();
    let addresses = loads.map(|load| &page.pictures[load.picture].address);
    addresses
        .filter(|address| address.scheme() == "file")
        .filter_map(|address| address.to_file_path().ok())
        .collect()
}
