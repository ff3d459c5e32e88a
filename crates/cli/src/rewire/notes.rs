//! What there is to say of references.

use std::collections::{BTreeMap, BTreeSet};

use super::guide::Finder;

/// A reference, and where it stands.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct At {
    /// The file, below the site.
    pub file: String,
    /// The line, from 1; 0 where it is about the file.
    pub line: u32,
    /// The address as it is written.
    pub address: String,
}

/// Why something is said.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Matter {
    /// Something that was asked for was not done.
    Undone,
    /// It leads nowhere.
    Dead,
    /// A person should look whether it is as meant.
    Doubt,
}

impl Matter {
    /// Its name in documents.
    pub fn as_str(self) -> &'static str {
        match self {
            Matter::Undone => "not-done",
            Matter::Dead => "leads-nowhere",
            Matter::Doubt => "to-look-at",
        }
    }
}

/// All that there is to say.
#[derive(Clone, Debug, Default)]
pub struct Notes {
    /// By what it is about: where, and what.
    all: BTreeSet<(Matter, At, String)>,
    /// Originals that something refers to.
    pub used: BTreeSet<usize>,
    /// Originals that nothing refers to, by their names.
    pub unused: Vec<String>,
    /// Texts of pages for originals that have none in the sheet.
    pub texts: BTreeMap<usize, BTreeSet<String>>,
}

impl Notes {
    /// Says something.
    pub fn say(
        &mut self,
        matter: Matter,
        file: &str,
        line: u32,
        address: &str,
        says: impl Into<String>,
    ) {
        let at = At {
            file: file.to_owned(),
            line,
            address: address.to_owned(),
        };
        self.all.insert((matter, at, says.into()));
    }

    /// Takes in those of another file.
    pub fn take(&mut self, mut others: Notes) {
        self.all.append(&mut others.all);
        self.used.append(&mut others.used);
        for (original, mut texts) in others.texts {
            self.texts.entry(original).or_default().append(&mut texts);
        }
    }

    /// Finds out what nothing refers to.
    pub(super) fn settle(&mut self, finder: &Finder, learns: bool) {
        let originals = finder.stock.originals.iter().enumerate();
        let unused =
            originals.filter(|(index, held)| !held.shown.is_empty() && !self.used.contains(index));
        self.unused = unused.map(|(_, held)| held.name.clone()).collect();
        for (original, texts) in &self.texts {
            if learns && texts.len() > 1 {
                let held = &finder.stock.originals[*original];
                let says = format!(
                    "the pages have {} texts for it: {}",
                    texts.len(),
                    quoted(texts)
                );
                let at = At {
                    file: held.name.clone(),
                    line: 0,
                    address: String::new(),
                };
                self.all.insert((Matter::Doubt, at, says));
            }
        }
    }

    /// Whether all was done that was asked for.
    pub fn is_done(&self) -> bool {
        !self
            .all
            .iter()
            .any(|(matter, ..)| *matter == Matter::Undone)
    }

    /// All, what matters most first.
    pub fn iter(&self) -> impl Iterator<Item = &(Matter, At, String)> {
        self.all.iter()
    }
}

fn quoted(texts: &BTreeSet<String>) -> String {
    let texts: Vec<String> = texts.iter().map(|text| format!("“{text}”")).collect();
    texts.join(", ")
}
