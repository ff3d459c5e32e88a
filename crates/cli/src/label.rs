//! `kiln label`: the label sheet made, filled up with new originals, and checked.

use std::collections::{BTreeMap, HashSet};
use std::io::{self, Write};
use std::process::ExitCode;

use kiln_core::credits::Credits;
use kiln_core::label;
use kiln_core::plan::plain_name;
use serde::Serialize;

use crate::failure::Failure;
use crate::find;
use crate::grid::{BAD, FAINT, GOOD, STRONG};
use crate::report::Channels;
use crate::settings::LabelSettings;
use crate::sheet::Sheet;
use crate::wording;

/// The version of the document's form.
const SCHEMA: u32 = 1;

/// What there is to say of the sheet, as the JSON document has it.
#[derive(Serialize)]
struct Report {
    schema: u32,
    kind: &'static str,
    kiln: &'static str,
    sheet: String,
    rows: usize,
    added: Vec<String>,
    flaws: Vec<FlawReport>,
    gone: Vec<String>,
}

#[derive(Serialize)]
struct FlawReport {
    file: String,
    missing: bool,
    says: String,
}

/// Makes or fills up the sheet, checks it and says what is still to do.
pub fn run(settings: &LabelSettings, channels: &Channels) -> Result<ExitCode, Failure> {
    let finding = find::find(&settings.originals, &settings.out)?;
    let nothing = Credits::default();
    let drawings = finding.left_out.iter();
    let drawings = drawings.map(|aside| (aside.name.as_str(), &nothing));
    let pictures = finding.pictures.iter().map(|picture| &picture.original);
    let pictures = pictures.map(|original| (original.name.as_str(), &original.credits));
    let originals: BTreeMap<&str, &Credits> = pictures.chain(drawings).collect();
    if originals.is_empty() {
        return Err(Failure::nothing_found(&settings.originals.paths));
    }
    let mut sheet = Sheet::open(&settings.labels)?;
    let known: HashSet<String> = sheet.by_name().into_keys().collect();
    // A broken picture is there all the same.
    let broken = finding.refused.iter().map(|aside| aside.name.as_str());
    let there = originals.keys().copied().chain(broken).map(plain_name);
    let there: HashSet<String> = there.collect();
    let new = originals.iter();
    let new: Vec<_> = new
        .filter(|(name, _)| !known.contains(&plain_name(name)))
        .collect();
    let rows = sheet.labels.iter();
    let gone = rows.filter(|label| !there.contains(&plain_name(&label.file)));
    let gone: Vec<String> = gone.map(|label| label.file.clone()).collect();
    for (name, said) in &new {
        sheet.add(name, said)?;
    }
    if !new.is_empty() {
        sheet.save()?;
    }
    let report = Report {
        schema: SCHEMA,
        kind: "labels",
        kiln: env!("CARGO_PKG_VERSION"),
        sheet: settings.labels.to_string_lossy().into_owned(),
        rows: sheet.labels.len(),
        added: new.iter().map(|(name, _)| (**name).to_owned()).collect(),
        flaws: flaws(&sheet),
        gone,
    };
    channels.print(|out, _| match settings.json {
        true => {
            serde_json::to_writer_pretty(&mut *out, &report)?;
            writeln!(out)
        }
        false => report.write(out),
    })?;
    Ok(if settings.strict && !report.flaws.is_empty() {
        ExitCode::from(1)
    } else {
        ExitCode::SUCCESS
    })
}

/// Every flaw, in the order of the rows.
fn flaws(sheet: &Sheet) -> Vec<FlawReport> {
    let odd = sheet.odd.iter().map(|(file, says)| FlawReport {
        file: file.clone(),
        missing: false,
        says: says.clone(),
    });
    let mut flaws: Vec<FlawReport> = odd.collect();
    for (label, found) in label::check(&sheet.labels) {
        flaws.extend(found.into_iter().map(|flaw| FlawReport {
            file: label.file.clone(),
            missing: flaw.is_missing(),
            says: flaw.to_string(),
        }));
    }
    let row = |file: &str| sheet.labels.iter().position(|label| label.file == file);
    flaws.sort_by_key(|flaw| row(&flaw.file));
    flaws
}

impl Report {
    fn write(&self, out: &mut dyn Write) -> io::Result<()> {
        let mut last = None;
        for flaw in &self.flaws {
            if last != Some(&flaw.file) {
                writeln!(out, "{STRONG}{}{STRONG:#}", wording::safe(&flaw.file))?;
                last = Some(&flaw.file);
            }
            let style = if flaw.missing { FAINT } else { BAD };
            writeln!(out, "  {style}{}{style:#}", wording::safe(&flaw.says))?;
        }
        if !self.flaws.is_empty() {
            writeln!(out)?;
        }
        if !self.gone.is_empty() {
            writeln!(
                out,
                "{STRONG}Rows of pictures that are gone{STRONG:#} (they are kept)"
            )?;
            for file in &self.gone {
                writeln!(out, "  {}", wording::safe(file))?;
            }
            writeln!(out)?;
        }
        let sheet = wording::safe(&self.sheet);
        let rows = wording::count(self.rows, "row", "rows");
        let added = match self.added.len() {
            0 => "no new picture".to_owned(),
            new => format!("{} added", wording::count(new, "row", "rows")),
        };
        writeln!(out, "{STRONG}{sheet}{STRONG:#}: {rows}, {added}")?;
        let missing = self.flaws.iter().filter(|flaw| flaw.missing).count();
        let texts = |count| wording::count(count, "text is", "texts are");
        match (missing, self.flaws.len() - missing) {
            (0, 0) => writeln!(out, "{GOOD}every picture has its words{GOOD:#}"),
            (missing, 0) => writeln!(out, "{} missing", texts(missing)),
            (0, wrong) => writeln!(out, "{} not right yet", texts(wrong)),
            (missing, wrong) => {
                writeln!(
                    out,
                    "{} missing, {} not right yet",
                    texts(missing),
                    texts(wrong)
                )
            }
        }
    }
}
