//! What a rewiring came to, as a table and as a JSON document (docs/formats.md).

use std::io::{self, Write};

use serde::Serialize;

use super::Rewired;
use super::notes::{At, Matter};
use super::undo;
use crate::grid::{self, BAD, FAINT, GOOD, STRONG, WASTE};
use crate::report::Channels;
use crate::settings::RewireSettings;
use crate::wording;

/// The version of the document's form.
const SCHEMA: u32 = 1;

/// Lines of a kind that are shown in a table.
const SHOWN: usize = 40;

/// What is told.
pub(super) struct Report<'a> {
    pub settings: &'a RewireSettings,
    pub rewired: &'a Rewired,
}

#[derive(Serialize)]
struct Document<'a> {
    schema: u32,
    kind: &'static str,
    kiln: &'static str,
    files_read: usize,
    references: usize,
    files: Vec<File<'a>>,
    notes: Vec<Note<'a>>,
    unused: &'a [String],
    learned: Vec<Learned<'a>>,
}

#[derive(Serialize)]
struct File<'a> {
    name: &'a str,
    references: usize,
}

#[derive(Serialize)]
struct Note<'a> {
    matter: &'static str,
    file: &'a str,
    line: Option<u32>,
    address: &'a str,
    says: &'a str,
}

#[derive(Serialize)]
struct Learned<'a> {
    original: &'a str,
    alternative_text: &'a str,
}

impl Report<'_> {
    /// As a document.
    pub fn json(&self, out: &mut dyn Write) -> io::Result<()> {
        let rewired = self.rewired;
        let document = Document {
            schema: SCHEMA,
            kind: "rewire",
            kiln: env!("CARGO_PKG_VERSION"),
            files_read: rewired.read,
            references: rewired.references,
            files: rewired
                .files
                .iter()
                .map(|file| File {
                    name: &file.name,
                    references: file.references,
                })
                .collect(),
            notes: rewired
                .notes
                .iter()
                .map(|(matter, at, says)| Note {
                    matter: matter.as_str(),
                    file: &at.file,
                    line: (at.line > 0).then_some(at.line),
                    address: &at.address,
                    says,
                })
                .collect(),
            unused: &rewired.notes.unused,
            learned: rewired
                .learned
                .iter()
                .map(|(original, text)| Learned {
                    original,
                    alternative_text: text,
                })
                .collect(),
        };
        serde_json::to_writer_pretty(&mut *out, &document)?;
        writeln!(out)
    }

    /// As a table.
    pub fn table(&self, out: &mut dyn Write, columns: Option<usize>) -> io::Result<()> {
        let rewired = self.rewired;
        if !rewired.files.is_empty() {
            let head = vec![("file".to_owned(), FAINT), ("references".to_owned(), FAINT)];
            let rows = rewired.files.iter().map(|file| {
                vec![
                    (wording::safe(&file.name), STRONG),
                    (file.references.to_string(), GOOD),
                ]
            });
            let rows = std::iter::once(head).chain(rows).collect();
            writeln!(out, "{}\n", grid::set(rows, columns, &[1]))?;
        }
        for (matter, heading, style) in [
            (Matter::Undone, "Not done", BAD),
            (Matter::Dead, "Leads nowhere", WASTE),
            (Matter::Doubt, "To look at", FAINT),
        ] {
            self.notes(out, matter, heading, style)?;
        }
        if !rewired.learned.is_empty() {
            let sheet = self.settings.sources.labels.display();
            writeln!(out, "{STRONG}Learned{STRONG:#}")?;
            for (original, text) in &rewired.learned {
                writeln!(
                    out,
                    "  {}: “{}”",
                    wording::safe(original),
                    wording::safe(text)
                )?;
            }
            writeln!(out, "  these texts are in {sheet} now\n")?;
        }
        let unused = &rewired.notes.unused;
        if !unused.is_empty() {
            let names: Vec<String> = unused
                .iter()
                .take(SHOWN)
                .map(|name| wording::safe(name))
                .collect();
            let heading = format!(
                "Nothing refers to {}",
                wording::count(unused.len(), "original", "originals")
            );
            writeln!(out, "{STRONG}{heading}{STRONG:#}\n  {}\n", names.join(", "))?;
        }
        let read = wording::count(rewired.read, "file", "files");
        let references = wording::count(rewired.references, "reference leads", "references lead");
        writeln!(out, "{references} to pieces, in {read} that were read")?;
        match rewired.files.len() {
            0 => writeln!(out, "nothing had to change"),
            changed => writeln!(
                out,
                "{} changed; kiln rewire {} --undo puts them back ({}/)",
                wording::count(changed, "file", "files"),
                self.settings.site.display(),
                undo::FOLDER
            ),
        }
    }

    fn notes(
        &self,
        out: &mut dyn Write,
        matter: Matter,
        heading: &str,
        style: anstyle::Style,
    ) -> io::Result<()> {
        let of: Vec<&(Matter, At, String)> = self
            .rewired
            .notes
            .iter()
            .filter(|note| note.0 == matter)
            .collect();
        if of.is_empty() {
            return Ok(());
        }
        writeln!(out, "{style}{heading}{style:#}")?;
        for (_, at, says) in of.iter().take(SHOWN) {
            writeln!(out, "  {}", line(at, says))?;
        }
        if of.len() > SHOWN {
            writeln!(out, "  and {} more, which --json tells", of.len() - SHOWN)?;
        }
        writeln!(out)
    }

    /// Names what a diff cannot tell on standard error.
    pub fn complain(&self, channels: &Channels) {
        for (_, at, says) in self.rewired.notes.iter() {
            channels.note(&line(at, says));
        }
    }
}

fn line(at: &At, says: &str) -> String {
    let number = if at.line > 0 {
        format!(":{}", at.line)
    } else {
        String::new()
    };
    let address = if at.address.is_empty() {
        String::new()
    } else {
        format!("{} ", at.address)
    };
    wording::safe(&format!("{}{number}: {address}{says}", at.file))
}
