//! The pictures in work: one thread hands them out, a pool makes their pieces.

use std::cmp::Reverse;
use std::collections::{HashMap, HashSet};
use std::io;
use std::ops::ControlFlow;
use std::path::PathBuf;
use std::sync::mpsc::Sender;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

use kiln_core::guard;
use kiln_core::pipeline::{self, Attempt, Order, Piece, Rasters, Remarks};
use kiln_core::plan::{self, Candidate, Digest, Job, PlannedPiece};
use rayon::ThreadPoolBuilder;

use super::charges::Charge;
use super::out::Out;
use super::outdone::{self, Outdone};
use super::supply::{self, Supply};
use super::unchanged;
use crate::failure::Failure;
use crate::find::Picture;
use crate::ledger::{Known, Made, Share};
use crate::mishap::Mishap;
use crate::report::Written;
use crate::settings::Settings;
use crate::{gate, interrupt};

/// Something that happened to a job.
pub struct Event {
    /// The job's index in the plan.
    pub job: usize,
    /// What happened.
    pub what: What,
}

/// What happened to a job.
pub enum What {
    /// Its original is being read.
    Began,
    /// Its original was read and has this digest.
    Read(Digest),
    /// A piece, by its index in the job, stands in the out folder or failed.
    Piece(usize, Result<Box<Standing>, Mishap>),
    /// What is known of a piece now, by its index in the job, after attempts that were asked for.
    Tried(usize, Result<Vec<Attempt>, Mishap>),
    /// All its pieces were tried, or none could be.
    Ended(Result<Remarks, Mishap>),
}

/// A piece that stands in the out folder.
pub struct Standing {
    /// What the report tells of it.
    pub written: Written,
    /// What the ledger keeps of it, where that is new.
    pub made: Option<Made>,
}

impl Standing {
    /// A piece that an earlier run made and that is still good.
    pub fn unchanged((candidate, made): (&Candidate, &Made)) -> Standing {
        Standing {
            written: Written {
                name: candidate.name.clone(),
                format: candidate.format,
                account: made.account.clone(),
                unchanged: true,
            },
            made: None,
        }
    }
}

/// What all workers of a run share.
pub struct Bench<'a> {
    /// The settings.
    pub settings: &'a Settings,
    /// Where the pieces go.
    pub folder: &'a Out,
    /// Pieces of earlier runs whose recipe still holds.
    pub known: HashMap<String, Known>,
    /// Originals that are known to be as they were when their pieces were made.
    pub same: &'a HashSet<PathBuf>,
    /// Digests of originals that are as they were when they were read, as their machines say.
    pub told: &'a HashMap<PathBuf, Digest>,
    /// Sized pictures that may be wanted again.
    pub kept: &'a Kept,
    /// Pieces by their keys that are made to order, where only those are made.
    pub orders: Option<HashMap<String, WorkOrder>>,
}

/// Sized pictures are kept up to so many bytes.
const KEPT: u64 = 256 << 20;

/// Sized pictures that may be wanted again, by the indices of their jobs.
#[derive(Default)]
pub struct Kept(Mutex<HashMap<usize, Arc<Rasters>>>);

impl Kept {
    fn of(&self, job: usize) -> Option<Arc<Rasters>> {
        self.lock().get(&job).cloned()
    }

    /// Keeps those of a job, where there is room.
    fn keep(&self, job: usize, rasters: Rasters) {
        let mut kept = self.lock();
        let held: u64 = kept.values().map(|rasters| rasters.bytes()).sum();
        if held + rasters.bytes() <= KEPT {
            kept.insert(job, Arc::new(rasters));
        }
    }

    fn lock(&self) -> MutexGuard<'_, HashMap<usize, Arc<Rasters>>> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }
}

/// A piece that is made to order.
pub struct WorkOrder {
    /// What is asked for.
    pub order: Order,
    /// What the ledger shall know of its part in a total; `None` where attempts are all that is
    /// wanted, and nothing is written.
    pub share: Option<Share>,
}

/// What one original becomes, and where it is.
#[derive(Clone, Copy)]
pub struct Task<'a> {
    /// What it becomes.
    pub job: &'a Job,
    /// The original.
    pub picture: &'a Picture,
}

/// What was fetched of an original before its turn, where that is done.
type Fetched = Option<io::Result<Vec<u8>>>;

