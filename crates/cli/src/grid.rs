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
            Cell::new(styled).set_alignment(match right.contains(&column) {
                true => CellAlignment::Right,
                false => CellAlignment::Left,
            })
        }));
    }
    for (index, column) in table.column_iter_mut().enumerate() {
        column.set_padding((if index == 0 { 0 } else { GAP as u16 }, 0));
    }
    let lines = table.lines().map(|line| line.trim_end().to_owned());
    lines.collect::<Vec<_>>().join("\n")
}
