//! One run over many pictures: found, planned, made, written, recorded, reported.

mod borders;
mod outdone;
mod page;
mod remember;
mod rounds;
mod said;
mod strays;
mod supply;
mod totals;
mod views;
mod watch;
mod work;

use std::cell::LazyCell;
use std::collections::HashSet;
use std::path::PathBuf;
use std::process::ExitCode;
use std::time::Instant;

use kiln_core::credits::Field;
use kiln_core::encode::Format;
use kiln_core::plan::{self, Candidate, Job, Plan, PlannedPiece, Trouble};

use crate::args::FireArgs;
use crate::failure::Failure;
use crate::find::{self, Aside, Folders, Picture};
use crate::ledger::{self, Ledger, Opened, PieceEntry, Trimmed};
use crate::mishap::Mishap;
use crate::report::{Channels, FiringReport, OriginalReport, Progress, StrayReport};
use crate::settings::Settings;
use crate::sheet::Sheet;
use crate::write::OutFolder;
use crate::{interrupt, pages, wording, write};
use rounds::Run;
use strays::Standpoint;
use views::View;

/// Runs a firing as typed, and reports it.
pub fn run(typed: &FireArgs, channels: &Channels) -> Result<ExitCode, Failure> {
    let settings = Settings::resolve(typed)?;
    if let Some(page) = &settings.page {
        pages::may_be_written(page)?;
    }
    if settings.watch {
        return watch::run(typed, settings, channels);
    }
    let mut report = fire(&settings, &HashSet::new(), channels)?;
    if let Some(name) = &typed.remember {
        report.remarks.push(remember::keep(name, typed)?);
    }
    channels.tell(&report, &settings)?;
    Ok(report.exit())
}

/// Runs a firing. What went wrong with single pictures is in the report. Originals in `same` are
/// known to be as they were when their pieces were made. A run that ends in a failure has said
/// before what else there was to say.
pub fn fire(
    settings: &Settings,
    same: &HashSet<PathBuf>,
    channels: &Channels,
) -> Result<FiringReport, Failure> {
    let mut said = Said::default();
    let fired = attempt(settings, same, channels, &mut said);
    if fired.is_err() {
        channels.mention(&said.remarks, &said.refused);
    }
    fired
}

/// What a run has to say before it comes to its report.
#[derive(Default)]
struct Said {
    remarks: Vec<String>,
    refused: Vec<Aside>,
}