impl<'a> Task<'a> {
    /// That of an original.
    pub fn of(charge: &Charge<'a>) -> Task<'a> {
        Task {
            job: charge.job,
            picture: charge.picture,
        }
    }
}

/// About how much there is to do for a job: pixels to be decoded, and many times over those to be
/// encoded.
fn effort(job: &Job) -> u64 {
    let pieces = job.pieces().map(|(_, size, _)| size.size.pixels());
    job.original.probe.stored.pixels() + 10 * pieces.sum::<u64>()
}

/// Makes the pieces of all tasks, on as many threads as the settings say.
pub fn dispatch(
    tasks: &[Task<'_>],
    bench: &Bench<'_>,
    events: Sender<Vec<Event>>,
) -> Result<(), Failure> {
    let pool = ThreadPoolBuilder::new()
        .num_threads(bench.settings.jobs)
        .build()?;
    // The largest first, so that no core is left alone with one at the end.
    let mut order: Vec<(usize, &Task<'_>)> = tasks.iter().enumerate().collect();
    let done = unchanged::told(tasks, bench, &pool, &events);
    order.retain(|(index, task)| !done[*index] && bench.concerns(task.job));
    order.sort_by_key(|(_, task)| Reverse(effort(task.job)));
    let ahead = |(index, task): &(usize, &Task<'_>)| match bench.kept.of(*index) {
        None => supply::fetched_ahead(task.picture),
        // Its pixels are there.
        Some(_) => 0,
    };
    let fetch = |(_, task): &(usize, &Task<'_>)| -> Fetched {
        let distant = task.picture.distant.as_ref()?;
        Some(distant.bytes())
    };
    let make = |(index, task): (usize, &Task<'_>), fetched: Option<Fetched>| {
        // The receiver outlives all senders; if it is gone, the run is over.
        let send = |what| {
            let _ = events.send(vec![Event { job: index, what }]);
        };
        send(What::Began);
        // A codec that panics costs its picture, not the run.
        let work = || bench.work(index, task, fetched.flatten(), &send);
        let ended = guard::guarded(work);
        let broken = "the program failed on it; please report this with the picture";
        let ended = ended.unwrap_or_else(|_| Err(Mishap::new(broken)));
        send(What::Ended(ended));
    };
    gate::ahead(order, ahead, fetch, |tasks| {
        gate::each(
            &pool,
            tasks,
            |((_, Task { job, .. }), _)| {
                // As many pictures are in work as there are cores: each has one of them, but for the last.
                pipeline::memory(job, 1) + supply::held(&job.original)
            },
            || !interrupt::came(),
            |(task, fetched)| make(task, fetched),
            |((index, _), _), why| {
                let what = What::Ended(Err(why));
                let _ = events.send(vec![Event { job: index, what }]);
            },
        );
    });
    Ok(())
}

impl Bench<'_> {
    /// Whether there is anything to do for a job.
    fn concerns(&self, job: &Job) -> bool {
        let ordered = |orders: &HashMap<String, WorkOrder>| {
            let mut pieces = job.pieces();
            pieces.any(|(_, _, piece)| orders.contains_key(piece.key()))
        };
        self.orders.as_ref().is_none_or(ordered)
    }

    fn work(
        &self,
        index: usize,
        &Task { job, picture }: &Task<'_>,
        fetched: Fetched,
        send: &(impl Fn(What) + Sync),
    ) -> Result<Remarks, Mishap> {
        let fresh = self.orders.is_none();
        if let (Some(orders), Some(rasters)) = (&self.orders, self.kept.of(index)) {
            let ordered = job.without(|piece| !orders.contains_key(piece.key()));
            self.fire(&rasters, job, &ordered, send);
            return Ok(rasters.remarks.clone());
        }
        // Known pieces that were left out stand, though no file of them does.
        let outdone = outdone::of(job, |piece| {
            let (_, known) = self.known(piece)?;
            Some(&known.made.account)
        });
        if fresh && self.same.contains(picture.path()) && self.all_stand(job, &outdone, send) {
            return Ok(Remarks::default());
        }
        let (supply, original) = match fetched {
            Some(bytes) => Supply::held(bytes.map_err(Mishap::unreadable)?),
            None => Supply::of(picture)?,
        };
        let pieces: Vec<&PlannedPiece> = job.pieces().map(|(_, _, piece)| piece).collect();
        let good = pieces.iter().copied();
        let good = good.map(|piece| self.still_good(piece, original, &outdone));
        let good: Vec<_> = good.map(|known| known.filter(|_| fresh)).collect();
        send(What::Read(original));
        // Pieces that are still good are told and left; the job goes on with the others.
        for (index, known) in good.iter().enumerate() {
            if let Some(known) = known {
                send(What::Piece(
                    index,
                    Ok(Box::new(Standing::unchanged(*known))),
                ));
            }
        }
        let rest = match &self.orders {
            Some(orders) => job.without(|piece| !orders.contains_key(piece.key())),
            None => job.without(|piece| {
                let mut keys = pieces.iter().map(|known| known.key());
                let index = keys.position(|key| key == piece.key());
                index.is_some_and(|index| good[index].is_some())
            }),
        };
        if rest.placements.is_empty() {
            return Ok(Remarks::default());
        }
        let rasters = Rasters::new(supply.input(), &rest, self.settings.allowance)?;
        self.fire(&rasters, job, &rest, send);
        let remarks = rasters.remarks.clone();
        // Where totals are shared, pieces may be wanted again; of all sizes then.
        if fresh && job.placements.iter().any(|p| !p.totals.is_empty()) && rest == *job {
            self.kept.keep(index, rasters);
        }
        Ok(remarks)
    }

    /// Makes pieces of a job, all or some.
    fn fire(&self, rasters: &Rasters, job: &Job, rest: &Job, send: &(impl Fn(What) + Sync)) {
        let keys: Vec<&str> = job.pieces().map(|(_, _, piece)| piece.key()).collect();
        let ordered = |planned: &PlannedPiece| self.orders.as_ref()?.get(planned.key());
        let order = |planned: &PlannedPiece| ordered(planned).map(|ordered| &ordered.order);
        rasters.fire(rest, order, |planned, made| {
            let made = made.map_err(Mishap::from);
            let ordered = ordered(planned);
            let written = ordered.is_none_or(|ordered| ordered.share.is_some());
            // Every planned piece of the rest is one of the job's.
            if let Some(index) = keys.iter().position(|key| *key == planned.key()) {
                send(if written {
                    let share = ordered.and_then(|ordered| ordered.share.clone());
                    let put = |piece| self.put(planned, piece, share);
                    What::Piece(index, made.and_then(put))
                } else {
                    What::Tried(index, made.map(|piece| piece.account.trail))
                });
            }
            if interrupt::came() {
                ControlFlow::Break(())
            } else {
                ControlFlow::Continue(())
            }
        });
    }

    /// Tells of all pieces of a job as unchanged, if every one of them is known and there.
    fn all_stand(&self, job: &Job, outdone: &Outdone<'_>, send: &impl Fn(What)) -> bool {
        let known = |piece: &'_ PlannedPiece| {
            let (candidate, known) = self.known(piece)?;
            let stands = outdone.contains_key(piece.key()) || self.folder.has(&candidate.name);
            stands.then(|| Box::new(Standing::unchanged((candidate, &known.made))))
        };
        let pieces = job.pieces();
        let standing: Option<Vec<Box<Standing>>> =
            pieces.map(|(_, _, piece)| known(piece)).collect();
        let all_stand = standing.is_some();
        for (index, standing) in standing.into_iter().flatten().enumerate() {
            send(What::Piece(index, Ok(standing)));
        }
        all_stand
    }

    /// What is known of a piece, where it was made from this very original and still stands as
    /// it was made.
    pub fn still_good<'p>(
        &self,
        piece: &'p PlannedPiece,
        original: Digest,
        outdone: &Outdone<'_>,
    ) -> Option<(&'p Candidate, &Made)> {
        let (candidate, known) = self.known(piece)?;
        let left_out = outdone.contains_key(piece.key()) && !self.folder.is_taken(&candidate.name);
        let stands = || left_out || self.folder.holds(&candidate.name, &known.made);
        let good = known.original == original && stands();
        good.then_some((candidate, &known.made))
    }

    /// What is known of a piece, and what it became.
    pub fn known<'p>(&self, piece: &'p PlannedPiece) -> Option<(&'p Candidate, &Known)> {
        let mut candidates = piece.candidates.iter();
        candidates.find_map(|candidate| Some((candidate, self.known.get(&candidate.name)?)))
    }

    fn put(
        &self,
        planned: &PlannedPiece,
        piece: Piece,
        share: Option<Share>,
    ) -> Result<Box<Standing>, Mishap> {
        let name = planned.name_as(piece.format).unwrap_or(planned.key());
        let written = self.folder.write(name, &piece.file);
        written.map_err(Mishap::unwritable)?;
        let made = Made {
            kiln: env!("CARGO_PKG_VERSION").into(),
            digest: plan::digest(&piece.file),
            account: piece.account,
            share: share.map(Box::new),
            outdone: None,
        };
        Ok(Box::new(Standing {
            written: Written {
                name: name.to_owned(),
                format: piece.format,
                account: made.account.clone(),
                unchanged: false,
            },
            made: Some(made),
        }))
    }
}
