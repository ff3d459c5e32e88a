//! The command line as typed. What it means is decided in `settings`.

mod check;
mod deliver;
mod judging;
mod ledger;
mod markup;
mod page;
mod survey;

use std::ffi::OsStr;
use std::path::{Path, PathBuf};

use clap::{Parser, Subcommand};
use kiln_core::credits::Field;
use kiln_core::encode::Format;
use kiln_core::plan::{CreditsWish, Look};

use crate::layer::{TypedLayer, TypedShape};
use crate::wording::{self, PartWish};
pub use check::CheckArgs;
pub use deliver::DeliverArgs;
pub use judging::JudgingArgs;
pub use ledger::{LedgerAction, LedgerArgs};
pub use markup::{MarkupArgs, RewireArgs, StockArgs};
pub use page::PageArgs;
pub use survey::SurveyArgs;

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
  kiln page https://tern-point.example/        Find what a page loads that is too heavy
  kiln survey photos                           Find what is heavy, and why
  kiln init photos                             Write a kiln file that fits them
  kiln fire                                    Make all pieces of that kiln file
  kiln fire photos --width 800 --density 1,2   Make WebP pieces of every picture in photos
  kiln check                                   Are they fit to publish?
  kiln rewire public                           Point the pages of public/ at them

Exit codes: 0 all done and every budget kept; 1 something was not done or not kept, each named
on stderr; 2 the command line or the kiln file is wrong; 130 interrupted.";

/// The commands.
#[derive(Debug, Subcommand)]
pub enum Command {
    /// Show what is heavy, why, and what it would weigh.
    Survey(SurveyArgs),
    /// Look at the originals and write a kiln file that fits them.
    Init(InitArgs),
    /// Make the pieces: size, compress and write every picture found.
    Fire(Box<FireArgs>),
    /// Find what a page loads, how wide it is shown, and what is too heavy.
    Page(Box<PageArgs>),
    /// Try formats and looks on a picture: what each costs, and where the eye sees it.
    Proof(Box<ProofArgs>),
    /// Make and check the label sheet: titles, alternative texts, credits.
    Label(LabelArgs),
    /// Hold files, folders and built sites to rules: a gate for a build.
    Check(Box<CheckArgs>),
    /// Write the HTML for each picture: its pieces, its words, its size.
    Markup(Box<MarkupArgs>),
    /// Point the HTML, CSS and Markdown of a site at the pieces.
    Rewire(Box<RewireArgs>),
    /// Bundle the pieces with their texts, or send them to where visitors find them.
    Deliver(Box<DeliverArgs>),
    /// What is recorded of the pieces, and does the disk agree?
    Ledger(LedgerArgs),
    /// Unpack the sample site of Tern Point Light, fire it and rewire its pages.
    Demo(DemoArgs),
    /// Print what a shell needs to complete commands and options.
    Completions(CompletionsArgs),
    /// Write manual pages, one for each command.
    Man(ManArgs),
}

/// The options of `kiln fire`.
#[derive(Debug, clap::Args)]
#[command(after_help = FIRE_EXAMPLES)]
pub struct FireArgs {
    /// Pictures, and folders to search for them (with their subfolders; hidden files are left
    /// out), on other machines too (davs://, sftp://, bucket+https://). Without any, the originals of the kiln file.
    #[arg(value_name = "PATHS")]
    pub paths: Vec<PathBuf>,

    #[command(flatten)]
    pub kiln_file: KilnFileArgs,

    /// Only these places of the kiln file.
    #[arg(short, long, value_name = "NAME,…", value_delimiter = ',')]
    pub place: Vec<String>,

    /// Where the pieces go: a folder, or an address as of PATHS. [default: that of the kiln file, else upload]
    #[arg(short, long, value_name = "DIR")]
    pub out: Option<PathBuf>,

    #[command(flatten)]
    pub layer: TypedLayer,

    #[command(flatten)]
    pub credits: CreditsArgs,

    /// Keep these settings: write them into the kiln file as the place of that name, with what is
    /// named as its originals; its comments and its order stay. Without a kiln file one is made.
    #[arg(long, value_name = "NAME", conflicts_with_all = ["place", "no_kiln", "dry_run", "watch"])]
    pub remember: Option<String>,

    /// The most that all pictures may weigh together, such as 1MB: in each format by itself, and
    /// each picture in one size, as a visitor loads them. It is shared so that the worst of them
    /// looks as good as can be.
    #[arg(long, value_name = "SIZE", value_parser = wording::parse_weight)]
    pub max_total: Option<u64>,

    /// The label sheet. [default: that of the kiln file, else labels.csv beside it]
    #[arg(long, value_name = "FILE")]
    pub labels: Option<PathBuf>,

