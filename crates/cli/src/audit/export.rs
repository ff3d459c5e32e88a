//! A ledger for other programs: a row for each piece, or all of it.

use std::io::{self, Write};
use std::process::ExitCode;

use kiln_core::encode::Coding;

use crate::failure::Failure;
use crate::ledger::{Entry, PieceEntry, Record, State};
use crate::report::Channels;
use crate::settings::LedgerSettings;

/// The columns (docs/formats.md).
const COLUMNS: [&str; 13] = [
    "piece", "original", "place", "format", "width", "height", "state", "weight", "score", "dial",
    "encodes", "digest", "kiln",
];

/// Writes it to standard output.
pub fn write(
    record: &Record,
    settings: &LedgerSettings,
    channels: &Channels,
) -> Result<ExitCode, Failure> {
    channels.print_document(|out| {
        if settings.json {
            record.write(out)
        } else {
            rows(out, record)
        }
    })?;
    Ok(ExitCode::SUCCESS)
}

fn rows(out: &mut dyn Write, record: &Record) -> io::Result<()> {
    let mut sheet = csv::Writer::from_writer(out);
    sheet.write_record(COLUMNS)?;
    for (original, entry) in &record.originals {
        for (name, piece) in entry.pieces.iter() {
            sheet.write_record(row(name, (original, entry), piece))?;
        }
    }
    sheet.flush()
}

fn row(name: &str, (original, entry): (&str, &Entry), piece: &PieceEntry) -> [String; 13] {
    let made = piece.made.as_ref();
    let account = made.map(|made| &made.account);
    let size = account
        .and_then(|account| account.shrunk)
        .unwrap_or(piece.size);
    let state = match entry.state(piece) {
        State::Made => "made",
        State::LeftOut => "left_out",
        State::Unused => "unused",
        State::Standing => "standing",
        State::Planned => "planned",
        State::Stray => "stray",
    };
    let text = |told: Option<String>| told.unwrap_or_default();
    [
        name.to_owned(),
        original.to_owned(),
        text(piece.place.as_deref().map(str::to_owned)),
        piece.format.to_string().to_lowercase(),
        size.width().to_string(),
        size.height().to_string(),
        state.to_owned(),
        text(account.map(|account| account.weight.to_string())),
        text(account.map(|account| format!("{:.2}", account.score))),
        text(account.and_then(|account| match account.coding {
            Coding::Dial(dial) => Some(dial.to_string()),
            Coding::Lossless => None,
        })),
        text(account.map(|account| account.trail.len().to_string())),
        text(piece.file().map(|digest| digest.to_string())),
        text(made.map(|made| made.kiln.to_string())),
    ]
}
