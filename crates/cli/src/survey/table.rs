//! The survey as a table for people.

use std::io::{self, Write};

use anstyle::Style;
use kiln_site::load::LINKS;

use super::summary::{self, Totals};
use super::{Record, Survey};
use crate::grid::{self, BAD, FAINT, STRONG, WASTE};
use crate::wording;

/// From this many columns on there is room for bars.
const ROOM_FOR_BARS: usize = 110;

/// Columns of the longest bar.
const BAR: u64 = 12;

pub(super) fn write(
    out: &mut dyn Write,
    survey: &Survey,
    shown: &[&Record],
    columns: Option<usize>,
) -> io::Result<()> {
    writeln!(
        out,
        "for pictures shown at most {} CSS pixels wide, at density {}:\n",
        survey.shown, survey.density
    )?;
    let heaviest = shown.iter().map(|record| record.weight).max().unwrap_or(0);
    let head = [
        "picture",
        "kind",
        "pixels",
        "weight",
        "would be",
        "█ stays ░ goes",
        "findings",
    ];
    let mut rows = vec![head.map(|text| (text.to_owned(), FAINT)).to_vec()];
    rows.extend(shown.iter().map(|record| row(record, heaviest)));
    let mut right = vec![2, 3, 4];
    if let Some(columns) = columns {
        if columns < ROOM_FOR_BARS {
            // The bar first, then the kind: the rest says more.
            for row in &mut rows {
                row.remove(5);
                row.remove(1);
            }
            right = vec![1, 2, 3];
        }
        grid::fold_last(&mut rows, columns, " ");
    }
    writeln!(out, "{}\n", grid::set(rows, columns, &right))?;
    let left = survey.records.len() - shown.len();
    if left > 0 {
        writeln!(
            out,
            "{FAINT}and {} more{FAINT:#}\n",
            wording::count(left, "file", "files")
        )?;
    }
    findings_in_all(out, survey, columns)?;
    totals(out, survey)
}

fn row(record: &Record, heaviest: u64) -> Vec<(String, Style)> {
    let plain = |text: String| (text, Style::new());
    let headers = record.headers.as_ref();
    let pixels = headers
        .and_then(|h| h.own_size())
        .map_or(String::new(), |size| size.to_string());
    let urgent = record.findings.first().is_some_and(|f| f.name.is_urgent());
    let names: Vec<&str> = record.findings.iter().map(|f| f.name.as_str()).collect();
    vec![
        (wording::safe(&record.name), STRONG),
        (headers.map_or(String::new(), |h| h.kind.to_string()), FAINT),
        plain(pixels),
        plain(wording::weight(record.weight)),
        plain(record.would_be()),
        (bar(record, heaviest), Style::new()),
        (names.join(" "), if urgent { Style::new() } else { FAINT }),
    ]
}

/// A bar as long as the file is heavy: solid what remains, light what could go.
fn bar(record: &Record, heaviest: u64) -> String {
    let cells = |bytes: u64| (bytes * BAR).div_ceil(heaviest.max(1)) as usize;
    let all = cells(record.weight);
    // What could go shows once it is half a cell.
    let light = (record.waste() * BAR + heaviest / 2) / heaviest.max(1);
    let light = (light as usize).min(all);
    format!("{}{}", "█".repeat(all - light), "░".repeat(light))
}

fn findings_in_all(out: &mut dyn Write, survey: &Survey, columns: Option<usize>) -> io::Result<()> {
    let sums = summary::sums(survey);
    if sums.is_empty() {
        return writeln!(out, "Nothing to complain about.\n");
    }
    writeln!(out, "{STRONG}Findings{STRONG:#}")?;
    let name = sums
        .iter()
        .map(|sum| sum.name.as_str().len())
        .max()
        .unwrap_or(0);
    for sum in &sums {
        let style = if sum.name.is_urgent() { BAD } else { WASTE };
        let files = wording::count(sum.files, "file", "files");
        let worth = match sum.worth {
            0 => String::new(),
            worth => format!("worth {}", wording::weight(worth)),
        };
        let pad = name - sum.name.as_str().len();
        // Name, files and worth with the gaps around them.
        let indent = 2 + name + 2 + 9 + 2 + 13 + 2;
        let room = columns.map_or(usize::MAX, |all| all.saturating_sub(indent));
        let says = grid::folded(&wording::safe(&sum.says), room, " ")
            .replace('\n', &format!("\n{:indent$}", ""));
        writeln!(
            out,
            "  {style}{}{style:#}{:pad$}  {files:>9}  {worth:>13}  {FAINT}{says}{FAINT:#}",
            sum.name.as_str(),
            "",
        )?;
    }
    writeln!(out)
}

fn totals(out: &mut dyn Write, survey: &Survey) -> io::Result<()> {
    let Totals {
        files,
        weight,
        remains,
        heaviest,
    } = summary::totals(survey);
    let counts = wording::count(files, "file", "files");
    writeln!(
        out,
        "{STRONG}{counts}, {}{STRONG:#}; {heaviest} of them make 80% of it",
        wording::weight(weight)
    )?;
    if let Some(remains) = remains {
        writeln!(
            out,
            "as {} of the right width {} would remain ({})",
            survey.format,
            wording::weight(remains),
            wording::change(weight, remains)
        )?;
    }
    for link in &LINKS {
        let before = wording::time(link.seconds(files, weight));
        let after = remains.map(|remains| wording::time(link.seconds(files, remains)));
        let after = after.map_or(String::new(), |after| format!(" → {after}"));
        writeln!(out, "  {:10}  {before}{after}", link.name)?;
    }
    Ok(())
}
