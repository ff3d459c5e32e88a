//! Pages as a table for people.

use std::io::{self, Write};

use anstyle::Style;

use super::Told;
use super::sums::Sum;
use super::visit::{Picture, Visit};
use crate::grid::{self, FAINT, STRONG};
use crate::wording;

/// From this many columns on there is room for where pictures are referred to.
const ROOM_FOR_LINES: usize = 120;

/// The parts that pictures are told in; the first needs no heading.
pub(super) const HEADINGS: [&str; 3] = ["", "From other hosts", "Not loaded on these screens"];

/// The part that a picture is told in.
pub(super) fn section_of(visit: &Visit, picture: &Picture) -> usize {
    match picture {
        picture if !picture.is_loaded() => 2,
        picture if visit.is_foreign(picture) => 1,
        _ => 0,
    }
}

pub(super) fn write(
    out: &mut dyn Write,
    told: &Told<'_>,
    columns: Option<usize>,
) -> io::Result<()> {
    head(out, told)?;
    if told.shown.is_empty() {
        writeln!(out, "No pictures.\n")?;
    }
    for (index, heading) in HEADINGS.iter().enumerate() {
        let of = told.shown.iter().copied();
        let of = of.filter(|picture| section_of(told.visit, picture) == index);
        section(out, told, heading, &of.collect::<Vec<_>>(), columns)?;
    }
    if told.left() > 0 {
        let left = wording::count(told.left(), "picture", "pictures");
        writeln!(out, "{FAINT}and {left} more{FAINT:#}\n")?;
    }
    if !told.notes.is_empty() {
        writeln!(out, "{STRONG}Notes{STRONG:#}")?;
        for note in &told.notes {
            writeln!(out, "{}", grid::item(&note.says, columns))?;
            for one in &note.about {
                writeln!(out, "    {FAINT}{one}{FAINT:#}")?;
            }
        }
        writeln!(out)?;
    }
    totals(out, told, columns)
}

/// What was visited.
fn head(out: &mut dyn Write, told: &Told<'_>) -> io::Result<()> {
    let pages = &told.visit.pages;
    match &pages[..] {
        [one] => {
            let given = wording::safe(&one.start.given);
            match one.title() {
                Some(title) => {
                    writeln!(out, "{STRONG}{}{STRONG:#} at {given}", wording::safe(title))?
                }
                None => writeln!(out, "{STRONG}{given}{STRONG:#}")?,
            }
        }
        all => writeln!(out, "{STRONG}{} pages{STRONG:#}", all.len())?,
    }
    let screens: Vec<String> = told.visit.viewports.iter().map(|v| v.to_string()).collect();
    let how = match (told.is_measured(), pages.len()) {
        (true, _) => "measured in a browser",
        (false, 1) => "by its markup",
        (false, _) => "by their markup",
    };
    writeln!(out, "on screens of {}, {how}\n", screens.join(", "))
}

fn section(
    out: &mut dyn Write,
    told: &Told<'_>,
    heading: &str,
    pictures: &[&Picture],
    columns: Option<usize>,
) -> io::Result<()> {
    if pictures.is_empty() {
        return Ok(());
    }
    if !heading.is_empty() {
        writeln!(out, "{STRONG}{heading}{STRONG:#}")?;
    }
    let head = [
        "picture",
        "shown",
        "pixels",
        "weight",
        "would be",
        "referred to in",
        "findings",
    ];
    let mut rows = vec![head.map(|text| (text.to_owned(), FAINT)).to_vec()];
    rows.extend(pictures.iter().map(|picture| row(told, picture)));
    let right = vec![1, 2, 3, 4];
    if let Some(columns) = columns {
        if columns < ROOM_FOR_LINES {
            for row in &mut rows {
                row.remove(5);
            }
        }
        grid::fold_last(&mut rows, columns, " ");
    }
    writeln!(out, "{}\n", grid::set(rows, columns, &right))
}

