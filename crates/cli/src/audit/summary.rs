//! The sums of a ledger.

use std::collections::BTreeMap;
use std::io::{self, Write};
use std::process::ExitCode;

use anstyle::Style;
use kiln_core::encode::Format;
use serde::Serialize;

use crate::failure::Failure;
use crate::grid::{self, FAINT, STRONG};
use crate::ledger::{PieceEntry, Record, State};
use crate::report::Channels;
use crate::settings::LedgerSettings;
use crate::wording;

/// The version of the document's form.
const SCHEMA: u32 = 1;

#[derive(Serialize)]
struct Summary {
    schema: u32,
    kind: &'static str,
    kiln: &'static str,
    out: String,
    /// Bytes of the journals that are not in the document yet.
    journal: u64,
    originals: usize,
    /// Planned and not made.
    planned: usize,
    /// Left out for another format.
    left_out: usize,
    strays: usize,
    pieces: Vec<Pieces>,
    targets: Vec<Sent>,
}

/// The pieces of a place in a format.
#[derive(Serialize)]
struct Pieces {
    place: Option<String>,
    format: Format,
    pieces: usize,
    weight: u64,
    /// The lowest visual score.
    worst_score: f32,
    /// Encodes a piece, on the mean.
    encodes: f64,
}

/// What was delivered to a target.
#[derive(Serialize)]
struct Sent {
    target: String,
    files: usize,
    weight: u64,
}

/// Tells the sums.
pub fn tell(
    record: &Record,
    settings: &LedgerSettings,
    channels: &Channels,
) -> Result<ExitCode, Failure> {
    let summary = Summary::of(record, settings);
    if settings.json {
        channels.print_json(&summary)?;
    } else {
        channels.print(|out, columns| summary.write(out, columns))?;
    }
    Ok(ExitCode::SUCCESS)
}

impl Pieces {
    /// Those like a piece, of which there are none yet.
    fn of(piece: &PieceEntry) -> Pieces {
        Pieces {
            place: piece.place.as_deref().map(str::to_owned),
            format: piece.format,
            pieces: 0,
            weight: 0,
            worst_score: f32::INFINITY,
            encodes: 0.0,
        }
    }

    fn add(&mut self, piece: &PieceEntry) {
        if let Some(account) = piece.made.as_ref().map(|made| &made.account) {
            self.pieces += 1;
            self.weight += account.weight;
            self.worst_score = self.worst_score.min(account.score);
            self.encodes += account.trail.len() as f64;
        }
    }
}

impl Summary {
    fn of(record: &Record, settings: &LedgerSettings) -> Summary {
        let mut groups: BTreeMap<(Option<&str>, Format), Pieces> = BTreeMap::new();
        let (mut planned, mut left_out, mut strays) = (0, 0, 0);
        for entry in record.originals.values() {
            for (_, piece) in entry.pieces.iter() {
                match entry.state(piece) {
                    State::Planned => planned += 1,
                    State::LeftOut => left_out += 1,
                    State::Stray => strays += 1,
                    State::Unused | State::Standing => {}
                    State::Made => {
                        let group = groups.entry((piece.place.as_deref(), piece.format));
                        group.or_insert_with(|| Pieces::of(piece)).add(piece);
                    }
                }
            }
        }
        let targets = record.deliveries.iter().map(|(target, files)| Sent {
            target: target.clone(),
            files: files.len(),
            weight: files.values().map(|file| file.weight).sum(),
        });
        let mut pieces: Vec<Pieces> = groups.into_values().collect();
        for group in &mut pieces {
            group.encodes = (group.encodes / group.pieces as f64 * 100.0).round() / 100.0;
        }
        Summary {
            schema: SCHEMA,
            kind: "ledger",
            kiln: env!("CARGO_PKG_VERSION"),
            out: settings.out.to_string_lossy().into_owned(),
            journal: record.journal,
            originals: record.originals.len(),
            planned,
            left_out,
            strays,
            pieces,
            targets: targets.collect(),
        }
    }

    fn write(&self, out: &mut dyn Write, columns: Option<usize>) -> io::Result<()> {
        let plain = Style::new();
        let row = |texts: [String; 6], style: Style| texts.map(|text| (text, style)).to_vec();
        let head = [
            "place",
            "format",
            "pieces",
            "weight",
            "worst score",
            "encodes",
        ];
        let mut rows = vec![row(head.map(str::to_owned), FAINT)];
        for group in &self.pieces {
            let place = group
                .place
                .as_deref()
                .map_or("[every]".to_owned(), wording::safe);
            let texts = [
                place,
                group.format.to_string(),
                group.pieces.to_string(),
                wording::weight(group.weight),
                format!("{:.1}", group.worst_score),
                format!("{:.2} each", group.encodes),
            ];
            rows.push(row(texts, plain));
        }
        if rows.len() > 1 {
            writeln!(out, "{}\n", grid::set(rows, columns, &[2, 3, 4, 5]))?;
        }
        for Sent {
            target,
            files,
            weight,
        } in &self.targets
        {
            let files = wording::count(*files, "file", "files");
            let target = wording::safe(target);
            writeln!(
                out,
                "delivered to {target}: {files}, {}",
                wording::weight(*weight)
            )?;
        }
        let also = [
            (self.planned, "planned and not made"),
            (self.left_out, "left out for another format"),
            (self.strays, "strays"),
        ];
        for (count, what) in also.iter().filter(|(count, _)| *count > 0) {
            writeln!(out, "{count} {what}")?;
        }
        let pieces: usize = self.pieces.iter().map(|group| group.pieces).sum();
        let weight = self.pieces.iter().map(|group| group.weight).sum();
        writeln!(
            out,
            "{STRONG}{} of {}{STRONG:#}, {} in {}",
            wording::count(pieces, "piece", "pieces"),
            wording::count(self.originals, "original", "originals"),
            wording::weight(weight),
            wording::safe(&self.out)
        )?;
        if self.journal > 0 {
            let journal = wording::weight(self.journal);
            writeln!(
                out,
                "{journal} of it in journals; kiln ledger compact takes them in"
            )?;
        }
        Ok(())
    }
}
