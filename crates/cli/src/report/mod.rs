//! What a firing tells: to people as a table, to programs as JSON, while it runs as progress.

mod channels;
mod json;
mod judged;
mod originals;
mod progress;
mod shared;
mod table;
mod tree;
mod why;

use std::path::PathBuf;
use std::process::ExitCode;

use kiln_core::budget::Verdict;
use kiln_core::credits::{Credits, Field};
use kiln_core::encode::{Coding, Format};
use kiln_core::pipeline::Account;
use kiln_core::pixels::{Backdrop, Size};
use kiln_core::plan::{self, CodingWish, Job, PartOf, PlannedPiece};
use kiln_core::source::Kind;

pub use channels::Channels;
pub use originals::{Foretell, Originals};
pub use progress::{Counting, Progress, Sending};
pub use shared::TotalReport;

use crate::find::Aside;
use crate::mishap::Mishap;
use crate::wording;

/// All that a firing did.
#[derive(Debug)]
pub struct FiringReport {
    /// Every picture that was planned for.
    pub originals: Originals,
    /// Files that should have been pictures.
    pub refused: Vec<Aside>,
    /// Files that are best published as they are.
    pub left_out: Vec<Aside>,
    /// Pieces of earlier firings that nothing plans for any more.
    pub strays: Vec<StrayReport>,
    /// Places that show none of the originals.
    pub idle: Vec<String>,
    /// The out folder.
    pub out: PathBuf,
    /// The kiln file that it went by, if there was one.
    pub kiln_file: Option<PathBuf>,
    /// What became of totals that pictures share.
    pub shared: Vec<TotalReport>,
    /// What else there is to say about the run.
    pub remarks: Vec<String>,
    /// The part of the whole that it was, where it was not all.
    pub part: Option<PartOf>,
    /// Whether only the plan was made.
    pub dry_run: bool,
    /// Whether it was ended by Ctrl-C.
    pub interrupted: bool,
    /// How long it took.
    pub seconds: f64,
}

/// One original and its pieces.
#[derive(Clone, Debug)]
pub struct OriginalReport {
    /// Its path as found.
    pub path: String,
    /// Its path below the folder that was given.
    pub name: String,
    /// Its format.
    pub kind: Kind,
    /// Width and height, upright.
    pub size: Size,
    /// Bytes.
    pub weight: u64,
    /// What its owner should know.
    pub notes: Vec<String>,
    /// What the label sheet says of it.
    pub label: Credits,
    /// What its pieces say of it.
    pub carried: Credits,
    /// The bytes that it carries beside its pixels.
    pub ballast: u64,
    /// Whether it says where it was taken, and its pieces do not.
    pub position_dropped: bool,
    /// Its pieces, in the order of the plan.
    pub pieces: Vec<PieceReport>,
}

/// One piece.
#[derive(Clone, Debug)]
pub struct PieceReport {
    /// What was planned.
    pub planned: PlannedPiece,
    /// Width and height.
    pub size: Size,
    /// The place that it is for.
    pub place: Option<String>,
    /// The lowest device pixel ratio that it is for.
    pub density: f64,
    /// The measure that was asked for and that the original cannot fill.
    pub short_of: Option<u32>,
    /// Near-equal measures that it stands for as well.
    pub stands_for: Vec<u32>,
    /// How its samples shall be coded.
    pub coding: CodingWish,
    /// The most that it may weigh.
    pub max_weight: Option<u64>,
    /// What stands behind transparent pixels where its format has none.
    pub backdrop: Backdrop,
    /// What became of it.
    pub fired: Fired,
}

/// What became of a piece.
#[derive(Clone, Debug, PartialEq)]
pub enum Fired {
    /// Nothing yet.
    Planned,
    /// It stands in the out folder.
    Made(Written),
    /// It was made, and left out again: this format is lighter at the same look, and more browsers show it.
    Outdone(Written, Format),
    /// It could not be made.
    Failed(Mishap),
}

/// A piece of an earlier firing that nothing plans for any more.
#[derive(Debug)]
pub struct StrayReport {
    /// Its path below the out folder.
    pub name: String,
    /// What became of it.
    pub fate: Fate,
}