fn row(told: &Told<'_>, picture: &Picture) -> Vec<(String, Style)> {
    let plain = |text: String| (text, Style::new());
    let record = picture.record.as_ref();
    let size = record.and_then(|record| record.headers.as_ref()?.own_size());
    let findings = record.map_or(&[][..], |record| &record.findings[..]);
    let urgent = findings
        .first()
        .is_some_and(|finding| finding.name.is_urgent());
    let names: Vec<&str> = findings
        .iter()
        .map(|finding| finding.name.as_str())
        .collect();
    vec![
        (picture.called.clone(), STRONG),
        plain(shown(picture)),
        plain(size.map_or(String::new(), |size| size.to_string())),
        plain(wording::weight(picture.weight().unwrap_or(0))),
        plain(would_be(picture)),
        (told.visit.at(picture), FAINT),
        (names.join(" "), if urgent { Style::new() } else { FAINT }),
    ]
}

/// What a picture would weigh.
pub(super) fn would_be(picture: &Picture) -> String {
    match (&picture.record, picture.weight()) {
        (Some(record), Some(weight)) if record.glance.is_some() && picture.waste() > 0 => {
            wording::weight(weight - picture.waste())
        }
        (Some(record), _) => record.would_be(),
        _ => String::new(),
    }
}

/// The widths that a picture is shown at.
pub(super) fn shown(picture: &Picture) -> String {
    if !picture.is_loaded() {
        return String::new();
    }
    match picture.widths() {
        Some((least, most)) if (most - least).abs() < 0.5 => format!("{most:.0} px"),
        Some((least, most)) => format!("{least:.0}–{most:.0} px"),
        None if picture.shown.iter().any(|shown| shown.is_measured) => "not seen".to_owned(),
        None => "not said".to_owned(),
    }
}

fn totals(out: &mut dyn Write, told: &Told<'_>, columns: Option<usize>) -> io::Result<()> {
    let many = told.visit.pages.len() > 1;
    let head = [
        "",
        "requests",
        "pictures",
        "would be",
        "in all",
        "slow phone",
        "fast phone",
        "cable",
    ];
    let mut rows = vec![head.map(|text| (text.to_owned(), FAINT)).to_vec()];
    rows.extend(summed(told).into_iter().map(|(name, sum)| total(name, sum)));
    let right = [1, 2, 3, 4, 5, 6, 7];
    writeln!(out, "{}", grid::set(rows, columns, &right))?;
    if many {
        let unique = told.visit.pictures.iter().filter_map(Picture::weight).sum();
        writeln!(
            out,
            "\n{STRONG}{}, {}{STRONG:#}",
            wording::count(told.visit.pictures.len(), "picture", "pictures"),
            wording::weight(unique)
        )?;
    }
    writeln!(
        out,
        "\n{FAINT}load times with pictures, and without; see kiln page --help{FAINT:#}"
    )
}

/// The sums that are told: of one page on each screen; of many on the screen that loads the most.
pub(super) fn summed<'a>(told: &Told<'a>) -> Vec<(String, &'a Sum)> {
    if let [sums] = told.sums {
        return sums.iter().map(|sum| (sum.screen.clone(), sum)).collect();
    }
    let pages = told.visit.pages.iter().zip(told.sums);
    let came = pages.filter(|(page, _)| page.came());
    let heaviest = came.filter_map(|(page, sums)| {
        let sum = sums.iter().max_by_key(|sum| sum.weight)?;
        Some((wording::safe(&page.start.given), sum))
    });
    heaviest.collect()
}

fn total(name: String, sum: &Sum) -> Vec<(String, Style)> {
    let plain = |text: String| (text, Style::new());
    let mut row = vec![
        (name, STRONG),
        plain(sum.requests.to_string()),
        plain(wording::weight(sum.picture_weight)),
        plain(wording::weight(sum.remains)),
        plain(wording::weight(sum.weight)),
    ];
    row.extend(sum.loads.iter().map(|load| {
        let (with, without) = (load.with_pictures, load.without_pictures);
        plain(format!(
            "{} / {}",
            wording::time(with),
            wording::time(without)
        ))
    }));
    row
}
