//! The options of `kiln ledger`.

use std::path::PathBuf;

use clap::ValueEnum;

use super::KilnFileArgs;

/// The options of `kiln ledger`.
#[derive(Debug, clap::Args)]
#[command(after_help = EXAMPLES)]
pub struct LedgerArgs {
    /// What to do.
    #[arg(value_enum, value_name = "ACTION", default_value = "show")]
    pub action: LedgerAction,

    #[command(flatten)]
    pub kiln_file: KilnFileArgs,

    /// The folder of the pieces. [default: that of the kiln file, else upload]
    #[arg(short, long, value_name = "DIR")]
    pub out: Option<PathBuf>,

    /// Report as a JSON document (docs/formats.md).
    #[arg(long)]
    pub json: bool,
}

/// What is done with a ledger.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub enum LedgerAction {
    /// Sum up what is recorded: originals, pieces by place and format, deliveries.
    Show,
    /// Write a row for each piece to standard output, as CSV; with --json the whole ledger.
    Export,
    /// Hold it against the disk: every piece is read, and every original that is there.
    Verify,
    /// Take its journal, and those of parts, into the one document.
    Compact,
}

const EXAMPLES: &str = "\
Examples:
  kiln ledger
      How many originals and pieces are recorded, by place and format, and what was delivered.
  kiln ledger verify --out upload
      Reads every piece; ends with 1 where one is gone or is not as it was made.
  kiln ledger export > pieces.csv
      A row for each piece: name, original, place, pixels, weight, score, dial.
  kiln ledger export --json > ledger.json
      The same as kiln-ledger.json would be once its journal is in it.
  kiln ledger compact
      After a run that was killed, so that other programs find all in kiln-ledger.json.";
