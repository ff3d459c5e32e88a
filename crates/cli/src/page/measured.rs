//! What a browser told of a page, put beside what its files say.

use std::collections::{HashMap, HashSet};

use kiln_site::{Page, kinds};
use url::Url;

use super::visit::{Loaded, Picture, Visit};
use crate::browser::{Browser, Measured, Served};
use crate::find::{self, Candidate};
use crate::mishap::Mishap;

/// What asks for files that are pictures, beside what shows them.
const ASKS_FOR_PICTURES: [&str; 3] = ["img", "image", "input"];

impl Visit {
    /// Has a browser show a page on every screen. Where that fails, its markup tells.
    pub(super) fn measure(&mut self, page: usize, browser: &Browser, with_look: bool) {
        let start = self.pages[page].start.clone();
        let came = self.pages[page].came();
        // A browser shows these as plain text, and has nothing to show where nothing came.
        if !came || kinds::by_name(start.address.path()) == "text/markdown" {
            return;
        }
        let served = start.root.as_ref().map(Served::begin).transpose();
        let served = match served {
            Ok(served) => served,
            Err(error) => {
                let why = Mishap::of(error, "the page is told by its markup");
                return self.troubles.push((start.given, why));
            }
        };
        let outside = served.as_ref().map(|served| served.outside(&start.address));
        let address = outside
            .unwrap_or(Some(start.address))
            .ok_or_else(|| Mishap::new("lies outside of the site's folder; name that with --root"));
        for (index, screen) in self.viewports.iter().enumerate() {
            let address = address.as_ref().map_err(Mishap::clone);
            let measured = address.and_then(|page| browser.measure(page, screen, with_look));
            match measured {
                Ok(mut measured) => {
                    measured.resolve(served.as_ref());
                    self.pages[page].measured[index] = Some(measured);
                }
                Err(why) => {
                    self.troubles.push((start.given, why));
                    return;
                }
            }
        }
    }
}

impl Measured {
    /// Turns addresses of a site that was served here into those on disk, and drops fragments.
    fn resolve(&mut self, served: Option<&Served>) {
        let resolved = |address: &str| {
            let mut url = Url::parse(address).ok()?;
            url.set_fragment(None);
            let is_file = matches!(url.scheme(), "http" | "https" | "data");
            let url = is_file.then(|| served.map_or(url.clone(), |served| served.inside(&url)))?;
            Some(url.to_string())
        };
        let texts = self.shown.iter_mut().map(|one| &mut one.address);
        let texts = texts.chain(self.loaded.iter_mut().map(|one| &mut one.address));
        for text in texts {
            *text = resolved(text).unwrap_or_default();
        }
    }

    /// The addresses of its pictures: what it shows, and what was asked for as one.
    pub(super) fn pictures(&self) -> Vec<Url> {
        let shown = self.shown.iter().map(|one| &one.address);
        let asked = self.loaded.iter().filter(|one| {
            ASKS_FOR_PICTURES.contains(&one.by.as_str())
                || kinds::is_named_like_a_picture(&one.address)
        });
        let all = shown.chain(asked.map(|one| &one.address));
        let mut met = HashSet::new();
        all.filter(|address| met.insert(address.as_str()))
            .filter_map(|address| Url::parse(address).ok())
            .collect()
    }

    /// Notes on the pictures how this screen shows them; what it loads, and what else.
    pub(super) fn note(
        &self,
        screen: usize,
        page: &Page,
        numbers: &HashMap<Url, usize>,
        pictures: &mut [Picture],
    ) -> (Vec<Loaded>, Vec<(Url, u64)>) {
        let number = |address: &str| {
            let address = Url::parse(address).ok()?;
            numbers.get(&address).copied()
        };
        let by_markup = page.pictures.iter().filter_map(|one| {
            let used = one.uses.first()?;
            Some((&one.address, used.file))
        });
        let by_markup: HashMap<&Url, usize> = by_markup.collect();
        let asked: HashSet<&str> = self.loaded.iter().map(|one| one.address.as_str()).collect();
        let (mut loads, mut known) = (Vec::new(), HashSet::new());
        let mut load = |number: usize, pictures: &mut [Picture]| {
            if known.insert(number) {
                let shown = &mut pictures[number].shown[screen];
                shown.is_loaded = true;
                shown.is_measured = true;
                let file = by_markup.get(&pictures[number].address).copied();
                loads.push(Loaded { number, file });
            }
        };
        let mut placed = HashSet::new();
        for one in &self.shown {
            let Some(number) = number(&one.address) else {
                continue;
            };
            let is_style = one.role == "style";
            let is_asked = asked.contains(one.address.as_str());
            // A set of backgrounds names all its options; one was loaded.
            if is_style && !is_asked && !one.address.starts_with("data:") {
                continue;
            }
            load(number, pictures);
            if one.width < 1.0 || one.height < 1.0 {
                continue;
            }
            let whole = one.whole_width(ratio(&pictures[number]));
            let is_below = one.y >= self.height;
            let first = placed.insert(number);
            let shown = &mut pictures[number].shown[screen];
            shown.is_below = is_below && (first || shown.is_below);
            shown.is_lazy = one.lazy && (first || shown.is_lazy);
            shown.is_unsized |= one.is_unsized;
            let most = |a: Option<f64>, b: f64| Some(a.map_or(b, |a| a.max(b)));
            shown.width = most(shown.width, one.width);
            shown.whole = most(shown.whole, whole);
        }
        let mut others = Vec::new();
        for one in &self.loaded {
            let Ok(address) = Url::parse(&one.address) else {
                continue;
            };
            if let Some(number) = numbers.get(&address) {
                load(*number, pictures);
            } else if !page.files.iter().any(|file| file.address == address) && one.weight > 0 {
                others.push((address, one.weight));
            }
        }
        (loads, others)
    }
}

/// Width over height of a picture that came.
fn ratio(picture: &Picture) -> Option<f64> {
    let (_, path) = picture.got.as_ref().ok()?;
    let candidate = Candidate::named(path.clone(), String::new());
    let (_, headers) = find::headers(&candidate)?.ok()?;
    let size = headers.own_size()?;
    Some(f64::from(size.width()) / f64::from(size.height()))
}
