//! What references of a site stand for.

use std::collections::{HashMap, HashSet};
use std::ops::Range;
use std::path::{Path, PathBuf};

use kiln_core::plan::plain_name;
use kiln_site::offer::{Offer, Part, Spot};
use kiln_site::rewire::{Aim, Guide};
use kiln_site::{Candidate, Role, Showing, escape, templates, text};
use url::Url;

use super::below;
use super::notes::{Matter, Notes};
use super::shown::{self, ByLine};
use crate::failure::Failure;
use crate::fetch;
use crate::find;
use crate::settings::RewireSettings;
use crate::stock::{Held, Known, Shown, Stock, clean};

/// Finds out what addresses lead to.
pub(super) struct Finder {
    /// The folder of the site, without links.
    pub root: PathBuf,
    /// The originals and their pieces.
    pub stock: Stock,
    /// The folder of the originals, without links.
    originals: Option<PathBuf>,
    /// What paths lead to.
    by_path: HashMap<PathBuf, Known>,
    /// The same, by paths with accents in one form and without regard to case; `None` for those of several.
    by_letters: HashMap<String, Option<Known>>,
    /// Paths with accents in one form.
    spelled: HashSet<String>,
    /// The address of the out folder.
    base: Option<String>,
    /// The address of the site.
    home: Option<String>,
    /// What a browser has measured.
    measured: HashMap<PathBuf, ByLine>,
}

impl Finder {
    /// For a site.
    pub fn new(stock: Stock, settings: &RewireSettings) -> Result<Finder, Failure> {
        let root = find::real(&settings.site);
        let refused = |says: String| Failure::Refused {
            path: settings.site.clone(),
            says,
        };
        if root.starts_with(&stock.out) {
            return Err(refused(
                "is inside the out folder, which belongs to firings; name another folder"
                    .to_owned(),
            ));
        }
        let known = settings.base.is_some() || !stock.addresses.is_empty();
        if !known && !stock.out.starts_with(&root) {
            let out = settings.sources.out.display();
            return Err(refused(format!(
                "does not hold the pieces, which are in {out}; say at which address they will be with --base"
            )));
        }
        let by_path = stock.by_path();
        let mut by_letters = HashMap::new();
        for (path, known) in &by_path {
            let known = Some(known.clone());
            let twins = by_letters
                .entry(letters(path))
                .or_insert_with(|| known.clone());
            if *twins != known {
                *twins = None;
            }
        }
        let spelled = by_path
            .keys()
            .map(|path| plain_name(&path.to_string_lossy()));
        let measured = match &settings.shown {
            Some(path) => shown::read(path, &root)?,
            None => HashMap::new(),
        };
        Ok(Finder {
            originals: settings.sources.originals.as_deref().map(find::real),
            root,
            stock,
            spelled: spelled.collect(),
            by_path,
            by_letters,
            base: settings.base.clone(),
            home: settings.home.clone(),
            measured,
        })
    }

    /// Whether a file is an original, which nobody writes to, or a piece.
    pub fn is_original(&self, path: &Path) -> bool {
        self.by_path.contains_key(path)
    }

    /// Whether a folder is that of originals or pieces, in which nothing is changed.
    pub fn is_apart(&self, folder: &Path) -> bool {
        folder == self.stock.out || self.originals.as_deref() == Some(folder)
    }

    /// The path that an address in a file leads to, with what the file says that it is relative to.
    pub fn path_of(&self, file: &Path, base: Option<&str>, address: &str) -> Option<PathBuf> {
        let guide = FileGuide::new(self, file, "", &[], base);
        guide.on_disk(address).map(|(path, _)| path)
    }

    /// Whether a path leads to an original or a piece.
    pub fn is_known(&self, path: &Path) -> bool {
        self.known(path).is_some()
    }

    /// What a path leads to, and whether its case differs.
    fn known(&self, path: &Path) -> Option<(&Known, bool)> {
        if let Some(known) = self.by_path.get(path) {
            return Some((known, false));
        }
        let known = self.by_letters.get(&letters(path))?.as_ref()?;
        let plain = plain_name(&path.to_string_lossy());
        Some((known, !self.spelled.contains(&plain)))
    }
}

/// A path by its letters alone: accents in one form, without regard to case.
fn letters(path: &Path) -> String {
    plain_name(&path.to_string_lossy()).to_lowercase()
}

/// What is said of an original that nothing was made of.
const NO_PIECES: &str = "no pieces of it are there; fire it, or see why that failed";

/// How an address is written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Manner {
    /// Relative to the file.
    Relative,
    /// From the root of the site.
    Rooted,
    /// Whole, with the host.
    Whole,
}