    /// The largest picture that is read, in megapixels.
    #[arg(long, value_name = "MP", default_value = "300", value_parser = wording::parse_megapixels)]
    pub allowance: u64,

    /// Pictures in work at once. The pieces do not depend on it. [default: one per core]
    #[arg(short, long, value_name = "N", value_parser = wording::parse_jobs)]
    pub jobs: Option<usize>,

    /// Make one part of the whole on this machine, such as 3/8: which originals that are follows from the plan
    /// alone, so that eight machines that are told 1/8 to 8/8 make all of it. auto asks the batch engine that runs
    /// it (Slurm's arrays; Kubernetes' indexed jobs, with KILN_PARTS=N).
    #[arg(long, value_name = "K/N|auto", value_parser = wording::parse_part, conflicts_with_all = ["watch", "remove_strays", "remember", "gather"])]
    pub part: Option<PartWish>,

    /// Gather what parts have made into one ledger: what one of them left is made, totals are shared, strays told.
    /// Originals that were not touched since are not read again.
    #[arg(long, conflicts_with_all = ["watch", "dry_run"])]
    pub gather: bool,

    /// Show the plan and write nothing.
    #[arg(long)]
    pub dry_run: bool,

    /// Go on: fire new and changed originals as they arrive, until Ctrl-C.
    #[arg(long, conflicts_with_all = ["json", "dry_run"])]
    pub watch: bool,

    /// Remove strays: pieces of earlier firings whose original or place is gone. Those that were
    /// altered since stay.
    #[arg(long, conflicts_with = "dry_run")]
    pub remove_strays: bool,

    /// Replace files that stand where pieces go and that no ledger knows, as if they were pieces of
    /// an earlier firing.
    #[arg(long, conflicts_with = "dry_run")]
    pub adopt: bool,

    /// Report as a JSON document (docs/formats.md).
    #[arg(long)]
    pub json: bool,

    /// Write the report as a page as well, complete in one file, to be handed on: totals and load
    /// times, every original with its pieces, crops and the spots where they differ most.
    #[arg(long, value_name = "FILE", conflicts_with_all = ["dry_run", "watch"])]
    pub html: Option<PathBuf>,

    /// Tell how the pieces with this in their names came about: every trial with its dial, weight
    /// and score.
    #[arg(long, value_name = "PIECE", conflicts_with_all = ["json", "quiet", "dry_run"])]
    pub why: Vec<String>,

    /// No report and no progress; what went wrong is still said.
    #[arg(long, conflicts_with_all = ["json", "verbose", "dry_run"])]
    pub quiet: bool,

    /// Show where each setting comes from, and how many encodes unchanged pieces took.
    #[arg(short, long)]
    pub verbose: bool,
}

impl FireArgs {
    /// Those of `kiln fire --kiln FILE`.
    pub fn by(kiln: &Path) -> FireArgs {
        parsed(&["kiln".as_ref(), "--kiln".as_ref(), kiln.as_os_str()])
    }
}

/// The options of a command, as if they had been typed.
fn parsed<T: clap::Args>(arguments: &[&OsStr]) -> T {
    #[derive(Parser)]
    struct Alone<T: clap::Args> {
        #[command(flatten)]
        args: T,
    }
    Alone::parse_from(arguments).args
}

/// What pieces say of themselves, over `[metadata]` of the kiln file.
#[derive(Debug, Default, clap::Args)]
pub struct CreditsArgs {
    /// What pieces keep of what their originals and the label sheet say: title, caption,
    /// alternative-text, keywords, creator, copyright, credit, licence, date, camera, position.
    /// [default: that of the kiln file, else creator,copyright,credit,licence]
    #[arg(long, value_name = "FIELD,…", value_delimiter = ',', value_parser = wording::parse_field)]
    pub metadata_keep: Option<Vec<Field>>,

    /// Write a text into every piece, such as copyright="© Tern Point Trust".
    #[arg(long, value_name = "FIELD=TEXT", value_parser = wording::parse_written)]
    pub metadata_write: Vec<(Field, String)>,

    /// The resolution tag, in dots per inch: it changes no pixel.
    #[arg(long, value_name = "DPI", value_parser = clap::value_parser!(u16).range(1..))]
    pub resolution: Option<u16>,
}

impl CreditsArgs {
    /// What the kiln file says, and over that what is typed.
    pub fn over(&self, below: CreditsWish) -> CreditsWish {
        let mut wish = below;
        if let Some(keep) = &self.metadata_keep {
            wish.keep.clone_from(keep);
        }
        for (field, text) in &self.metadata_write {
            wish.write.set(*field, text);
        }
        wish.dots_per_inch = self.resolution.or(wish.dots_per_inch);
        wish
    }
}

/// Which kiln file holds.
#[derive(Debug, clap::Args)]
pub struct KilnFileArgs {
    /// The kiln file. [default: the nearest kiln.toml in this folder or those above]
    #[arg(short, long, value_name = "FILE")]
    pub kiln: Option<PathBuf>,

