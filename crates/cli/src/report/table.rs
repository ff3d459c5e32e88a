//! The report as a table for people.

use std::io::{self, Write};
use std::path::Path;

use anstyle::Style;
use kiln_core::budget::Verdict;
use kiln_core::encode::Coding;

use super::{Fate, Fired, FiringReport, OriginalReport, PieceReport, TotalReport, Totals, Written};
use crate::find::Aside;
use crate::grid::{self, BAD, FAINT, GOOD, STRONG};
use crate::layer::{Origin, Told};
use crate::settings::Settings;
use crate::wording;

/// What stands between the remarks on a piece.
const BETWEEN: &str = " · ";

/// The pieces, each below its original.
pub(super) fn pieces(
    out: &mut dyn Write,
    report: &FiringReport,
    columns: Option<usize>,
    verbose: bool,
) -> io::Result<()> {
    let mut rows = rows(report, verbose);
    if rows.len() < 2 {
        return Ok(());
    }
    if let Some(columns) = columns {
        grid::fold_last(&mut rows, columns, BETWEEN);
    }
    writeln!(out, "{}\n", grid::set(rows, columns, &[1, 2, 3, 4]))
}

/// Every setting of each place, and where it comes from.
pub(super) fn settings(out: &mut dyn Write, settings: &Settings) -> io::Result<()> {
    let file = settings.kiln_file.as_deref().unwrap_or(Path::new(""));
    for (place, told) in &settings.told {
        writeln!(
            out,
            "{STRONG}Settings of {}{STRONG:#}",
            wording::safe(place)
        )?;
        let widest = told.iter().map(|told| told.value.chars().count()).max();
        let widest = widest.unwrap_or(0);
        let longest = told.iter().map(|told| told.key.len()).max();
        let longest = longest.unwrap_or(0).max(10) + 2;
        for Told { key, value, origin } in told {
            let origin = match origin {
                Origin::Default => "default".to_owned(),
                Origin::Line(line) => format!("{}:{line}", file.display()),
                Origin::Option => "option".to_owned(),
            };
            let value = wording::safe(value);
            writeln!(
                out,
                "  {key:<longest$}{value:widest$}  {FAINT}{}{FAINT:#}",
                wording::safe(&origin)
            )?;
        }
        writeln!(out)?;
    }
    Ok(())
}

/// All else: notes, what was left out, and the sums.
pub(super) fn rest(
    out: &mut dyn Write,
    report: &FiringReport,
    columns: Option<usize>,
) -> io::Result<()> {
    notes(out, report, columns)?;
    asides(out, "Left out", &report.left_out, columns)?;
    asides(out, "Refused", &report.all_refused(), columns)?;
    strays(out, report)?;
    totals(out, report)
}

fn strays(out: &mut dyn Write, report: &FiringReport) -> io::Result<()> {
    let parts = [
        (
            Fate::Listed,
            "Strays, which nothing plans for any more; --remove-strays removes them",
        ),
        (Fate::Removed, "Strays, removed"),
        (
            Fate::Altered,
            "Strays that are not as they were made, and stay",
        ),
    ];
    for (fate, title) in parts {
        let strays: Vec<_> = report
            .strays
            .iter()
            .filter(|stray| stray.fate == fate)
            .collect();
        if !strays.is_empty() {
            writeln!(out, "{STRONG}{title}{STRONG:#}")?;
            for stray in strays {
                writeln!(out, "  {}", wording::safe(&stray.name))?;
            }
            writeln!(out)?;
        }
    }
    Ok(())
}

/// A row: name, pixels, weight, change, score, remarks; each with its style.
type Line = Vec<(String, Style)>;

fn rows(report: &FiringReport, verbose: bool) -> Vec<Line> {
    let head = ["picture", "pixels", "weight", "change", "score", ""];
    let mut rows = vec![head.map(|text| (text.to_owned(), FAINT)).to_vec()];
    let originals = report.originals.fired();
    for original in originals.filter(|o| o.refusal().is_none()) {
        rows.push(vec![
            (wording::safe(&original.name), STRONG),
            (original.size.to_string(), Style::new()),
            (wording::weight(original.weight), Style::new()),
            Default::default(),
            Default::default(),
            (original.kind.to_string(), FAINT),
        ]);
        let pieces = original.pieces.iter();
        rows.extend(pieces.map(|piece| piece_row(piece, &original, verbose)));
    }
    rows
}

