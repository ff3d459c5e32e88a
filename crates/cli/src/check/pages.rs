//! Rules for pages and sheets: what they refer to, what they say of it, and what they come to.

use std::collections::{HashMap, HashSet};
use std::path::{Path, PathBuf};

use kiln_core::label;
use kiln_site::{Page, Role, kinds};
use url::Url;

use super::files::Files;
use super::{At, Flaws};
use crate::find;
use crate::loads;
use crate::rules::Rule;
use crate::settings::VIEWPORTS;

/// Checks every page and sheet; `pictures` are those of the site, with their weights.
pub(super) fn check(files: &Files, pictures: &HashMap<PathBuf, u64>, flaws: &mut Flaws<'_>) {
    let mut met: HashSet<PathBuf> = HashSet::new();
    for (path, root) in &files.pages {
        let Some(page) = loads::walked(path, root) else {
            let file = path.to_string_lossy();
            let value = "cannot be read".to_owned();
            flaws.add(
                Rule::Damaged,
                At::file(&file),
                value,
                String::new(),
                "check its permissions",
            );
            continue;
        };
        references(&page, &mut met, flaws);
        elements(&page, path, flaws);
        total(&page, path, pictures, flaws);
    }
    let is_site = |path: &Path| kinds::is_page(&path.to_string_lossy());
    // Without pages nothing is known of what refers to pictures.
    if files.pages.iter().any(|(path, _)| is_site(path)) {
        for candidate in &files.pictures {
            let real = find::real(&candidate.path);
            if pictures.contains_key(&real) && !met.contains(&real) {
                let file = candidate.path.to_string_lossy();
                let value = "nothing refers to it".to_owned();
                flaws.add(
                    Rule::Unused,
                    At::file(&file),
                    value,
                    String::new(),
                    "refer to it, or take it out",
                );
            }
        }
    }
}

/// A path as it is reached from here.
fn shown(address: &Url) -> String {
    let path = address.to_file_path().unwrap_or_default();
    let here = std::env::current_dir().unwrap_or_default();
    let shown = path.strip_prefix(&here).unwrap_or(&path);
    shown.to_string_lossy().into_owned()
}

/// References that lead nowhere; those that lead somewhere are noted in `met`.
fn references(page: &Page, met: &mut HashSet<PathBuf>, flaws: &mut Flaws<'_>) {
    let advice = "mend or remove the reference";
    let mut dead = |file: usize, line: u32, address: &str, why: &str| {
        let file = shown(&page.files[file].address);
        let at = At {
            file: &file,
            line: Some(line),
            about: address,
        };
        flaws.add(
            Rule::Dead,
            at,
            format!("{address} {why}"),
            String::new(),
            advice,
        );
    };
    for picture in &page.pictures {
        if picture.address.scheme() != "file" {
            continue;
        }
        let path = picture.address.to_file_path().unwrap_or_default();
        if path.is_file() {
            met.insert(find::real(&path));
            continue;
        }
        for used in &picture.uses {
            dead(
                used.file,
                used.line,
                &shown(&picture.address),
                "is not there",
            );
        }
    }
    for file in &page.files {
        let (Some((by, line)), None) = (file.by, file.weight) else {
            continue;
        };
        if file.address.scheme() == "file" {
            dead(by, line, &shown(&file.address), "is not there");
        }
    }
    for (address, file, line) in &page.wrong {
        dead(*file, *line, address, "is no address");
    }
}

/// What `img` elements say of their pictures.
fn elements(page: &Page, path: &Path, flaws: &mut Flaws<'_>) {
    let Some(file) = page.files.first() else {
        return;
    };
    let name = path.to_string_lossy();
    for showing in &file.found.showings {
        let is_img = matches!(showing.role, Role::Image | Role::Button) && !showing.inert;
        let Some(candidate) = showing.candidates().last().filter(|_| is_img) else {
            continue;
        };
        let address = &candidate.address;
        let short = if address.starts_with("data:") {
            "data:"
        } else {
            address
        };
        let at = At {
            file: &name,
            line: Some(showing.line),
            about: short,
        };
        let last = address.split(['?', '#']).next().unwrap_or("");
        let last = last.rsplit('/').next().unwrap_or("");
        match &showing.alt {
            None => flaws.add(
                Rule::Text,
                at,
                format!("{short} has no alternative text"),
                String::new(),
                "say what it shows, or alt=\"\" where it only adorns",
            ),
            Some(text) if !text.trim().is_empty() => {
                for flaw in label::flaws_of_text(text, last) {
                    let says = flaw.to_string();
                    let (says, advice) = says.split_once("; ").unwrap_or((&says, "write it anew"));
                    flaws.add(
                        Rule::Text,
                        at,
                        format!("{short}: {says}"),
                        String::new(),
                        advice,
                    );
                }
            }
            Some(_) => {}
        }
        let has_both = showing.width.is_some() && showing.height.is_some();
        if showing.role == Role::Image && !has_both {
            flaws.add(
                Rule::Sides,
                at,
                format!("{short} has no width and height"),
                String::new(),
                "give it both, or the page shifts when it comes",
            );
        }
    }
}

/// What the pictures of a page come to.
fn total(page: &Page, path: &Path, pictures: &HashMap<PathBuf, u64>, flaws: &mut Flaws<'_>) {
    if kinds::by_name(&path.to_string_lossy()) != "text/html" {
        return;
    }
    let weight = |path: PathBuf| -> u64 {
        let known = pictures.get(&find::real(&path)).copied();
        // What lies beside the checked folder counts all the same.
        known
            .or_else(|| Some(path.metadata().ok()?.len()))
            .unwrap_or(0)
    };
    let sums = VIEWPORTS.iter().map(|screen| {
        let loaded = loads::pictures(page, screen).into_iter();
        loaded.map(weight).sum::<u64>()
    });
    let heaviest = sums.max().unwrap_or(0);
    let most = flaws.settings.limits.page_total;
    let name = path.to_string_lossy();
    flaws.add_weight(
        Rule::PageTotal,
        &name,
        heaviest,
        most,
        "see kiln page, and fire what is heaviest",
    );
}
