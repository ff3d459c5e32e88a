//! Goes on firing as originals arrive, change and go.

use std::collections::{BTreeMap, HashSet};
use std::fs;
use std::path::PathBuf;
use std::process::ExitCode;
use std::sync::mpsc::{self, Receiver, RecvTimeoutError};
use std::thread;
use std::time::{Duration, SystemTime};

use notify::{RecommendedWatcher, RecursiveMode, Watcher};

use crate::args::FireArgs;
use crate::failure::Failure;
use crate::report::Channels;
use crate::settings::Settings;
use crate::{find, interrupt};

/// Files are looked at this often even where the system tells of no change: it does not for
/// network folders, and not for a folder that was removed and made anew.
const LOOK_EVERY: Duration = Duration::from_secs(2);

/// A file that has not changed for this long counts as fully written.
const QUIET: Duration = Duration::from_millis(600);

/// How long Ctrl-C may go unnoticed.
const STEP: Duration = Duration::from_millis(100);

/// Length and time of every file that matters.
type Snapshot = BTreeMap<PathBuf, (u64, Option<SystemTime>)>;

/// Fires, and again whenever something has changed, until Ctrl-C.
pub fn run(typed: &FireArgs, first: Settings, channels: &Channels) -> Result<ExitCode, Failure> {
    interrupt::watch()?;
    let mut settings = first;
    let mut before = snapshot(&settings);
    let mut report = super::fire(&settings, &HashSet::new(), channels)?;
    channels.tell(&report, &settings)?;
    let (_watcher, changes) = watch(&settings);
    if !report.interrupted {
        channels.note("watching for new and changed originals; Ctrl-C ends it");
    }
    while !interrupt::came() {
        wait(&changes);
        let now = settled(&settings);
        if now == before || interrupt::came() {
            continue;
        }
        match Settings::resolve(typed) {
            Ok(fresh) => settings = fresh,
            Err(failure) => channels.complain(&failure),
        }
        let same = now
            .iter()
            .filter(|(path, about)| before.get(*path) == Some(about));
        let same = same.map(|(path, _)| path.clone()).collect();
        match super::fire(&settings, &same, channels) {
            Ok(round) => {
                report = round;
                report.only_news();
                if !report.is_idle() {
                    let time = chrono::Local::now().format("%H:%M:%S");
                    channels.note(&format!("{time}: originals came or changed"));
                    channels.tell(&report, &settings)?;
                }
            }
            // Another run is at work there: it is waited for.
            Err(Failure::Busy(_)) => continue,
            // A folder that is gone may come back; a name that cannot be may be changed.
            Err(failure) => channels.complain(&failure),
        }
        before = now;
    }
    Ok(ExitCode::from(130))
}

/// A watcher of all originals, and what it tells. Where the system has none to give, looking
/// every now and then must do.
fn watch(settings: &Settings) -> (Option<RecommendedWatcher>, Receiver<()>) {
    let (tell, told) = mpsc::channel();
    let on_change = move |_| {
        // Who no longer listens has ended.
        let _ = tell.send(());
    };
    let watcher = notify::recommended_watcher(on_change)
        .ok()
        .map(|mut watcher| {
            for path in &settings.originals.paths {
                let _ = watcher.watch(path, RecursiveMode::Recursive);
            }
            watcher
        });
    (watcher, told)
}

fn wait(changes: &Receiver<()>) {
    let mut waited = Duration::ZERO;
    while waited < LOOK_EVERY && !interrupt::came() {
        match changes.recv_timeout(STEP) {
            Ok(()) => break,
            Err(RecvTimeoutError::Timeout) => {}
            Err(RecvTimeoutError::Disconnected) => thread::sleep(STEP),
        }
        waited += STEP;
    }
    while changes.try_recv().is_ok() {}
}

/// The files once none of them changes any more.
fn settled(settings: &Settings) -> Snapshot {
    let mut before = snapshot(settings);
    let fresh = |snapshot: &Snapshot| {
        let recent = |(_, time): &(u64, Option<SystemTime>)| {
            let age = time.and_then(|time| time.elapsed().ok());
            age.is_some_and(|age| age < QUIET)
        };
        snapshot.values().any(recent)
    };
    loop {
        if interrupt::came() {
            return before;
        }
        let was_fresh = fresh(&before);
        if was_fresh {
            thread::sleep(QUIET);
        }
        let now = snapshot(settings);
        if now == before && !fresh(&now) {
            return now;
        }
        before = now;
    }
}

fn snapshot(settings: &Settings) -> Snapshot {
    let mut files: Vec<PathBuf> = Vec::new();
    for path in &settings.originals.paths {
        let paths = std::slice::from_ref(path);
        if let Ok(searched) = find::candidates(paths, None, Some(&settings.out)) {
            let found = searched.candidates.into_iter();
            files.extend(found.map(|candidate| candidate.path));
        }
    }
    files.push(settings.labels.clone());
    files.extend(settings.kiln_file.clone());
    let about = |path: PathBuf| {
        let about = fs::metadata(&path).ok()?;
        Some((path, (about.len(), about.modified().ok())))
    };
    files.into_iter().filter_map(about).collect()
}
