//! What there is to show: the originals of an out folder, their pieces for each place, and what the label
//! sheet says of them. Everything here was read from disk, and nothing is believed that cannot be.

use std::collections::{BTreeMap, HashMap};
use std::path::{Component, Path, PathBuf};
use std::sync::Arc;

use kiln_core::credits::Field;
use kiln_core::label::Label;
use kiln_core::plan::{Digest, plain_name};
use kiln_site::kinds;
use kiln_site::offer::{Offer, Piece};
use kiln_site::tags::Words;

use crate::failure::Failure;
use crate::find;
use crate::ledger::{self, Entry, Ledger, Record};
use crate::settings::Sources;
use crate::sheet::Sheet;
use crate::site::{Display, PlaceGiven};

/// The originals and their pieces.
#[derive(Debug)]
pub struct Stock {
    /// The out folder, without links.
    pub out: PathBuf,
    /// In the order of their paths.
    pub originals: Vec<Held>,
    /// Where pieces are found, by their names, as targets said when they were delivered there.
    pub addresses: HashMap<String, String>,
    /// What is odd in the label sheet.
    pub remarks: Vec<String>,
}

/// An original with its pieces.
#[derive(Clone, Debug)]
pub struct Held {
    /// Where it is, without links; it need not be there.
    pub path: PathBuf,
    /// Its path below the folder of the originals.
    pub name: String,
    /// What the label sheet says of it.
    pub label: Option<Label>,
    /// Its pieces, place by place, in the order of the kiln file.
    pub shown: Vec<Shown>,
    /// Names that lead to it as well: of earlier pieces, and of those that it might have had. With each
    /// its place.
    pub other_names: Vec<(String, Option<String>)>,
    /// Pieces whose files are gone.
    pub missing: Vec<String>,
}

/// An original in a place, and in those that stand for it on other screens.
#[derive(Clone, Debug)]
pub struct Shown {
    /// The pieces of the place itself.
    pub main: Offer,
    /// Those of the others.
    pub others: Vec<Offer>,
}

impl Shown {
    /// The pieces of the place itself, and of those that stand for it.
    pub fn pieces(&self) -> impl Iterator<Item = &Piece> {
        let offers = self.others.iter().chain([&self.main]);
        offers.flat_map(|offer| &offer.pieces)
    }

    /// Leaves out the pieces that are not to be kept.
    pub fn keep(&mut self, is_kept: impl Fn(&Piece) -> bool) {
        let offers = self.others.iter_mut().chain([&mut self.main]);
        offers.for_each(|offer| offer.pieces.retain(&is_kept));
    }
}

impl Stock {
    /// Reads it.
    pub fn read(sources: &Sources) -> Result<Stock, Failure> {
        if !ledger::is_in(&sources.out) {
            return Err(Failure::NoPieces(sources.out.clone()));
        }
        let record = Ledger::look(&sources.out)?;
        let record = record.ok_or_else(|| Failure::NoLedger(sources.out.join(ledger::NAME)))?;
        let addresses = addresses(&record);
        let mut remarks = Vec::new();
        let labels = labels(sources, &mut remarks)?;
        let out = find::real(&sources.out);
        let base = sources.originals.as_deref().map(find::real);
        let held = |(key, entry): (Arc<str>, Entry)| {
            let path = clean(&out.join(&*key));
            let name = name(&path, base.as_deref(), &labels);
            Held {
                label: labels.get(&plain_name(&name)).cloned(),
                path,
                name,
                ..Held::of(entry, &out, &sources.places)
            }
        };
        Ok(Stock {
            originals: record.originals.into_iter().map(held).collect(),
            addresses,
            out,
            remarks,
        })
    }

