//! A ledger held against the disk.

use std::fs::File;
use std::io::{self, Write};
use std::path::Path;
use std::process::ExitCode;

use kiln_core::plan::{self, Digest};
use rayon::prelude::*;
use serde::Serialize;

use crate::away::Shelf;
use crate::failure::Failure;
use crate::grid::{BAD, GOOD, STRONG};
use crate::interrupt;
use crate::ledger::{Entry, Record};
use crate::report::Channels;
use crate::settings::{LedgerSettings, is_address};
use crate::wording;

/// The version of the document's form.
const SCHEMA: u32 = 1;

/// Originals that are looked at together.
const BATCH: usize = 256;

#[derive(Serialize)]
struct Verified {
    schema: u32,
    kind: &'static str,
    kiln: &'static str,
    out: String,
    interrupted: bool,
    /// Pieces that are as they were made.
    sound: usize,
    /// Originals that are not where they were: their pieces may be all that is left.
    originals_gone: usize,
    disagreements: Vec<Disagreement>,
}

/// Where ledger and disk do not agree.
#[derive(Clone, Debug, Serialize)]
struct Disagreement {
    /// A piece, or an original as the ledger has it.
    name: String,
    /// `missing`, `altered`, `unreadable`, or of an original `changed`.
    state: &'static str,
    says: String,
}

/// Where pieces and originals are.
pub struct Found<'a> {
    /// The out folder, where it is on another machine.
    pub shelf: Option<&'a Shelf>,
    /// The same as it was given.
    pub out: &'a Path,
}

impl Found<'_> {
    /// The digest of a piece.
    fn piece(&self, name: &str) -> io::Result<Digest> {
        match self.shelf {
            Some(shelf) => Ok(plan::digest(&shelf.read(name)?)),
            None => digest(&self.out.join(name)),
        }
    }

    /// That of an original; `None` where this machine does not know the way to it.
    fn original(&self, name: &str) -> Option<io::Result<Digest>> {
        let is_known = self.shelf.is_none() && !is_address(Path::new(name));
        is_known.then(|| digest(&self.out.join(name)))
    }
}

/// Reads all that a ledger tells of, and reports where it is otherwise.
pub fn run(
    record: &Record,
    found: &Found<'_>,
    settings: &LedgerSettings,
    channels: &Channels,
) -> Result<ExitCode, Failure> {
    interrupt::watch()?;
    let mut verified = Verified {
        schema: SCHEMA,
        kind: "verification",
        kiln: env!("CARGO_PKG_VERSION"),
        out: settings.out.to_string_lossy().into_owned(),
        interrupted: false,
        sound: 0,
        originals_gone: 0,
        disagreements: Vec::new(),
    };
    let all: Vec<(&str, &Entry)> = record
        .originals
        .iter()
        .map(|(name, entry)| (&**name, entry))
        .collect();
    for batch in all.chunks(BATCH) {
        if interrupt::came() {
            verified.interrupted = true;
            break;
        }
        let looked: Vec<Looked> = batch
            .par_iter()
            .map(|(name, entry)| look(found, name, entry))
            .collect();
        for one in looked {
            verified.sound += one.sound;
            verified.originals_gone += usize::from(one.gone);
            verified.disagreements.extend(one.disagreements);
        }
    }
    let agrees = verified.disagreements.is_empty();
    if settings.json {
        channels.print_json(&verified)?;
    } else {
        channels.print(|out, _| verified.write(out))?;
    }
    Ok(match (verified.interrupted, agrees) {
        (true, _) => ExitCode::from(130),
        (_, false) => ExitCode::from(1),
        _ => ExitCode::SUCCESS,
    })
}

/// What was seen of one original and its pieces.
#[derive(Default)]
struct Looked {
    sound: usize,
    gone: bool,
    disagreements: Vec<Disagreement>,
}

fn look(found: &Found<'_>, original: &str, entry: &Entry) -> Looked {
    let mut looked = Looked::default();
    for (name, piece) in entry.pieces.iter() {
        let made = piece.made.as_ref().filter(|made| made.outdone.is_none());
        let wanted = made.map(|made| made.digest).or(piece.standing);
        let Some(wanted) = wanted else {
            continue;
        };
        match found.piece(name) {
            Ok(read) if read == wanted => looked.sound += 1,
            Ok(_) => looked.add(name, "altered", "is not as it was made; run kiln fire"),
            Err(error) if error.kind() == io::ErrorKind::NotFound => {
                looked.add(name, "missing", "is not there; run kiln fire");
            }
            Err(error) => looked.add(name, "unreadable", &format!("cannot be read ({error})")),
        }
    }
    if let Some(wanted) = entry.digest
        && let Some(read) = found.original(original)
    {
        match read {
            Ok(read) if read == wanted => {}
            Ok(_) => looked.add(
                original,
                "changed",
                "was changed since its pieces were made; run kiln fire",
            ),
            Err(_) => looked.gone = true,
        }
    }
    looked
}

/// The digest of a file; links are not followed.
fn digest(path: &Path) -> io::Result<Digest> {
    if path.symlink_metadata()?.is_file() {
        plan::digest_of(File::open(path)?)
    } else {
        Err(io::Error::other("it is no file of its own"))
    }
}

impl Looked {
    fn add(&mut self, name: &str, state: &'static str, says: &str) {
        self.disagreements.push(Disagreement {
            name: name.to_owned(),
            state,
            says: says.to_owned(),
        });
    }
}

impl Verified {
    fn write(&self, out: &mut dyn Write) -> io::Result<()> {
        for Disagreement { name, says, .. } in &self.disagreements {
            writeln!(out, "{BAD}{}{BAD:#} {says}", wording::safe(name))?;
        }
        if self.originals_gone > 0 {
            let gone = wording::count(self.originals_gone, "original is", "originals are");
            writeln!(out, "{gone} not where the ledger has seen them")?;
        }
        let sound = wording::count(
            self.sound,
            "piece is as it was made",
            "pieces are as they were made",
        );
        let end = if self.interrupted {
            "; it was interrupted"
        } else {
            ""
        };
        match self.disagreements.len() {
            0 => writeln!(out, "{GOOD}{sound}{GOOD:#}{end}"),
            wrong => writeln!(
                out,
                "{STRONG}{sound}{STRONG:#}; {}{end}",
                wording::count(wrong, "disagreement", "disagreements")
            ),
        }
    }
}