fn attempt(
    settings: &Settings,
    same: &HashSet<PathBuf>,
    channels: &Channels,
    said: &mut Said,
) -> Result<FiringReport, Failure> {
    let start = Instant::now();
    let finding = find::find(&settings.originals, &settings.out)?;
    if finding.pictures.is_empty() && finding.refused.is_empty() && finding.left_out.is_empty() {
        return Err(Failure::nothing_found(&settings.originals.paths));
    }
    let only_folders =
        !finding.left_out.is_empty() && finding.left_out.iter().all(Aside::is_folder);
    if finding.pictures.is_empty() && finding.refused.is_empty() && only_folders {
        return Err(Failure::OnlyPieces(finding.left_out[0].path.clone()));
    }
    let mut left_out = finding.left_out;
    let pictures = readied(finding.pictures, finding.refused, settings, said)?;

    let originals = pictures.iter().map(|picture| picture.original.clone());
    let (plan, troubles) = Plan::new(originals.collect(), &settings.site);
    if plan.jobs.is_empty() && !troubles.is_empty() {
        return Err(Failure::Troubles(troubles));
    }
    for Trouble { index, why, .. } in &troubles {
        let why = Mishap::new(why.to_string());
        said.refused.push(pictures[*index].aside(why));
    }
    said.refused.sort_by(|a, b| a.path.cmp(&b.path));
    if settings.unshared {
        said.remarks.push(
            "a max-total of the kiln file is not shared in this run, which does not fire all that has part in it; run kiln fire".to_owned(),
        );
    }
    let (mut unshown, mut shown) = (Vec::new(), Vec::new());
    for (index, picture) in pictures.into_iter().enumerate() {
        if plan.left_out.binary_search(&index).is_ok() {
            unshown.push(picture);
        } else if !plan::concerns(&troubles, index) {
            shown.push(picture);
        }
    }
    // A run over some of the places has nothing to say of what others show.
    if !settings.some_places {
        let why = Mishap::new("no place shows it, and [every] says no width");
        let unshown = unshown.iter();
        left_out.extend(unshown.map(|picture| picture.aside(why.clone())));
        left_out.sort_by(|a, b| a.path.cmp(&b.path));
    }
    let mut keys = Keys::new(settings);
    let mut charges = Charge::all(&plan, &shown, &mut keys);
    let mut outcome = Outcome::default();
    if !settings.dry_run && (!plan.jobs.is_empty() || settings.complete) {
        outcome = make(
            &plan,
            &mut charges,
            &mut keys,
            same,
            settings,
            channels,
            said,
        )?;
    }
    let mut report = FiringReport {
        originals: charges.into_iter().map(|charge| charge.report).collect(),
        refused: std::mem::take(&mut said.refused),
        left_out,
        strays: outcome.strays,
        // A run over some of the originals has nothing to say of places for others.
        idle: if settings.all_originals {
            plan.idle.clone()
        } else {
            Vec::new()
        },
        out: settings.out.clone(),
        kiln_file: settings.kiln_file.clone(),
        shared: Vec::new(),
        dry_run: settings.dry_run,
        interrupted: outcome.interrupted,
        seconds: 0.0,
        remarks: std::mem::take(&mut said.remarks),
    };
    report.shared = totals::outcomes(&plan, &report);
    report.note_what_gains_nothing();
    report.suggest_titles(settings.site.wishes().map(|wish| &wish.name));
    report.seconds = start.elapsed().as_secs_f64();
    if let Some(path) = &settings.page {
        let page = page::render(&report, &outcome.views);
        write::whole(path, page.as_bytes()).map_err(Failure::unwritable(path))?;
    }
    Ok(report)
}

/// What a firing by these settings would make of each original that it can plan for.
pub fn planned_for(settings: &Settings) -> Result<Vec<(Picture, Job)>, Failure> {
    let finding = find::find(&settings.originals, &settings.out)?;
    let said = &mut Said::default();
    let pictures = readied(finding.pictures, finding.refused, settings, said)?;
    let originals = pictures.iter().map(|picture| picture.original.clone());
    let (plan, troubles) = Plan::new(originals.collect(), &settings.site);
    let shown = pictures.into_iter().enumerate().filter(|(index, _)| {
        plan.left_out.binary_search(index).is_err() && !plan::concerns(&troubles, *index)
    });
    Ok(shown.map(|(_, picture)| picture).zip(plan.jobs).collect())
}

/// What making the pieces came to, beside the pieces.
#[derive(Default)]
struct Outcome {
    strays: Vec<StrayReport>,
    interrupted: bool,
    /// What a page shows of each original, where one is wanted.
    views: Vec<View>,
}

/// One original of a firing: its picture, what it becomes, and what is to be told of it.
pub struct Charge<'a> {
    /// The original as the ledger has it.
    pub key: String,
    /// The picture.
    pub picture: &'a Picture,
    /// What it becomes.
    pub job: &'a Job,
    /// What is to be told of it.
    pub report: OriginalReport,
}

impl<'a> Charge<'a> {
    /// The jobs of a plan with their pictures, which are in the same order.
    fn all(plan: &'a Plan, pictures: &'a [Picture], keys: &mut Keys) -> Vec<Charge<'a>> {
        let charges = plan.jobs.iter().zip(pictures);
        charges
            .map(|(job, picture)| Charge {
                key: keys.of(&picture.path),
                picture,
                job,
                report: planned(job, picture),
            })
            .collect()
    }
}

