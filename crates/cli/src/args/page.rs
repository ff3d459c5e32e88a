//! The options of `kiln page`.

use std::path::PathBuf;

use kiln_site::Viewport;

use super::JudgingArgs;
use crate::wording;

/// The options of `kiln page`.
#[derive(Debug, clap::Args)]
#[command(after_help = PAGE_EXAMPLES)]
pub struct PageArgs {
    /// Addresses that begin with http:// or https://, files, or folders of a built site; - reads a
    /// list of them from standard input. Two are set side by side: the page before, and the page after.
    #[arg(required_unless_present = "from", value_name = "PAGES")]
    pub pages: Vec<String>,

    /// A list of pages or pictures, one a line; what stands behind a # is for you.
    #[arg(long, value_name = "FILE")]
    pub from: Option<PathBuf>,

    /// Report two pages one after the other instead of side by side.
    #[arg(long)]
    pub each: bool,

    /// The folder of the site, for files whose addresses begin with a slash. [default: the folder that
    /// is given, else that of the file]
    #[arg(long, value_name = "DIR")]
    pub root: Option<PathBuf>,

    /// Screens that the page is shown on, as CSS pixels and density. [default: 390x844@3,
    /// 820x1180@2, 1440x900@1]
    #[arg(long, value_name = "WxH@D,…", value_delimiter = ',')]
    pub viewport: Vec<Viewport>,

    /// Measure in a real browser how the page is shown: over a driver (W3C WebDriver) that is found on
    /// the PATH and started, or that runs at an address, such as --browser=http://127.0.0.1:9515.
    #[arg(long, value_name = "ADDRESS", num_args = 0..=1, require_equals = true, default_missing_value = "", conflicts_with_all = ["header", "user"])]
    pub browser: Option<String>,

    /// The most that all pictures of a page may weigh together, on the screen that loads the most.
    #[arg(long, value_name = "SIZE", value_parser = wording::parse_weight)]
    pub max_total: Option<u64>,

    #[command(flatten)]
    pub judging: JudgingArgs,

    /// Bring the pictures home into this new folder: originals, source.csv that says where each was,
    /// a label sheet with the alternative texts, and a kiln file with a place for each displayed size.
    #[arg(long, value_name = "DIR")]
    pub save: Option<PathBuf>,

    /// Send a header to the host of the page, and to no other.
    #[arg(long, value_name = "NAME: VALUE", value_parser = parse_header)]
    pub header: Vec<(String, String)>,

    /// Log in at the host of the page. The password is asked for, or stands in KILN_PASSWORD.
    #[arg(long, value_name = "NAME")]
    pub user: Option<String>,

    /// Ask addresses of this machine and of private networks too, where a public page leads there.
    #[arg(long)]
    pub local: bool,

    /// Seconds that a file may take to come.
    #[arg(long, value_name = "SECONDS", default_value = "30", value_parser = clap::value_parser!(u64).range(1..=3600))]
    pub timeout: u64,

    /// Write the report as a page as well, complete in one file.
    #[arg(long, value_name = "FILE")]
    pub html: Option<PathBuf>,

    /// Report as a JSON document (docs/formats.md).
    #[arg(long)]
    pub json: bool,
}

fn parse_header(text: &str) -> Result<(String, String), String> {
    let says = "a header is NAME: VALUE, such as \"X-Preview: yes\"";
    let (name, value) = text.split_once(':').ok_or(says)?;
    let token = |c: char| c.is_ascii_alphanumeric() || "!#$%&'*+-.^_`|~".contains(c);
    let (name, value) = (name.trim(), value.trim());
    if name.is_empty() || !name.chars().all(token) || value.chars().any(char::is_control) {
        return Err(says.to_owned());
    }
    Ok((name.to_owned(), value.to_owned()))
}

const PAGE_EXAMPLES: &str = "\
Examples:
  kiln page https://tern-point.example/rooms/
      Every picture that the page loads, heaviest first: where it is referred to, how wide it is
      shown, what it weighs and would weigh.
  kiln page https://tern-point.example/rooms/ --browser --html rooms.html
      The same, measured in a browser on a phone, a tablet and a desk; the page shows where each
      heavy picture stands.
  kiln page public/ --max-total 1MB
      All pages of a built site on disk; ends with 1 where one of them is heavier.
  kiln page https://tern-point.example/ --save home
      Brings the pictures home, with a kiln file whose places are the sizes they are shown at.
  kiln page https://tern-point.example/ preview/index.html
      The page before and after, picture by picture.

How wide a picture is shown is what the markup says: its sizes, width attributes and styles of its
own; with --browser it is measured, also of pictures that scripts bring in. Density counts up to 2, since no eye sees more.

Load times: a name, a connection and a TLS greeting cost a round trip each, and so does a request;
without TLS a host gives six files at a time, with TLS all at once; what comes shares the link, and
the browser takes 0.1 s.
  slow phone  1.6 Mbit/s, 300 ms
  fast phone  12 Mbit/s, 70 ms
  cable       50 Mbit/s, 20 ms
Fonts, and what scripts bring in, are not counted.";
