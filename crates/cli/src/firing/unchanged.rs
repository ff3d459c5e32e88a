//! Originals that are what they were, and of which every piece still stands as it was made: they are seen to before all
//! else, many at a time, since there may be very many and each takes but a moment.

use std::fs::{self, File};
use std::io;
use std::path::Path;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::mpsc::Sender;

use kiln_core::plan::{self, Digest, PlannedPiece};
use rayon::ThreadPool;
use rayon::prelude::*;

use super::outdone;
use super::work::{Bench, Event, Standing, Task, What};
use crate::interrupt;

/// Originals that are told together.
const TOGETHER: usize = 16;

/// Files up to this weight are read at once.
const SMALL: u64 = 1 << 20;

/// Tells of all tasks that leave nothing to be made; returns which those are.
pub fn told(
    tasks: &[Task<'_>],
    bench: &Bench<'_>,
    pool: &ThreadPool,
    events: &Sender<Vec<Event>>,
) -> Vec<bool> {
    let done: Vec<AtomicBool> = tasks.iter().map(|_| AtomicBool::new(false)).collect();
    let look = |(chunk, tasks): (usize, &[Task<'_>])| {
        let mut happened = Vec::new();
        for (job, task) in (chunk * TOGETHER..).zip(tasks) {
            if interrupt::came() {
                break;
            }
            let Some((digest, pieces)) = bench.unchanged(task) else {
                continue;
            };
            let pieces = pieces.into_iter().enumerate();
            let pieces = pieces.map(|(index, piece)| What::Piece(index, Ok(Box::new(piece))));
            let all = [What::Began, What::Read(digest)].into_iter().chain(pieces);
            let all = all.chain([What::Ended(Ok(Default::default()))]);
            happened.extend(all.map(|what| Event { job, what }));
            done[job].store(true, Ordering::Relaxed);
        }
        // The receiver outlives all senders.
        let _ = events.send(happened);
    };
    if bench.orders.is_none() {
        let all = tasks.par_chunks(TOGETHER).enumerate();
        pool.install(|| all.for_each(look));
    }
    done.into_iter().map(AtomicBool::into_inner).collect()
}

impl Bench<'_> {
    /// The digest of an original and all its pieces, where those still stand and are of this very original.
    fn unchanged(&self, task: &Task<'_>) -> Option<(Digest, Vec<Standing>)> {
        let Task { job, picture } = *task;
        if self.same.contains(picture.path()) {
            return None;
        }
        let pieces: Vec<&PlannedPiece> = job.pieces().map(|(_, _, piece)| piece).collect();
        let known: Option<Vec<_>> = pieces.iter().map(|piece| self.known(piece)).collect();
        let known = known?;
        let digest = match (self.told.get(picture.path()), &picture.distant) {
            (Some(digest), _) => *digest,
            (None, Some(_)) => return None,
            (None, None) => digest_of(picture.path(), picture.original.weight).ok()?,
        };
        if known.iter().any(|(_, known)| known.original != digest) {
            return None;
        }
        let outdone = outdone::of(job, |piece| Some(&self.known(piece)?.1.made.account));
        let good = pieces.into_iter();
        let good = good.map(|piece| self.still_good(piece, digest, &outdone));
        let good = good.map(|known| Some(Standing::unchanged(known?)));
        Some((digest, good.collect::<Option<Vec<_>>>()?))
    }
}

fn digest_of(path: &Path, weight: u64) -> io::Result<Digest> {
    if weight <= SMALL {
        Ok(plan::digest(&fs::read(path)?))
    } else {
        plan::digest_of(File::open(path)?)
    }
}
