//! The making of all pieces: names claimed, then one batch of originals after another. What few originals came to is held until it
//! is reported; of very many the ledger knows it, and only what it does not know is held.

use std::collections::{HashMap, HashSet};
use std::ops::Range;
use std::path::PathBuf;
use std::sync::Arc;

use kiln_core::encode::Format;
use kiln_core::plan::{self, Digest};

use super::charges::{Charge, Keys, Prospect};
use super::claim::claim;
use super::out::Out;
use super::rounds::Run;
use super::strays::{self, Standpoint};
use super::views::{self, View};
use super::{Said, outdone, parts, totals};
use crate::failure::Failure;
use crate::find::Picture;
use crate::interrupt;
use crate::ledger::{self, Ledger, Opened, Trimmed};
use crate::mishap::Mishap;
use crate::report::{
    Channels, Fired, Foretell, OriginalReport, Originals, PieceReport, Progress, StrayReport,
    Written,
};
use crate::settings::Settings;

/// Originals whose plans and reports are held at a time.
const BATCH: usize = 256;

/// What is known of originals before any is read.
pub struct Known<'a> {
    /// Those that are as they were when their pieces were made.
    pub same: &'a HashSet<PathBuf>,
    /// All that were found on other machines, as the ledger has them.
    pub distant: HashSet<String>,
}

/// What making the pieces came to.
#[derive(Default)]
pub struct Outcome {
    /// What became of the originals.
    pub originals: Originals,
    /// Pieces that nothing plans for any more.
    pub strays: Vec<StrayReport>,
    /// Whether it was interrupted.
    pub interrupted: bool,
    /// What a page shows of each original, where one is wanted.
    pub views: Vec<View>,
}

impl Prospect {
    /// Originals in the order of their paths, as many as are worked on together.
    fn batches(&self, settings: &Settings) -> Vec<Range<usize>> {
        let count = self.draft.shown.len();
        // Pictures that share a total are one work, and a page shows all; so does who watches.
        let is_one = self.draft.has_totals() || settings.page.is_some() || settings.watch;
        let size = if is_one { count } else { BATCH }.max(1);
        // There is always one, be it empty.
        let starts = (0..count.max(1)).step_by(size);
        starts.map(|start| start..count.min(start + size)).collect()
    }

    /// The pictures of a batch.
    fn shown(&self, batch: &Range<usize>) -> impl Iterator<Item = &Picture> {
        let indices = &self.draft.shown[batch.clone()];
        indices.iter().map(|&index| &self.pictures[index])
    }
}

/// Makes what is not there yet, records it, and tends what nothing plans any more.
pub fn make(
    lot: Prospect,
    keys: &mut Keys,
    known: Known<'_>,
    settings: &Settings,
    channels: &Channels,
    said: &mut Said,
) -> Result<Outcome, Failure> {
    let (folder, opened) = Out::enter(settings, channels)?;
    let Opened {
        mut ledger,
        parts,
        remarks,
    } = opened;
    said.remarks.extend(remarks);
    if settings.gather {
        if parts.is_empty() {
            return Err(Failure::NoParts(settings.out.clone()));
        }
        said.remarks.extend(parts.lacking());
    }
    let kiln_file = settings.kiln_file.as_ref();
    let by = kiln_file.map(|file| keys.of(file));
    let by: Arc<str> = by.map_or(ledger::COMMAND.into(), Into::into);
    let batches = lot.batches(settings);
    let (mut same, mut told) = (known.same.clone(), HashMap::new());
    // Of very many, digests of names take less room.
    let (mut planned, mut pieces) = (HashSet::new(), 0);
    for batch in &batches {
        let plan = lot.draft.plan_of(batch.clone(), &lot.pictures);
        let charges = Charge::all(&plan, lot.shown(batch), keys);
        if settings.gather && settings.out_remote.is_none() {
            same.extend(parts::untouched(&charges, &parts, &settings.out));
        }
        told.extend(as_seen(&charges, &ledger));
        claim(&charges, &by, &folder, &mut ledger, settings)?;
        for Charge { key, picture, .. } in &charges {
            if let (Some(of), Some(area)) = (picture.original.digest, picture.original.content) {
                ledger.searched(key, Trimmed { of, area });
            }
        }
        pieces += plan.pieces();
        let all = plan.jobs.iter().flat_map(|job| job.pieces());
        let names = all.flat_map(|(_, _, piece)| piece.names());
        planned.extend(names.map(|name| plan::digest(name.as_bytes())));
    }
    let refused = said.refused.iter().map(|aside| keys.of(&aside.path));
    let standpoint = Standpoint {
        by: &by,
        refused: refused.collect(),
        distant: known.distant,
    };
    let mut outcome = Outcome::default();
    // What another part plans is no stray.
    if settings.part.is_none() {
        outcome.strays = strays::tend(&planned, &standpoint, settings, &folder, &mut ledger)?;
    }
    drop(planned);
    let saved = ledger.save();
    saved.map_err(Failure::unwritable(ledger.path()))?;

    interrupt::watch()?;
    let is_held = batches.len() == 1;
    let mut progress = Progress::start(pieces, settings, channels);
    let (mut reports, mut briefs) = (Vec::new(), Vec::new());
    for batch in &batches {
        let plan = lot.draft.plan_of(batch.clone(), &lot.pictures);
        let mut charges = Charge::all(&plan, lot.shown(batch), keys);
        // What was not begun is told as that.
        if !interrupt::came() {
            let mut run = Run {
                plan: &plan,
                settings,
                folder: &folder,
                same: &same,
                told: &told,
                progress,
                ledger,
                kept: Default::default(),
                charges: &mut charges,
            };
            run.round(None)?;
            if !interrupt::came() && settings.part.is_none() {
                totals::keep(&mut run)?;
            }
            if !interrupt::came() {
                outcome.strays.extend(outdone::leave_out(&mut run)?);
            }
            (ledger, progress) = (run.ledger, run.progress);
            let replaced = strays::replaced(&plan, settings, &folder, &mut ledger)?;
            outcome.strays.extend(replaced);
        }
        if settings.page.is_some() {
            outcome.views = views::all(&charges, &folder, settings)?;
        }
        let of_batch = charges.into_iter();
        if is_held {
            reports.extend(of_batch.map(|charge| charge.report));
        } else {
            briefs.extend(of_batch.map(Brief::of));
        }
    }
    progress.end();
    let settled = match settings.part {
        Some(_) if interrupt::came() => ledger.save(),
        Some(_) => ledger.end_part(),
        None => ledger.settle(),
    };
    settled.map_err(Failure::unwritable(ledger.path()))?;
    outcome.interrupted = interrupt::came();
    outcome.originals = if is_held {
        Originals::Fired(reports)
    } else {
        Originals::Told(Box::new(Recorded {
            lot,
            ledger,
            briefs,
        }))
    };
    Ok(outcome)
}

