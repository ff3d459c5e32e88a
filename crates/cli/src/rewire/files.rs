//! The files of a site that may refer to pictures.

use std::path::{Path, PathBuf};

use kiln_site::kinds;
use walkdir::WalkDir;

use super::below;
use super::guide::Finder;
use crate::failure::Failure;
use crate::ledger;
use crate::settings::RewireSettings;

/// Folders of packages that a site is built with: their files are not its own.
const FOREIGN: [&str; 3] = ["node_modules", "bower_components", "vendor"];

/// Templates of HTML by their usual extensions: what belongs to the template is left alone.
const TEMPLATES: [&str; 12] = [
    "php", "phtml", "njk", "liquid", "hbs", "mustache", "ejs", "erb", "twig", "jinja", "jinja2",
    "tmpl",
];

/// What a file is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Kind {
    /// HTML, or a template of it.
    Page,
    /// A style sheet.
    Sheet,
    /// A text in Markdown.
    Markdown,
    /// A drawing, a feed, a sitemap.
    Xml,
    /// A web app manifest.
    Manifest,
}

/// A file of the site.
#[derive(Clone, Debug)]
pub struct SiteFile {
    /// Where it is, without links.
    pub path: PathBuf,
    /// Its path below the site.
    pub name: String,
    /// What it is.
    pub kind: Kind,
}

fn kind(path: &Path) -> Option<Kind> {
    let name = path.file_name()?.to_string_lossy().to_ascii_lowercase();
    let extension = path.extension()?.to_string_lossy().to_ascii_lowercase();
    if TEMPLATES.contains(&extension.as_str()) {
        return Some(Kind::Page);
    }
    match kinds::by_name(&name) {
        "text/html" => Some(Kind::Page),
        "text/css" => Some(Kind::Sheet),
        "text/markdown" => Some(Kind::Markdown),
        "application/manifest+json" => Some(Kind::Manifest),
        "image/svg+xml" | "application/xml" => Some(Kind::Xml),
        _ if name == "manifest.json" => Some(Kind::Manifest),
        _ => None,
    }
}

/// Finds them, in the order of their paths: hidden ones, originals and pieces are left out.
pub(super) fn find(finder: &Finder, settings: &RewireSettings) -> Result<Vec<SiteFile>, Failure> {
    let root = &finder.root;
    let wanted = |path: &Path, depth: usize, is_folder: bool| {
        let name = path.file_name().map(|name| name.to_string_lossy());
        let name = name.unwrap_or_default();
        let is_foreign = is_folder && FOREIGN.contains(&name.as_ref());
        depth == 0
            || !(name.starts_with('.')
                || is_foreign
                || (is_folder && (finder.is_apart(path) || ledger::is_in(path))))
    };
    let mut files = Vec::new();
    let walk = WalkDir::new(root).sort_by_file_name().into_iter();
    for entry in walk.filter_entry(|e| wanted(e.path(), e.depth(), e.file_type().is_dir())) {
        let entry = entry.map_err(|error| Failure::Unreadable {
            path: error.path().unwrap_or(&settings.site).to_owned(),
            source: error.into(),
        })?;
        // What a link leads to is either met by itself or none of the site's.
        let Some(kind) = kind(entry.path()).filter(|_| entry.file_type().is_file()) else {
            continue;
        };
        let name = below(root, entry.path());
        let is_left = settings.except.iter().any(|except| except.matches(&name));
        if !is_left && !finder.is_original(entry.path()) {
            files.push(SiteFile {
                name,
                path: entry.into_path(),
                kind,
            });
        }
    }
    Ok(files)
}
