//! `kiln init`: a kiln file that fits the originals.

use std::fmt::Write as _;
use std::io::{self, Write};
use std::path::{Path, PathBuf};
use std::process::ExitCode;

use kiln_core::decode::Allowance;
use kiln_core::encode::Format;
use kiln_core::plan::{CodingWish, says_nothing, stem};
use kiln_core::survey::{Proposal, Seen, propose};
use serde::Serialize;

use crate::args::InitArgs;
use crate::failure::Failure;
use crate::find;
use crate::grid::{FAINT, STRONG};
use crate::report::Channels;
use crate::settings::{self, Judging, SurveySettings};
use crate::survey::{self, Survey};
use crate::wording::{self, Order};
use crate::write;

/// Folders in which originals are looked for where none is named.
const USUAL: &str = "originals";

/// The line of a kiln file with the copyright, which only a person knows.
const RIGHTS: &str = "\
# What every piece says of itself. Without this, what the originals say of their creator,
# copyright, credit and licence is kept, and all else goes.
# [metadata]
# keep  = [\"creator\", \"copyright\", \"credit\", \"licence\", \"title\"]
# write = { copyright = \"© YEAR NAME\" }
";

/// The formats that every place begins with: which of those that all browsers show is the lightest differs
/// from picture to picture.
const FORMAT: &str = "auto";

/// Looks at the originals and writes the kiln file.
pub fn run(typed: &InitArgs, channels: &Channels) -> Result<ExitCode, Failure> {
    if typed.kiln.symlink_metadata().is_ok() {
        return Err(Failure::KilnFileThere {
            path: typed.kiln.clone(),
        });
    }
    let usual = Path::new(USUAL);
    let originals = match &typed.originals {
        Some(named) => named.clone(),
        None if usual.is_dir() => usual.to_owned(),
        None => PathBuf::from("."),
    };
    let survey = survey::gather(&looking(&originals, typed), channels)?;
    let seen = seen(&survey, typed);
    if seen.is_empty() {
        return Err(Failure::nothing_found(&[originals]));
    }
    let proposals = propose(&seen);
    let folder = typed.kiln.parent().unwrap_or(Path::new(""));
    let file = KilnFile {
        originals: find::seen_from(folder, &originals),
        out: find::seen_from(folder, &typed.out),
        proposals: &proposals,
    };
    write::whole(&typed.kiln, file.text().as_bytes()).map_err(Failure::unwritable(&typed.kiln))?;
    let nameless = seen.iter().filter(|seen| {
        let file = seen.name.rsplit('/').next().unwrap_or(&seen.name);
        says_nothing(stem(file))
    });
    let nameless = nameless.count();
    channels.print(|out, _| {
        if typed.json {
            document(out, &typed.kiln, &proposals, seen.len(), nameless)
        } else {
            proposed(out, &typed.kiln, &proposals, seen.len(), nameless)
        }
    })?;
    Ok(ExitCode::SUCCESS)
}

fn looking(originals: &Path, typed: &InitArgs) -> SurveySettings {
    SurveySettings {
        paths: vec![originals.to_owned()],
        shown: 400,
        density: 2.0,
        widest: 800,
        judging: Judging {
            max_weight: None,
            format: Format::WebP,
            coding: CodingWish::default(),
            look: true,
            thumbnails: false,
            allowance: Allowance::default(),
            jobs: typed.jobs.unwrap_or_else(settings::cores),
        },
        order: Order::Name,
        over: 0,
        top: usize::MAX,
        page: None,
        json: false,
    }
}

/// What can be fired, but for what lies in the out folder.
fn seen(survey: &Survey, typed: &InitArgs) -> Vec<Seen> {
    let out = find::real(&typed.out);
    let records = survey.records.iter();
    let records = records.filter(|record| !find::real(&record.path).starts_with(&out));
    let seen = records.filter_map(|record| {
        let headers = record.headers.as_ref()?;
        headers.probe().ok()?;
        Some(Seen {
            name: record.name.clone(),
            size: headers.own_size()?,
            motif: record.glance.as_ref().map(|glance| glance.motif),
            clear: record
                .glance
                .as_ref()
                .is_some_and(|glance| glance.alpha_used),
        })
    });
    seen.collect()
}

struct KilnFile<'a> {
    originals: String,
    out: String,
    proposals: &'a [Proposal],
}

