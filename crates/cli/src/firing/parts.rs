//! One part of a firing, made while other machines make theirs; and what all of them made, gathered.

use std::collections::HashSet;
use std::fs;
use std::path::{Path, PathBuf};

use kiln_core::plan::{Draft, Encodes, PartOf, Trouble};

use super::charges::Charge;
use crate::find::{Aside, Picture};
use crate::ledger::{Ledger, Parts};
use crate::settings::Settings;
use crate::wording;

/// What one machine does of a firing.
pub struct Share {
    part: PartOf,
    /// Its originals.
    own: HashSet<PathBuf>,
    /// How many there are in all.
    all: usize,
}

impl Share {
    /// That of a part.
    pub fn of(part: PartOf, pictures: &[Picture], settings: &Settings) -> Share {
        // Elsewhere it would have to be fetched first.
        let encodes = match settings.out_remote {
            None => Ledger::encodes(&settings.out),
            Some(_) => Encodes::default(),
        };
        let parts = Draft::parts(pictures, &settings.site, part.of(), &encodes);
        let own = pictures.iter().zip(&parts);
        let own = own.filter(|(_, of)| **of == Some(part.number() - 1));
        Share {
            part,
            own: own.map(|(picture, _)| picture.path().to_owned()).collect(),
            all: parts.iter().flatten().count(),
        }
    }

    /// Whether it is this part that has to speak of a file that gives no pieces.
    pub fn names(&self, aside: &Aside) -> bool {
        // A folder has no name; machines may see it at different places.
        let file = || aside.path.file_name().unwrap_or_default().to_string_lossy();
        match aside.name.as_str() {
            "" => self.part.names(&file()),
            name => self.part.names(name),
        }
    }

    /// Its own pictures, and all others.
    pub fn split(&self, pictures: Vec<Picture>) -> (Vec<Picture>, Vec<Picture>) {
        let pictures = pictures.into_iter();
        pictures.partition(|picture| self.own.contains(picture.path()))
    }

    /// Leaves what is its own of a draft.
    pub fn narrow(&self, draft: &mut Draft, troubles: &mut Vec<Trouble>, pictures: &[Picture]) {
        let is_own = |index: usize| self.own.contains(pictures[index].path());
        draft.shown.retain(|&index| is_own(index));
        draft
            .left_out
            .retain(|&index| self.part.names(&pictures[index].original.name));
        troubles.retain(|trouble| is_own(trouble.index));
    }

    /// What is to be said of it.
    pub fn told(&self, draft: &Draft) -> String {
        let all = wording::count(self.all, "original", "originals");
        format!("part {}: {} of {all}", self.part, draft.shown.len())
    }
}

/// The originals of which a part has noted what it made, and that were not touched since: every piece that stands is
/// younger. They need not be read again.
pub fn untouched(charges: &[Charge<'_>], parts: &Parts, out: &Path) -> Vec<PathBuf> {
    let written = |name: &str| {
        let about = out.join(name).symlink_metadata().ok()?;
        about.modified().ok()
    };
    let is_younger = |charge: &&Charge<'_>| {
        let touched = fs::metadata(charge.picture.path()).and_then(|about| about.modified());
        let names = charge.job.pieces().flat_map(|(_, _, piece)| piece.names());
        let oldest = names.filter_map(written).min();
        oldest
            .zip(touched.ok())
            .is_some_and(|(oldest, touched)| touched < oldest)
    };
    let noted = charges.iter().filter(|charge| parts.noted(&charge.key));
    noted
        .filter(is_younger)
        .map(|charge| charge.picture.path().to_owned())
        .collect()
}
