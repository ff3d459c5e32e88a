//! A proof on the terminal.

use std::io::{self, Write};

use anstyle::Style;
use kiln_core::plan::{CodingWish, look_name};

use super::{Report, Row, Subject, dial, plot};
use crate::grid::{self, BAD, FAINT, GOOD, STRONG};
use crate::wording;
use kiln_site::load::SLOW_PHONE;

/// Everything.
pub fn write(out: &mut dyn Write, report: &Report, columns: Option<usize>) -> io::Result<()> {
    for (index, subject) in report.subjects.iter().enumerate() {
        if index > 0 {
            writeln!(out)?;
        }
        one(out, subject, columns)?;
    }
    Ok(())
}

fn one(out: &mut dyn Write, subject: &Subject, columns: Option<usize>) -> io::Result<()> {
    let name = wording::safe(&subject.original.name);
    writeln!(out, "{STRONG}{name}{STRONG:#}{}", asked(subject))?;
    let rows = subject.rows();
    let mut table = vec![head()];
    // Looks that come to the same file share a line.
    let same = |a: &Row<'_>, b: &Row<'_>| std::ptr::eq(a.judged, b.judged);
    table.extend(rows.chunk_by(same).map(|looks| cells(looks, subject)));
    writeln!(out, "{}", grid::set(table, columns, &[2, 3, 4, 5, 6, 7]))?;
    let plot = plot::plot(subject, columns);
    if !plot.is_empty() {
        writeln!(
            out,
            "\n{FAINT}Score against weight; a letter for each format{FAINT:#}"
        )?;
    }
    for line in plot {
        writeln!(out, "{line}")?;
    }
    spots(out, &rows, subject, columns)?;
    writeln!(out, "\n{}", conclusion(&rows, subject))
}

/// What is wanted of a picture.
fn asked(subject: &Subject) -> String {
    let mut parts = vec![subject.size.to_string()];
    parts.extend(subject.terms());
    let place = subject.place.as_ref();
    let place = place.map_or(String::new(), |place| format!(" for {place}"));
    format!("{place}: {}", parts.join(", "))
}

fn head() -> Vec<(String, Style)> {
    let head = [
        "format",
        "look",
        "weight",
        "change",
        "score",
        "dial",
        "ΔE",
        "slow phone",
        "",
    ];
    head.map(|text| (text.to_owned(), FAINT)).to_vec()
}

/// The cells of a version, which answers one wish or several.
fn cells(rows: &[Row<'_>], subject: &Subject) -> Vec<(String, Style)> {
    let row = &rows[0];
    let any = |holds: fn(&Row<'_>) -> bool| rows.iter().any(holds);
    let attempt = row.judged.version.attempt;
    let serves = any(|row| row.serves);
    let style = if serves { GOOD } else { Style::new() };
    let wishes: Vec<String> = rows.iter().map(|row| wish_name(row.wish)).collect();
    let over = subject.max_weight.is_some_and(|most| attempt.weight > most);
    let mut remarks = Vec::new();
    if serves {
        remarks.push("◂ the lightest that serves");
    }
    if any(|row| !row.met) {
        remarks.push("below its look at the highest dial");
    }
    if over {
        remarks.push("over the weight");
    }
    if any(|row| row.enough) {
        remarks.push("more bytes buy nothing that is seen");
    }
    let tint = row
        .judged
        .tint
        .map_or(String::new(), |tint| format!("{:.1}", tint.mean));
    let seconds = SLOW_PHONE.seconds(1, attempt.weight);
    vec![
        (row.proven.format.to_string(), style),
        (wishes.join(", "), style),
        (
            wording::weight(attempt.weight),
            if over { BAD } else { style },
        ),
        (
            wording::change(subject.original.weight, attempt.weight),
            style,
        ),
        (format!("{:.1}", attempt.score), style),
        (dial(attempt.coding), style),
        (tint, style),
        (wording::time(seconds), style),
        (remarks.join(" · "), style),
    ]
}

/// A wish by its name.
pub fn wish_name(wish: CodingWish) -> String {
    match wish {
        CodingWish::Look(wish) => look_name(wish.look),
        CodingWish::Exact => "exact".to_owned(),
        CodingWish::Dial(dial) => format!("dial {dial}"),
    }
}

/// Where to look.
fn spots(
    out: &mut dyn Write,
    rows: &[Row<'_>],
    subject: &Subject,
    columns: Option<usize>,
) -> io::Result<()> {
    if subject.proof.spots.is_empty() {
        return Ok(());
    }
    let look = subject.look.map_or("its look".to_owned(), look_name);
    writeln!(
        out,
        "\n{FAINT}Where the eye sees it first, at {look}{FAINT:#}"
    )?;
    let wanted = subject.wanted(rows);
    for (index, spot) in subject.proof.spots.iter().enumerate() {
        let losses = wanted.iter().filter_map(|row| {
            let loss = row.judged.losses.get(index)?;
            Some((row.proven.format, loss.score, loss.damage?))
        });
        let mut seen: Vec<_> = losses.collect();
        seen.sort_by(|(_, a, _), (_, b, _)| a.total_cmp(b));
        let seen = seen
            .into_iter()
            .map(|(format, score, damage)| format!("{format} {damage} ({:.0})", score.max(0.0)));
        let seen: Vec<String> = seen.collect();
        let seen = if seen.is_empty() {
            "nothing is seen".to_owned()
        } else {
            seen.join(", ")
        };
        let (x, y) = (spot.area.x, spot.area.y);
        let line = format!("{} at {x},{y}: {seen}", spot.shows);
        writeln!(out, "{}", grid::item(&line, columns))?;
    }
    Ok(())
}

/// What it comes to, in a sentence.
fn conclusion(rows: &[Row<'_>], subject: &Subject) -> String {
    let Some(look) = subject.look else {
        return "No look is wanted of it: a dial is set, or it is to be exact.".to_owned();
    };
    let name = look_name(look);
    let Some(best) = rows.iter().find(|row| row.serves) else {
        return format!("Nothing that was tried reaches {name} within the weight.");
    };
    let attempt = best.judged.version.attempt;
    let weight = wording::weight(attempt.weight);
    let format = best.proven.format;
    format!(
        "{format} is the lightest at {name}: {weight}. Keep it with --format {}.",
        format.extension()
    )
}