/// Says what the references of one file stand for.
pub(super) struct FileGuide<'a> {
    finder: &'a Finder,
    /// The file, below the site.
    name: &'a str,
    /// Its parts that belong to templates: nobody knows what becomes of them.
    parts: &'a [Range<usize>],
    /// The folder that relative addresses are seen from; `None` where the file says an address elsewhere.
    folder: Option<PathBuf>,
    /// What a browser has measured, by the line.
    measured: Option<&'a ByLine>,
    /// What there is to say.
    pub notes: Notes,
}

impl<'a> FileGuide<'a> {
    /// For a file, with what it says its addresses are relative to.
    pub fn new(
        finder: &'a Finder,
        path: &'a Path,
        name: &'a str,
        parts: &'a [Range<usize>],
        base: Option<&str>,
    ) -> FileGuide<'a> {
        let own = path.parent().unwrap_or(&finder.root).to_owned();
        let mut guide = FileGuide {
            finder,
            name,
            parts,
            folder: Some(own),
            measured: finder.measured.get(path),
            notes: Notes::default(),
        };
        if let Some(base) = base {
            // Up to the last slash, as addresses are joined.
            let base = base.rsplit_once('/').map_or("", |(folder, _)| folder);
            guide.folder = guide.on_disk(&format!("{base}/")).map(|(folder, _)| folder);
        }
        guide
    }

    /// The path that an address leads to below the site or beside it, and how it is written. `None` for
    /// other hosts, and for what is no file.
    fn on_disk(&self, address: &str) -> Option<(PathBuf, Manner)> {
        let address = &address[text::trimmed(address)];
        let path = address.split(['?', '#']).next().unwrap_or_default();
        if path.is_empty() {
            return None;
        }
        let home = self.finder.home.as_deref();
        // Without a scheme it is that of the page.
        let bare = |home: &'_ str| {
            home.split_once(':')
                .map(|(_, bare)| path.strip_prefix(bare))
        };
        let rest = home.and_then(|home| path.strip_prefix(home).or_else(|| bare(home).flatten()));
        let (folder, path, manner) = match (rest, path.strip_prefix('/')) {
            (Some(rest), _) => (&self.finder.root, rest, Manner::Whole),
            (None, Some(rest)) if rest.starts_with('/') => return None,
            (None, Some(rest)) => (&self.finder.root, rest, Manner::Rooted),
            (None, None) if Url::parse(path).is_ok() => return None,
            (None, None) => (self.folder.as_ref()?, path, Manner::Relative),
        };
        let path = fetch::readable(path);
        Some((clean(&folder.join(path)), manner))
    }

    /// The address of a piece, as this file has to write it.
    fn address(&self, name: &str, manner: Manner) -> String {
        let home = self.finder.home.as_deref().unwrap_or("/");
        if let Some(base) = &self.finder.base {
            let whole = format!("{base}{}", escape::path(name));
            return match (manner, whole.strip_prefix('/')) {
                (Manner::Whole, Some(rest)) => format!("{home}{rest}"),
                _ => whole,
            };
        }
        if let Some(known) = self.finder.stock.addresses.get(name) {
            return known.clone();
        }
        let piece = self.finder.stock.out.join(name);
        let from_root = || escape::path(&below(&self.finder.root, &piece));
        match (manner, &self.folder) {
            (Manner::Whole, _) => format!("{home}{}", from_root()),
            (Manner::Relative, Some(folder)) => {
                let way = pathdiff::diff_paths(&piece, folder).unwrap_or(piece);
                let parts: Vec<_> = way.iter().map(|part| part.to_string_lossy()).collect();
                escape::path(&parts.join("/"))
            }
            _ => format!("/{}", from_root()),
        }
    }

    /// Says why a path is none that is known.
    fn unknown(&mut self, candidate: &Candidate, path: &Path) {
        let (line, address) = (candidate.line, candidate.address.as_str());
        let originals = self.finder.originals.as_deref();
        let is_there = path.is_file();
        if originals.is_some_and(|folder| path.starts_with(folder)) && is_there {
            let says = NO_PIECES;
            self.notes
                .say(Matter::Undone, self.name, line, address, says);
        } else if !path.starts_with(&self.finder.root) {
            if !is_there {
                let says = "leads out of the site, and to nothing";
                self.notes.say(Matter::Dead, self.name, line, address, says);
            }
        } else if !is_there {
            self.notes
                .say(Matter::Dead, self.name, line, address, "leads nowhere");
        }
    }

    /// How the spot of a showing is known.
    fn spot(&self, showing: &Showing) -> (Spot, bool) {
        let line = showing.candidates().map(|candidate| candidate.line);
        let lines = line.chain([showing.line]);
        let mut measured = lines.filter_map(|line| self.measured?.get(&line));
        let sizes = showing
            .choices
            .iter()
            .rev()
            .find_map(|choice| choice.sizes.clone());
        let is_shown = matches!(showing.role, Role::Image | Role::Button | Role::Poster);
        match measured.next() {
            Some(measured) => {
                let spot = Spot {
                    width: Some(measured.width),
                    sizes: sizes.or_else(|| measured.sizes.clone()),
                };
                (spot, measured.is_below)
            }
            None => {
                let width = showing.width.filter(|_| is_shown);
                (Spot { width, sizes }, false)
            }
        }
    }

    /// Which place a reference stands for: that of the piece, else the one that fits its role and its
    /// width. Where two fit, the larger is taken, and that is said.
    fn place<'h>(
        &mut self,
        held: &'h Held,
        piece_of: Option<&Option<String>>,
        showing: &Showing,
        candidate: &Candidate,
        spot: &Spot,
    ) -> Option<&'h Shown> {
        let of_piece =
            piece_of.and_then(|place| held.shown.iter().find(|shown| shown.main.place == *place));
        if of_piece.is_some() {
            return of_piece;
        }
        let part = match showing.role {
            Role::Icon | Role::App => Part::Icon,
            Role::Preview => Part::Preview,
            Role::Style => Part::Background,
            _ => Part::Picture,
        };
        let mut fits: Vec<&Shown> = held
            .shown
            .iter()
            .filter(|shown| shown.main.part == part)
            .collect();
        if fits.is_empty() {
            fits = held.shown.iter().collect();
        }
        fits.sort_by(|a, b| a.main.widest().total_cmp(&b.main.widest()));
        if let Some(width) = spot.width {
            // The narrowest that one of its widths fills.
            let fills = |shown: &&&Shown| shown.main.filling(width).is_some();
            if let Some(fitting) = fits.iter().find(fills).or(fits.last()) {
                let widest = fitting.main.widest();
                fits.retain(|shown| shown.main.widest() == widest);
            }
        }
        let chosen = fits.last().copied()?;
        if fits.len() > 1 {
            let name = |shown: &&Shown| shown.main.place.clone().unwrap_or("[every]".to_owned());
            let names: Vec<String> = fits.iter().map(name).collect();
            let says = format!(
                "may stand for {}; taken for {}",
                names.join(" or "),
                name(&chosen)
            );
            self.notes.say(
                Matter::Doubt,
                self.name,
                candidate.line,
                &candidate.address,
                says,
            );
        }
        Some(chosen)
    }

    /// Says what is odd in an address that is followed all the same.
    fn doubts(&mut self, candidate: &Candidate, other_case: bool) {
        let mut doubt = |says: &str| {
            let (line, address) = (candidate.line, &candidate.address);
            self.notes
                .say(Matter::Doubt, self.name, line, address, says);
        };
        if other_case {
            doubt("has letters of another case than the file; on most servers it led nowhere");
        }
        if candidate.address.contains('?') {
            doubt("had a query behind it, which is left out");
        }
    }
}