/// What became of a stray.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Fate {
    /// It is still there.
    Listed,
    /// It was removed.
    Removed,
    /// It should have been removed, but is not as it was made.
    Altered,
}

/// A piece that stands in the out folder.
#[derive(Clone, Debug, PartialEq)]
pub struct Written {
    /// Its path below the out folder.
    pub name: String,
    /// Its format.
    pub format: Format,
    /// How it came about.
    pub account: Account,
    /// Whether an earlier run made it and it is still good.
    pub unchanged: bool,
}

/// The sums of a firing.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Totals {
    /// Originals with at least one piece, made or, in a dry run, planned.
    pub originals: usize,
    /// Pieces made or, in a dry run, planned.
    pub pieces: usize,
    /// The weight of those originals.
    pub before: u64,
    /// The weight of all pieces.
    pub after: u64,
    /// The weight of the heaviest piece of each original: the most that a page has to load.
    pub heaviest: u64,
    /// Pieces that an earlier run made and that are still good.
    pub unchanged: usize,
    /// The bytes that those originals carry beside their pixels.
    pub ballast: u64,
    /// Originals whose position was dropped.
    pub positions: usize,
}

impl OriginalReport {
    /// A report of a job before its work.
    pub fn planned(job: &Job) -> Self {
        let pieces = job.pieces().map(|(placement, size, piece)| PieceReport {
            planned: piece.clone(),
            size: size.size,
            place: placement.place.clone(),
            density: size.density,
            short_of: size.short_of,
            stands_for: size.stands_for.clone(),
            coding: placement.coding,
            max_weight: placement.max_weight,
            backdrop: placement.backdrop,
            fired: Fired::Planned,
        });
        let carried = job.placements.first();
        OriginalReport {
            path: job.original.path.clone(),
            name: job.original.name.clone(),
            kind: job.original.probe.kind,
            size: job.original.probe.own_size(),
            weight: job.original.weight,
            notes: Vec::new(),
            label: job.original.label.clone(),
            carried: carried.map_or(Credits::default(), |placement| {
                placement.inscription.credits.clone()
            }),
            ballast: 0,
            position_dropped: false,
            pieces: pieces.collect(),
        }
    }

    /// Suggests a title where its name says nothing.
    pub fn suggest_title(&mut self) {
        let file = self.name.rsplit('/').next().unwrap_or_default();
        if self.label.get(Field::Title).is_none() && plan::says_nothing(plan::stem(file)) {
            let note = "a name that says nothing; a title from kiln label would make a better one";
            self.notes.push(note.to_owned());
        }
    }

    /// Marks all pieces that were not made as failed; returns how many those are.
    pub fn refuse(&mut self, why: &Mishap) -> usize {
        let pieces = self.pieces.iter_mut();
        let open = pieces.filter(|piece| piece.fired == Fired::Planned);
        open.map(|piece| piece.fired = Fired::Failed(why.clone()))
            .count()
    }

    /// Why it gave no piece at all, where that is so.
    pub fn refusal(&self) -> Option<&Mishap> {
        let mut reasons = self.pieces.iter().map(|piece| match &piece.fired {
            Fired::Failed(why) => Some(why),
            _ => None,
        });
        let first = reasons.next()??;
        reasons.all(|why| why == Some(first)).then_some(first)
    }
}

impl Totals {
    /// Adds those of an original, in a dry run what is planned of it.
    fn add(&mut self, original: &OriginalReport, dry_run: bool) {
        let written = original.pieces.iter().filter_map(PieceReport::written);
        self.unchanged += written.filter(|w| w.unchanged).count();
        let counted = |piece: &&PieceReport| dry_run || piece.written().is_some();
        let pieces = original.pieces.iter().filter(counted);
        let weights = pieces.map(|p| p.written().map_or(0, |w| w.account.weight));
        let weights: Vec<u64> = weights.collect();
        if let Some(heaviest) = weights.iter().max() {
            self.originals += 1;
            self.pieces += weights.len();
            self.before += original.weight;
            self.ballast += original.ballast;
            self.positions += usize::from(original.position_dropped);
            self.after += weights.iter().sum::<u64>();
            self.heaviest += heaviest;
        }
    }
}

