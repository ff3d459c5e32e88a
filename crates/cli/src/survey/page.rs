//! The survey as one self-contained page.

use std::path::PathBuf;

use kiln_site::load::LINKS;
use minijinja::context;
use serde::Serialize;

use super::summary;
use super::{Record, Survey};
use crate::{pages, wording};

#[derive(Serialize)]
struct Row {
    name: String,
    kind: String,
    pixels: String,
    area: u64,
    weight: String,
    bytes: u64,
    would_be: String,
    remains: u64,
    waste: u64,
    /// Lengths of the two parts of the bar, in per cent of the heaviest.
    solid: f64,
    light: f64,
    thumbnail: Option<String>,
    findings: Vec<Note>,
}

#[derive(Serialize)]
struct Note {
    name: &'static str,
    says: String,
    worth: String,
    files: usize,
    urgent: bool,
}

#[derive(Serialize)]
struct Load {
    name: &'static str,
    before: String,
    after: Option<String>,
}

/// The whole page.
pub(super) fn render(survey: &Survey, shown: &[&Record], paths: &[PathBuf]) -> String {
    let totals = summary::totals(survey);
    let heaviest = shown.iter().map(|record| record.weight).max().unwrap_or(1);
    let notes: Vec<Note> = summary::sums(survey)
        .into_iter()
        .map(|sum| note(sum.name, sum.says, Some(sum.worth), sum.files))
        .collect();
    let links: Vec<Load> = LINKS
        .iter()
        .map(|link| Load {
            name: link.name,
            before: wording::time(link.seconds(totals.files, totals.weight)),
            after: totals
                .remains
                .map(|bytes| wording::time(link.seconds(totals.files, bytes))),
        })
        .collect();
    let of: Vec<String> = paths
        .iter()
        .map(|path| wording::safe(&path.to_string_lossy()))
        .collect();
    pages::render(
        "survey.html",
        context! {
            of => of.join(", "),
            date => wording::today(),
            rows => shown.iter().map(|record| row(record, heaviest)).collect::<Vec<_>>(),
            left => survey.records.len() - shown.len(),
            notes,
            links,
            files => wording::count(totals.files, "file", "files"),
            weight => wording::weight(totals.weight),
            heaviest => totals.heaviest,
            remains => totals.remains.map(wording::weight),
            change => totals.remains.map(|remains| wording::change(totals.weight, remains)),
            format => survey.format.to_string(),
            shown_at => survey.shown,
            density => survey.density.to_string(),
        },
    )
}

fn note(name: kiln_core::survey::Name, says: String, worth: Option<u64>, files: usize) -> Note {
    Note {
        name: name.as_str(),
        says: wording::safe(&says),
        worth: worth
            .filter(|worth| *worth > 0)
            .map_or(String::new(), wording::weight),
        files,
        urgent: name.is_urgent(),
    }
}

fn row(record: &Record, heaviest: u64) -> Row {
    let headers = record.headers.as_ref();
    let size = headers.and_then(|h| h.own_size());
    let findings = record.findings.iter();
    Row {
        name: wording::safe(&record.name),
        kind: headers.map_or(String::new(), |h| h.kind.to_string()),
        pixels: size.map_or(String::new(), |size| size.to_string()),
        area: size.map_or(0, |size| size.pixels()),
        weight: wording::weight(record.weight),
        bytes: record.weight,
        would_be: record.would_be(),
        remains: record.remains(),
        waste: record.waste(),
        solid: pages::share(record.remains(), heaviest),
        light: pages::share(record.waste(), heaviest),
        thumbnail: record.thumbnail.clone(),
        findings: findings
            .map(|f| note(f.name, f.says.clone(), f.worth, 1))
            .collect(),
    }
}