    /// The originals that are asked for by their paths, those of their pieces and folders of them, with the
    /// places that are; all where none is said.
    pub fn wanted(&self, paths: &[PathBuf], places: &[String]) -> Vec<Held> {
        let paths: Vec<PathBuf> = paths.iter().map(|path| find::real(path)).collect();
        let is_named = |held: &&Held| {
            let names = |path: &PathBuf| {
                let mut pieces = held.shown.iter().flat_map(Shown::pieces);
                held.path.starts_with(path)
                    || pieces.any(|piece| self.out.join(&piece.name).starts_with(path))
            };
            paths.is_empty() || paths.iter().any(names)
        };
        let mut wanted: Vec<Held> = self.originals.iter().filter(is_named).cloned().collect();
        for held in &mut wanted {
            held.shown.retain(|shown| {
                let place = shown.main.place.as_ref();
                places.is_empty() || place.is_some_and(|place| places.contains(place))
            });
        }
        wanted.retain(|held| {
            !held.shown.is_empty() || (places.is_empty() && !held.missing.is_empty())
        });
        wanted
    }

    /// What paths lead to. The paths are without links.
    pub fn by_path(&self) -> HashMap<PathBuf, Known> {
        let mut by_path = HashMap::new();
        for (original, held) in self.originals.iter().enumerate() {
            let known = |place: &Option<String>, stands| Known {
                original,
                place: Some(place.clone()),
                stands,
            };
            for name in &held.missing {
                by_path.insert(self.out.join(name), known(&None, false));
            }
            for (name, place) in &held.other_names {
                by_path.insert(self.out.join(name), known(place, false));
            }
            for shown in &held.shown {
                // One that stands for another place leads to that.
                for piece in shown.pieces() {
                    by_path.insert(self.out.join(&piece.name), known(&shown.main.place, true));
                }
            }
        }
        // What is an original is no piece, whatever its name.
        for (original, held) in self.originals.iter().enumerate() {
            let known = Known {
                original,
                place: None,
                stands: false,
            };
            by_path.insert(held.path.clone(), known);
        }
        by_path
    }
}

/// Why there is nothing to do with the pieces of what was asked for.
pub fn nothing(named: Option<&PathBuf>, out: &Path) -> Failure {
    match named {
        Some(path) => Failure::Refused {
            path: path.clone(),
            says: "no pieces of it are recorded; make them with kiln fire".to_owned(),
        },
        None => Failure::NoPieces(out.to_owned()),
    }
}

/// What a path leads to.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Known {
    /// Which original.
    pub original: usize,
    /// The place, where it is a piece.
    pub place: Option<Option<String>>,
    /// Whether it is a piece that stands.
    pub stands: bool,
}

impl Held {
    fn of(entry: Entry, out: &Path, places: &[PlaceGiven]) -> Held {
        let mut by_place: BTreeMap<Option<String>, Vec<Piece>> = BTreeMap::new();
        let earlier = entry.earlier.iter();
        let earlier =
            earlier.map(|(name, place)| (name.to_string(), place.as_deref().map(str::to_owned)));
        let mut other_names: Vec<_> = earlier.collect();
        let mut missing = Vec::new();
        for (name, piece) in entry.pieces {
            let made = piece.made.filter(|made| made.outdone.is_none());
            let (name, place) = (name.to_string(), piece.place.as_deref().map(str::to_owned));
            let Some(made) = made.filter(|_| !piece.is_stray) else {
                other_names.push((name, place));
                continue;
            };
            if !out.join(&name).is_file() {
                missing.push(name);
                continue;
            }
            let size = made.account.shrunk.unwrap_or(piece.size);
            by_place.entry(place).or_default().push(Piece {
                kind: kinds::by_name(&name).to_owned(),
                address: String::new(),
                name,
                width: size.width(),
                height: size.height(),
                displayed: piece.displayed,
                weight: made.account.weight,
            });
        }
        Held {
            path: PathBuf::new(),
            name: String::new(),
            label: None,
            shown: shown(by_place, places),
            other_names,
            missing,
        }
    }

    /// What is said of it.
    pub fn words(&self) -> Words {
        let Some(label) = &self.label else {
            return Words::default();
        };
        let get = |field| label.credits.get(field).map(str::to_owned);
        let alt = if label.decorative {
            Some(String::new())
        } else {
            get(Field::AlternativeText)
        };
        Words {
            alt,
            caption: get(Field::Caption),
            credit: get(Field::Credit).or_else(|| get(Field::Creator)),
            licence: get(Field::Licence),
        }
    }

