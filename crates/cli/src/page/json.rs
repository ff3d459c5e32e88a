//! Pages as a JSON document (docs/formats.md).

use std::io::{self, Write};

use kiln_core::survey::Finding;
use serde::Serialize;

use super::Told;
use super::sums::Sum;
use super::visit::Picture;

/// The version of the document's form.
const SCHEMA: u32 = 1;

#[derive(Serialize)]
struct Document<'a> {
    schema: u32,
    kind: &'static str,
    kiln: &'static str,
    measured: bool,
    pages: Vec<Page<'a>>,
    pictures: Vec<File<'a>>,
    notes: Vec<Remark<'a>>,
    troubles: Vec<Trouble<'a>>,
}

#[derive(Serialize)]
struct Remark<'a> {
    says: &'a str,
    about: &'a [String],
}

#[derive(Serialize)]
struct Page<'a> {
    given: &'a str,
    address: &'a str,
    title: Option<&'a str>,
    files: Vec<Part<'a>>,
    screens: &'a [Sum],
}

#[derive(Serialize)]
struct Part<'a> {
    address: &'a str,
    what: kiln_site::Ask,
    weight: Option<u64>,
}

#[derive(Serialize)]
struct File<'a> {
    address: &'a str,
    name: &'a str,
    weight: Option<u64>,
    format: Option<String>,
    width: Option<u32>,
    height: Option<u32>,
    other_host: bool,
    loaded: bool,
    alternative_text: Option<&'a str>,
    uses: Vec<Used<'a>>,
    shown: Vec<Shown>,
    would_be: Option<u64>,
    findings: &'a [Finding],
}

#[derive(Serialize)]
struct Used<'a> {
    page: usize,
    file: &'a str,
    line: u32,
    role: kiln_site::Role,
    lazy: bool,
}

#[derive(Serialize)]
struct Shown {
    screen: String,
    loaded: bool,
    width: Option<f64>,
    whole_width: Option<f64>,
    below_first_screen: Option<bool>,
    without_size: bool,
}

#[derive(Serialize)]
struct Trouble<'a> {
    at: &'a str,
    says: String,
}

pub(super) fn write(out: &mut dyn Write, told: &Told<'_>) -> io::Result<()> {
    let visit = told.visit;
    let pages = visit.pages.iter().zip(told.sums).map(|(page, sums)| Page {
        given: &page.start.given,
        address: page.start.address.as_str(),
        title: page.title(),
        files: page
            .page
            .files
            .iter()
            .map(|file| Part {
                address: file.address.as_str(),
                what: file.ask,
                weight: file.weight,
            })
            .collect(),
        screens: sums,
    });
    let troubles = visit.troubles.iter().map(|(at, why)| Trouble {
        at,
        says: why.to_string(),
    });
    let document = Document {
        schema: SCHEMA,
        kind: "page",
        kiln: env!("CARGO_PKG_VERSION"),
        measured: told.is_measured(),
        pages: pages.collect(),
        pictures: told
            .shown
            .iter()
            .map(|picture| file(told, picture))
            .collect(),
        notes: told
            .notes
            .iter()
            .map(|note| Remark {
                says: &note.says,
                about: &note.about,
            })
            .collect(),
        troubles: troubles.collect(),
    };
    serde_json::to_writer_pretty(&mut *out, &document)?;
    writeln!(out)
}

fn file<'a>(told: &'a Told<'_>, picture: &'a Picture) -> File<'a> {
    let visit = told.visit;
    let record = picture.record.as_ref();
    let headers = record.and_then(|record| record.headers.as_ref());
    let size = headers.and_then(|headers| headers.own_size());
    let uses = picture.uses.iter().map(|(page, used)| {
        let site = &visit.pages[*page].page;
        let showing = site.showing(*used);
        Used {
            page: *page,
            file: site.files[used.file].address.as_str(),
            line: used.line,
            role: showing.role,
            lazy: showing.lazy,
        }
    });
    let shown = visit.viewports.iter().zip(&picture.shown);
    let shown = shown.map(|(screen, shown)| Shown {
        screen: screen.to_string(),
        loaded: shown.is_loaded,
        width: shown.width,
        whole_width: shown.whole.or(shown.width),
        below_first_screen: shown.is_measured.then_some(shown.is_below),
        without_size: shown.is_unsized,
    });
    let glanced = record.is_some_and(|record| record.glance.is_some());
    File {
        address: picture.address.as_str(),
        name: &picture.called,
        weight: picture.weight(),
        format: headers.map(|headers| headers.kind.to_string().to_lowercase()),
        width: size.map(|size| size.width()),
        height: size.map(|size| size.height()),
        other_host: visit.is_foreign(picture),
        loaded: picture.is_loaded(),
        alternative_text: visit.alt(picture),
        uses: uses.collect(),
        shown: shown.collect(),
        would_be: picture
            .weight()
            .filter(|_| glanced)
            .map(|weight| weight - picture.waste()),
        findings: record.map_or(&[], |record| &record.findings),
    }
}
