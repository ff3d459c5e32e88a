//! The originals of a firing: where they are, what they become, what is to be told of them.

use std::collections::HashMap;
use std::ffi::OsString;
use std::path::{Path, PathBuf};

use kiln_core::credits::Field;
use kiln_core::encode::Format;
use kiln_core::plan::{Draft, Job, Plan, PlannedPiece};

use crate::find::{self, Picture};
use crate::report::{Foretell, OriginalReport};
use crate::settings::{Settings, is_address};
use crate::wording;

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
    /// How much of that was to be said before it was made.
    pub planned_notes: usize,
}

impl<'a> Charge<'a> {
    /// The jobs of a plan with their pictures, which are in the same order.
    pub fn all(
        plan: &'a Plan,
        pictures: impl Iterator<Item = &'a Picture>,
        keys: &mut Keys,
    ) -> Vec<Charge<'a>> {
        let charges = plan.jobs.iter().zip(pictures);
        charges
            .map(|(job, picture)| {
                let report = planned(job, picture);
                Charge {
                    key: keys.of(picture.path()),
                    picture,
                    job,
                    planned_notes: report.notes.len(),
                    report,
                }
            })
            .collect()
    }
}

/// All that a run works on, and what it would make, of one original at a time.
#[derive(Debug)]
pub struct Prospect {
    /// What is settled of all.
    pub draft: Draft,
    /// All that were found.
    pub pictures: Vec<Picture>,
    /// Whether titles make the names.
    pub titled: bool,
}

impl Prospect {
    /// A report of what shall be made of an original.
    pub fn planned(&self, place: usize) -> OriginalReport {
        let index = self.draft.shown[place];
        let picture = &self.pictures[index];
        planned(&self.draft.job(index, &picture.original), picture)
    }
}

impl Foretell for Prospect {
    fn count(&self) -> usize {
        self.draft.shown.len()
    }

    fn is_fired(&self) -> bool {
        false
    }

    fn is_sound(&self, _: usize) -> bool {
        true
    }

    fn original(&self, place: usize) -> OriginalReport {
        let mut report = self.planned(place);
        if self.titled {
            report.suggest_title();
        }
        report
    }
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

/// Paths of originals as the ledger has them: seen from the out folder, so that they hold from
/// wherever the program is run and when the whole site is moved. Where that is on another machine they are seen from the
/// folder of the kiln file. Originals on other machines have their addresses.
pub struct Keys {
    base: PathBuf,
    /// How folders that were met are seen, with a slash at the end where that is not the base.
    folders: HashMap<OsString, String>,
}

impl Keys {
    /// Those of a run.
    pub fn new(settings: &Settings) -> Keys {
        Keys {
            base: find::real(&Keys::base(settings)),
            folders: HashMap::new(),
        }
    }

    /// The folder that they are seen from.
    pub fn base(settings: &Settings) -> PathBuf {
        if settings.out_remote.is_none() {
            return settings.out.clone();
        }
        let folder = settings.kiln_file.as_ref().and_then(|file| file.parent());
        folder.unwrap_or(Path::new("")).join(".")
    }

    /// That of an original.
    pub fn of(&mut self, original: &Path) -> String {
        if is_address(original) {
            return original.to_string_lossy().into_owned();
        }
        let Some((folder, name)) = original.parent().zip(original.file_name()) else {
            return self.seen(find::real(original));
        };
        let known = self.folders.get(folder.as_os_str()).cloned();
        let lead = known.unwrap_or_else(|| {
            let here = match folder.as_os_str().is_empty() {
                true => Path::new("."),
                false => folder,
            };
            let lead = match self.seen(find::real(here)) {
                own if own.is_empty() || own.ends_with('/') => own,
                lead => format!("{lead}/"),
            };
            self.folders.insert(folder.into(), lead.clone());
            lead
        });
        format!("{lead}{}", name.to_string_lossy())
    }

    /// A path without links, seen from the base.
    fn seen(&self, real: PathBuf) -> String {
        let seen = pathdiff::diff_paths(&real, &self.base).unwrap_or(real);
        let parts = seen.components();
        let parts = parts.map(|part| part.as_os_str().to_string_lossy().into_owned());
        parts.collect::<Vec<_>>().join("/").replacen("//", "/", 1)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn originals_are_seen_from_the_out_folder() {
        let folder = tempfile::tempdir().expect("a folder");
        let root = folder.path().canonicalize().expect("a path");
        std::fs::create_dir_all(root.join("in/rooms")).expect("room");
        let mut keys = Keys {
            base: root.join("out"),
            folders: HashMap::new(),
        };
        for _ in 0..2 {
            let mut of = |path: &str| keys.of(&root.join(path));
            assert_eq!(of("in/rooms/a.jpg"), "../in/rooms/a.jpg");
            assert_eq!(of("in/rooms/../a.jpg"), "../in/a.jpg");
            assert_eq!(of("a.jpg"), "../a.jpg");
            assert_eq!(of("out/a.jpg"), "a.jpg");
            assert_eq!(of("out/b/a.jpg"), "b/a.jpg");
            let address = "sftp://tern-point.example/in/a.jpg";
            assert_eq!(keys.of(Path::new(address)), address);
        }
    }
}