    /// Go by no kiln file, even where there is one.
    #[arg(long, conflicts_with = "kiln")]
    pub no_kiln: bool,
}

/// The options of `kiln proof`.
#[derive(Debug, clap::Args)]
#[command(after_help = PROOF_EXAMPLES)]
pub struct ProofArgs {
    /// Originals, and folders to search for them; or two finished files, of which the second is
    /// compared with the first.
    #[arg(required = true, value_name = "PATHS")]
    pub paths: Vec<PathBuf>,

    #[command(flatten)]
    pub kiln_file: KilnFileArgs,

    /// Only for these places of the kiln file. [default: every place that shows it]
    #[arg(short, long, value_name = "NAME,…", value_delimiter = ',')]
    pub place: Vec<String>,

    /// The formats to try: jpeg, png, webp, avif. [default: all four]
    #[arg(short, long, value_name = "FORMAT,…", value_delimiter = ',', value_parser = wording::parse_format)]
    pub format: Vec<Format>,

    /// The looks to try: plain, fine, crisp, faithful, exact, or scores. [default: those five] Of
    /// two files the second has to reach it.
    #[arg(short, long, value_name = "LOOK,…", value_delimiter = ',', value_parser = wording::parse_look)]
    pub look: Vec<Look>,

    /// Write the proof sheet as well: a page, complete in one file, on which the versions are
    /// compared spot by spot.
    #[arg(long, value_name = "FILE")]
    pub html: Option<PathBuf>,

    /// Serve the proof sheet to a browser on this machine, until Ctrl-C: there a turn of the dial or
    /// another width, shape, format or look makes the new version on the spot. Nothing is written. It
    /// begins with the wanted look; --look and --quality add others. [default port: any that is free]
    #[arg(long, value_name = "PORT", num_args = 0..=1, require_equals = true, default_missing_value = "0", conflicts_with_all = ["html", "json"])]
    pub serve: Option<u16>,

    /// Dials to try, 0 to 100, as the format has them.
    #[arg(short, long, value_name = "N,…", value_delimiter = ',', value_parser = wording::parse_quality)]
    pub quality: Vec<u8>,

    #[command(flatten)]
    pub layer: TypedShape,

    /// The largest picture that is read, in megapixels.
    #[arg(long, value_name = "MP", default_value = "300", value_parser = wording::parse_megapixels)]
    pub allowance: u64,

    /// Versions in work at once. [default: one per core]
    #[arg(short, long, value_name = "N", value_parser = wording::parse_jobs)]
    pub jobs: Option<usize>,

    /// Report as a JSON document (docs/formats.md).
    #[arg(long)]
    pub json: bool,
}

const PROOF_EXAMPLES: &str = "\
Examples:
  kiln proof photos/fog.jpg --width 800
      Four formats and five looks at 800 pixels: weight, score, colours, seconds, and the spots
      where a difference is seen first.
  kiln proof photos/fog.jpg --width 800 --html fog.html
      The same as a page: curves, spots side by side, a dial, the original under a key.
  kiln proof photos/fog.jpg --width 800 --serve
      Prints an address to open in a browser on this machine, where the dial makes new versions.
  kiln proof fog.jpg --place banner --format webp,avif --quality 40,60,80
      Three dials of two formats, sized and cropped as the kiln file says for that place.
  kiln proof sent-by-client.png upload/fog-800.webp --look fine
      Any two finished files: the second against the first. Ends with 1 where it stays below.

Nothing is written but that page. Each original is tried in the largest size that its place asks for.";

const FIRE_EXAMPLES: &str = "\
Examples:
  kiln fire
      Every place of the kiln file, from its originals.
  kiln fire --place banner,card --dry-run
      What two of the places would get, and nothing else.
  kiln fire photos --width 800 --density 1,2
      WebP pieces, 800 and 1600 pixels wide, in upload/.
  kiln fire photos logos/mark.png --out site/img --width 1200 --format avif,webp,jpeg --max-weight 100KB
      Three formats, none above 100,000 bytes; what cannot get there is named.
  kiln fire mixed --width 600 --format auto
      Each picture in the lightest of WebP, JPEG and PNG that reaches the look.
  kiln fire logos --knock-out auto --trim --height 60 --density 1,2 --format png
      Cut-outs without background and borders, 60 CSS pixels high.
  kiln fire photos --width 400 --shape 1:1 --remember card
      The same again as often as you like: the settings stand in kiln.toml as [place.card].
  kiln fire --html report.html
      The same, and a page that shows what became of each picture; it may be made at any time.
  kiln fire --part 3/8
      The third of eight parts, on one of eight machines; when all have ended: kiln fire --gather
  kiln fire photos --long-side 1600 --name '{title}-{number:3}'
      A series: fog-001.webp, fog-002.webp, …

