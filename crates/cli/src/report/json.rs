//! The report as a JSON document (docs/formats.md). Its structs are its own, so that the
//! program can change without changing what scripts read.

use std::cell::Cell;
use std::io::{self, Write};

use kiln_core::budget::Verdict;
use kiln_core::credits::Field;
use kiln_core::encode::{Chroma, Coding, Format, Pace, Repack};
use kiln_core::pipeline::Attempt;
use kiln_core::pixels::Size;
use serde::ser::SerializeSeq;
use serde::{Serialize, Serializer};

use super::judged::Load;
use super::{Fate, Fired, FiringReport, OriginalReport, PieceReport, StrayReport, TotalReport};
use crate::find::Aside;
use crate::wording;

/// The version of the document's form.
const SCHEMA: u32 = 2;

#[derive(Serialize)]
struct Document<'a> {
    schema: u32,
    kind: &'static str,
    kiln: &'static str,
    part: Option<String>,
    dry_run: bool,
    interrupted: bool,
    seconds: f64,
    out: String,
    kiln_file: Option<String>,
    originals: All<'a>,
    refused: &'a [Aside],
    left_out: &'a [Aside],
    strays: Vec<Stray<'a>>,
    idle_places: &'a [String],
    shared_totals: Vec<SharedTotal<'a>>,
    remarks: &'a [String],
    totals: Sums<'a>,
}

#[derive(Serialize)]
struct Stray<'a> {
    name: &'a str,
    state: &'static str,
}

#[derive(Serialize)]
struct Original<'a> {
    path: &'a str,
    name: &'a str,
    format: String,
    width: u32,
    height: u32,
    weight: u64,
    title: Option<&'a str>,
    ballast: u64,
    notes: &'a [String],
    pieces: Vec<Piece<'a>>,
}

/// What a piece would weigh in another format.
#[derive(Serialize)]
struct Other {
    format: Format,
    weight: u64,
}

#[derive(Serialize)]
struct Piece<'a> {
    name: &'a str,
    candidates: Vec<&'a str>,
    place: Option<&'a str>,
    format: Option<Format>,
    width: u32,
    height: u32,
    density: f64,
    short_of: Option<u32>,
    stands_for: &'a [u32],
    look: Option<String>,
    max_weight: Option<u64>,
    state: &'static str,
    why: Option<String>,
    weight: Option<u64>,
    others: Vec<Other>,
    score: Option<f32>,
    score_is_sampled: Option<bool>,
    dial: Option<u8>,
    lossless: Option<bool>,
    repacked: Option<Repack>,
    verdict: Option<Verdict>,
    shrunk: Option<Size>,
    over_budget: Option<bool>,
    backdrop: Option<String>,
    encodes: Vec<Encode>,
}

#[derive(Serialize)]
struct Encode {
    format: Format,
    dial: Option<u8>,
    chroma: Chroma,
    pace: Pace,
    width: u32,
    weight: u64,
    score: f32,
    score_is_sampled: bool,
}

#[derive(Serialize)]
struct SharedTotal<'a> {
    page: Option<&'a str>,
    format: Option<Format>,
    formats: Vec<Format>,
    max_total: u64,
    weight: Option<u64>,
    pictures: usize,
    worst: Option<&'a str>,
    worst_score: Option<f32>,
}

#[derive(Serialize)]
struct Loads {
    formats: Vec<Format>,
    originals: usize,
    before: u64,
    after: u64,
}

#[derive(Serialize)]
struct Totals {
    originals: usize,
    pieces: usize,
    unchanged: usize,
    before: u64,
    after: Option<u64>,
    heaviest_of_each: Option<u64>,
    loads: Vec<Loads>,
    ballast: u64,
}

pub(super) fn write(out: &mut dyn Write, report: &FiringReport) -> io::Result<()> {
    let summed = Cell::default();
    let document = Document {
        schema: SCHEMA,
        kind: "firing",
        kiln: env!("CARGO_PKG_VERSION"),
        part: report.part.map(|part| part.to_string()),
        dry_run: report.dry_run,
        interrupted: report.interrupted,
        seconds: (report.seconds * 1e3).round() / 1e3,
        out: report.out.to_string_lossy().into_owned(),
        kiln_file: report
            .kiln_file
            .as_ref()
            .map(|file| file.to_string_lossy().into_owned()),
        originals: All {
            report,
            summed: &summed,
        },
        refused: &report.refused,
        left_out: &report.left_out,
        strays: report.strays.iter().map(stray).collect(),
        idle_places: &report.idle,
        shared_totals: report.shared.iter().map(|t| shared(t, report)).collect(),
        remarks: &report.remarks,
        totals: Sums {
            report,
            summed: &summed,
        },
    };
    serde_json::to_writer_pretty(&mut *out, &document)?;
    writeln!(out)
}

/// Originals, one at a time, summed up on the way.
struct All<'a> {
    report: &'a FiringReport,
    summed: &'a Cell<super::Totals>,
}

