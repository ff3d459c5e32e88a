//! How wide pictures are shown, as `kiln page --browser --json` has told it: read back, and so not trusted.

use std::collections::HashMap;
use std::fs;
use std::path::{Path, PathBuf};

use kiln_site::Viewport;
use serde::Deserialize;
use url::Url;

use crate::failure::Failure;
use crate::find;

#[derive(Deserialize)]
struct Document {
    schema: u32,
    kind: String,
    pictures: Vec<Picture>,
}

#[derive(Deserialize)]
struct Picture {
    uses: Vec<Used>,
    shown: Vec<Screen>,
}

#[derive(Deserialize)]
struct Used {
    file: String,
    line: u32,
}

#[derive(Deserialize)]
struct Screen {
    screen: String,
    whole_width: Option<f64>,
    below_first_screen: Option<bool>,
}

/// How a picture is shown.
#[derive(Clone, Debug, Default, PartialEq)]
pub(super) struct Measured {
    /// The widest, in CSS pixels.
    pub width: f64,
    /// What that comes to as `sizes`, where screens differ.
    pub sizes: Option<String>,
    /// Whether no screen shows it without scrolling.
    pub is_below: bool,
}

/// What was measured in a file, by the lines of references.
pub(super) type ByLine = HashMap<u32, Measured>;

/// Widths that are told apart, in CSS pixels.
const ALIKE: f64 = 2.0;

/// Reads it; addresses of a server stand for files of the site.
pub(super) fn read(path: &Path, root: &Path) -> Result<HashMap<PathBuf, ByLine>, Failure> {
    let text = fs::read(path).map_err(Failure::unreadable(path))?;
    let refused = |says: &str| Failure::Refused {
        path: path.to_owned(),
        says: says.to_owned(),
    };
    let form = "is no report of kiln page --json; make one with --browser";
    let document: Document = serde_json::from_slice(&text).map_err(|_| refused(form))?;
    if document.kind != "page" {
        return Err(refused(form));
    }
    if document.schema != 1 {
        return Err(refused(
            "is of another form than this program reads; make it anew",
        ));
    }
    let mut by_file: HashMap<PathBuf, ByLine> = HashMap::new();
    for picture in &document.pictures {
        let Some(measured) = measured(&picture.shown) else {
            continue;
        };
        for used in &picture.uses {
            if let Some(file) = on_disk(&used.file, root) {
                let by_line = by_file.entry(file).or_default();
                let known = by_line.entry(used.line).or_insert_with(|| measured.clone());
                if known.width < measured.width {
                    *known = measured.clone();
                }
            }
        }
    }
    Ok(by_file)
}

fn on_disk(address: &str, root: &Path) -> Option<PathBuf> {
    let url = Url::parse(address).ok()?;
    if url.scheme() == "file" {
        return Some(find::real(&url.to_file_path().ok()?));
    }
    let mut as_file = Url::from_directory_path(root).ok()?;
    let path = format!("{}{}", as_file.path(), url.path().trim_start_matches('/'));
    as_file.set_path(&path);
    as_file.to_file_path().ok()
}

fn measured(screens: &[Screen]) -> Option<Measured> {
    let is_sound = |width: &f64| width.is_finite() && (1.0..=100_000.0).contains(width);
    let mut widths: Vec<(f64, f64)> = Vec::new();
    for screen in screens {
        let viewport: Viewport = screen.screen.parse().ok()?;
        if let Some(width) = screen.whole_width.filter(is_sound) {
            widths.push((viewport.width, width.ceil()));
        }
    }
    widths.sort_by(|a, b| a.0.total_cmp(&b.0));
    let (_, last) = widths.last().copied()?;
    let widest = widths.iter().map(|(_, width)| *width).fold(0.0, f64::max);
    let differ = widths.iter().any(|(_, width)| (width - last).abs() > ALIKE);
    let sizes = differ.then(|| {
        let (steps, rest) = widths.split_at(widths.len() - 1);
        let steps = steps
            .iter()
            .map(|(screen, width)| format!("(max-width: {screen}px) {width}px"));
        let rest = rest.iter().map(|(_, width)| format!("{width}px"));
        steps.chain(rest).collect::<Vec<_>>().join(", ")
    });
    Some(Measured {
        width: widest,
        sizes,
        is_below: screens
            .iter()
            .all(|screen| screen.below_first_screen == Some(true)),
    })
}