impl Written {
    /// Its score, as printed.
    pub fn score(&self) -> String {
        let is_sampled = self.account.is_sampled(self.format);
        wording::score(self.account.score, is_sampled)
    }
}

impl PieceReport {
    /// What was written.
    pub fn written(&self) -> Option<&Written> {
        match &self.fired {
            Fired::Made(written) => Some(written),
            _ => None,
        }
    }

    /// Whether it was made and keeps what was asked for.
    pub fn is_sound(&self) -> bool {
        match &self.fired {
            Fired::Made(written) => budget_problem(written, self).is_none(),
            Fired::Outdone(..) => true,
            Fired::Planned | Fired::Failed(_) => false,
        }
    }

    /// What was made, whether it stands or not.
    pub fn fired(&self) -> Option<&Written> {
        match &self.fired {
            Fired::Made(written) | Fired::Outdone(written, _) => Some(written),
            Fired::Planned | Fired::Failed(_) => None,
        }
    }

    /// How it came about, if it was made at all.
    pub fn account(&self) -> Option<&Account> {
        self.fired().map(|written| &written.account)
    }

    /// Its path below the out folder; until that is settled all those that it may have, in one.
    pub fn name(&self) -> String {
        match self.written() {
            Some(written) => written.name.clone(),
            None => in_one(self.planned.names(), "|"),
        }
    }

    /// The formats that it may have, or the one that it has.
    pub fn formats(&self) -> Vec<Format> {
        match self.written() {
            Some(written) => vec![written.format],
            None => self.planned.formats().collect(),
        }
    }

    /// What its search came to, in a word, where it is not just what was asked for.
    pub fn outcome(&self) -> Option<&'static str> {
        match self.written()?.account.verdict? {
            Verdict::Bounded => Some("bounded by its weight"),
            Verdict::Shared => Some("pressed by its total"),
            Verdict::Lightest => Some("no lighter"),
            Verdict::Met | Verdict::Over | Verdict::Short => None,
        }
    }

    /// What it would weigh in the other formats that it may have, the lightest first: in those of which a
    /// file was made that reaches its look.
    pub fn others(&self) -> Vec<(Format, u64)> {
        let (Some(written), CodingWish::Look(wish)) = (self.written(), self.coding) else {
            return Vec::new();
        };
        let trail = &written.account.trail;
        let widest = trail.iter().map(|attempt| attempt.width).max();
        let others = self
            .planned
            .formats()
            .filter(|&other| other != written.format);
        let lightest = |other: Format| {
            let reaching = trail.iter().filter(|attempt| {
                let least = wish.look.max(other.least_look());
                (attempt.format, Some(attempt.width)) == (other, widest) && attempt.score >= least
            });
            Some((other, reaching.map(|attempt| attempt.weight).min()?))
        };
        let mut others: Vec<(Format, u64)> = others.filter_map(lightest).collect();
        others.sort_by_key(|&(_, weight)| weight);
        others
    }

    /// How good it shall look, by name or as a number, where that is asked for.
    pub fn look(&self) -> Option<String> {
        match self.coding {
            CodingWish::Look(wish) => Some(plan::look_name(wish.look)),
            CodingWish::Dial(_) => None,
            CodingWish::Exact => Some("exact".to_owned()),
        }
    }
}

/// Names as one: where they differ in their extensions only, those are set side by side.
fn in_one<'a>(names: impl Iterator<Item = &'a str>, between: &str) -> String {
    let names: Vec<&str> = names.collect();
    let split: Option<Vec<_>> = names.iter().map(|name| name.rsplit_once('.')).collect();
    match split.as_deref() {
        Some([(stem, _), _, ..]) if split.iter().flatten().all(|(other, _)| other == stem) => {
            let extensions: Vec<&str> = split.iter().flatten().map(|(_, e)| *e).collect();
            format!("{stem}.{{{}}}", extensions.join(between))
        }
        _ => names.join(if between == "," { "  " } else { " or " }),
    }
}

impl FiringReport {
    /// The sums.
    pub fn totals(&self) -> Totals {
        let mut totals = Totals::default();
        for original in self.originals.iter() {
            totals.add(&original, self.dry_run);
        }
        totals
    }

