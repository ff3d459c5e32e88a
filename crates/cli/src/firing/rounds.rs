//! The rounds of a firing: pieces are made, and what comes of them goes into ledger and report.

use std::collections::{HashMap, HashSet};
use std::path::PathBuf;
use std::sync::Arc;
use std::sync::mpsc;
use std::thread;

use kiln_core::pipeline::{Attempt, Remarks};
use kiln_core::plan::{Digest, Plan};

use super::charges::Charge;
use super::out::Out;
use super::said::{said_of_colours, said_of_oddity};
use super::work::{self, Bench, Event, Kept, Task, What, WorkOrder};
use crate::away::Distant;
use crate::failure::Failure;
use crate::ledger::Ledger;
use crate::report::{Fired, Progress};
use crate::settings::Settings;

/// A firing at work.
pub struct Run<'a, 'c> {
    pub plan: &'a Plan,
    pub settings: &'a Settings,
    pub folder: &'a Out,
    pub same: &'a HashSet<PathBuf>,
    pub told: &'a HashMap<PathBuf, Digest>,
    pub ledger: Ledger,
    pub kept: Arc<Kept>,
    pub progress: Progress,
    pub charges: &'a mut [Charge<'c>],
}

/// What is known of pieces after attempts that were asked for, by their keys.
pub type Tried = HashMap<String, Vec<Attempt>>;

impl Run<'_, '_> {
    /// Makes what is not there yet, or else what is ordered.
    pub fn round(&mut self, orders: Option<HashMap<String, WorkOrder>>) -> Result<Tried, Failure> {
        if let Some(orders) = &orders {
            self.progress.more(orders.len());
        }
        let kept = Arc::clone(&self.kept);
        let bench = Bench {
            settings: self.settings,
            folder: self.folder,
            // What is ordered is made, whatever stands there.
            known: match orders {
                None => {
                    let jobs = self.plan.jobs.iter();
                    let pieces = jobs.flat_map(|job| job.pieces());
                    self.ledger
                        .known(pieces.flat_map(|(_, _, piece)| piece.names()))
                }
                Some(_) => HashMap::new(),
            },
            same: self.same,
            told: self.told,
            kept: &kept,
            orders,
        };
        let mut tried = Tried::new();
        let (events, incoming) = mpsc::channel();
        let tasks: Vec<Task> = self.charges.iter().map(Task::of).collect();
        thread::scope(|scope| {
            let dispatch = || work::dispatch(&tasks, &bench, events);
            let dispatcher = scope.spawn(dispatch);
            let mut saved = Ok(());
            for event in incoming.into_iter().flatten() {
                self.note(event, &mut tried);
                // One failure to save is enough to know; the pieces are made all the same.
                saved = saved.and_then(|()| self.ledger.save_now_and_then());
            }
            saved.map_err(Failure::unwritable(self.ledger.path()))?;
            // A dispatcher that panicked is a bug, and is passed on as one.
            dispatcher
                .join()
                .unwrap_or_else(|panic| std::panic::resume_unwind(panic))
        })?;
        Ok(tried)
    }

    /// Takes in one event: the one place that changes ledger and report while work goes on.
    fn note(&mut self, event: Event, tried: &mut Tried) {
        let Charge {
            key,
            picture,
            job,
            report,
            ..
        } = &mut self.charges[event.job];
        let (original, name) = (report, &job.original.name);
        match event.what {
            What::Began => self.progress.began(name),
            What::Read(digest) => {
                let seen = picture.distant.as_deref().and_then(Distant::state);
                self.ledger.read(key, digest, seen.as_deref());
            }
            What::Piece(index, standing) => {
                let piece = &mut original.pieces[index];
                piece.fired = match standing {
                    Ok(standing) => {
                        if let Some(made) = standing.made {
                            let name = &standing.written.name;
                            self.ledger.finished(&piece.planned, name, made);
                        }
                        Fired::Made(standing.written)
                    }
                    Err(why) => Fired::Failed(why),
                };
                self.progress.piece();
            }
            What::Tried(index, trail) => {
                // What cannot be made for another look stays as it is.
                let piece = original.pieces[index].planned.key().to_owned();
                tried.extend(trail.ok().map(|trail| (piece, trail)));
                self.progress.piece();
            }
            What::Ended(Ok(Remarks { colours, oddities })) => {
                let colours = colours.map(|colours| said_of_colours(colours).to_owned());
                for note in oddities.into_iter().map(said_of_oddity).chain(colours) {
                    if !original.notes.contains(&note) {
                        original.notes.push(note);
                    }
                }
                self.progress.ended(name, 0);
            }
            What::Ended(Err(why)) => {
                let given_up = original.refuse(&why);
                self.progress.ended(name, given_up);
            }
        }
    }
}
