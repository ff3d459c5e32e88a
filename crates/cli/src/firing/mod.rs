//! One run over many pictures: found, planned, made, written, recorded, reported.

mod work;

use std::process::ExitCode;
use std::sync::mpsc;
use std::thread;
use std::time::Instant;

use kiln_core::colour::ColourNote;
use kiln_core::plan::{Job, Plan};

use crate::failure::Failure;
use crate::find::{self, Finding, Picture};
use crate::ledger::{self, Entry, Ledger};
use crate::report::{Channels, Fired, FiringReport, OriginalReport, Progress};
use crate::settings::Settings;
use crate::wording;
use crate::write::OutFolder;

/// Runs a firing and reports it.
pub fn run(settings: &Settings, channels: &Channels) -> Result<ExitCode, Failure> {
    let report = fire(settings, channels)?;
    channels.tell(&report, settings)?;
    Ok(report.exit())
}

/// Runs a firing. What went wrong with single pictures is in the report.
pub fn fire(settings: &Settings, channels: &Channels) -> Result<FiringReport, Failure> {
    let start = Instant::now();
    let finding = find::find(&settings.paths, &settings.out)?;
    if finding.pictures.is_empty() && finding.refused.is_empty() && finding.left_out.is_empty() {
        return Err(Failure::nothing_found(&settings.paths));
    }
    let Finding {
        pictures,
        mut refused,
        left_out,
    } = finding;
    let (pictures, too_large): (Vec<_>, Vec<_>) = pictures
        .into_iter()
        .partition(|picture| settings.allowance.covers(picture.original.probe.stored));
    refused.extend(
        too_large
            .iter()
            .map(|picture| beyond_allowance(picture, settings)),
    );
    refused.sort_by(|a, b| a.path.cmp(&b.path));

    let originals = pictures.iter().map(|picture| picture.original.clone());
    let plan = Plan::new(originals.collect(), &settings.wish)?;
    let mut report = FiringReport {
        originals: plan
            .jobs
            .iter()
            .zip(&pictures)
            .map(|(job, p)| planned(job, p))
            .collect(),
        refused,
        left_out,
        dry_run: settings.dry_run,
        interrupted: false,
        seconds: 0.0,
        remarks: Vec::new(),
    };
    if !settings.dry_run && !plan.jobs.is_empty() {
        make(&plan, &pictures, settings, channels, &mut report)?;
    }
    report.seconds = start.elapsed().as_secs_f64();
    Ok(report)
}

fn beyond_allowance(picture: &Picture, settings: &Settings) -> find::Aside {
    let size = picture.original.probe.stored;
    let megapixels = |pixels: u64| pixels.div_ceil(1_000_000);
    find::Aside {
        path: picture.path.clone(),
        why: format!(
            "{size} is {} megapixels, above the allowance of {}; raise it with --allowance {0}",
            megapixels(size.pixels()),
            megapixels(settings.allowance.pixels),
        ),
    }
}

/// A report of what shall be made.
fn planned(job: &Job, picture: &Picture) -> OriginalReport {
    let mut notes = Vec::new();
    let probe = &job.original.probe;
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
    OriginalReport::planned(job, notes)
}

fn make(
    plan: &Plan,
    pictures: &[Picture],
    settings: &Settings,
    channels: &Channels,
    report: &mut FiringReport,
) -> Result<(), Failure> {
    let folder = OutFolder::enter(&settings.out)?;
    let (mut ledger, set_aside) =
        Ledger::open(&settings.out).map_err(Failure::unwritable(&settings.out))?;
    if let Some(aside) = set_aside {
        report.remarks.push(format!(
            "the ledger could not be read; it is set aside as {} and a new one begun",
            aside.display()
        ));
    }
    claim(plan, &folder, &mut ledger)?;
    save(&ledger)?;

    let interrupted = work::watch_for_interrupt()?;
    let mut progress = Progress::start(plan, settings, channels);
    let bench = work::Bench {
        settings,
        folder: &folder,
        known: ledger.known(),
    };
    let (events, incoming) = mpsc::channel();
    thread::scope(|scope| {
        let dispatch = || work::dispatch(plan, pictures, &bench, events);
        let dispatcher = scope.spawn(dispatch);
        for event in incoming {
            note(event, plan, &mut ledger, &mut progress, report);
        }
        // A dispatcher that panicked is a bug, and is passed on as one.
        dispatcher
            .join()
            .unwrap_or_else(|panic| std::panic::resume_unwind(panic))
    })?;
    progress.end();
    report.interrupted = interrupted();
    save(&ledger)
}

/// Enters every planned piece into the ledger, so that even a killed run knows its own again,
/// and stops before any work where a file that is none of ours stands in the way.
fn claim(plan: &Plan, folder: &OutFolder, ledger: &mut Ledger) -> Result<(), Failure> {
    for job in &plan.jobs {
        for (size, piece) in job.pieces() {
            let path = folder.below(&piece.name);
            if !ledger.knows(&piece.name) && path.symlink_metadata().is_ok() {
                return Err(Failure::Foreign { piece: path });
            }
            let entry = Entry {
                original: job.original.path.clone(),
                size: size.size,
                format: piece.format,
                recipe: ledger::recipe(job, size, piece).map_err(Failure::unwritable(&path))?,
                made: None,
            };
            ledger.enter(&piece.name, entry);
        }
    }
    Ok(())
}

fn save(ledger: &Ledger) -> Result<(), Failure> {
    ledger.save().map_err(Failure::unwritable(ledger.path()))
}

/// Takes in one event: the one place that changes ledger and report while work goes on.
fn note(
    event: work::Event,
    plan: &Plan,
    ledger: &mut Ledger,
    progress: &mut Progress,
    report: &mut FiringReport,
) {
    let job = &plan.jobs[event.job];
    let original = &mut report.originals[event.job];
    match event.what {
        work::What::Began => progress.began(&job.original.name),
        work::What::Piece(index, Ok(standing)) => {
            let piece = &mut original.pieces[index];
            if let Some(made) = standing.made {
                ledger.finished(&piece.name, made);
            }
            piece.fired = Fired::Made(standing.written);
            progress.piece();
        }
        work::What::Piece(index, Err(why)) => {
            original.pieces[index].fired = Fired::Failed(why);
            progress.piece();
        }
        work::What::Ended(Ok(colours)) => {
            original.notes.extend(colours.map(|note| match note {
                ColourNote::Converted => {
                    "its colours were converted from its profile to sRGB".to_owned()
                }
                ColourNote::ProfileDropped => {
                    "its colour profile is damaged or does not fit it; sRGB was assumed".to_owned()
                }
            }));
            progress.ended(&job.original.name, 0);
        }
        work::What::Ended(Err(why)) => {
            let given_up = original.refuse(&why);
            progress.ended(&job.original.name, given_up);
        }
    }
}