impl Serialize for All<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let FiringReport {
            originals, dry_run, ..
        } = self.report;
        let mut all = serializer.serialize_seq(Some(originals.len()))?;
        let mut totals = super::Totals::default();
        for one in originals.iter() {
            all.serialize_element(&original(&one))?;
            totals.add(&one, *dry_run);
        }
        self.summed.set(totals);
        all.end()
    }
}

/// The sums, once all originals were told.
struct Sums<'a> {
    report: &'a FiringReport,
    summed: &'a Cell<super::Totals>,
}

impl Serialize for Sums<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let (report, totals) = (self.report, self.summed.get());
        let sums = Totals {
            originals: totals.originals,
            pieces: totals.pieces,
            unchanged: totals.unchanged,
            before: totals.before,
            after: (!report.dry_run).then_some(totals.after),
            heaviest_of_each: (!report.dry_run).then_some(totals.heaviest),
            loads: report.loads().into_iter().map(loads).collect(),
            ballast: totals.ballast,
        };
        sums.serialize(serializer)
    }
}

fn loads(load: Load) -> Loads {
    Loads {
        formats: load.choice.formats().collect(),
        originals: load.originals,
        before: load.before,
        after: load.after,
    }
}

fn shared<'a>(total: &'a TotalReport, report: &FiringReport) -> SharedTotal<'a> {
    let worst = total.worst.as_ref();
    SharedTotal {
        page: total.page.as_deref(),
        format: only(&mut total.choice.formats()),
        formats: total.choice.formats().collect(),
        max_total: total.max_total,
        weight: (!report.dry_run).then_some(total.weight),
        pictures: total.pictures,
        worst: worst.map(|(name, _)| name.as_str()),
        worst_score: worst.map(|(_, score)| *score),
    }
}

fn stray(stray: &StrayReport) -> Stray<'_> {
    Stray {
        name: &stray.name,
        state: match stray.fate {
            Fate::Listed => "listed",
            Fate::Removed => "removed",
            Fate::Altered => "altered",
        },
    }
}

fn original(original: &OriginalReport) -> Original<'_> {
    Original {
        path: &original.path,
        name: &original.name,
        format: original.kind.to_string().to_lowercase(),
        width: original.size.width(),
        height: original.size.height(),
        weight: original.weight,
        title: original.label.get(Field::Title),
        ballast: original.ballast,
        notes: &original.notes,
        pieces: original.pieces.iter().map(piece).collect(),
    }
}

fn piece(piece: &PieceReport) -> Piece<'_> {
    let written = piece.written();
    let (state, why) = match &piece.fired {
        Fired::Planned => ("planned", None),
        Fired::Made(written) if written.unchanged => ("unchanged", None),
        Fired::Made(_) => ("made", None),
        Fired::Outdone(_, by) => ("left_out", Some(wording::outdone(*by))),
        Fired::Failed(why) => ("failed", Some(why.to_string())),
    };
    let encode = |attempt: &Attempt| Encode {
        format: attempt.format,
        dial: dial(attempt.coding),
        chroma: attempt.chroma,
        pace: attempt.pace,
        width: attempt.width,
        weight: attempt.weight,
        score: attempt.score,
        score_is_sampled: attempt.sampled,
    };
    let account = piece.account();
    let others = piece.others().into_iter();
    Piece {
        name: written.map_or(piece.planned.key(), |written| &written.name),
        candidates: piece.planned.names().collect(),
        place: piece.place.as_deref(),
        format: only(&mut piece.formats().into_iter()),
        width: piece.size.width(),
        height: piece.size.height(),
        density: piece.density,
        short_of: piece.short_of,
        stands_for: &piece.stands_for,
        look: piece.look(),
        max_weight: piece.max_weight,
        state,
        why,
        weight: account.map(|a| a.weight),
        others: others
            .map(|(format, weight)| Other { format, weight })
            .collect(),
        score: account.map(|a| a.score),
        score_is_sampled: piece.fired().map(|w| w.account.is_sampled(w.format)),
        dial: account.and_then(|a| dial(a.coding)),
        lossless: account.map(|a| a.coding == Coding::Lossless),
        repacked: account.and_then(|a| a.repacked),
        verdict: account.and_then(|a| a.verdict),
        shrunk: account.and_then(|a| a.shrunk),
        over_budget: account.map(|a| !a.fits),
        backdrop: account
            .filter(|a| a.flattened)
            .map(|_| piece.backdrop.to_string()),
        encodes: account.map_or(Vec::new(), |a| a.trail.iter().map(encode).collect()),
    }
}

/// The format, where it is settled.
fn only(formats: &mut dyn Iterator<Item = Format>) -> Option<Format> {
    let first = formats.next();
    first.filter(|_| formats.next().is_none())
}

fn dial(coding: Coding) -> Option<u8> {
    match coding {
        Coding::Dial(dial) => Some(dial),
        Coding::Lossless => None,
    }
}
