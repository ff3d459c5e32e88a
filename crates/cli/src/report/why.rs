//! How pieces came about: the trail of trials of a search.

use std::io::{self, Write};

use anstyle::Style;
use kiln_core::budget::Verdict;
use kiln_core::encode::{Chroma, Coding, Repack};
use kiln_core::pipeline::Account;
use kiln_core::plan::Choice;

use super::{FiringReport, PieceReport, Written};
use crate::grid::{self, BAD, FAINT, GOOD, STRONG};
use crate::wording;

/// The trails of pieces whose names hold one of the texts.
pub(super) fn write(
    out: &mut dyn Write,
    report: &FiringReport,
    wanted: &[String],
    columns: Option<usize>,
) -> io::Result<()> {
    for text in wanted {
        let is_meant = |piece: &PieceReport| {
            let mut names = piece.planned.names();
            names.any(|name| name.contains(text.as_str()))
        };
        let originals = report.originals.fired();
        let pieces = originals.flat_map(|original| original.into_owned().pieces);
        let mut found = pieces.filter(is_meant).peekable();
        if found.peek().is_none() {
            let text = wording::safe(text);
            writeln!(
                out,
                "{BAD}--why {text}: no piece of this run has that in its name{BAD:#}\n"
            )?;
        }
        for piece in found {
            let name = wording::safe(&piece.name());
            writeln!(out, "{STRONG}{name}{STRONG:#}: {}", asked(&piece))?;
            if let Some(written) = piece.written() {
                writeln!(out, "{}", grid::set(rows(written), columns, &[1, 2, 3, 4]))?;
                writeln!(out, "  {}", conclusion(written, &piece))?;
            }
            writeln!(out)?;
        }
    }
    Ok(())
}

/// What was asked of a piece.
fn asked(piece: &PieceReport) -> String {
    let most = piece
        .max_weight
        .map(|most| format!("at most {}", wording::weight(most)));
    let look = piece.look().map(|look| format!("a look of {look}"));
    let parts: Vec<String> = look.into_iter().chain(most).collect();
    if parts.is_empty() {
        "nothing but a dial".to_owned()
    } else {
        parts.join(", ")
    }
}

fn rows(written: &Written) -> Vec<Vec<(String, Style)>> {
    let Written {
        account, format, ..
    } = written;
    let several = account.trail.iter().any(|one| one.format != *format);
    let head = ["  try", "dial", "width", "weight", "score", ""];
    let mut rows = vec![head.map(|text| (text.to_owned(), FAINT)).to_vec()];
    let kept = account.kept(*format);
    for (index, attempt) in account.trail.iter().enumerate() {
        let dial = match attempt.coding {
            Coding::Dial(dial) => dial.to_string(),
            Coding::Lossless => "none".to_owned(),
        };
        let mut remarks = Vec::new();
        if several {
            remarks.push(attempt.format.to_string());
        }
        if attempt.coding == Coding::Lossless {
            remarks.push("lossless".to_owned());
        } else {
            let colours = match attempt.chroma {
                Chroma::Halved => None,
                Chroma::Full => Some("full chroma"),
                Chroma::Counted => Some("palette"),
                Chroma::Near => Some("nearly exact"),
            };
            remarks.extend(colours.map(str::to_owned));
        }
        let is_kept = kept == Some(index);
        if is_kept {
            remarks.push("kept".to_owned());
        }
        let style = if is_kept { GOOD } else { Style::new() };
        rows.push(vec![
            (format!("  {}", index + 1), FAINT),
            (dial, style),
            (attempt.width.to_string(), style),
            (wording::weight(attempt.weight), style),
            (wording::score(attempt.score, attempt.sampled), style),
            (remarks.join(" · "), style),
        ]);
    }
    rows
}

/// What a search came to, as a sentence.
fn conclusion(written: &Written, piece: &PieceReport) -> String {
    let searched = searched(&written.account, piece);
    if piece.planned.candidates.len() == 1 {
        return searched;
    }
    let all = Choice::between(piece.planned.formats());
    let all = all.map_or(String::new(), |all| all.to_string());
    let others: Vec<String> = piece
        .others()
        .into_iter()
        .map(|(other, weight)| format!("{other} {}", wording::weight(weight)))
        .collect();
    let others = match others.is_empty() {
        true => "No other that was tried reaches it as light.".to_owned(),
        false => format!("Others that reach it: {}.", others.join(", ")),
    };
    format!(
        "Of {all}, {} serves best. {searched} {others}",
        written.format
    )
}

/// What the search of the format that it has came to.
fn searched(account: &Account, piece: &PieceReport) -> String {
    let most = piece.max_weight.map_or(String::new(), wording::weight);
    match account.verdict {
        None if account.repacked.is_some() => {
            "At the dial that was set it would be no lighter than the original's own samples."
                .to_owned()
        }
        None => "A dial was set: there was nothing to search for.".to_owned(),
        Some(Verdict::Met) if account.repacked.is_some() => {
            let how = match account.repacked {
                Some(Repack::AsItCame) => "left as they came",
                _ => "coded in fewer bytes",
            };
            if account
                .trail
                .iter()
                .any(|attempt| attempt.format.is_scalable())
            {
                return "The drawing itself, without what is never seen in it.".to_owned();
            }
            format!("The original's own samples, {how}: no file with loss served better.")
        }
        Some(Verdict::Met) if account.coding == Coding::Lossless => {
            "Without loss it is the same picture, and no lossy file served better.".to_owned()
        }
        Some(Verdict::Met) => "The lightest file tried that reaches its look.".to_owned(),
        Some(Verdict::Lightest) => {
            "Better than its look even at the lowest dial: nothing lighter can be made.".to_owned()
        }
        Some(Verdict::Bounded) => format!("Below its look: the best that fits into {most}."),
        Some(Verdict::Over) => {
            format!("Even the least look does not fit into {most}: made at that, over its weight.")
        }
        Some(Verdict::Shared) => {
            "Below its look, so that all pictures that share its total keep it.".to_owned()
        }
        Some(Verdict::Short) => "Below its look: the highest dial does not reach it.".to_owned(),
    }
}
