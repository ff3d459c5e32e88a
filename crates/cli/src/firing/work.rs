//! The pictures in work: one thread hands them out, a pool makes their pieces.

use std::fs;
use std::ops::ControlFlow;
use std::panic::{self, AssertUnwindSafe};
use std::path::Path;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::mpsc::Sender;

use kiln_core::colour::ColourNote;
use kiln_core::decode::Allowance;
use kiln_core::pipeline;
use kiln_core::plan::{Job, Plan};
use rayon::ThreadPoolBuilder;

use crate::failure::Failure;
use crate::find::Picture;
use crate::gate::Gate;
use crate::report::Written;
use crate::settings::Settings;
use crate::write::{self, OutFolder};

/// The bytes that the pictures in work may hold together, unless one alone needs more.
const ROOM: u64 = 600 << 20;

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
    /// A piece, by its index in the job, was written or failed.
    Piece(usize, Result<Written, String>),
    /// All its pieces were tried, or none could be.
    Ended(Result<Option<ColourNote>, String>),
}

static INTERRUPTED: AtomicBool = AtomicBool::new(false);

/// From now on Ctrl-C lets the pieces in hand be finished and nothing new begun. Returns how to
/// ask whether it came.
pub fn watch_for_interrupt() -> Result<fn() -> bool, Failure> {
    ctrlc::set_handler(|| INTERRUPTED.store(true, Ordering::SeqCst))?;
    Ok(|| INTERRUPTED.load(Ordering::SeqCst))
}

/// Makes all pieces of a plan, on as many threads as the settings say.
pub fn dispatch(
    plan: &Plan,
    pictures: &[Picture],
    settings: &Settings,
    folder: &OutFolder,
    events: Sender<Event>,
) -> Result<(), Failure> {
    let pool = ThreadPoolBuilder::new()
        .num_threads(settings.jobs)
        .build()?;
    let gate = Gate::new(settings.jobs, ROOM);
    let gate = &gate;
    pool.in_place_scope(|scope| {
        for (index, (job, picture)) in plan.jobs.iter().zip(pictures).enumerate() {
            // Waiting here, outside the pool, keeps its threads free for work.
            let pass = gate.enter(pipeline::memory(job) + job.original.weight);
            if INTERRUPTED.load(Ordering::SeqCst) {
                break;
            }
            let events = events.clone();
            scope.spawn(move |_| {
                work(
                    index,
                    job,
                    &picture.path,
                    settings.allowance,
                    folder,
                    &events,
                );
                drop(pass);
            });
        }
    });
    Ok(())
}

fn work(
    index: usize,
    job: &Job,
    path: &Path,
    allowance: Allowance,
    folder: &OutFolder,
    events: &Sender<Event>,
) {
    // The receiver outlives all senders; if it is gone the run is over and nobody listens.
    let send = |what| {
        let _ = events.send(Event { job: index, what });
    };
    send(What::Began);
    // A decoder or encoder that panics costs its picture, not the run.
    let fired = panic::catch_unwind(AssertUnwindSafe(|| {
        let bytes = fs::read(path)
            .map_err(|error| format!("cannot be read ({error}); check its permissions"))?;
        let mut next = 0;
        let fired = pipeline::fire(&bytes, job, allowance, None, |_, planned, made| {
            let written = made.map_err(|error| error.to_string()).and_then(|piece| {
                let target = folder.below(&planned.name);
                write::whole(&target, &piece.file).map_err(|error| {
                    format!("cannot be written ({error}); choose another folder or make room")
                })?;
                Ok(Written {
                    weight: piece.file.len() as u64,
                    coding: piece.coding,
                    trail: piece.trail,
                    fits: piece.fits,
                    flattened: piece.flattened,
                })
            });
            send(What::Piece(next, written));
            next += 1;
            match INTERRUPTED.load(Ordering::SeqCst) {
                true => ControlFlow::Break(()),
                false => ControlFlow::Continue(()),
            }
        });
        fired.map_err(|error| format!("{error}; export or copy it again"))
    }));
    let broken = |_| Err("the codec failed on it; please report this with the picture".to_owned());
    send(What::Ended(fired.unwrap_or_else(broken)));
}
