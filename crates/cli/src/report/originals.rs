//! The originals that a report tells of: those of a firing are held, very many of them and those of a dry run are told one
//! at a time.

use std::borrow::Cow;
use std::fmt::Debug;

use super::OriginalReport;

/// Originals, in the order of their paths.
#[derive(Debug)]
pub enum Originals {
    /// What became of them.
    Fired(Vec<OriginalReport>),
    /// What became of them, or would be made of them.
    Told(Box<dyn Foretell>),
}

/// What a firing makes of originals, or would. There may be a million, so they are told one at a time.
pub trait Foretell: Debug {
    /// How many there are.
    fn count(&self) -> usize;

    /// Whether it was made.
    fn is_fired(&self) -> bool;

    /// Whether all went well with one, so that nothing has to be said of it.
    fn is_sound(&self, place: usize) -> bool;

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
            Originals::Told(all) => Cow::Owned(all.original(place)),
        })
    }

    /// Those that were fired and of which something may have to be said.
    pub fn unsound(&self) -> impl Iterator<Item = Cow<'_, OriginalReport>> {
        (0..self.len()).filter_map(|place| match self {
            Originals::Fired(all) => Some(Cow::Borrowed(&all[place])),
            Originals::Told(all) if all.is_fired() && !all.is_sound(place) => {
                Some(Cow::Owned(all.original(place)))
            }
            Originals::Told(_) => None,
        })
    }

    /// Those that were fired.
    pub fn fired(&self) -> impl Iterator<Item = Cow<'_, OriginalReport>> {
        let are_fired = match self {
            Originals::Fired(_) => true,
            Originals::Told(all) => all.is_fired(),
        };
        self.iter().filter(move |_| are_fired)
    }

    /// Those that are held.
    pub fn held(&self) -> &[OriginalReport] {
        match self {
            Originals::Fired(all) => all,
            Originals::Told(_) => &[],
        }
    }

    /// The same, to be changed.
    pub fn held_mut(&mut self) -> Option<&mut Vec<OriginalReport>> {
        match self {
            Originals::Fired(all) => Some(all),
            Originals::Told(_) => None,
        }
    }

    /// How many there are.
    pub fn len(&self) -> usize {
        match self {
            Originals::Fired(all) => all.len(),
            Originals::Told(all) => all.count(),
        }
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }
}
