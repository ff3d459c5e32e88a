//! Pages as one self-contained page.

use kiln_core::pixels::Size;
use kiln_site::load::LINKS;
use minijinja::context;
use serde::Serialize;

use super::Told;
use super::sums::Sum;
use super::table::{self, section_of};
use super::visit::Picture;
use crate::browser::{Box, Measured};
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
            measured => told.is_measured(),
            stages => stages(told),
            notes => told.notes.iter().map(|note| context! { says => note.says, about => note.about.join(", ") }).collect::<Vec<_>>(),
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

/// What pages look like, heavy pictures outlined.
#[derive(Serialize)]
struct Stage {
    screen: String,
    picture: String,
    width: u32,
    boxes: Vec<Outline>,
}

/// Where a picture stands; sides in per cent of the whole.
#[derive(Serialize)]
struct Outline {
    number: usize,
    name: String,
    weight: String,
    urgent: bool,
    left: f64,
    top: f64,
    width: f64,
    height: f64,
}

/// Pictures from this weight on are outlined.
const OUTLINED: u64 = 100_000;

fn stages(told: &Told<'_>) -> Vec<Stage> {
    let mut stages = Vec::new();
    for visited in &told.visit.pages {
        let seen = told.visit.viewports.iter().zip(&visited.measured);
        for (viewport, measured) in seen {
            let Some(measured) = measured else { continue };
            let Some(look) = &measured.look else { continue };
            let Some(picture) = pages::small(look) else {
                continue;
            };
            let outlines = measured.shown.iter();
            stages.push(Stage {
                screen: format!("{} on {viewport}", wording::safe(&visited.start.given)),
                picture,
                width: look.size().width(),
                boxes: outlines
                    .filter_map(|one| outline(told, measured, look.size(), one))
                    .collect(),
            });
        }
    }
    stages
}

/// The outline of a picture in the look of a page; none where it is light or lies below.
fn outline(told: &Told<'_>, measured: &Measured, size: Size, one: &Box) -> Option<Outline> {
    let mut found = told.shown.iter().enumerate();
    let (number, picture) = found.find(|(_, picture)| picture.address.as_str() == one.address)?;
    let weight = picture.weight().filter(|weight| *weight > OUTLINED)?;
    let scale = f64::from(size.width()) / measured.width.max(1.0);
    let share =
        |length: f64, of: u32| (length * scale / f64::from(of.max(1)) * 10_000.0).round() / 100.0;
    let outline = Outline {
        number,
        name: picture.called.clone(),
        weight: wording::weight(weight),
        urgent: weight > 2 * OUTLINED,
        left: share(one.x, size.width()),
        top: share(one.y, size.height()),
        width: share(one.width, size.width()),
        height: share(one.height, size.height()),
    };
    let is_in = outline.top < 100.0 && outline.width > 0.0 && outline.height > 0.0;
    is_in.then_some(outline)
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
        solid: pages::share(weight - picture.waste(), heaviest),
        light: pages::share(picture.waste(), heaviest),
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
