//! The options of `kiln survey`.

use std::path::PathBuf;

use super::JudgingArgs;
use crate::wording;

/// The options of `kiln survey`.
#[derive(Debug, clap::Args)]
#[command(after_help = SURVEY_EXAMPLES)]
pub struct SurveyArgs {
    /// Pictures, and folders to search for them (with their subfolders; hidden files are left
    /// out).
    #[arg(required = true, value_name = "PATHS")]
    pub paths: Vec<PathBuf>,

    /// The widest that a picture is shown, in CSS pixels.
    #[arg(short, long, value_name = "PX", default_value = "1920", value_parser = wording::parse_width)]
    pub shown: u32,

    /// The device pixel ratio of the densest screen that counts.
    #[arg(short, long, value_name = "RATIO", default_value = "1", value_parser = wording::parse_density)]
    pub density: f64,

    #[command(flatten)]
    pub judging: JudgingArgs,

    /// The order: weight, waste (what could go) or name.
    #[arg(long, value_name = "ORDER", default_value = "weight", value_parser = wording::parse_order)]
    pub sort: wording::Order,

    /// Write a page with thumbnails as well, complete in one file.
    #[arg(long, value_name = "FILE")]
    pub html: Option<PathBuf>,

    /// Report as a JSON document (docs/formats.md).
    #[arg(long)]
    pub json: bool,
}

const SURVEY_EXAMPLES: &str = "\
Examples:
  kiln survey site/img
      Every picture, heaviest first, with what is wrong and what it would weigh as WebP.
  kiln survey photos --shown 800 --density 2 --max-weight 120KB --top 20 --html survey.html
      The 20 heaviest for a column of 800 CSS pixels, and a page to pass on.

The estimate is for a piece as wide as --shown on a screen of that density, never wider than the
picture, at the look asked for. Nothing is changed.

Load times count six files at a time, each waiting once for an answer:
  slow phone  1.6 Mbit/s, 300 ms
  fast phone  12 Mbit/s, 70 ms
  cable       50 Mbit/s, 20 ms";
