//! Standard output and standard error.

use std::io::{self, BufWriter, IsTerminal, Write};
use std::path::PathBuf;

use serde::Serialize;

use super::{FiringReport, json, table, tree, why};
use crate::failure::Failure;
use crate::find::Aside;
use crate::settings::{Settings, Telling};
use crate::wording;

/// Where reports and complaints go.
pub struct Channels {
    /// Columns of the terminal that shows the report, if one does.
    columns: Option<usize>,
    /// Whether progress can be shown.
    pub progress: bool,
}

impl Channels {
    /// Standard output and standard error.
    pub fn of_this_process() -> Channels {
        let columns = terminal_size::terminal_size_of(io::stdout());
        // Who pipes a report on into a pager says so.
        let told = || std::env::var("COLUMNS").ok()?.trim().parse().ok();
        Channels {
            columns: columns
                .map(|(width, _)| usize::from(width.0))
                .or_else(|| told().filter(|columns| *columns > 0)),
            progress: io::stderr().is_terminal(),
        }
    }

    /// Gives the report as the settings say, and names every problem on standard error.
    pub fn tell(&self, report: &FiringReport, settings: &Settings) -> Result<(), Failure> {
        for remark in &report.remarks {
            self.say("", remark);
        }
        let verbose = matches!(settings.telling, Telling::Table { verbose: true });
        for (path, what) in report.problems() {
            self.say(&path, &what.to_string());
            for cause in what.causes().iter().filter(|_| verbose) {
                self.say("", &format!("  because {cause}"));
            }
        }
        let Telling::Table { verbose } = settings.telling else {
            return match settings.telling {
                Telling::Json => self.print_document(|out| json::write(out, report)),
                _ => Ok(()),
            };
        };
        self.print(|out, columns| {
            if report.dry_run {
                tree::write(out, report)?
            } else {
                table::pieces(out, report, columns, verbose)?
            }
            why::write(out, report, &settings.why, columns)?;
            if verbose {
                table::settings(out, settings)?;
            }
            table::rest(out, report, columns)
        })
    }

    /// Prints to standard output, with the columns of the terminal that shows it, if one does.
    pub fn print(
        &self,
        tell: impl FnOnce(&mut dyn Write, Option<usize>) -> io::Result<()>,
    ) -> Result<(), Failure> {
        let mut out = BufWriter::new(anstream::stdout().lock());
        let told = tell(&mut out, self.columns);
        printed(told.and_then(|()| out.flush()))
    }

    /// Prints a document for programs, which has no styles that a terminal would have to show: looking for those
    /// in a large one would take longer than the work.
    pub fn print_document(
        &self,
        tell: impl FnOnce(&mut dyn Write) -> io::Result<()>,
    ) -> Result<(), Failure> {
        let mut out = BufWriter::with_capacity(1 << 16, io::stdout().lock());
        let told = tell(&mut out);
        printed(told.and_then(|()| out.flush()))
    }

    /// Prints a JSON document.
    pub fn print_json(&self, document: &impl Serialize) -> Result<(), Failure> {
        self.print_document(|out| {
            serde_json::to_writer_pretty(&mut *out, document)?;
            writeln!(out)
        })
    }

    /// Prints bytes as they are to standard output; a terminal is shown what does it no harm.
    pub fn print_bytes(&self, bytes: &[u8]) -> Result<(), Failure> {
        if io::stdout().is_terminal() {
            let text = String::from_utf8_lossy(bytes);
            return self.print(|out, _| {
                let mut lines = text.lines();
                lines.try_for_each(|line| writeln!(out, "{}", wording::safe(line)))
            });
        }
        let mut out = io::stdout().lock();
        printed(out.write_all(bytes).and_then(|()| out.flush()))
    }

    /// Names something that went wrong.
    pub fn name_problem(&self, path: &str, what: &str) {
        self.say(path, what);
    }

    /// Says what a run that ends in a failure had to say until then.
    pub fn mention(&self, remarks: &[String], refused: &[Aside]) {
        for remark in remarks {
            self.say("", remark);
        }
        for Aside { path, why, .. } in refused {
            self.say(&path.to_string_lossy(), &why.to_string());
        }
    }

    /// Says how a long run is getting on.
    pub fn note(&self, what: &str) {
        self.say("", what);
    }

    /// Says why a command did not do its work.
    pub fn complain(&self, failure: &Failure) {
        if let Failure::KilnFile(explained) = failure {
            let _ = writeln!(anstream::stderr(), "{explained}");
            return;
        }
        for line in failure.to_string().lines() {
            self.say("", line);
        }
    }

    /// One line on standard error; if that is closed, nobody wants to know.
    fn say(&self, path: &str, what: &str) {
        let colon = if path.is_empty() { "" } else { ": " };
        let line = wording::safe(&format!("kiln: {path}{colon}{what}"));
        let _ = writeln!(anstream::stderr(), "{line}");
    }
}

/// A reader that has seen enough closes the pipe; that is no failure.
fn printed(told: io::Result<()>) -> Result<(), Failure> {
    match told {
        Err(error) if error.kind() != io::ErrorKind::BrokenPipe => {
            let path = PathBuf::from("standard output");
            Err(Failure::Unwritable {
                path,
                source: error,
            })
        }
        _ => Ok(()),
    }
}
