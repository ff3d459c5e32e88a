//! What a ledger records, for people and scripts, and whether the disk agrees.

mod export;
mod summary;
mod verify;

use std::path::Path;
use std::process::ExitCode;

use crate::args::LedgerAction;
use crate::away::Shelf;
use crate::failure::Failure;
use crate::ledger::{self, Ledger, Record};
use crate::report::Channels;
use crate::settings::LedgerSettings;
use crate::wording;
use crate::write::OutFolder;

/// Does with a ledger what is asked for.
pub fn run(settings: &LedgerSettings, channels: &Channels) -> Result<ExitCode, Failure> {
    if settings.action == LedgerAction::Compact {
        return compact(settings, channels);
    }
    let shelf = settings.remote.as_deref().map(Shelf::look).transpose()?;
    let of_ledger = shelf.as_ref().map_or(&*settings.out, Shelf::desk);
    let record = record(settings, of_ledger)?;
    match settings.action {
        LedgerAction::Show => summary::tell(&record, settings, channels),
        LedgerAction::Export => export::write(&record, settings, channels),
        _ => {
            let found = verify::Found {
                shelf: shelf.as_ref(),
                out: &settings.out,
            };
            verify::run(&record, &found, settings, channels)
        }
    }
}

/// What is recorded of an out folder whose ledger lies in a folder of this machine.
fn record(settings: &LedgerSettings, of_ledger: &Path) -> Result<Record, Failure> {
    if !ledger::is_in(of_ledger) {
        return Err(Failure::NoPieces(settings.out.clone()));
    }
    let record = Ledger::look(of_ledger)?;
    record.ok_or_else(|| Failure::NoLedger(settings.out.join(ledger::NAME)))
}

fn compact(settings: &LedgerSettings, channels: &Channels) -> Result<ExitCode, Failure> {
    let shelf = settings.remote.as_deref();
    let shelf = shelf.map(|remote| Shelf::enter(remote, None, &|note| channels.note(note)));
    let shelf = shelf.transpose()?;
    let of_ledger = shelf.as_ref().map_or(&*settings.out, Shelf::desk);
    // Also to tell what cannot be read, or is none.
    record(settings, of_ledger)?;
    let _folder = match &shelf {
        Some(_) => None,
        None => Some(OutFolder::enter(&settings.out)?),
    };
    let mut opened = Ledger::open(of_ledger)?;
    if let Some(shelf) = &shelf {
        opened.ledger.keep_beyond(shelf.beyond());
    }
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