/// The digests of originals on other machines that are as they were when they were read, as far as these say so.
fn as_seen(charges: &[Charge<'_>], ledger: &Ledger) -> HashMap<PathBuf, Digest> {
    let told = charges.iter().filter_map(|charge| {
        let state = charge.picture.distant.as_ref()?.state()?;
        let digest = ledger.told(&charge.key, &state)?;
        Some((charge.picture.path().to_owned(), digest))
    });
    told.collect()
}

/// What is to be told of an original beside its plan and what the ledger knows.
#[derive(Debug)]
enum Brief {
    /// That all its pieces stand, and whether they did before.
    Plain { unchanged: bool },
    /// More than that.
    Told(Box<Told>),
}

#[derive(Debug)]
struct Told {
    notes: Vec<String>,
    pieces: Vec<Became>,
    is_sound: bool,
}

/// What became of a piece.
#[derive(Clone, Debug)]
enum Became {
    Planned,
    Made { unchanged: bool },
    Outdone(Format),
    Failed(Box<Mishap>),
}

impl Brief {
    fn of(charge: Charge<'_>) -> Brief {
        let mut report = charge.report;
        let is_sound = report.pieces.iter().all(PieceReport::is_sound);
        let notes = report.notes.split_off(charge.planned_notes);
        let mut stand = report.pieces.iter().map(|piece| match &piece.fired {
            Fired::Made(written) => Some(written.unchanged),
            _ => None,
        });
        if is_sound
            && notes.is_empty()
            && let Some(Some(unchanged)) = stand.next()
            && stand.all(|other| other == Some(unchanged))
        {
            return Brief::Plain { unchanged };
        }
        let became = |piece: PieceReport| match piece.fired {
            Fired::Planned => Became::Planned,
            Fired::Failed(why) => Became::Failed(Box::new(why)),
            Fired::Made(Written { unchanged, .. }) => Became::Made { unchanged },
            Fired::Outdone(_, by) => Became::Outdone(by),
        };
        // Collected, they would lie in the room of the reports, which are far larger.
        let mut pieces = Vec::with_capacity(report.pieces.len());
        pieces.extend(report.pieces.into_iter().map(became));
        Brief::Told(Box::new(Told {
            notes,
            pieces,
            is_sound,
        }))
    }

    fn is_sound(&self) -> bool {
        match self {
            Brief::Plain { .. } => true,
            Brief::Told(told) => told.is_sound,
        }
    }

    fn notes(&self) -> &[String] {
        match self {
            Brief::Plain { .. } => &[],
            Brief::Told(told) => &told.notes,
        }
    }

    fn became(&self, piece: usize) -> Option<Became> {
        match *self {
            Brief::Plain { unchanged } => Some(Became::Made { unchanged }),
            Brief::Told(ref told) => told.pieces.get(piece).cloned(),
        }
    }
}

/// What a firing made of very many originals, told one at a time.
#[derive(Debug)]
struct Recorded {
    lot: Prospect,
    ledger: Ledger,
    /// In the order of the originals.
    briefs: Vec<Brief>,
}

impl Foretell for Recorded {
    fn count(&self) -> usize {
        self.briefs.len()
    }

    fn is_fired(&self) -> bool {
        true
    }

    fn is_sound(&self, place: usize) -> bool {
        self.briefs[place].is_sound()
    }

    fn original(&self, place: usize) -> OriginalReport {
        let mut report = self.lot.planned(place);
        let brief = &self.briefs[place];
        report.notes.extend(brief.notes().iter().cloned());
        for (index, piece) in report.pieces.iter_mut().enumerate() {
            let written = |unchanged| {
                let finished = self.ledger.made(&piece.planned)?;
                Some(Written {
                    name: finished.name.to_owned(),
                    format: finished.entry.format,
                    account: finished.made.account.clone(),
                    unchanged,
                })
            };
            let fired = match brief.became(index) {
                None | Some(Became::Planned) => None,
                Some(Became::Made { unchanged }) => written(unchanged).map(Fired::Made),
                Some(Became::Outdone(by)) => {
                    written(false).map(|written| Fired::Outdone(written, by))
                }
                Some(Became::Failed(why)) => Some(Fired::Failed(*why)),
            };
            piece.fired = fired.unwrap_or(Fired::Planned);
        }
        report.note_what_gains_nothing();
        if self.lot.titled {
            report.suggest_title();
        }
        report
    }
}
