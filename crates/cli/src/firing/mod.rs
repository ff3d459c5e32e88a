//! One run over many pictures: found, planned, made, written, recorded, reported.

mod borders;
mod content;
mod rounds;
mod strays;
mod totals;
mod watch;
mod work;

use std::collections::HashSet;
use std::path::PathBuf;
use std::process::ExitCode;
use std::time::Instant;

use kiln_core::credits::Field;
use kiln_core::plan::{self, Job, Plan};

use crate::args::FireArgs;
use crate::failure::Failure;
use crate::find::{self, Aside, Finding, Folders, Picture};
use crate::ledger::{Content, Ledger, PieceEntry};
use crate::report::{Channels, FiringReport, OriginalReport, Progress};
use crate::settings::Settings;
use crate::sheet::Sheet;
use crate::wording;
use crate::write::OutFolder;
use rounds::Run;

/// Runs a firing as typed, and reports it.
pub fn run(typed: &FireArgs, channels: &Channels) -> Result<ExitCode, Failure> {
    let settings = Settings::resolve(typed)?;
    if settings.watch {
        return watch::run(typed, settings, channels);
    }
    let report = fire(&settings, &HashSet::new(), channels)?;
    channels.tell(&report, &settings)?;
    Ok(report.exit())
}

/// Runs a firing. What went wrong with single pictures is in the report. Originals in `same` are
/// known to be as they were when their pieces were made.
pub fn fire(
    settings: &Settings,
    same: &HashSet<PathBuf>,
    channels: &Channels,
) -> Result<FiringReport, Failure> {
    let start = Instant::now();
    let finding = find::find(&settings.originals, &settings.out)?;
    if finding.pictures.is_empty() && finding.refused.is_empty() && finding.left_out.is_empty() {
        return Err(Failure::nothing_found(&settings.originals.paths));
    }
    let Finding {
        pictures,
        mut refused,
        mut left_out,
    } = finding;
    let (mut pictures, too_large): (Vec<_>, Vec<_>) = pictures
        .into_iter()
        .partition(|picture| settings.allowance.covers(picture.original.probe.stored));
    refused.extend(
        too_large
            .iter()
            .map(|picture| beyond_allowance(picture, settings)),
    );
    let mut remarks = labelled(&mut pictures, settings)?;
    digested(&mut pictures, &mut refused, settings);
    borders::searched(&mut pictures, &mut refused, settings)?;
    refused.sort_by(|a, b| a.path.cmp(&b.path));

    let originals = pictures.iter().map(|picture| picture.original.clone());
    let plan = Plan::new(originals.collect(), &settings.site).map_err(Failure::Troubles)?;
    for place in &plan.idle {
        remarks.push(format!(
            "place {place}: shows none of the originals; check its \"of\""
        ));
    }
    if settings.unshared {
        remarks.push(
            "a max-total of the kiln file is not shared in this run, which does not fire all that has part in it; run kiln fire".to_owned(),
        );
    }
    let mut index = 0..;
    let (unshown, pictures): (Vec<_>, Vec<_>) = pictures.into_iter().partition(|_| {
        index
            .next()
            .is_some_and(|index| plan.left_out.binary_search(&index).is_ok())
    });
    // A run over some of the places has nothing to say of what others show.
    if !settings.some_places {
        let why = "no place shows it, and [every] says no width";
        let unshown = unshown.iter();
        left_out.extend(unshown.map(|picture| picture.aside(why.to_owned())));
        left_out.sort_by(|a, b| a.path.cmp(&b.path));
    }
    let mut report = FiringReport {
        originals: plan
            .jobs
            .iter()
            .zip(&pictures)
            .map(|(job, p)| planned(job, p))
            .collect(),
        refused,
        left_out,
        strays: Vec::new(),
        shared: Vec::new(),
        dry_run: settings.dry_run,
        interrupted: false,
        seconds: 0.0,
        remarks,
    };
    report.suggest_titles(settings.site.wishes().map(|wish| &wish.name));
    if !settings.dry_run && (!plan.jobs.is_empty() || settings.complete) {
        make(&plan, &pictures, same, settings, channels, &mut report)?;
    }
    if settings.dry_run {
        report.shared = totals::told(&plan, &report);
    }
    report.seconds = start.elapsed().as_secs_f64();
    Ok(report)
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
        |picture| match content::Content::of(&picture.original, &picture.path) {
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
    let megapixels = |pixels: u64| pixels.div_ceil(1_000_000);
    picture.aside(format!(
        "{size} is {} megapixels, above the allowance of {}; raise it with --allowance {0}",
        megapixels(size.pixels()),
        megapixels(settings.allowance.pixels),
    ))
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
    for placement in &job.placements {
        if let Some(least) = placement.too_small {
            let place = placement.label();
            notes.push(format!("is smaller than the {least} that {place} needs"));
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
    pictures: &[Picture],
    same: &HashSet<PathBuf>,
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
    let mut keys = Keys::new(settings);
    let originals: Vec<String> = pictures.iter().map(|p| keys.of(&p.path)).collect();
    let refused = report.refused.iter().map(|aside| keys.of(&aside.path));
    let refused: HashSet<String> = refused.collect();
    claim(plan, &originals, &folder, &mut ledger)?;
    for (picture, key) in pictures.iter().zip(&originals) {
        if let (Some(of), Some(area)) = (&picture.original.digest, picture.original.content) {
            let of = of.clone();
            ledger.searched(key, Content { of, area });
        }
    }
    report.strays = strays::tend(plan, &refused, settings, &folder, &mut ledger)?;
    save(&mut ledger)?;

    let interrupted = work::watch_for_interrupt()?;
    let mut run = Run {
        plan,
        pictures,
        keys: &originals,
        settings,
        folder: &folder,
        same,
        progress: Progress::start(plan, settings, channels),
        ledger,
        report,
    };
    run.round(None)?;
    if !interrupted() {
        totals::keep(&mut run, interrupted)?;
    }
    run.progress.end();
    let mut ledger = run.ledger;
    report.shared = totals::told(plan, report);
    report.interrupted = interrupted();
    save(&mut ledger)
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

/// Enters every planned piece into the ledger, so that even a killed run knows its own again,
/// and stops before any work where a file that is none of ours stands in the way.
fn claim(
    plan: &Plan,
    originals: &[String],
    folder: &OutFolder,
    ledger: &mut Ledger,
) -> Result<(), Failure> {
    for (job, original) in plan.jobs.iter().zip(originals) {
        for (placement, size, piece) in job.pieces() {
            let path = folder.below(&piece.name);
            if !ledger.knows(&piece.name) && path.symlink_metadata().is_ok() {
                return Err(Failure::Foreign { piece: path });
            }
            let entry = PieceEntry {
                place: placement.place.clone(),
                size: size.size,
                format: piece.format,
                recipe: piece.recipe.clone(),
                made: None,
            };
            ledger.enter(original, &piece.name, entry);
        }
    }
    Ok(())
}

fn save(ledger: &mut Ledger) -> Result<(), Failure> {
    let saved = ledger.save();
    saved.map_err(Failure::unwritable(ledger.path()))
}