fn piece_row(piece: &PieceReport, original: &OriginalReport, verbose: bool) -> Line {
    let mut remarks: Vec<String> = piece
        .place
        .iter()
        .map(|place| wording::safe(place))
        .collect();
    let (mut weight, mut score) = (String::new(), (String::new(), Style::new()));
    let (mut change, mut size) = ((String::new(), Style::new()), piece.size);
    let mut style = FAINT;
    match &piece.fired {
        Fired::Planned => {}
        Fired::Failed(why) => {
            remarks.push(format!("failed: {why}"));
            style = BAD;
        }
        Fired::Outdone(written, by) => {
            weight = wording::weight(written.account.weight);
            score = scored(written, piece);
            remarks.push(wording::left_out(*by));
        }
        Fired::Made(written) => {
            let account = &written.account;
            weight = wording::weight(account.weight);
            let lighter = account.weight < original.weight;
            let colour = if lighter { GOOD } else { Style::new() };
            change = (wording::change(original.weight, account.weight), colour);
            score = scored(written, piece);
            if let Some(shrunk) = account.shrunk {
                size = shrunk;
                remarks.push(format!("shrunk from {}", piece.size));
            }
            if !account.fits {
                let most = piece.max_weight.map_or(String::new(), wording::weight);
                remarks.push(format!("over its {most}"));
                style = BAD;
            }
            remarks.push(match account.coding {
                Coding::Dial(dial) if written.format.is_scalable() => {
                    format!("traced · dial {dial}")
                }
                Coding::Dial(dial) => format!("dial {dial}"),
                Coding::Lossless => wording::lossless(account.repacked, written.format).to_owned(),
            });
            remarks.extend(piece.outcome().map(str::to_owned));
            remarks.extend(piece.others().first().map(|&(other, weight)| {
                format!("{other} {}", wording::change(account.weight, weight))
            }));
            if account.flattened {
                remarks.push(format!("on {}", piece.backdrop));
            }
            if written.unchanged {
                remarks.push("unchanged".to_owned());
            }
            if verbose || !written.unchanged {
                let encodes = account.trail.len();
                remarks.push(wording::count(encodes, "encode", "encodes"));
            }
        }
    }
    if piece.short_of.is_some() {
        remarks.push("own size".to_owned());
    }
    vec![
        (format!("  {}", wording::safe(&piece.name())), Style::new()),
        (size.to_string(), Style::new()),
        (weight, Style::new()),
        change,
        score,
        (remarks.join(BETWEEN), style),
    ]
}

/// A score and the look that was asked for.
fn scored(written: &Written, piece: &PieceReport) -> (String, Style) {
    let look = piece.look().unwrap_or_default();
    let style = if written.account.verdict.is_none_or(Verdict::reaches) {
        Style::new()
    } else {
        BAD
    };
    let text = format!("{} {look}", written.score());
    (text.trim_end().to_owned(), style)
}