Options go before the kiln file. Without --enlarge a picture that is smaller than asked
gives a piece of its own size. Originals are never written to.";

/// The options of `kiln init`.
#[derive(Debug, clap::Args)]
#[command(after_help = INIT_EXAMPLES)]
pub struct InitArgs {
    /// The folder of the originals. [default: originals, else this folder]
    #[arg(value_name = "FOLDER")]
    pub originals: Option<PathBuf>,

    /// Where to write the kiln file.
    #[arg(short, long, value_name = "FILE", default_value = "kiln.toml")]
    pub kiln: PathBuf,

    /// Where the pieces shall go.
    #[arg(short, long, value_name = "DIR", default_value = "upload")]
    pub out: PathBuf,

    /// Pictures in work at once. [default: one per core]
    #[arg(short, long, value_name = "N", value_parser = wording::parse_jobs)]
    pub jobs: Option<usize>,

    /// Report as a JSON document (docs/formats.md).
    #[arg(long)]
    pub json: bool,
}

const INIT_EXAMPLES: &str = "\
Example:
  kiln init originals
      Looks at the pictures in originals/ and writes kiln.toml: a place for each folder, with a
      width, formats and a budget that fit what is in it. A file that is there is never
      overwritten.";

/// The options of `kiln label`.
#[derive(Debug, clap::Args)]
#[command(after_help = LABEL_EXAMPLES)]
pub struct LabelArgs {
    /// Pictures, and folders to search for them. Without any, the originals of the kiln file.
    #[arg(value_name = "PATHS")]
    pub paths: Vec<PathBuf>,

    #[command(flatten)]
    pub kiln_file: KilnFileArgs,

    /// The label sheet. [default: that of the kiln file, else labels.csv beside it]
    #[arg(long, value_name = "FILE")]
    pub labels: Option<PathBuf>,

    /// End with exit code 1 where anything is missing or wrong.
    #[arg(long)]
    pub strict: bool,

    /// Report as a JSON document (docs/formats.md).
    #[arg(long)]
    pub json: bool,
}

const LABEL_EXAMPLES: &str = "\
Examples:
  kiln label
      Makes labels.csv with a row for each original, or adds rows for new ones, and says what is
      still missing. What stands in the sheet is never changed.
  kiln label --strict
      The same as a gate for a build.

The columns: file, title, alternative text, caption, keywords, creator, credit, licence,
decorative (yes or no). Titles name the pieces; the rest goes into them as [metadata] says.";

/// The options of `kiln demo`.
#[derive(Debug, clap::Args)]
#[command(after_help = DEMO_EXAMPLES)]
pub struct DemoArgs {
    /// Where to unpack the sample site.
    #[arg(value_name = "DIR", default_value = "tern-point-light")]
    pub dir: PathBuf,

    /// Pictures in work at once. [default: one per core]
    #[arg(short, long, value_name = "N", value_parser = wording::parse_jobs)]
    pub jobs: Option<usize>,

    /// Report as a JSON document (docs/formats.md).
    #[arg(long)]
    pub json: bool,

    /// No report and no progress; what went wrong is still said.
    #[arg(long, conflicts_with = "json")]
    pub quiet: bool,
}

/// The options of `kiln completions`.
#[derive(Debug, clap::Args)]
#[command(after_help = COMPLETIONS_EXAMPLES)]
pub struct CompletionsArgs {
    /// The shell: bash, elvish, fish, powershell or zsh.
    #[arg(value_name = "SHELL", value_enum)]
    pub shell: clap_complete::Shell,
}

const COMPLETIONS_EXAMPLES: &str = "\
Examples:
  kiln completions bash > ~/.local/share/bash-completion/completions/kiln
  kiln completions fish > ~/.config/fish/completions/kiln.fish
  kiln completions zsh > ~/.zfunc/_kiln";

/// The options of `kiln man`.
#[derive(Debug, clap::Args)]
#[command(after_help = MAN_EXAMPLES)]
pub struct ManArgs {
    /// Where to write the pages; made where it is not there.
    #[arg(value_name = "DIR")]
    pub dir: PathBuf,
}

const MAN_EXAMPLES: &str = "\
Example:
  kiln man ~/.local/share/man/man1
      Writes kiln.1, kiln-fire.1 and the others; then man kiln-fire shows the options.";

const DEMO_EXAMPLES: &str = "\
Example:
  kiln demo lighthouse
      Unpacks originals, a kiln file, a label sheet and pages into lighthouse/, fires the
      originals and points the pages at the pieces; lighthouse/before keeps them as they came.
      The pieces are bundled too, with their texts, as lighthouse/bundle.zip.
      Two of the originals are broken on purpose, to show how that is said.";
