//! What uniform borders leave of the originals, where a place wants those off: sizes can only be
//! planned once that is known. The ledger remembers it, so that no picture is searched twice.

use std::collections::{BTreeSet, HashMap};
use std::sync::mpsc;

use kiln_core::pixels::Area;
use kiln_core::plan::Digest;
use kiln_core::{decode, pipeline};
use rayon::ThreadPoolBuilder;

use super::supply::{self, Supply};
use crate::failure::Failure;
use crate::find::{Aside, Picture};
use crate::gate;
use crate::ledger::Ledger;
use crate::mishap::Mishap;
use crate::settings::Settings;

/// Gives each picture the part that its borders leave, where a place wants those off; what
/// cannot be read is refused.
pub fn searched(
    pictures: &mut Vec<Picture>,
    refused: &mut Vec<Aside>,
    settings: &Settings,
) -> Result<(), Failure> {
    let wanted = |picture: &Picture| {
        let wishes = settings.site.wishes_for(&picture.original.name);
        wishes.into_iter().any(|wish| wish.framing.trim)
    };
    let marked: Vec<bool> = pictures.iter().map(wanted).collect();
    if !marked.contains(&true) {
        return Ok(());
    }
    let known = Ledger::contents(&settings.out);
    let pool = ThreadPoolBuilder::new()
        .num_threads(settings.jobs)
        .build()?;
    let (found, incoming) = mpsc::channel();
    let searched = pictures
        .iter()
        .enumerate()
        .filter(|(index, _)| marked[*index]);
    gate::each(
        &pool,
        searched,
        |(_, picture)| decode::memory(&picture.original.probe) + supply::held(&picture.original),
        || true,
        |(index, picture)| {
            // The receiver outlives all senders.
            let _ = found.send((index, search(picture, &known, settings)));
        },
        |(index, _), why| {
            let _ = found.send((index, Err(why)));
        },
    );
    drop(found);
    let mut failed = BTreeSet::new();
    for (index, result) in incoming {
        match result {
            Ok((digest, area)) => {
                pictures[index].original.digest = Some(digest);
                pictures[index].original.content = Some(area);
            }
            Err(why) => {
                refused.push(pictures[index].aside(why));
                failed.insert(index);
            }
        }
    }
    let mut index = 0..;
    pictures.retain(|_| index.next().is_some_and(|index| !failed.contains(&index)));
    Ok(())
}

fn search(
    picture: &Picture,
    known: &HashMap<Digest, Area>,
    settings: &Settings,
) -> Result<(Digest, Area), Mishap> {
    let (supply, digest) = Supply::of(picture)?;
    let stored = picture.original.probe.stored;
    // The ledger is only believed as far as what it says can be.
    if let Some(area) = known.get(&digest).filter(|area| area.lies_in(stored)) {
        return Ok((digest, *area));
    }
    let found = pipeline::content(supply.input(), &picture.original, settings.allowance);
    Ok((digest, found?))
}