    /// Its title in the label sheet.
    pub fn title(&self) -> Option<&str> {
        self.label.as_ref()?.credits.get(Field::Title)
    }
}

/// The pieces of each place, in the order of the kiln file.
fn shown(mut by_place: BTreeMap<Option<String>, Vec<Piece>>, places: &[PlaceGiven]) -> Vec<Shown> {
    let usual = Display::default();
    let display = |name: &str| {
        places
            .iter()
            .find(|place| place.name == name)
            .map_or(&usual, |place| &place.display)
    };
    let order = |name: &Option<String>| {
        let name = name.as_deref();
        places
            .iter()
            .position(|place| Some(place.name.as_str()) == name)
    };
    let mut names: Vec<Option<String>> = by_place.keys().cloned().collect();
    // What the kiln file does not know any more comes last.
    names.sort_by_key(|name| order(name).unwrap_or(usize::MAX));
    let (mut all, mut beside) = (Vec::<Shown>::new(), Vec::new());
    for name in names {
        let mut pieces = by_place.remove(&name).unwrap_or_default();
        pieces.sort_by(|a, b| (a.width, &a.name).cmp(&(b.width, &b.name)));
        let display = name.as_deref().map_or(&usual, display);
        let offer = Offer {
            place: name,
            part: display.part,
            lead: display.lead,
            sizes: display.sizes.clone(),
            media: display.media.clone(),
            pieces,
        };
        match &display.instead_of {
            Some(of) => beside.push((of.clone(), offer)),
            None => all.push(Shown {
                main: offer,
                others: Vec::new(),
            }),
        }
    }
    for (of, offer) in beside {
        match all
            .iter_mut()
            .find(|shown| shown.main.place.as_deref() == Some(of.as_str()))
        {
            Some(shown) => shown.others.push(offer),
            // Without the other it stands for itself.
            None => all.push(Shown {
                main: Offer {
                    media: None,
                    ..offer
                },
                others: Vec::new(),
            }),
        }
    }
    all
}

/// Where pieces are found: of those that are still what was delivered.
fn addresses(record: &Record) -> HashMap<String, String> {
    let entries = record
        .originals
        .values()
        .flat_map(|entry| entry.pieces.iter());
    let made: HashMap<&str, Digest> = entries
        .filter_map(|(name, piece)| Some((name, piece.made.as_ref()?.digest)))
        .collect();
    let files = record.deliveries.values().flatten();
    let known = files.filter(|(name, file)| made.get(name.as_str()) == Some(&file.digest));
    known
        .filter_map(|(name, file)| Some((name.clone(), file.address.clone()?)))
        .collect()
}

fn labels(sources: &Sources, remarks: &mut Vec<String>) -> Result<HashMap<String, Label>, Failure> {
    if !sources.labels.exists() {
        return Ok(HashMap::new());
    }
    let sheet = Sheet::open(&sources.labels)?;
    let path = sources.labels.display();
    remarks.extend(
        sheet
            .odd
            .iter()
            .map(|(file, says)| format!("{path}: {file} {says}")),
    );
    let labels = sheet.by_name().into_iter();
    Ok(labels.map(|(name, label)| (name, label.clone())).collect())
}

/// The name of an original: its path below the folder of the originals; where that is not known, as the label
/// sheet names it, else its file's name.
fn name(path: &Path, base: Option<&Path>, labels: &HashMap<String, Label>) -> String {
    if let Some(below) = base.and_then(|base| path.strip_prefix(base).ok()) {
        return find::slashed(below);
    }
    let parts: Vec<&str> = path.iter().filter_map(|part| part.to_str()).collect();
    let mut ends = (0..parts.len()).map(|from| parts[from..].join("/"));
    let labelled = ends.find(|end| labels.contains_key(&plain_name(end)));
    let file = parts.last().map(|file| (*file).to_owned());
    labelled.or(file).unwrap_or_default()
}

/// A path with its dots resolved, as letters alone tell.
pub fn clean(path: &Path) -> PathBuf {
    let mut clean = PathBuf::new();
    for part in path.components() {
        match part {
            Component::ParentDir => {
                clean.pop();
            }
            Component::CurDir => {}
            other => clean.push(other),
        }
    }
    clean
}
