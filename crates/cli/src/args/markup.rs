//! The options of `kiln markup` and `kiln rewire`.

use std::path::{Path, PathBuf};

use kiln_core::plan::Glob;

use super::{KilnFileArgs, parsed};
use crate::given::Meanwhile;
use crate::wording;

/// Where pieces are, and what is said of them.
#[derive(Debug, clap::Args)]
pub struct StockArgs {
    #[command(flatten)]
    pub kiln_file: KilnFileArgs,

    /// The folder of the pieces. [default: that of the kiln file, else upload]
    #[arg(short, long, value_name = "DIR")]
    pub out: Option<PathBuf>,

    /// The label sheet. [default: that of the kiln file, else labels.csv beside it]
    #[arg(long, value_name = "FILE")]
    pub labels: Option<PathBuf>,
}

/// The options of `kiln markup`.
#[derive(Debug, clap::Args)]
#[command(after_help = MARKUP_EXAMPLES)]
pub struct MarkupArgs {
    /// Originals or pieces, and folders of them. Without any, all that the ledger knows.
    #[arg(value_name = "PATHS")]
    pub paths: Vec<PathBuf>,

    #[command(flatten)]
    pub stock: StockArgs,

    /// Only these places.
    #[arg(short, long, value_name = "NAME,…", value_delimiter = ',')]
    pub place: Vec<String>,

    /// The address that the out folder will have, such as https://tern-point.example/img or /img.
    #[arg(long, value_name = "ADDRESS", value_parser = wording::parse_base)]
    pub base: Option<String>,

    /// The page that it is for, which need not be there: addresses are relative to it. [default: a page
    /// beside the kiln file]
    #[arg(long, value_name = "FILE", conflicts_with = "base")]
    pub page: Option<PathBuf>,

    /// What stands in the spot of a picture until it comes: colour (its mean) or tiny (a picture of some pixels in
    /// the page itself). None where it is transparent.
    #[arg(long, value_name = "KIND", value_parser = str::parse::<Meanwhile>)]
    pub meanwhile: Option<Meanwhile>,

    /// Put drawings up to this weight into the page itself, such as 2KB.
    #[arg(long, value_name = "SIZE", value_parser = wording::parse_weight)]
    pub inline: Option<u64>,

    /// Write it by a template of your own (docs/formats.md says what it is given).
    #[arg(long, value_name = "FILE", conflicts_with_all = ["json", "html"])]
    pub template: Option<PathBuf>,

    /// Write a file for each picture into this folder, instead of all to standard output.
    #[arg(long, value_name = "DIR", conflicts_with_all = ["json", "html"])]
    pub into: Option<PathBuf>,

    /// Write a page that shows every picture as its markup does, with that markup beside it.
    #[arg(long, value_name = "FILE", conflicts_with_all = ["json", "page", "base"])]
    pub html: Option<PathBuf>,

    /// Give everything as a JSON document (docs/formats.md).
    #[arg(long)]
    pub json: bool,
}

const MARKUP_EXAMPLES: &str = "\
Examples:
  kiln markup
      The HTML of every picture that was fired, for a page beside the kiln file.
  kiln markup originals/rooms/breakfast.png
      Of this one: ready to be pasted.
  kiln markup --place banner --base https://cdn.tern-point.example/img
      Addresses as they will be once the pieces are there.
  kiln markup --html pictures.html
      All of them on one page, to look at and to copy from.
  kiln markup --template shortcode.txt --into snippets
      A file for each picture, in words that another program understands.

The alternative text is that of the label sheet. A picture without one, and not decorative, is
named, and the exit code is 1. In the kiln file a place may say: sizes, lead = true (seen first),
shown-as = \"background\", \"icon\" or \"preview\", and media with instead-of for another shape on
some screens.";

/// The options of `kiln rewire`.
#[derive(Debug, clap::Args)]
#[command(after_help = REWIRE_EXAMPLES)]
pub struct RewireArgs {
    /// The folder of the site.
    #[arg(value_name = "SITE")]
    pub site: PathBuf,

    #[command(flatten)]
    pub stock: StockArgs,

    /// The address that the out folder will have. [default: relative to each file]
    #[arg(long, value_name = "ADDRESS", value_parser = wording::parse_base)]
    pub base: Option<String>,

    /// The address of the site: references that begin with it are followed as well, and stay whole.
    #[arg(long, value_name = "ADDRESS", value_parser = wording::parse_home)]
    pub home: Option<String>,

    /// How wide pictures are shown, as kiln page --browser --json has measured it.
    #[arg(long, value_name = "FILE")]
    pub shown: Option<PathBuf>,

    /// Files of the site that are left alone: patterns for paths below SITE, such as archive/**.
    #[arg(long, value_name = "PATTERN,…", value_delimiter = ',', value_parser = Glob::new)]
    pub except: Vec<Glob>,

    /// Change addresses only: no elements, attributes or texts are added.
    #[arg(long)]
    pub plain: bool,

    /// Make pictures of Markdown texts HTML, with all their formats.
    #[arg(long, conflicts_with = "plain")]
    pub markdown_as_html: bool,

    /// Take alternative texts that the pages have and the label sheet lacks into the sheet.
    #[arg(long, conflicts_with_all = ["undo", "dry_run"])]
    pub learn: bool,

    /// Print what would change, as a diff that patch and git apply take, and change nothing.
    #[arg(long)]
    pub dry_run: bool,

    /// Change files of a work tree too that have changes which are not committed.
    #[arg(long)]
    pub uncommitted: bool,

    /// Undo what the last run changed.
    #[arg(long, conflicts_with_all = ["base", "home", "shown", "plain", "markdown_as_html", "dry_run"])]
    pub undo: bool,

    /// Report as a JSON document (docs/formats.md).
    #[arg(long, conflicts_with_all = ["dry_run", "undo"])]
    pub json: bool,
}

impl RewireArgs {
    /// Those of `kiln rewire SITE --kiln FILE`.
    pub fn by(site: &Path, kiln: &Path) -> RewireArgs {
        let (kiln, site) = (kiln.as_os_str(), site.as_os_str());
        parsed(&["kiln".as_ref(), "--kiln".as_ref(), kiln, site])
    }
}

const REWIRE_EXAMPLES: &str = "\
Examples:
  kiln rewire public --dry-run
      What would change in the files of public/, as a diff. Nothing is written.
  kiln rewire public
      Every reference to an original, or to an earlier piece of it, leads to its pieces.
  kiln rewire public --undo
      Puts back what the last run changed, even where other lines were edited since.
  kiln page public --browser --json > shown.json
  kiln rewire public --shown shown.json
      With the widths that a browser has measured.
  kiln rewire content --plain --learn
      Addresses only; texts that the pages have go into the label sheet.

HTML, CSS, Markdown, SVG, feeds, sitemaps and web app manifests are read. Only the spans that
change are rewritten; what stands between {{ }}, {% %} or <? ?> is never touched. A second run
changes nothing.";