    /// One line for everything that was not done or not kept: a path and what is wrong.
    pub fn problems(&self) -> Vec<(String, Mishap)> {
        let refused = self.refused.iter();
        let mut problems: Vec<_> = refused
            .map(|a| (a.path.display().to_string(), a.why.clone()))
            .collect();
        // What is only planned has none yet.
        for original in self.originals.unsound() {
            if let Some(why) = original.refusal() {
                problems.push((original.path.clone(), why.clone()));
                continue;
            }
            for piece in &original.pieces {
                match &piece.fired {
                    Fired::Failed(why) => problems.push((piece.name(), why.clone())),
                    Fired::Made(written) => {
                        let problem = budget_problem(written, piece);
                        let problem = problem.map(Mishap::new);
                        problems.extend(problem.map(|what| (piece.name(), what)));
                    }
                    Fired::Planned if !self.dry_run => {
                        problems.push((
                            piece.name(),
                            Mishap::new("not made: the run was interrupted"),
                        ));
                    }
                    _ => {}
                }
            }
        }
        let idle = self.idle.iter().map(|place| {
            let why = Mishap::new("shows none of the originals; check its \"of\"");
            (format!("place {place}"), why)
        });
        problems.extend(idle);
        let totals = self.shared.iter();
        let unkept = totals.filter_map(|total| total.problem(self.interrupted));
        problems.extend(unkept.map(|(path, what)| (path, Mishap::new(what))));
        problems.sort_by_cached_key(|(path, what)| (path.clone(), what.to_string()));
        problems
    }

    /// What was refused when it was found, and what turned out to be broken later, by path.
    pub fn all_refused(&self) -> Vec<Aside> {
        let later = self.originals.unsound().filter_map(|original| {
            let why = original.refusal()?.clone();
            Some(Aside::of(original.path.clone().into(), why))
        });
        let mut all: Vec<Aside> = self.refused.iter().cloned().chain(later).collect();
        all.sort_by(|a, b| a.path.cmp(&b.path));
        all
    }

    /// Suggests titles for originals whose names say nothing.
    pub fn suggest_titles(&mut self) {
        for original in self.originals.held_mut().into_iter().flatten() {
            original.suggest_title();
        }
    }

    /// Leaves out originals of which nothing was made and nothing failed.
    pub fn only_news(&mut self) {
        let old = |piece: &PieceReport| piece.written().is_some_and(|w| w.unchanged);
        if let Some(originals) = self.originals.held_mut() {
            originals.retain(|original| !original.pieces.iter().all(old));
        }
    }

    /// Whether there is nothing to tell.
    pub fn is_idle(&self) -> bool {
        self.originals.is_empty() && self.refused.is_empty() && self.strays.is_empty()
    }

    /// The exit code: 130 when interrupted, 1 when something was not done or not kept.
    pub fn exit(&self) -> ExitCode {
        match (self.interrupted, self.problems().is_empty()) {
            (true, _) => ExitCode::from(130),
            (_, false) => ExitCode::from(1),
            _ => ExitCode::SUCCESS,
        }
    }
}

/// Which budget a piece does not keep, and what to do.
pub fn budget_problem(written: &Written, piece: &PieceReport) -> Option<String> {
    let account = &written.account;
    let Account { weight, score, .. } = *account;
    if !account.fits {
        let most = piece.max_weight.map_or(String::new(), wording::weight);
        let what = match account.coding {
            Coding::Dial(dial) => format!("even at {score:.0}, dial {dial}"),
            Coding::Lossless => "and has no dial to turn".to_owned(),
        };
        let advice = "make it narrower, allow more, or lower the least-look";
        let weight = wording::weight(weight);
        return Some(format!(
            "over budget: {weight} is above {most} {what}; {advice}"
        ));
    }
    if account.verdict != Some(Verdict::Short) {
        return None;
    }
    let format = written.format;
    let look = piece.look().unwrap_or_default();
    Some(format!(
        "below its look: {score:.1} is the best that {format} can do here, not {look}; \
         choose another format or a lower look"
    ))
}
