//! What a ledger records, for people and scripts, and whether the disk agrees.

mod export;
mod summary;
mod verify;

use std::path::Path;
use std::process::ExitCode;

use crate::args::LedgerAction;
use crate::failure::Failure;
use crate::ledger::{self, Ledger, Record};
use crate::report::Channels;
use crate::settings::LedgerSettings;
use crate::wording;
use crate::write::OutFolder;

/// Does with a ledger what is asked for.
pub fn run(settings: &LedgerSettings, channels: &Channels) -> Result<ExitCode, Failure> {
    let out = &settings.out;
    if !ledger::is_in(out) {
        return Err(Failure::NoPieces(out.clone()));
    }
    match settings.action {
        LedgerAction::Show => summary::tell(&record(out)?, settings, channels),
        LedgerAction::Export => export::write(&record(out)?, settings, channels),
        LedgerAction::Verify => verify::run(&record(out)?, settings, channels),
        LedgerAction::Compact => compact(settings, channels),
    }
}

fn record(out: &Path) -> Result<Record, Failure> {
    let record = Ledger::look(out)?;
    record.ok_or_else(|| Failure::NoLedger(out.join(ledger::NAME)))
}

fn compact(settings: &LedgerSettings, channels: &Channels) -> Result<ExitCode, Failure> {
    let _folder = OutFolder::enter(&settings.out)?;
    let mut opened = Ledger::open(&settings.out)?;
    channels.mention(&opened.remarks, &[]);
    let compacted = opened.ledger.compact();
    compacted.map_err(Failure::unwritable(opened.ledger.path()))?;
    let pieces = wording::count(opened.ledger.count(), "piece", "pieces");
    let path = opened.ledger.path().display().to_string();
    channels.print(|out, _| {
        writeln!(
            out,
            "{} holds all that is known of {pieces}",
            wording::safe(&path)
        )
    })?;
    Ok(ExitCode::SUCCESS)
}
