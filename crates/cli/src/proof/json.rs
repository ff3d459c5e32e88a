//! A proof as a JSON document (docs/formats.md).

use std::io::{self, Write};

use kiln_core::budget::Verdict;
use kiln_core::colour::Tint;
use kiln_core::encode::{Chroma, Coding, Format};
use kiln_core::proof::{Loss, Spot};
use serde::Serialize;

use super::{Report, Subject, table};
use crate::find::Aside;

/// The version of the document's form.
pub const SCHEMA: u32 = 1;

#[derive(Serialize)]
struct Document<'a> {
    schema: u32,
    kind: &'static str,
    kiln: &'static str,
    pictures: Vec<One<'a>>,
    refused: &'a [Aside],
}

#[derive(Serialize)]
struct One<'a> {
    path: &'a str,
    name: &'a str,
    place: Option<&'a str>,
    before: u64,
    width: u32,
    height: u32,
    density: f64,
    look: Option<f32>,
    max_weight: Option<u64>,
    spots: &'a [Spot],
    versions: Vec<Version<'a>>,
    failed: Vec<Failed>,
}

#[derive(Serialize)]
struct Version<'a> {
    format: Format,
    coding: Coding,
    chroma: Chroma,
    weight: u64,
    score: f32,
    /// The wishes that it answers, by their names.
    answers: Vec<Answer>,
    serves: bool,
    nothing_seen: bool,
    tint: Option<Tint>,
    spots: &'a [Loss],
}

#[derive(Serialize)]
struct Answer {
    wish: String,
    verdict: Option<Verdict>,
}

#[derive(Serialize)]
struct Failed {
    format: Format,
    why: String,
}

/// The whole document.
pub fn write(out: &mut dyn Write, report: &Report) -> io::Result<()> {
    let document = Document {
        schema: SCHEMA,
        kind: "proof",
        kiln: env!("CARGO_PKG_VERSION"),
        pictures: report.subjects.iter().map(one).collect(),
        refused: &report.refused,
    };
    serde_json::to_writer_pretty(&mut *out, &document)?;
    writeln!(out)
}

fn one(subject: &Subject) -> One<'_> {
    let failed = subject.proof.failed.iter();
    One {
        path: &subject.original.path,
        name: &subject.original.name,
        place: subject.place.as_deref(),
        before: subject.original.weight,
        width: subject.size.width(),
        height: subject.size.height(),
        density: subject.density,
        look: subject.look,
        max_weight: subject.max_weight,
        spots: &subject.proof.spots,
        versions: versions(subject),
        failed: failed
            .map(|(format, why)| Failed {
                format: *format,
                why: why.to_string(),
            })
            .collect(),
    }
}

fn versions(subject: &Subject) -> Vec<Version<'_>> {
    let rows = subject.rows();
    let formats = subject.proof.formats.iter();
    let all = formats.flat_map(|proven| {
        let versions = proven.versions.iter().enumerate();
        versions.map(move |(index, judged)| (proven, index, judged))
    });
    all.map(|(proven, index, judged)| {
        let answers = proven.answers.iter();
        let answers = answers.filter(|answer| answer.version == index);
        let is_it = |row: &&super::Row<'_>| std::ptr::eq(row.judged, judged);
        let attempt = judged.version.attempt;
        Version {
            format: proven.format,
            coding: attempt.coding,
            chroma: attempt.chroma,
            weight: attempt.weight,
            score: attempt.score,
            answers: answers
                .map(|answer| Answer {
                    wish: table::wish_name(subject.wishes[answer.wish]),
                    verdict: answer.verdict,
                })
                .collect(),
            serves: rows.iter().filter(is_it).any(|row| row.serves),
            nothing_seen: attempt.score >= super::NOTHING_SEEN,
            tint: judged.tint,
            spots: &judged.losses,
        }
    })
    .collect()
}