impl KilnFile<'_> {
    fn text(&self) -> String {
        let mut text = format!(
            "# The settings of this site, for kiln fire. Widths are in CSS pixels, as displayed.\n\n\
             originals = {}\n\
             out       = {}\n\n\
             [every]                       # holds for every place that does not say otherwise\n\
             densities = [1, 2]            # twice the pixels for dense screens, never enlarged\n",
            quoted(&self.originals),
            quoted(&self.out),
        );
        for proposal in self.proposals {
            text.push('\n');
            // Writing into a string does not fail.
            let _ = place(&mut text, proposal);
        }
        text.push('\n');
        text.push_str(RIGHTS);
        text
    }
}

fn place(text: &mut String, proposal: &Proposal) -> std::fmt::Result {
    let Proposal {
        name,
        of,
        role,
        because,
        width,
        max_weight,
        pictures,
        small,
        widest,
    } = proposal;
    let pictures = wording::count(*pictures, "picture", "pictures");
    writeln!(text, "# {pictures}: {}, {because}.", role.name())?;
    if *small > 0 {
        let small = wording::count(*small, "is", "are");
        writeln!(text, "# {small} narrower than {widest} pixels.")?;
    }
    writeln!(text, "[place.{name}]")?;
    match of.as_slice() {
        [one] => writeln!(text, "of         = [{}]", quoted(one))?,
        several => {
            writeln!(text, "of         = [")?;
            for one in several {
                writeln!(text, "    {},", quoted(one))?;
            }
            writeln!(text, "]")?;
        }
    }
    writeln!(text, "width      = {width}")?;
    if role.densities() == [1] {
        writeln!(
            text,
            "densities  = [1]              # so wide a picture is sharp enough"
        )?;
    }
    writeln!(text, "formats    = [{}]", quoted(FORMAT))?;
    writeln!(
        text,
        "max-weight = {}",
        quoted(&wording::weight_typed(*max_weight))
    )
}

/// A basic string: what JSON escapes, TOML understands.
fn quoted(text: &str) -> String {
    serde_json::Value::from(text).to_string()
}

/// The version of the document's form.
const SCHEMA: u32 = 1;

#[derive(Serialize)]
struct Document<'a> {
    schema: u32,
    kind: &'static str,
    kiln: &'static str,
    file: String,
    pictures: usize,
    nameless: usize,
    places: Vec<PlaceFound<'a>>,
}

#[derive(Serialize)]
struct PlaceFound<'a> {
    name: &'a str,
    pictures: usize,
    role: &'static str,
    width: u32,
    formats: [&'static str; 1],
    max_weight: u64,
    because: &'a str,
}

impl<'a> PlaceFound<'a> {
    fn of(proposal: &'a Proposal) -> Self {
        PlaceFound {
            name: &proposal.name,
            pictures: proposal.pictures,
            role: proposal.role.name(),
            width: proposal.width,
            formats: [FORMAT],
            max_weight: proposal.max_weight,
            because: &proposal.because,
        }
    }
}

/// The same as a JSON document (docs/formats.md).
fn document(
    out: &mut dyn Write,
    path: &Path,
    proposals: &[Proposal],
    pictures: usize,
    nameless: usize,
) -> io::Result<()> {
    let document = Document {
        schema: SCHEMA,
        kind: "init",
        kiln: env!("CARGO_PKG_VERSION"),
        file: path.to_string_lossy().into_owned(),
        pictures,
        nameless,
        places: proposals.iter().map(PlaceFound::of).collect(),
    };
    serde_json::to_writer_pretty(&mut *out, &document)?;
    writeln!(out)
}

/// What was assumed, and what to do next.
fn proposed(
    out: &mut dyn Write,
    path: &Path,
    proposals: &[Proposal],
    pictures: usize,
    nameless: usize,
) -> io::Result<()> {
    let path = wording::safe(&path.to_string_lossy());
    writeln!(
        out,
        "{STRONG}{path}{STRONG:#} has {} for {}:\n",
        wording::count(proposals.len(), "place", "places"),
        wording::count(pictures, "picture", "pictures")
    )?;
    let widest = proposals.iter().map(|p| p.name.len()).max().unwrap_or(0);
    for proposal in proposals {
        writeln!(
            out,
            "  {STRONG}{:widest$}{STRONG:#}  {} as {}, {} px, at most {}  {FAINT}({}){FAINT:#}",
            proposal.name,
            wording::count(proposal.pictures, "picture", "pictures"),
            proposal.role.name(),
            proposal.width,
            wording::weight_typed(proposal.max_weight),
            proposal.because,
        )?;
    }
    writeln!(
        out,
        "\nThese are guesses: open the file and set the widths that your pages have."
    )?;
    if nameless > 0 {
        writeln!(
            out,
            "{} a name that says nothing; kiln label makes a sheet for titles.",
            wording::count(nameless, "picture has", "pictures have")
        )?;
    }
    writeln!(out, "Then: kiln fire --dry-run")
}
