//! One run over many pictures: found, planned, made, written, recorded, reported.

mod batches;
mod borders;
mod charges;
mod claim;
mod out;
mod outdone;
mod page;
mod parts;
mod remember;
mod rounds;
mod said;
mod strays;
mod supply;
mod totals;
mod unchanged;
mod views;
mod watch;
mod work;

use std::collections::HashSet;
use std::path::PathBuf;
use std::process::ExitCode;
use std::time::Instant;

use kiln_core::plan::{self, Draft, Job, Trouble};

use crate::args::FireArgs;
use crate::failure::Failure;
use crate::find::{self, Aside, Finding, Picture};
use crate::gate;
use crate::mishap::Mishap;
use crate::report::{Channels, FiringReport, Originals};
use crate::settings::Settings;
use crate::sheet::Sheet;
use crate::{pages, write};
use batches::Known;
use charges::{Keys, Prospect};
use parts::Share;

/// Runs a firing as typed, and reports it.
pub fn run(typed: &FireArgs, channels: &Channels) -> Result<ExitCode, Failure> {
    let settings = Settings::resolve(typed)?;
    gate::keep_to(settings.jobs);
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
    /// What of it this machine does, where that is not all.
    share: Option<Share>,
}

fn attempt(
    settings: &Settings,
    same: &HashSet<PathBuf>,
    channels: &Channels,
    said: &mut Said,
) -> Result<FiringReport, Failure> {
    let start = Instant::now();
    let finding = found(settings)?;
    let mut left_out = finding.left_out;
    let pictures = readied(finding.pictures, finding.refused, settings, said)?;
    let draft = drafted(&pictures, settings, said)?;
    if settings.unshared {
        said.remarks.push(
            "a max-total of the kiln file is not shared in this run, which does not fire all that has part in it; run kiln fire".to_owned(),
        );
    }
    // A run over some of the places has nothing to say of what others show.
    if !settings.some_places {
        let why = Mishap::new("no place shows it, and [every] says no width");
        let unshown = draft.left_out.iter();
        left_out.extend(unshown.map(|&index| pictures[index].aside(why.clone())));
        left_out.sort_by(|a, b| a.path.cmp(&b.path));
    }
    // Where titles make the names, originals should have some.
    let titled = settings.site.wishes().any(|wish| wish.name.wants_title());
    let mut report = FiringReport {
        originals: Originals::default(),
        refused: Vec::new(),
        left_out,
        strays: Vec::new(),
        // A run over some of the originals has nothing to say of places for others.
        idle: if settings.all_originals && settings.part.is_none() {
            draft.idle.clone()
        } else {
            Vec::new()
        },
        out: settings.out.clone(),
        kiln_file: settings.kiln_file.clone(),
        shared: Vec::new(),
        part: settings.part,
        dry_run: settings.dry_run,
        interrupted: false,
        seconds: 0.0,
        remarks: Vec::new(),
    };
    let mut views = Vec::new();
    // A part has nothing to say of what all share.
    let shared = match settings.part {
        None => draft.totals(&pictures),
        Some(_) => Vec::new(),
    };
    let is_something = !draft.shown.is_empty() || settings.complete || settings.part.is_some();
    let lot = Prospect {
        draft,
        pictures,
        titled,
    };
    if settings.dry_run {
        report.originals = Originals::Told(Box::new(lot));
    } else if is_something {
        let mut keys = Keys::new(settings);
        let distant = lot.pictures.iter();
        let distant = distant.filter(|picture| picture.distant.is_some());
        let distant = distant.map(|picture| keys.of(picture.path())).collect();
        let known = Known { same, distant };
        let outcome = batches::make(lot, &mut keys, known, settings, channels, said)?;
        (report.strays, report.interrupted) = (outcome.strays, outcome.interrupted);
        (report.originals, views) = (outcome.originals, outcome.views);
    }
    report.shared = totals::outcomes(&shared, &report);
    report.refused = std::mem::take(&mut said.refused);
    report.remarks = std::mem::take(&mut said.remarks);
    report.note_what_gains_nothing();
    if titled {
        report.suggest_titles();
    }
    report.seconds = start.elapsed().as_secs_f64();
    if let Some(path) = &settings.page {
        let page = page::render(&report, &views);
        write::whole(path, page.as_bytes()).map_err(Failure::unwritable(path))?;
    }
    Ok(report)
}

