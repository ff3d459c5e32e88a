//! The survey as a JSON document (docs/formats.md).

use std::io::{self, Write};

use kiln_core::source::{Ballast, JpegCoding, Model};
use kiln_core::survey::{Finding, Motif};
use kiln_site::load::LINKS;
use serde::Serialize;

use super::summary;
use super::{Record, Survey};
use crate::find::Aside;

/// The version of the document's form.
const SCHEMA: u32 = 1;

#[derive(Serialize)]
struct Document<'a> {
    schema: u32,
    kind: &'static str,
    kiln: &'static str,
    shown: u32,
    density: f64,
    files: Vec<File<'a>>,
    unreadable: &'a [Aside],
    passed_over: &'a [Aside],
    findings: Vec<Sum>,
    totals: summary::Totals,
    links: Vec<Load>,
}

#[derive(Serialize)]
struct File<'a> {
    path: String,
    name: &'a str,
    weight: u64,
    format: Option<String>,
    width: Option<u32>,
    height: Option<u32>,
    megapixels: Option<f64>,
    bits: Option<u8>,
    model: Option<Model>,
    alpha: Option<bool>,
    lossless: Option<bool>,
    interlaced: Option<bool>,
    frames: Option<u32>,
    jpeg: Option<&'a JpegCoding>,
    dots_per_inch: Option<f64>,
    profile: Option<&'a str>,
    wide_gamut: Option<bool>,
    ballast: Option<&'a Ballast>,
    content: Option<Motif>,
    alpha_used: Option<bool>,
    estimate: Option<Estimate>,
    waste: u64,
    findings: &'a [Finding],
}

#[derive(Serialize)]
struct Estimate {
    format: kiln_core::encode::Format,
    width: u32,
    height: u32,
    weight: u64,
}

#[derive(Serialize)]
struct Sum {
    name: kiln_core::survey::Name,
    files: usize,
    worth: u64,
}

#[derive(Serialize)]
struct Load {
    name: &'static str,
    seconds: f64,
    seconds_remaining: Option<f64>,
}

pub(super) fn write(out: &mut dyn Write, survey: &Survey, shown: &[&Record]) -> io::Result<()> {
    let totals = summary::totals(survey);
    let rounded = |seconds: f64| (seconds * 100.0).round() / 100.0;
    let links = LINKS.iter().map(|link| Load {
        name: link.name,
        seconds: rounded(link.seconds(totals.files, totals.weight)),
        seconds_remaining: totals
            .remains
            .map(|bytes| rounded(link.seconds(totals.files, bytes))),
    });
    let sums = summary::sums(survey).into_iter().map(|sum| Sum {
        name: sum.name,
        files: sum.files,
        worth: sum.worth,
    });
    let document = Document {
        schema: SCHEMA,
        kind: "survey",
        kiln: env!("CARGO_PKG_VERSION"),
        shown: survey.shown,
        density: survey.density,
        files: shown.iter().map(|record| file(record)).collect(),
        unreadable: &survey.unreadable,
        passed_over: &survey.passed_over,
        findings: sums.collect(),
        links: links.collect(),
        totals,
    };
    serde_json::to_writer_pretty(&mut *out, &document)?;
    writeln!(out)
}

fn file(record: &Record) -> File<'_> {
    let headers = record.headers.as_ref();
    let size = headers.and_then(|h| h.own_size());
    let glance = record.glance.as_ref();
    File {
        path: record.path.to_string_lossy().into_owned(),
        name: &record.name,
        weight: record.weight,
        format: headers.map(|h| h.kind.to_string().to_lowercase()),
        width: size.map(|size| size.width()),
        height: size.map(|size| size.height()),
        megapixels: size.map(|size| (size.pixels() as f64 / 1e4).round() / 100.0),
        bits: headers.map(|h| h.bits),
        model: headers.map(|h| h.model),
        alpha: headers.map(|h| h.alpha),
        lossless: headers.map(|h| h.lossless),
        interlaced: headers.map(|h| h.interlaced),
        frames: headers.map(|h| h.frames),
        jpeg: headers.and_then(|h| h.jpeg.as_ref()),
        dots_per_inch: headers.and_then(|h| h.dots_per_inch),
        profile: record.profile.as_ref().map(|p| p.description.as_str()),
        wide_gamut: record.profile.as_ref().map(|p| p.wide),
        ballast: headers.map(|h| &h.ballast),
        content: glance.map(|glance| glance.motif),
        alpha_used: glance.map(|glance| glance.alpha_used),
        estimate: glance.map(|glance| Estimate {
            format: glance.estimate.format,
            width: glance.estimate.size.width(),
            height: glance.estimate.size.height(),
            weight: glance.estimate.weight,
        }),
        waste: record.waste(),
        findings: &record.findings,
    }
}