/// Notes, each sentence once with the pictures that it holds for.
fn notes(out: &mut dyn Write, report: &FiringReport, columns: Option<usize>) -> io::Result<()> {
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
                format!("smaller than the {asked} pixels asked for, so made at its own size");
            add(&note, &original.name);
        }
    }
    if !grouped.is_empty() {
        writeln!(out, "{STRONG}Notes{STRONG:#}")?;
        for (note, names) in grouped {
            let note = format!("{}: {note}", listed(&names));
            writeln!(out, "{}", grid::item(&note, columns))?;
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

fn asides(
    out: &mut dyn Write,
    title: &str,
    asides: &[Aside],
    columns: Option<usize>,
) -> io::Result<()> {
    if asides.is_empty() {
        return Ok(());
    }
    writeln!(out, "{STRONG}{title}{STRONG:#}")?;
    for Aside { path, why, .. } in asides {
        let path = wording::safe(&path.to_string_lossy());
        let aside = format!("{path}: {}", wording::safe(&why.to_string()));
        writeln!(out, "{}", grid::item(&aside, columns))?;
    }
    writeln!(out)
}

/// Totals that pictures share.
fn each_shared(out: &mut dyn Write, report: &FiringReport) -> io::Result<()> {
    for total in &report.shared {
        match report.dry_run {
            true => writeln!(
                out,
                "{}: {} would share {} as {}",
                wording::safe(&total.label()),
                wording::count(total.pictures, "picture", "pictures"),
                wording::weight(total.max_total),
                total.choice
            )?,
            false => shared(out, total)?,
        }
    }
    Ok(())
}

fn shared(out: &mut dyn Write, total: &TotalReport) -> io::Result<()> {
    let worst = total.worst.as_ref().map_or(String::new(), |(name, score)| {
        format!("; the worst look is {score:.1}, {}", wording::safe(name))
    });
    let kept = if total.weight <= total.max_total {
        GOOD
    } else {
        BAD
    };
    writeln!(
        out,
        "{}: {} weigh {kept}{}{kept:#} as {}, of {} at most{worst}",
        wording::safe(&total.label()),
        wording::count(total.pictures, "picture", "pictures"),
        wording::weight(total.weight),
        total.choice,
        wording::weight(total.max_total),
    )
}

fn totals(out: &mut dyn Write, report: &FiringReport) -> io::Result<()> {
    let Totals {
        originals,
        pieces,
        before,
        after,
        unchanged,
        ballast,
        positions,
        ..
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
        )
        .and_then(|()| each_shared(out, report))
        .and_then(|()| whereabouts(out, report, "would go to"));
    }
    let is_over = |piece: &&PieceReport| piece.written().is_some_and(|w| !w.account.fits);
    let over = report.originals.fired();
    let over: usize = over
        .map(|one| one.pieces.iter().filter(is_over).count())
        .sum();
    let time = wording::time(report.seconds);
    let good = match unchanged {
        0 => String::new(),
        all if all == pieces => "; all were made before and are unchanged".to_owned(),
        some => format!("; {some} were made before and are unchanged"),
    };
    writeln!(out, "{STRONG}{counts}{STRONG:#} in {time}{good}")?;
    let gain = |before: u64, after: u64| if after < before { GOOD } else { Style::new() };
    if pieces == originals && pieces > 0 {
        let style = gain(before, after);
        writeln!(
            out,
            "before {}, after {}, saved {} ({style}{}{style:#})",
            wording::weight(before),
            wording::weight(after),
            wording::weight(before.saturating_sub(after)),
            wording::change(before, after)
        )?;
    } else if pieces > 0 {
        writeln!(
            out,
            "who sees each picture once, in its largest size, loads:"
        )?;
        for load in report.loads() {
            let style = gain(load.before, load.after);
            writeln!(
                out,
                "  as {}: {}, of {} before ({style}{}{style:#})",
                load.choice,
                wording::weight(load.after),
                wording::weight(load.before),
                wording::change(load.before, load.after)
            )?;
        }
        let all = wording::weight(after);
        writeln!(out, "all {pieces} pieces together take {all} on the server")?;
    }
    each_shared(out, report)?;
    if ballast > 0 {
        let positions = match positions {
            0 => String::new(),
            some => format!(
                ", {} among it",
                wording::count(some, "position", "positions")
            ),
        };
        let ballast = wording::weight(ballast);
        writeln!(out, "metadata left behind: {ballast}{positions}")?;
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
    whereabouts(out, report, "are in")
}

/// Where the pieces are, and what kiln file said so.
fn whereabouts(out: &mut dyn Write, report: &FiringReport, verb: &str) -> io::Result<()> {
    let safe = |path: &Path| wording::safe(&path.display().to_string());
    let by = report.kiln_file.as_ref();
    let by = by.map_or(String::new(), |file| format!(", by {}", safe(file)));
    writeln!(out, "pieces {verb} {}{by}", safe(&report.out))
}
