//! What a delivery came to: as a table and as JSON.

use std::io::{self, Write};
use std::path::PathBuf;
use std::process::ExitCode;

use anstyle::Style;
use serde::Serialize;

use super::goods::Good;
use super::steps::{Step, What};
use crate::failure::Failure;
use crate::grid::{self, FAINT, GOOD, STRONG, WASTE};
use crate::report::Channels;
use crate::settings::DeliverSettings;
use crate::wording;

/// The version of the document's form.
const SCHEMA: u32 = 1;

/// What a delivery came to.
#[derive(Debug, Default)]
pub struct Report {
    /// Where it went.
    pub target: String,
    /// Every file.
    pub files: Vec<FileReport>,
    /// Bundles that were made.
    pub bundles: Vec<PathBuf>,
    /// What earlier deliveries put there and none delivers any more.
    pub old: Vec<String>,
    /// Why it ended early, and how many files were left.
    pub broke: Option<(String, usize)>,
    /// Whether it was ended by Ctrl-C.
    pub interrupted: bool,
    /// Whether nothing was sent.
    pub dry_run: bool,
    /// How long it took.
    pub seconds: f64,
}

/// A file.
#[derive(Debug, Serialize)]
pub struct FileReport {
    /// Its name at the target.
    pub name: String,
    /// Its bytes; `None` where it was not looked at.
    pub weight: Option<u64>,
    /// What became of it.
    pub outcome: Outcome,
    /// Why it did not go.
    pub why: Option<String>,
}

/// What became of a file.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Outcome {
    /// It is new there.
    Sent,
    /// It stands there in place of an earlier one.
    Replaced,
    /// It stood there already.
    There,
    /// It stood there already; its texts are new.
    Told,
    /// It would be sent.
    Planned,
    /// It would be sent in place of an earlier one.
    PlannedInstead,
    /// It was removed.
    Removed,
    /// What stands there was left alone.
    Kept,
    /// It was not sent.
    Failed,
}

impl Outcome {
    fn says(self) -> &'static str {
        match self {
            Outcome::Sent => "new",
            Outcome::Replaced => "replaced",
            Outcome::There => "there",
            Outcome::Told => "new texts",
            Outcome::Planned => "would be new",
            Outcome::PlannedInstead => "would be replaced",
            Outcome::Removed => "removed",
            Outcome::Kept => "left alone",
            Outcome::Failed => "failed",
        }
    }

    fn is_problem(self) -> bool {
        matches!(self, Outcome::Kept | Outcome::Failed)
    }
}

impl Report {
    /// Of a delivery to an address.
    pub fn to(target: &str) -> Report {
        Report {
            target: target.to_owned(),
            ..Report::default()
        }
    }

    /// Notes what became of a file.
    pub fn add(&mut self, good: &Good, outcome: Outcome) {
        self.push(&good.name, Some(good.weight), outcome, None);
    }

    /// Notes that a file was not sent, whatever was noted before.
    pub fn fail(&mut self, good: &Good, why: String) {
        self.files.retain(|file| file.name != good.name);
        self.push(&good.name, Some(good.weight), Outcome::Failed, Some(why));
    }

    /// Notes files that may not be sent.
    pub fn refuse(&mut self, refused: Vec<(String, String)>) {
        for (name, why) in refused {
            self.push(&name, None, Outcome::Failed, Some(why));
        }
    }

    /// Notes that a file of an earlier delivery was left alone.
    pub fn keep(&mut self, name: &str, why: &str) {
        self.push(name, None, Outcome::Kept, Some(why.to_owned()));
    }

    /// Notes that a file of an earlier delivery was removed.
    pub fn remove(&mut self, name: &str) {
        self.push(name, None, Outcome::Removed, None);
    }

    fn push(&mut self, name: &str, weight: Option<u64>, outcome: Outcome, why: Option<String>) {
        self.files.push(FileReport {
            name: name.to_owned(),
            weight,
            outcome,
            why,
        });
    }

    /// Notes what was decided: in a dry run all, else what needs no sending.
    pub fn take_steps(&mut self, goods: &[Good], steps: &[Step], dry_run: bool) {
        for step in steps {
            let good = &goods[step.good];
            match &step.what {
                What::There => self.add(good, Outcome::There),
                What::Kept(why) => {
                    let why = Some(why.clone());
                    self.push(&good.name, Some(good.weight), Outcome::Kept, why);
                }
                What::Send { .. } | What::Tell if !dry_run => {}
                What::Tell => self.add(good, Outcome::Told),
                What::Send { replace: false } => self.add(good, Outcome::Planned),
                What::Send { replace: true } => self.add(good, Outcome::PlannedInstead),
                What::Compare => {}
            }
        }
    }

    /// Gives it as the settings say, and names every problem on standard error.
    pub fn tell(&self, settings: &DeliverSettings, channels: &Channels) -> Result<(), Failure> {
        for file in self.files.iter().filter(|file| file.outcome.is_problem()) {
            channels.name_problem(&file.name, file.why.as_deref().unwrap_or_default());
        }
        if let Some((says, left)) = &self.broke {
            let left = wording::count(*left, "file was", "files were");
            channels.name_problem(
                &self.target,
                &format!("{says}; {left} not sent, deliver again"),
            );
        }
        if settings.quiet {
            return Ok(());
        }
        channels.print(|out, columns| match settings.json {
            true => self.json(out),
            false => self.table(out, columns),
        })
    }

