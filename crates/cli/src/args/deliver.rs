//! The options of `kiln deliver`.

use std::path::{Path, PathBuf};

use kiln_core::plan::Glob;

use super::{StockArgs, parsed};
use crate::given::target;
use crate::wording;

/// The options of `kiln deliver`.
#[derive(Debug, clap::Args)]
#[command(after_help = DELIVER_EXAMPLES)]
pub struct DeliverArgs {
    /// A target of the kiln file, an address (davs://, sftp://, ftps://, bucket+https://), a folder, or a
    /// file that ends in .zip. [default: the only target of the kiln file, else bundle.zip]
    #[arg(value_name = "TARGET")]
    pub target: Option<String>,

    /// Originals or pieces, and folders of them. Without any, all that the ledger knows.
    #[arg(value_name = "PATHS")]
    pub paths: Vec<PathBuf>,

    #[command(flatten)]
    pub stock: StockArgs,

    /// Only these places.
    #[arg(short, long, value_name = "NAME,…", value_delimiter = ',')]
    pub place: Vec<String>,

    /// Only pieces that this page on disk refers to; may be said again for others.
    #[arg(long, value_name = "FILE")]
    pub page: Vec<PathBuf>,

    /// Connect and look what is there, list what would be sent, and send nothing.
    #[arg(long)]
    pub dry_run: bool,

    /// Read back every file that the target has already, and compare it.
    #[arg(long)]
    pub verify: bool,

    /// Remove what an earlier delivery put there and none delivers any more. It is listed first.
    #[arg(long, conflicts_with_all = ["place", "page", "paths"])]
    pub prune: bool,

    /// Replace files that stand there and that no delivery put there: patterns for their names.
    #[arg(long, value_name = "PATTERN,…", value_delimiter = ',', value_parser = Glob::new)]
    pub replace: Vec<Glob>,

    /// Make several bundles, none of them above this weight, such as 20MB.
    #[arg(long, value_name = "SIZE", value_parser = wording::parse_weight)]
    pub split: Option<u64>,

    /// Who logs in.
    #[arg(long, value_name = "NAME")]
    pub user: Option<String>,

    /// Where the password comes from: "env NAME", "command LINE", whose first line it is, or "keyring".
    /// [default: KILN_PASSWORD, else a terminal is asked]
    #[arg(long, value_name = "SOURCE")]
    pub secret: Option<String>,

    /// Log in with this key; the password is that of its file.
    #[arg(long, value_name = "FILE")]
    pub key_file: Option<PathBuf>,

    /// Take the host's key of this fingerprint (SHA256:…), which known_hosts does not have.
    #[arg(long, value_name = "FINGERPRINT", value_parser = target::parse_fingerprint)]
    pub trust: Option<String>,

    /// Take certificates of the authority in this file (PEM) and of no other.
    #[arg(long, value_name = "FILE")]
    pub authority: Option<PathBuf>,

    /// The region of a bucket. [default: us-east-1]
    #[arg(long, value_name = "NAME")]
    pub region: Option<String>,

    /// The host begins with the name of the bucket; without this the path does.
    #[arg(long)]
    pub in_host: bool,

    /// Let password and files cross the network in plain, where the address asks for that.
    #[arg(long)]
    pub unencrypted: bool,

    /// Files sent at a time. [default: 4]
    #[arg(long, value_name = "N", value_parser = target::parse_at_once)]
    pub at_once: Option<usize>,

    /// How often a file is tried before it is given up. [default: 4]
    #[arg(long, value_name = "N", value_parser = target::parse_tries)]
    pub tries: Option<usize>,

    /// Seconds that may pass without an answer. [default: 30]
    #[arg(long, value_name = "SECONDS", value_parser = target::parse_seconds)]
    pub timeout: Option<u64>,

    /// Report as a JSON document (docs/formats.md).
    #[arg(long)]
    pub json: bool,

    /// No report and no progress; what went wrong is still said.
    #[arg(long, conflicts_with_all = ["json", "dry_run"])]
    pub quiet: bool,
}

impl DeliverArgs {
    /// Those of `kiln deliver --kiln FILE`.
    pub fn by(kiln: &Path) -> DeliverArgs {
        parsed(&["kiln".as_ref(), "--kiln".as_ref(), kiln.as_os_str()])
    }
}

const DELIVER_EXAMPLES: &str = "\
Examples:
  kiln deliver
      To the only target of the kiln file; without one, all pieces with their texts in bundle.zip.
  kiln deliver handover.zip --split 20MB
      Bundles that a mailbox takes: handover-1.zip, handover-2.zip, …
  kiln deliver /mnt/site/img --dry-run
      What is new or changed beside a folder or a mounted share.
  kiln deliver davs://tern-point.example/img --user keeper --secret 'command cat ~/.tern'
      Over WebDAV, with a password that stands in no file.
  kiln deliver sftp://keeper@tern-point.example/www/img
      Over SFTP, with the keys and known hosts of ssh.
  kiln deliver ftps://keeper@tern-point.example/htdocs/img
      Over FTP with TLS.
  kiln deliver bucket+https://store.example/tern-point/img --user KEY-ID --region north-1
      Into a bucket of an object store; the secret key is the password.
  kiln deliver site --page public/index.html
      To [target.site], what one page needs.
  kiln deliver site --prune
      And removes there what earlier deliveries left and nothing shows any more.

In the kiln file:
  [target.site]
  to     = \"davs://tern-point.example/img\"
  user   = \"keeper\"
  secret = \"env TERN_PASSWORD\"

Only what is new or changed is sent, each file under another name until it is whole. A file that
no delivery put there is never replaced or removed, unless --replace names it.";