/// What there is to be fired; a failure where that is nothing at all.
fn found(settings: &Settings) -> Result<Finding, Failure> {
    let finding = find::find(&settings.originals, &settings.out)?;
    let Finding {
        pictures,
        refused,
        left_out,
    } = &finding;
    match &left_out[..] {
        _ if !pictures.is_empty() || !refused.is_empty() => Ok(finding),
        [] => Err(Failure::nothing_found(&settings.originals.paths)),
        [first, ..] if left_out.iter().all(Aside::is_folder) => {
            Err(Failure::OnlyPieces(first.path.clone()))
        }
        _ => Ok(finding),
    }
}

/// The draft of what this run makes; originals of which a name cannot be are refused.
fn drafted(pictures: &[Picture], settings: &Settings, said: &mut Said) -> Result<Draft, Failure> {
    let (mut draft, mut troubles) = Draft::new(pictures, &settings.site);
    if let Some(share) = said.share.take() {
        share.narrow(&mut draft, &mut troubles, pictures);
        said.remarks.push(share.told(&draft));
    }
    if draft.shown.is_empty() && !troubles.is_empty() {
        return Err(Failure::Troubles(troubles));
    }
    for Trouble { index, why, .. } in &troubles {
        let why = Mishap::new(why.to_string());
        said.refused.push(pictures[*index].aside(why));
    }
    said.refused.sort_by(|a, b| a.path.cmp(&b.path));
    Ok(draft)
}

/// What a firing by these settings would make of each original that it can plan for.
pub fn planned_for(settings: &Settings) -> Result<Vec<(Picture, Job)>, Failure> {
    let finding = find::find(&settings.originals, &settings.out)?;
    let said = &mut Said::default();
    let pictures = readied(finding.pictures, finding.refused, settings, said)?;
    let (draft, _) = Draft::new(&pictures, &settings.site);
    let mut shown = draft.shown.iter().peekable();
    let pictures = pictures.into_iter().enumerate();
    let planned = pictures.filter_map(|(index, picture)| {
        shown.next_if_eq(&&index)?;
        let job = draft.job(index, &picture.original);
        Some((picture, job))
    });
    Ok(planned.collect())
}

/// The pictures that can be planned for, with all that a plan needs to know of them; the others are
/// refused.
fn readied(
    mut pictures: Vec<Picture>,
    refused: Vec<Aside>,
    settings: &Settings,
    said: &mut Said,
) -> Result<Vec<Picture>, Failure> {
    said.refused = refused;
    pictures.retain(|picture| {
        let probe = &picture.original.probe;
        let is_fit = probe.is_drawn() || settings.allowance.covers(probe.stored);
        if !is_fit {
            said.refused.push(beyond_allowance(picture, settings));
        }
        is_fit
    });
    said.remarks = labelled(&mut pictures, settings)?;
    let mut others = Vec::new();
    if let Some(part) = settings.part {
        let share = Share::of(part, &pictures, settings);
        said.refused.retain(|aside| share.names(aside));
        // The bytes of those that other machines make are their business.
        (pictures, others) = share.split(pictures);
        said.share = Some(share);
    }
    digested(&mut pictures, &mut said.refused, settings);
    borders::searched(&mut pictures, &mut said.refused, settings)?;
    if !others.is_empty() {
        pictures.append(&mut others);
        pictures.sort_by(|a, b| a.path().cmp(b.path()));
    }
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
    pictures.retain_mut(|picture| match supply::Supply::of(picture) {
        Ok((_, digest)) => {
            picture.original.digest = Some(digest);
            true
        }
        Err(why) => {
            refused.push(picture.aside(why));
            false
        }
    });
}

fn beyond_allowance(picture: &Picture, settings: &Settings) -> Aside {
    let size = picture.original.probe.stored;
    picture.aside(Mishap::beyond(size, settings.allowance))
}
