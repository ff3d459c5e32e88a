//! The report as a JSON document (docs/formats.md). Its structs are its own, so that the
//! program can change without changing what scripts read.

use std::io::{self, Write};

use kiln_core::encode::{Coding, Format};
use serde::Serialize;

use super::{Fired, FiringReport, OriginalReport, PieceReport};
use crate::find::Aside;

/// The version of the document's form.
const SCHEMA: u32 = 1;

#[derive(Serialize)]
struct Document<'a> {
    schema: u32,
    kind: &'static str,
    kiln: &'static str,
    dry_run: bool,
    interrupted: bool,
    seconds: f64,
    originals: Vec<Original<'a>>,
    refused: &'a [Aside],
    left_out: &'a [Aside],
    totals: Totals,
}

#[derive(Serialize)]
struct Original<'a> {
    path: &'a str,
    name: &'a str,
    format: String,
    width: u32,
    height: u32,
    weight: u64,
    notes: &'a [String],
    pieces: Vec<Piece<'a>>,
}

#[derive(Serialize)]
struct Piece<'a> {
    name: &'a str,
    format: Format,
    width: u32,
    height: u32,
    short_of: Option<u32>,
    state: &'static str,
    why: Option<&'a str>,
    weight: Option<u64>,
    dial: Option<u8>,
    lossless: Option<bool>,
    over_budget: Option<bool>,
    backdrop: Option<String>,
    encodes: Vec<Encode>,
}

#[derive(Serialize)]
struct Encode {
    dial: Option<u8>,
    weight: u64,
}

#[derive(Serialize)]
struct Totals {
    originals: usize,
    pieces: usize,
    unchanged: usize,
    before: u64,
    after: Option<u64>,
    heaviest_of_each: Option<u64>,
}

pub(super) fn write(out: &mut dyn Write, report: &FiringReport) -> io::Result<()> {
    let totals = report.totals();
    let document = Document {
        schema: SCHEMA,
        kind: "firing",
        kiln: env!("CARGO_PKG_VERSION"),
        dry_run: report.dry_run,
        interrupted: report.interrupted,
        seconds: (report.seconds * 1e3).round() / 1e3,
        originals: report.originals.iter().map(original).collect(),
        refused: &report.refused,
        left_out: &report.left_out,
        totals: Totals {
            originals: totals.originals,
            pieces: totals.pieces,
            unchanged: totals.unchanged,
            before: totals.before,
            after: (!report.dry_run).then_some(totals.after),
            heaviest_of_each: (!report.dry_run).then_some(totals.heaviest),
        },
    };
    serde_json::to_writer_pretty(&mut *out, &document)?;
    writeln!(out)
}

fn original(original: &OriginalReport) -> Original<'_> {
    Original {
        path: &original.path,
        name: &original.name,
        format: original.kind.to_string().to_lowercase(),
        width: original.size.width(),
        height: original.size.height(),
        weight: original.weight,
        notes: &original.notes,
        pieces: original.pieces.iter().map(|p| piece(p, original)).collect(),
    }
}

fn piece<'a>(piece: &'a PieceReport, original: &OriginalReport) -> Piece<'a> {
    let written = piece.written();
    let (state, why) = match &piece.fired {
        Fired::Planned => ("planned", None),
        Fired::Made(written) if written.unchanged => ("unchanged", None),
        Fired::Made(_) => ("made", None),
        Fired::Failed(why) => ("failed", Some(why.as_str())),
    };
    let encode = |&(coding, weight): &(Coding, u64)| Encode {
        dial: dial(coding),
        weight,
    };
    Piece {
        name: &piece.name,
        format: piece.format,
        width: piece.size.width(),
        height: piece.size.height(),
        short_of: piece.short_of,
        state,
        why,
        weight: written.map(|w| w.weight),
        dial: written.and_then(|w| dial(w.coding)),
        lossless: written.map(|w| w.coding == Coding::Lossless),
        over_budget: written.map(|w| !w.fits),
        backdrop: written
            .filter(|w| w.flattened)
            .map(|_| original.backdrop.to_string()),
        encodes: written.map_or(Vec::new(), |w| w.trail.iter().map(encode).collect()),
    }
}

fn dial(coding: Coding) -> Option<u8> {
    match coding {
        Coding::Dial(dial) => Some(dial),
        Coding::Lossless => None,
    }
}
