//! The command line as typed. What it means is decided in `settings`.

use std::path::PathBuf;

use clap::{Parser, Subcommand};

use crate::wording;

/// Makes a folder of heavy pictures ready for the web: the right pixels, light files, originals
/// untouched.
#[derive(Debug, Parser)]
#[command(name = "kiln", version, max_term_width = 100, after_help = EXAMPLES)]
pub struct Args {
    /// What to do.
    #[command(subcommand)]
    pub command: Command,
}

const EXAMPLES: &str = "\
Examples:
  kiln demo                                    See it work on a sample site
  kiln fire photos --width 800 --density 1,2   Make WebP pieces of every picture in photos

Exit codes: 0 all done and every budget kept; 1 something was not done or not kept, each named
on stderr; 2 the command line is wrong; 130 interrupted.";

/// The commands.
#[derive(Debug, Subcommand)]
pub enum Command {
    /// Make the pieces: size, compress and write every picture found.
    Fire(FireArgs),
    /// Unpack the sample site of Tern Point Light and fire it.
    Demo(DemoArgs),
}

/// The options of `kiln fire`.
#[derive(Debug, clap::Args)]
#[command(after_help = FIRE_EXAMPLES)]
pub struct FireArgs {
    /// Pictures, and folders to search for them (with their subfolders; hidden files are left
    /// out).
    #[arg(required = true, value_name = "PATHS")]
    pub paths: Vec<PathBuf>,

    /// Where the pieces go; the folders below PATHS are kept there.
    #[arg(short, long, value_name = "DIR", default_value = "upload")]
    pub out: PathBuf,

    /// Widths as displayed, in CSS pixels. Without it every picture keeps its own.
    #[arg(short, long, value_name = "PX,…", value_delimiter = ',', allow_negative_numbers = true, value_parser = wording::parse_width)]
    pub width: Vec<u32>,

    /// Device pixel ratios to make each width for.
    #[arg(short, long, value_name = "RATIO,…", value_delimiter = ',', default_value = "1", value_parser = wording::parse_density)]
    pub density: Vec<f64>,

    /// Formats to make: jpeg, png, webp, avif.
    #[arg(short, long, value_name = "FORMAT,…", value_delimiter = ',', default_value = "webp", value_parser = wording::parse_format)]
    pub format: Vec<kiln_core::encode::Format>,

    /// The most that a piece may weigh, such as 120KB or 0.1MiB. Bare numbers are bytes, KB is
    /// 1000 bytes, KiB 1024.
    #[arg(short, long, value_name = "SIZE", value_parser = wording::parse_weight)]
    pub max_weight: Option<u64>,

    /// The codec's own dial, 0 to 100, without a search. Not with --max-weight.
    #[arg(short, long, value_name = "N", conflicts_with = "max_weight", value_parser = wording::parse_quality)]
    pub quality: Option<u8>,

    /// What stands behind transparent pixels in JPEG: white, black or #RRGGBB.
    #[arg(long, value_name = "COLOUR", default_value = "white", value_parser = wording::parse_colour)]
    pub backdrop: kiln_core::pixels::Backdrop,

    /// The largest picture that is read, in megapixels.
    #[arg(long, value_name = "MP", default_value = "300", value_parser = wording::parse_megapixels)]
    pub allowance: u64,

    /// Pictures in work at once. The pieces do not depend on it. [default: one per core]
    #[arg(short, long, value_name = "N", value_parser = wording::parse_jobs)]
    pub jobs: Option<usize>,

    /// Show the plan and write nothing.
    #[arg(long)]
    pub dry_run: bool,

    /// Report as a JSON document (docs/formats.md).
    #[arg(long)]
    pub json: bool,

    /// No report and no progress; what went wrong is still said.
    #[arg(long, conflicts_with_all = ["json", "verbose", "dry_run"])]
    pub quiet: bool,

    /// Show the dial of every piece and how many encodes it took.
    #[arg(short, long)]
    pub verbose: bool,
}

const FIRE_EXAMPLES: &str = "\
Examples:
  kiln fire photos --width 800 --density 1,2
      WebP pieces, 800 and 1600 pixels wide, in upload/.
  kiln fire photos logos/mark.png --out site/img --width 1200 --format avif,webp,jpeg --max-weight 100KB
      Three formats, none above 100,000 bytes; what cannot get there is named.
  kiln fire photos --width 800 --dry-run
      What would be made, and nothing else.

A picture is never enlarged: one that is narrower than asked gives a piece at its own width.
Originals are never written to.";

/// The options of `kiln demo`.
#[derive(Debug, clap::Args)]
#[command(after_help = DEMO_EXAMPLES)]
pub struct DemoArgs {
    /// Where to unpack the sample site.
    #[arg(value_name = "DIR", default_value = "tern-point-light")]
    pub dir: PathBuf,
}

const DEMO_EXAMPLES: &str = "\
Example:
  kiln demo /tmp/lighthouse
      Unpacks the originals into /tmp/lighthouse/originals and fires them into /tmp/lighthouse/upload.
      Two of the originals are broken on purpose, to show how that is said.";