/// The pictures that can be planned for, with all that a plan needs to know of them; the others are
/// refused.
fn readied(
    pictures: Vec<Picture>,
    refused: Vec<Aside>,
    settings: &Settings,
    said: &mut Said,
) -> Result<Vec<Picture>, Failure> {
    let (mut pictures, too_large): (Vec<_>, Vec<_>) = pictures.into_iter().partition(|picture| {
        let probe = &picture.original.probe;
        probe.is_drawn() || settings.allowance.covers(probe.stored)
    });
    said.refused = refused;
    let too_large = too_large.iter();
    said.refused
        .extend(too_large.map(|picture| beyond_allowance(picture, settings)));
    said.remarks = labelled(&mut pictures, settings)?;
    digested(&mut pictures, &mut said.refused, settings);
    borders::searched(&mut pictures, &mut said.refused, settings)?;
    said.refused.sort_by(|a, b| a.path.cmp(&b.path));
    Ok(pictures)
}

/// Gives each picture what the label sheet says of it; returns what is odd in the sheet.
fn labelled(pictures: &mut [Picture], settings: &Settings) -> Result<Vec<String>, Failure> {
    if !settings.labels.exists() {
        return Ok(Vec::new());
    }
    let sheet = Sheet::open(&settings.labels)?;
    let labels = sheet.by_name();
    for picture in pictures {
        if let Some(label) = labels.get(&plan::plain_name(&picture.original.name)) {
            picture.original.label = label.credits.clone();
        }
    }
    let path = settings.labels.display();
    let odd = sheet.odd.iter();
    Ok(odd
        .map(|(file, says)| format!("{path}: {file} {says}"))
        .collect())
}

/// Gives each picture the digest of its bytes, where a name needs it; what cannot be read is
/// refused.
fn digested(pictures: &mut Vec<Picture>, refused: &mut Vec<Aside>, settings: &Settings) {
    if !settings.site.wishes().any(|wish| wish.name.wants_digest()) {
        return;
    }
    pictures.retain_mut(
        |picture| match supply::Supply::of(&picture.original, &picture.path) {
            Ok((_, digest)) => {
                picture.original.digest = Some(digest);
                true
            }
            Err(why) => {
                refused.push(picture.aside(why));
                false
            }
        },
    );
}

fn beyond_allowance(picture: &Picture, settings: &Settings) -> Aside {
    let size = picture.original.probe.stored;
    picture.aside(Mishap::beyond(size, settings.allowance))
}

/// A report of what shall be made.
fn planned(job: &Job, picture: &Picture) -> OriginalReport {
    let mut report = OriginalReport::planned(job);
    let probe = &job.original.probe;
    let notes = &mut report.notes;
    if picture.misnamed {
        notes.push(format!(
            "is a {} picture, whatever its name says",
            probe.kind
        ));
    }
    if probe.frames > 1 {
        let others = wording::count(
            probe.frames as usize - 1,
            "other frame is",
            "other frames are",
        );
        notes.push(format!("only the first frame is used; {others} left out"));
    }
    let stays = |piece: &PlannedPiece| piece.formats().any(Format::is_scalable);
    if probe.is_drawn() && !job.pieces().any(|(_, _, piece)| stays(piece)) {
        let says = "is a drawing; with svg among its formats it stays one, sharp at every size";
        notes.push(says.to_owned());
    }
    for placement in &job.placements {
        if let Some(least) = placement.too_small {
            notes.push(match &placement.place {
                Some(place) => format!("is smaller than the {least} that {place} needs"),
                None => format!("is smaller than the {least} asked for"),
            });
        }
    }
    report.ballast = picture.ballast.bytes() + picture.ballast.icc;
    let mut inscriptions = job
        .placements
        .iter()
        .map(|placement| &placement.inscription);
    let kept = inscriptions.any(|said| said.credits.get(Field::Position).is_some());
    report.position_dropped = picture.ballast.position && !kept;
    report
}

