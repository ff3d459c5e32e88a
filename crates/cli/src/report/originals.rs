//! The originals that a report tells of: those of a firing are held, those of a dry run are told one at a time.

use std::borrow::Cow;
use std::fmt::Debug;

use super::OriginalReport;

/// Originals, in the order of their paths.
#[derive(Debug)]
pub enum Originals {
    /// What became of them.
    Fired(Vec<OriginalReport>),
    /// What would be made of them.
    Foretold(Box<dyn Foretell>),
}

/// What a firing would make of originals. There may be a million, so they are told one at a time.
pub trait Foretell: Debug {
    /// How many there are.
    fn count(&self) -> usize;

    /// One of them.
    fn original(&self, place: usize) -> OriginalReport;
}

impl Default for Originals {
    fn default() -> Self {
        Originals::Fired(Vec::new())
    }
}

impl Originals {
    /// Each of them.
    pub fn iter(&self) -> impl Iterator<Item = Cow<'_, OriginalReport>> {
        (0..self.len()).map(|place| match self {
            Originals::Fired(all) => Cow::Borrowed(&all[place]),
            Originals::Foretold(all) => Cow::Owned(all.original(place)),
        })
    }

    /// Those that were fired.
    pub fn fired(&self) -> &[OriginalReport] {
        match self {
            Originals::Fired(all) => all,
            Originals::Foretold(_) => &[],
        }
    }

    /// The same, to be changed.
    pub fn fired_mut(&mut self) -> Option<&mut Vec<OriginalReport>> {
        match self {
            Originals::Fired(all) => Some(all),
            Originals::Foretold(_) => None,
        }
    }

    /// How many there are.
    pub fn len(&self) -> usize {
        match self {
            Originals::Fired(all) => all.len(),
            Originals::Foretold(all) => all.count(),
        }
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }
}
