//! Rows in aligned columns for a terminal: the first column holds names and gives way first.

use anstyle::{AnsiColor, Style};
use comfy_table::{Cell, CellAlignment, ContentArrangement, Table, TableStyle};
use unicode_width::UnicodeWidthStr;

use crate::wording;

/// Headings and originals.
pub const STRONG: Style = Style::new().bold();
/// What matters less.
pub const FAINT: Style = Style::new().dimmed();
/// What was gained.
pub const GOOD: Style = AnsiColor::Green.on_default();
/// What could go.
pub const WASTE: Style = AnsiColor::Yellow.on_default();
/// What went wrong.
pub const BAD: Style = AnsiColor::Red.on_default().bold();

/// The fewest columns that a name is shortened to.
const NAME_AT_LEAST: usize = 16;

/// Names are shortened to this before what stands behind them is folded tighter.
const FAIR_NAME: usize = 28;

/// Spaces between two columns.
pub const GAP: usize = 2;

/// Sets rows of equal length. Where they are wider than the terminal, names are shortened in the
/// middle; `right` tells which columns are numbers.
pub fn set(rows: Vec<Vec<(String, Style)>>, terminal: Option<usize>, right: &[usize]) -> String {
    let line_width = |text: &str| text.lines().map(UnicodeWidthStr::width).max().unwrap_or(0);
    let widest = |column: usize| {
        let widths = rows.iter().map(|row| line_width(&row[column].0));
        widths.max().unwrap_or(0)
    };
    let columns = rows.first().map_or(0, Vec::len);
    let others: usize = (1..columns).map(|column| widest(column) + GAP).sum();
    let name = terminal.map_or(usize::MAX, |all| {
        all.saturating_sub(others).max(NAME_AT_LEAST)
    });
    let mut table = Table::new();
    table.load_style(TableStyle::new());
    table.set_content_arrangement(ContentArrangement::Disabled);
    for mut row in rows {
        row[0].0 = wording::shortened(&row[0].0, name);
        table.add_row(row.into_iter().enumerate().map(|(column, (text, style))| {
            let styled = match text.is_empty() {
                true => text,
                false => format!("{style}{text}{style:#}"),
            };
            Cell::new(styled).set_alignment(if right.contains(&column) {
                CellAlignment::Right
            } else {
                CellAlignment::Left
            })
        }));
    }
    for (index, column) in table.column_iter_mut().enumerate() {
        column.set_padding((if index == 0 { 0 } else { GAP as u16 }, 0));
    }
    let lines = table.lines().map(|line| line.trim_end().to_owned());
    lines.collect::<Vec<_>>().join("\n")
}

/// Folds the last column of rows into what the others leave beside names of a fair length: its parts,
/// which `between` stands between, go to lines of their own; no part is cut.
pub fn fold_last(rows: &mut [Vec<(String, Style)>], columns: usize, between: &str) {
    let last = rows.first().map_or(0, Vec::len).saturating_sub(1);
    let widest = |column: usize| {
        let widths = rows.iter().map(|row| row[column].0.width());
        widths.max().unwrap_or(0)
    };
    let others: usize = (1..last).map(|column| widest(column) + GAP).sum();
    let room = columns.saturating_sub(widest(0).min(FAIR_NAME) + others + GAP);
    for row in rows {
        row[last].0 = folded(&row[last].0, room, between);
    }
}

/// Parts set in lines of at most so many columns.
pub fn folded(text: &str, columns: usize, between: &str) -> String {
    let mut lines = vec![String::new()];
    for part in text.split(between) {
        match lines.last_mut() {
            Some(line) if line.is_empty() => line.push_str(part),
            Some(line) if line.width() + between.width() + part.width() <= columns => {
                line.push_str(between);
                line.push_str(part);
            }
            _ => lines.push(part.to_owned()),
        }
    }
    lines.join("\n")
}

/// A sentence of a list: indented, and where it is wider than the terminal broken between words,
/// the rest of it indented more.
pub fn item(text: &str, terminal: Option<usize>) -> String {
    let most = terminal.unwrap_or(usize::MAX);
    let mut lines: Vec<String> = Vec::new();
    let mut line = String::from(" ");
    for word in text.split(' ') {
        let is_begun = !line.trim_start().is_empty();
        if is_begun && line.width() + 1 + word.width() > most {
            lines.push(std::mem::replace(&mut line, " ".repeat(3)));
        }
        line.push(' ');
        line.push_str(word);
    }
    lines.push(line);
    lines.join("\n")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn long_sentences_are_broken_between_words() {
        let text = "rooms/a.jpg: its border is not plain; name the colour";
        assert_eq!(item(text, None), format!("  {text}"));
        let broken = "  rooms/a.jpg: its border\n    is not plain; name the\n    colour";
        assert_eq!(item(text, Some(26)), broken);
        // A word longer than the terminal stands on a line of its own.
        assert_eq!(
            item("a path/as/long/as/that b", Some(10)),
            "  a\n    path/as/long/as/that\n    b"
        );
    }
}