fn make(
    plan: &Plan,
    charges: &mut [Charge<'_>],
    keys: &mut Keys,
    same: &HashSet<PathBuf>,
    settings: &Settings,
    channels: &Channels,
    said: &mut Said,
) -> Result<Outcome, Failure> {
    let folder = OutFolder::enter(&settings.out)?;
    let Opened {
        mut ledger,
        remarks,
    } = Ledger::open(&settings.out)?;
    said.remarks.extend(remarks);
    let kiln_file = settings.kiln_file.as_ref();
    let by = kiln_file.map_or(ledger::COMMAND.to_owned(), |file| keys.of(file));
    claim(charges, &by, &folder, &mut ledger, settings)?;
    for Charge { key, picture, .. } in charges.iter() {
        if let (Some(of), Some(area)) = (&picture.original.digest, picture.original.content) {
            let of = of.clone();
            ledger.searched(key, Trimmed { of, area });
        }
    }
    let refused = said.refused.iter().map(|aside| keys.of(&aside.path));
    let known = Standpoint {
        by: &by,
        refused: refused.collect(),
    };
    let mut strays = strays::tend(plan, &known, settings, &folder, &mut ledger)?;
    let saved = ledger.save();
    saved.map_err(Failure::unwritable(ledger.path()))?;

    interrupt::watch()?;
    let mut run = Run {
        plan,
        settings,
        folder: &folder,
        same,
        progress: Progress::start(plan, settings, channels),
        ledger,
        kept: Default::default(),
        charges,
    };
    run.round(None)?;
    if !interrupt::came() {
        totals::keep(&mut run)?;
    }
    if !interrupt::came() {
        strays.extend(outdone::leave_out(&mut run)?);
    }
    run.progress.end();
    strays.extend(strays::replaced(plan, settings, &folder, &mut run.ledger)?);
    let settled = run.ledger.settle();
    settled.map_err(Failure::unwritable(run.ledger.path()))?;
    let views = match settings.page {
        Some(_) => views::all(run.charges, &folder, settings)?,
        None => Vec::new(),
    };
    Ok(Outcome {
        strays,
        interrupted: interrupt::came(),
        views,
    })
}

/// Paths of originals as the ledger has them: seen from the out folder, so that they hold from
/// wherever the program is run and when the whole site is moved.
struct Keys {
    out: PathBuf,
    folders: Folders,
}

impl Keys {
    fn new(settings: &Settings) -> Keys {
        Keys {
            out: find::real(&settings.out),
            folders: Folders::default(),
        }
    }

    fn of(&mut self, original: &std::path::Path) -> String {
        let real = self.folders.identity(original);
        let seen = pathdiff::diff_paths(&real, &self.out).unwrap_or(real);
        let parts = seen.components();
        let parts = parts.map(|part| part.as_os_str().to_string_lossy().into_owned());
        parts.collect::<Vec<_>>().join("/").replacen("//", "/", 1)
    }
}

/// Enters every planned piece into the ledger, under all names that it may get, so that even a killed
/// run knows its own again, and stops before any work where files that are none of ours stand in the
/// way.
fn claim(
    charges: &[Charge<'_>],
    by: &str,
    folder: &OutFolder,
    ledger: &mut Ledger,
    settings: &Settings,
) -> Result<(), Failure> {
    let set_aside = LazyCell::new(|| Ledger::set_aside(&settings.out));
    // Known by its digest, where the ledger that knew it was damaged.
    let set_aside = |name: &str| {
        let digest = plan::digest(&folder.read(name).ok()?);
        set_aside.contains(&digest).then_some(digest)
    };
    let mut foreign = Vec::new();
    for Charge { key, job, .. } in charges {
        let candidates = job.pieces().flat_map(|(placement, size, piece)| {
            let candidates = piece.candidates.iter();
            candidates.map(move |candidate| (placement, size, piece, candidate))
        });
        for (placement, size, piece, Candidate { name, format }) in candidates {
            let path = folder.below(name);
            let path = path.map_err(Failure::unwritable(&settings.out.join(name)))?;
            let mut standing = None;
            if !ledger.knows(name) && folder.is_taken(name) {
                standing = set_aside(name);
                if standing.is_none() && !settings.adopt {
                    foreign.push(path);
                    continue;
                }
            }
            let entry = PieceEntry {
                place: placement.place.clone(),
                by: Some(by.to_owned()),
                size: size.size,
                displayed: Some(size.displayed),
                format: *format,
                recipe: piece.recipe.clone(),
                made: None,
                standing,
                is_stray: false,
            };
            ledger.enter(key, name, entry);
        }
    }
    if foreign.is_empty() {
        Ok(())
    } else {
        Err(Failure::Foreign(foreign))
    }
}
