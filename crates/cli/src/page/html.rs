//! Pages as one self-contained page.

use kiln_site::load::LINKS;
use minijinja::context;
use serde::Serialize;

use super::Told;
use super::sums::Sum;
use super::table::{self, section_of};
use super::visit::Picture;
use crate::{pages, wording};

#[derive(Serialize)]
struct Section {
    heading: &'static str,
    rows: Vec<Row>,
}

#[derive(Serialize)]
struct Row {
    number: usize,
    name: String,
    kind: String,
    at: String,
    shown: String,
    pixels: String,
    weight: String,
    would_be: String,
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
    urgent: bool,
}

#[derive(Serialize)]
struct Total {
    name: String,
    requests: usize,
    pictures: String,
    remains: String,
    weight: String,
    loads: Vec<Time>,
}

#[derive(Serialize)]
struct Time {
    with: String,
    remaining: String,
}

#[derive(Serialize)]
struct Trouble {
    at: String,
    says: String,
}

/// The whole page.
pub(super) fn render(told: &Told<'_>) -> String {
    let visit = told.visit;
    let heaviest = told.shown.first().and_then(|picture| picture.weight());
    let mut sections: Vec<Section> = table::HEADINGS
        .iter()
        .map(|heading| Section {
            heading: if heading.is_empty() {
                "Pictures"
            } else {
                heading
            },
            rows: Vec::new(),
        })
        .collect();
    for (number, picture) in told.shown.iter().enumerate() {
        let row = row(told, number, picture, heaviest.unwrap_or(1).max(1));
        sections[section_of(visit, picture)].rows.push(row);
    }
    sections.retain(|section| !section.rows.is_empty());
    let given: Vec<String> = visit
        .pages
        .iter()
        .map(|page| wording::safe(&page.start.given))
        .collect();
    let heading = match &visit.pages[..] {
        [one] => one.title().map_or_else(|| given[0].clone(), wording::safe),
        all => wording::count(all.len(), "page", "pages"),
    };
    let most = told
        .sums
        .iter()
        .map(|sums| super::sums::heaviest(sums))
        .max();
    let troubles = visit.troubles.iter().map(|(at, why)| Trouble {
        at: wording::safe(at),
        says: wording::safe(&why.to_string()),
    });
    pages::render(
        "page.html",
        context! {
            heading,
            of => given.join(", "),
            date => wording::today(),
            screens => visit.viewports.iter().map(|v| v.to_string()).collect::<Vec<_>>(),
            measured => false,
            many => visit.pages.len() > 1,
            heaviest => wording::weight(most.unwrap_or(0)),
            links => LINKS.map(|link| link.name),
            sums => totals(told),
            sections,
            left => told.left(),
            troubles => troubles.collect::<Vec<_>>(),
        },
    )
}

fn totals(told: &Told<'_>) -> Vec<Total> {
    let rows = table::summed(told).into_iter();
    rows.map(|(name, sum)| total(name, sum)).collect()
}

fn total(name: String, sum: &Sum) -> Total {
    let loads = sum.loads.iter().map(|load| Time {
        with: wording::time(load.with_pictures),
        remaining: wording::time(load.remaining),
    });
    Total {
        name,
        requests: sum.requests,
        pictures: wording::weight(sum.picture_weight),
        remains: wording::weight(sum.remains),
        weight: wording::weight(sum.weight),
        loads: loads.collect(),
    }
}

fn row(told: &Told<'_>, number: usize, picture: &Picture, heaviest: u64) -> Row {
    let record = picture.record.as_ref();
    let headers = record.and_then(|record| record.headers.as_ref());
    let size = headers.and_then(|headers| headers.own_size());
    let weight = picture.weight().unwrap_or(0);
    let share = |bytes: u64| (bytes as f64 / heaviest as f64 * 1000.0).round() / 10.0;
    let findings = record.map_or(&[][..], |record| &record.findings[..]).iter();
    Row {
        number,
        name: picture.called.clone(),
        kind: headers.map_or(String::new(), |headers| headers.kind.to_string()),
        at: told.visit.at(picture),
        shown: table::shown(picture),
        pixels: size.map_or(String::new(), |size| size.to_string()),
        weight: wording::weight(weight),
        would_be: table::would_be(picture),
        waste: picture.waste(),
        solid: share(weight - picture.waste()),
        light: share(picture.waste()),
        thumbnail: record.and_then(|record| record.thumbnail.clone()),
        findings: findings
            .map(|finding| Note {
                name: finding.name.as_str(),
                says: wording::safe(&finding.says),
                urgent: finding.name.is_urgent(),
            })
            .collect(),
    }
}