impl Guide for FileGuide<'_> {
    fn aim(&mut self, showing: &Showing, candidate: &Candidate) -> Option<Aim> {
        let (path, manner) = self.on_disk(&candidate.address)?;
        let finder = self.finder;
        let Some((known, other_case)) = finder.known(&path) else {
            let is_file = showing.role != Role::Drawing || path.extension().is_some();
            if is_file && !templates::is_touched(&candidate.span, self.parts) {
                self.unknown(candidate, &path);
            }
            return None;
        };
        let original = known.original;
        self.notes.used.insert(original);
        let held = &finder.stock.originals[original];
        let (spot, is_below) = self.spot(showing);
        let Some(shown) = self.place(held, known.place.as_ref(), showing, candidate, &spot) else {
            let says = NO_PIECES;
            self.notes.say(
                Matter::Undone,
                self.name,
                candidate.line,
                &candidate.address,
                says,
            );
            return None;
        };
        self.doubts(candidate, other_case);
        let words = held.words();
        let said = showing
            .alt
            .as_deref()
            .map(str::trim)
            .filter(|alt| !alt.is_empty());
        let tells = matches!(showing.role, Role::Image | Role::Markdown);
        if let Some(alt) = said.filter(|_| tells && words.alt.is_none()) {
            let texts = self.notes.texts.entry(original).or_default();
            texts.insert(alt.to_owned());
        }
        let addressed = |offer: &Offer| offer.addressed(|name| self.address(name, manner));
        Some(Aim {
            original,
            main: addressed(&shown.main),
            others: shown.others.iter().map(addressed).collect(),
            words,
            spot,
            is_below,
            is_piece: known.stands,
        })
    }
}