    fn count(&self, outcomes: &[Outcome]) -> (usize, u64) {
        let files = self
            .files
            .iter()
            .filter(|file| outcomes.contains(&file.outcome));
        files.fold((0, 0), |(count, weight), file| {
            (count + 1, weight + file.weight.unwrap_or(0))
        })
    }

    fn table(&self, out: &mut dyn Write, columns: Option<usize>) -> io::Result<()> {
        writeln!(out, "{STRONG}{}{STRONG:#}", wording::safe(&self.target))?;
        let rows = self
            .files
            .iter()
            .filter(|file| file.outcome != Outcome::There);
        let rows: Vec<_> = rows
            .map(|file| {
                let style = match file.outcome {
                    Outcome::Kept | Outcome::Failed | Outcome::Removed => WASTE,
                    _ => GOOD,
                };
                vec![
                    (format!("  {}", wording::safe(&file.name)), Style::new()),
                    (file.weight.map_or(String::new(), wording::weight), FAINT),
                    (file.outcome.says().to_owned(), style),
                ]
            })
            .collect();
        if !rows.is_empty() {
            writeln!(out, "{}\n", grid::set(rows, columns, &[1]))?;
        }
        self.sums(out)
    }

    /// How many files went, and what became of the others.
    pub fn sums(&self, out: &mut dyn Write) -> io::Result<()> {
        let files = |count| wording::count(count, "file", "files");
        let (sent, weight) = self.count(&[Outcome::Sent, Outcome::Replaced]);
        let (planned, plan) = self.count(&[Outcome::Planned, Outcome::PlannedInstead]);
        let (there, _) = self.count(&[Outcome::There]);
        let (told, _) = self.count(&[Outcome::Told]);
        let (kept, _) = self.count(&[Outcome::Kept]);
        let (failed, _) = self.count(&[Outcome::Failed]);
        let (removed, _) = self.count(&[Outcome::Removed]);
        let mut parts = Vec::new();
        if self.dry_run {
            parts.push(format!(
                "{} would be sent, {}",
                files(planned),
                wording::weight(plan)
            ));
        } else {
            let time = wording::time(self.seconds);
            let done = if self.bundles.is_empty() {
                "sent"
            } else {
                "packed"
            };
            parts.push(format!(
                "{} {done}, {} in {time}",
                files(sent),
                wording::weight(weight)
            ));
        }
        let mut more = |count: usize, says: &str| {
            if count > 0 {
                parts.push(format!("{count} {says}"));
            }
        };
        more(there, "there already");
        more(told, "with new texts");
        more(removed, "removed");
        more(kept, "left alone");
        more(failed, "failed");
        writeln!(out, "{}", parts.join("; "))?;
        if !self.bundles.is_empty() {
            let bundles = self.bundles.iter().map(|path| path.display().to_string());
            let bundles: Vec<String> = bundles.map(|path| wording::safe(&path)).collect();
            writeln!(out, "in {}", bundles.join(", "))?;
        }
        if !self.old.is_empty() {
            let old = wording::count(self.old.len(), "file there is", "files there are");
            writeln!(
                out,
                "{old} of earlier deliveries and delivered no more; --prune removes what is so:"
            )?;
            for name in &self.old {
                writeln!(out, "  {}", wording::safe(name))?;
            }
        }
        if self.interrupted {
            writeln!(out, "interrupted; deliver again for the rest")?;
        }
        Ok(())
    }

    fn json(&self, out: &mut dyn Write) -> io::Result<()> {
        let document = Document {
            schema: SCHEMA,
            kind: "delivery",
            kiln: env!("CARGO_PKG_VERSION"),
            target: &self.target,
            dry_run: self.dry_run,
            interrupted: self.interrupted,
            ended_early: self.broke.as_ref().map(|(says, _)| says),
            seconds: self.seconds,
            bundles: self
                .bundles
                .iter()
                .map(|path| path.to_string_lossy().into_owned())
                .collect(),
            files: &self.files,
            old: &self.old,
        };
        serde_json::to_writer_pretty(&mut *out, &document)?;
        writeln!(out)
    }

    /// The exit code: 130 when interrupted, 1 when something was not sent.
    pub fn exit(&self) -> ExitCode {
        let is_done =
            self.broke.is_none() && !self.files.iter().any(|file| file.outcome.is_problem());
        match (self.interrupted, is_done) {
            (true, _) => ExitCode::from(130),
            (_, false) => ExitCode::from(1),
            _ => ExitCode::SUCCESS,
        }
    }
}

#[derive(Serialize)]
struct Document<'a> {
    schema: u32,
    kind: &'static str,
    kiln: &'static str,
    target: &'a str,
    dry_run: bool,
    interrupted: bool,
    ended_early: Option<&'a String>,
    seconds: f64,
    bundles: Vec<String>,
    files: &'a [FileReport],
    old: &'a [String],
}
