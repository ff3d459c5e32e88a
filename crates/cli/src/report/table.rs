//! The report as a table for people.

use std::io::{self, Write};

use anstyle::{AnsiColor, Style};
use comfy_table::{Cell, CellAlignment, ContentArrangement, Table};
use kiln_core::encode::Coding;
use unicode_width::{UnicodeWidthChar, UnicodeWidthStr};

use super::{Fired, FiringReport, OriginalReport, PieceReport, Totals};
use crate::find::Aside;
use crate::wording;

const STRONG: Style = Style::new().bold();
const FAINT: Style = Style::new().dimmed();
const GOOD: Style = AnsiColor::Green.on_default();
const BAD: Style = AnsiColor::Red.on_default().bold();

/// The fewest columns that a name is shortened to.
const NAME_AT_LEAST: usize = 16;

pub(super) fn write(
    out: &mut impl Write,
    report: &FiringReport,
    columns: Option<usize>,
    verbose: bool,
) -> io::Result<()> {
    let rows = rows(report, verbose);
    if rows.len() > 1 {
        writeln!(out, "{}\n", layout(rows, columns))?;
    }
    notes(out, report)?;
    asides(out, "Left out", &report.left_out)?;
    asides(out, "Refused", &refused(report))?;
    totals(out, report)
}

/// A row: name, pixels, weight, change, remarks; each with its style.
type Line = [(String, Style); 5];

fn rows(report: &FiringReport, verbose: bool) -> Vec<Line> {
    let head = ["picture", "pixels", "weight", "change", ""];
    let mut rows = vec![head.map(|text| (text.to_owned(), FAINT))];
    for original in report.originals.iter().filter(|o| o.refusal().is_none()) {
        rows.push([
            (wording::safe(&original.name), STRONG),
            (original.size.to_string(), Style::new()),
            (wording::weight(original.weight), Style::new()),
            Default::default(),
            (original.kind.to_string(), FAINT),
        ]);
        let pieces = original.pieces.iter();
        rows.extend(pieces.map(|piece| piece_row(piece, original, verbose)));
    }
    rows
}

fn piece_row(piece: &PieceReport, original: &OriginalReport, verbose: bool) -> Line {
    let mut remarks = Vec::new();
    let (mut weight, mut change) = (String::new(), (String::new(), Style::new()));
    let mut style = FAINT;
    match &piece.fired {
        Fired::Planned => {}
        Fired::Failed(why) => {
            remarks.push(format!("failed: {why}"));
            style = BAD;
        }
        Fired::Made(written) => {
            weight = wording::weight(written.weight);
            let lighter = written.weight < original.weight;
            let colour = if lighter { GOOD } else { Style::new() };
            change = (wording::change(original.weight, written.weight), colour);
            if !written.fits {
                let most = original.max_weight.map_or(String::new(), wording::weight);
                remarks.push(format!("over its {most}"));
                style = BAD;
            }
            if written.coding == Coding::Lossless {
                remarks.push("lossless".to_owned());
            }
            if written.flattened {
                remarks.push(format!("on {}", original.backdrop));
            }
            if verbose {
                if let Coding::Dial(dial) = written.coding {
                    remarks.push(format!("dial {dial}"));
                }
                remarks.push(wording::count(written.trail.len(), "encode", "encodes"));
            }
        }
    }
    if piece.short_of.is_some() {
        remarks.push("own width".to_owned());
    }
    [
        (format!("  {}", wording::safe(&piece.name)), Style::new()),
        (piece.size.to_string(), Style::new()),
        (weight, Style::new()),
        change,
        (remarks.join(" · "), style),
    ]
}

/// Sets the rows in columns. Where they are wider than the terminal, names give way first.
fn layout(rows: Vec<Line>, columns: Option<usize>) -> String {
    let widest = |column: usize| {
        rows.iter()
            .map(|row| row[column].0.width())
            .max()
            .unwrap_or(0)
    };
    // Two spaces between columns.
    let others: usize = (1..5).map(widest).sum::<usize>() + 8;
    let name = columns.map_or(usize::MAX, |all| {
        all.saturating_sub(others).max(NAME_AT_LEAST)
    });
    let mut table = Table::new();
    table.load_style(comfy_table::TableStyle::new());
    table.set_content_arrangement(ContentArrangement::Disabled);
    for mut row in rows {
        row[0].0 = shortened(&row[0].0, name);
        table.add_row(row.into_iter().enumerate().map(|(column, (text, style))| {
            let styled = match text.is_empty() {
                true => text,
                false => format!("{style}{text}{style:#}"),
            };
            Cell::new(styled).set_alignment(match column {
                1..=3 => CellAlignment::Right,
                _ => CellAlignment::Left,
            })
        }));
    }
    for (index, column) in table.column_iter_mut().enumerate() {
        column.set_padding((if index == 0 { 0 } else { 2 }, 0));
    }
    table
        .lines()
        .map(|line| line.trim_end().to_owned())
        .collect::<Vec<_>>()
        .join("\n")
}

