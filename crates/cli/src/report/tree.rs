//! The plan as a tree: originals, the places that show them, and their pieces.

use std::io::{self, Write};

use unicode_width::UnicodeWidthStr;

use super::{FiringReport, OriginalReport, PieceReport, in_one};
use crate::grid::{FAINT, STRONG};
use crate::wording;

pub(super) fn write(out: &mut dyn Write, report: &FiringReport) -> io::Result<()> {
    let widest = report.originals.iter().filter_map(|original| {
        let names = same_size(&original.pieces).map(|formats| names_of(formats).width());
        names.max()
    });
    let widest = widest.max();
    for original in report.originals.iter() {
        writeln!(
            out,
            "{STRONG}{}{STRONG:#}  {} {}, {}",
            wording::safe(&original.name),
            original.size,
            original.kind,
            wording::weight(original.weight)
        )?;
        let places = placed(&original);
        for (index, pieces) in places.iter().enumerate() {
            let last = index + 1 == places.len();
            place(out, pieces, last, widest.unwrap_or(0))?;
        }
    }
    if report.originals.is_empty() {
        Ok(())
    } else {
        writeln!(out)
    }
}

/// The pieces of an original, those of each place together.
fn placed(original: &OriginalReport) -> Vec<&[PieceReport]> {
    original
        .pieces
        .chunk_by(|a, b| a.place == b.place)
        .collect()
}

/// The pieces of each size together.
fn same_size(pieces: &[PieceReport]) -> impl Iterator<Item = &[PieceReport]> {
    pieces.chunk_by(|a, b| a.size == b.size && a.place == b.place)
}

fn place(out: &mut dyn Write, pieces: &[PieceReport], last: bool, widest: usize) -> io::Result<()> {
    let (branch, trunk) = if last {
        ("└─", "  ")
    } else {
        ("├─", "│ ")
    };
    let first = pieces.first();
    let mut lead = String::new();
    if let Some(name) = first.and_then(|piece| piece.place.as_deref()) {
        let most = first.and_then(|piece| piece.max_weight);
        let most = most.map_or(String::new(), |most| {
            format!(", each at most {}", wording::weight(most))
        });
        writeln!(
            out,
            "{FAINT}{branch}{FAINT:#} {}{FAINT}{most}{FAINT:#}",
            wording::safe(name)
        )?;
        lead = format!("{trunk} ");
    }
    // A picture without a place has its pieces at the first level.
    let sizes: Vec<&[PieceReport]> = same_size(pieces).collect();
    for (index, formats) in sizes.iter().enumerate() {
        let end = index + 1 == sizes.len() && (last || !lead.is_empty());
        let branch = if end { "└─" } else { "├─" };
        let Some(piece) = formats.first() else {
            continue;
        };
        let mut remarks = vec![format!("{}×", piece.density)];
        if piece.short_of.is_some() {
            remarks.push("own size".to_owned());
        }
        if !piece.stands_for.is_empty() {
            let others: Vec<String> = piece.stands_for.iter().map(u32::to_string).collect();
            remarks.push(format!("for {} too", others.join(", ")));
        }
        let names = names_of(formats);
        let gap = " ".repeat(widest - names.width() + 2);
        writeln!(
            out,
            "{FAINT}{lead}{branch}{FAINT:#} {names}{gap}{:>9}  {FAINT}{}{FAINT:#}",
            piece.size.to_string(),
            remarks.join(" · ")
        )?;
    }
    Ok(())
}

/// The names of one size's pieces: where they differ in their extensions only, in one.
fn names_of(formats: &[PieceReport]) -> String {
    if formats
        .iter()
        .all(|piece| piece.planned.candidates.len() == 1)
    {
        let names = formats.iter().flat_map(|piece| piece.planned.names());
        return wording::safe(&in_one(names, ","));
    }
    let names: Vec<String> = formats.iter().map(PieceReport::name).collect();
    wording::safe(&names.join("  "))
}
