//! The options of `kiln check`.

use std::path::PathBuf;

use kiln_core::plan::Look;

use super::KilnFileArgs;
use crate::rules::Rule;
use crate::wording;

/// The options of `kiln check`.
#[derive(Debug, clap::Args)]
#[command(after_help = CHECK_EXAMPLES)]
pub struct CheckArgs {
    /// Files, folders, a built site. Without any, the out folder of the kiln file.
    #[arg(value_name = "PATHS")]
    pub paths: Vec<PathBuf>,

    #[command(flatten)]
    pub kiln_file: KilnFileArgs,

    /// The most that a picture may weigh. [default: 200 KB]
    #[arg(short, long, value_name = "SIZE", value_parser = wording::parse_weight)]
    pub max_weight: Option<u64>,

    /// The most that all pictures may weigh together: a host's quota, say.
    #[arg(long, value_name = "SIZE", value_parser = wording::parse_weight)]
    pub max_total: Option<u64>,

    /// The most that the pictures of a page may weigh, on the screen that loads the most.
    /// [default: 1 MB]
    #[arg(long, value_name = "SIZE", value_parser = wording::parse_weight)]
    pub page_total: Option<u64>,

    /// The most that the pictures of one folder may weigh.
    #[arg(long, value_name = "SIZE", value_parser = wording::parse_weight)]
    pub folder_total: Option<u64>,

    /// The widest that a picture may be, in pixels. [default: the widest of any place of the kiln
    /// file, at its densest]
    #[arg(long, value_name = "PX", value_parser = wording::parse_width)]
    pub max_width: Option<u32>,

    /// Score every piece against its original again, and hold it to this look.
    #[arg(short, long, value_name = "LOOK", value_parser = wording::parse_look)]
    pub look: Option<Look>,

    /// Rules whose breaking ends with exit code 1.
    #[arg(long, value_name = "RULE,…", value_delimiter = ',')]
    pub error: Vec<Rule>,

    /// Rules whose breaking is only told.
    #[arg(long, value_name = "RULE,…", value_delimiter = ',')]
    pub warning: Vec<Rule>,

    /// Rules that are not looked at.
    #[arg(long, value_name = "RULE,…", value_delimiter = ',')]
    pub off: Vec<Rule>,

    /// Let pass what is in this file, so that an old site passes while nothing new may fail.
    #[arg(long, value_name = "FILE")]
    pub baseline: Option<PathBuf>,

    /// Write all that is found now into such a file, and end well.
    #[arg(long, value_name = "FILE", conflicts_with = "baseline")]
    pub new_baseline: Option<PathBuf>,

    /// The largest picture that is looked at, in megapixels.
    #[arg(long, value_name = "MP", default_value = "300", value_parser = wording::parse_megapixels)]
    pub allowance: u64,

    /// Pictures in work at once. [default: one per core]
    #[arg(short, long, value_name = "N", value_parser = wording::parse_jobs)]
    pub jobs: Option<usize>,

    /// Report as a JSON document (docs/formats.md).
    #[arg(long)]
    pub json: bool,

    /// Report as SARIF 2.1.0, which code hosts show beside the lines.
    #[arg(long, conflicts_with = "json")]
    pub sarif: bool,
}

const CHECK_EXAMPLES: &str = "\
Examples:
  kiln check
      The pieces of this site: weights, widths, metadata, labels, and whether the ledger is true.
  kiln check public/ --page-total 800KB --off unused
      A built site, with its pages: totals, dead references, missing texts and sides.
  kiln check public/ --new-baseline old.json
  kiln check public/ --baseline old.json --sarif > check.sarif
      Lets pass what is wrong today, and nothing that is new.
  kiln check --look fine
      Decodes every piece, and scores it against its original.

Limits and rules may stand in the kiln file, as [check]. Nothing is changed. The rules (and what
breaking them means):
  damaged, weight, place-weight, page-total, folder-total, total, width, position,
  alternative-text, dead-reference, missing-piece, altered-piece, outdated-piece, look   error
  passes, person, colours, sides, unused                                              warning
  format                                                                                  off";