/// A text of at most so many columns, its middle taken out if need be.
fn shortened(text: &str, columns: usize) -> String {
    if text.width() <= columns {
        return text.to_owned();
    }
    let room = columns.saturating_sub(1);
    let take = |chars: &mut dyn Iterator<Item = char>, room: usize| {
        let mut used = 0;
        let fits = |c: &char| {
            used += c.width().unwrap_or(0);
            used <= room
        };
        chars.take_while(fits).collect::<Vec<char>>()
    };
    // The end tells more than the beginning: width and format stand there.
    let tail = take(&mut text.chars().rev(), room * 2 / 3);
    let head = take(&mut text.chars(), room - room * 2 / 3);
    head.into_iter()
        .chain(['…'])
        .chain(tail.into_iter().rev())
        .collect()
}

/// Notes, each sentence once with the pictures that it holds for.
fn notes(out: &mut impl Write, report: &FiringReport) -> io::Result<()> {
    let mut grouped: Vec<(String, Vec<String>)> = Vec::new();
    let mut add = |note: &str, name: &str| {
        let name = wording::safe(name);
        match grouped.iter_mut().find(|(known, _)| known == note) {
            Some((_, names)) => names.push(name),
            None => grouped.push((note.to_owned(), vec![name])),
        }
    };
    for original in report.originals.iter().filter(|o| o.refusal().is_none()) {
        for note in &original.notes {
            add(note, &original.name);
        }
        if let Some(asked) = original.pieces.iter().find_map(|piece| piece.short_of) {
            let note =
                format!("narrower than the {asked} pixels asked for, so made at its own width");
            add(&note, &original.name);
        }
    }
    if !grouped.is_empty() {
        writeln!(out, "{STRONG}Notes{STRONG:#}")?;
        for (note, names) in grouped {
            writeln!(out, "  {}: {note}", listed(&names))?;
        }
        writeln!(out)?;
    }
    Ok(())
}

/// A few names, and how many more there are.
fn listed(names: &[String]) -> String {
    const SHOWN: usize = 4;
    match names.len() {
        0..=SHOWN => names.join(", "),
        all => format!(
            "{} and {} more",
            names[..SHOWN - 1].join(", "),
            all - SHOWN + 1
        ),
    }
}

/// What was refused when it was found, and what turned out to be broken later.
fn refused(report: &FiringReport) -> Vec<Aside> {
    let later = report.originals.iter().filter_map(|original| {
        Some(Aside {
            path: original.path.clone().into(),
            why: original.refusal()?.to_owned(),
        })
    });
    let mut all: Vec<Aside> = report.refused.iter().cloned().chain(later).collect();
    all.sort_by(|a, b| a.path.cmp(&b.path));
    all
}

fn asides(out: &mut impl Write, title: &str, asides: &[Aside]) -> io::Result<()> {
    if asides.is_empty() {
        return Ok(());
    }
    writeln!(out, "{STRONG}{title}{STRONG:#}")?;
    for Aside { path, why } in asides {
        writeln!(
            out,
            "  {}: {}",
            wording::safe(&path.to_string_lossy()),
            wording::safe(why)
        )?;
    }
    writeln!(out)
}

fn totals(out: &mut impl Write, report: &FiringReport) -> io::Result<()> {
    let Totals {
        originals,
        pieces,
        before,
        after,
        heaviest,
    } = report.totals();
    let counts = format!(
        "{} from {}",
        wording::count(pieces, "piece", "pieces"),
        wording::count(originals, "original", "originals")
    );
    if report.dry_run {
        return writeln!(
            out,
            "{STRONG}{counts}{STRONG:#} of {} would be made; nothing was written",
            wording::weight(before)
        );
    }
    let over = report.originals.iter().flat_map(|o| &o.pieces);
    let over = over
        .filter(|piece| piece.written().is_some_and(|w| !w.fits))
        .count();
    writeln!(
        out,
        "{STRONG}{counts}{STRONG:#} in {}",
        wording::time(report.seconds)
    )?;
    if pieces > 0 {
        writeln!(
            out,
            "before {}, after {}, saved {} ({GOOD}{}{GOOD:#})",
            wording::weight(before),
            wording::weight(after),
            wording::weight(before.saturating_sub(after)),
            wording::change(before, after)
        )?;
    }
    if pieces > originals {
        writeln!(
            out,
            "a page that shows each picture once loads at most {}",
            wording::weight(heaviest)
        )?;
    }
    if over > 0 {
        writeln!(
            out,
            "{BAD}{} over budget{BAD:#}",
            wording::count(over, "piece is", "pieces are")
        )?;
    }
    if report.interrupted {
        writeln!(out, "{BAD}interrupted: the rest was not made{BAD:#}")?;
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_are_shortened_in_the_middle() {
        assert_eq!(shortened("rooms/a.png", 20), "rooms/a.png");
        let short = shortened("banners/a very long name indeed-1200.webp", 20);
        assert_eq!(
            (short.as_str(), short.width()),
            ("banners…ed-1200.webp", 20)
        );
        assert!(shortened("写真/灯台の写真-1200.webp", 18).width() <= 18);
    }
}
