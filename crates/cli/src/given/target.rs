//! What is said of a target: where it is, how files get there, and who sends them.

use std::path::PathBuf;
use std::str::FromStr;

use kiln_core::plan::Glob;

use super::{LibraryKind, Media};

/// How files get to another machine.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Protocol {
    /// WebDAV (RFC 4918).
    Webdav,
    /// SFTP over SSH (draft-ietf-secsh-filexfer-02, RFC 4251 to 4254).
    Sftp,
    /// FTP (RFC 959, RFC 4217).
    Ftp,
    /// The HTTP interface of object stores.
    Bucket,
    /// The HTTP interface of a media library.
    Library(LibraryKind),
}

impl Protocol {
    /// How addresses begin: what is spoken there, and whether it is encrypted.
    pub const SCHEMES: [(&str, Protocol, bool); 7] = [
        ("davs", Protocol::Webdav, true),
        ("dav", Protocol::Webdav, false),
        ("sftp", Protocol::Sftp, true),
        ("ftps", Protocol::Ftp, true),
        ("ftp", Protocol::Ftp, false),
        ("bucket+https", Protocol::Bucket, true),
        ("bucket+http", Protocol::Bucket, false),
    ];

    /// Whether its addresses may be those of the web, where its kind is told beside them.
    pub fn is_of_the_web(self) -> bool {
        !matches!(self, Protocol::Sftp | Protocol::Ftp)
    }
}

/// What a target is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum TargetKind {
    /// A ZIP file.
    Bundle,
    /// A folder of this machine.
    Folder,
    /// Another machine.
    Remote(Protocol),
}

impl TargetKind {
    /// All, by their names.
    pub const ALL: [(&str, TargetKind); 9] = [
        ("bundle", TargetKind::Bundle),
        ("folder", TargetKind::Folder),
        ("webdav", TargetKind::Remote(Protocol::Webdav)),
        ("sftp", TargetKind::Remote(Protocol::Sftp)),
        ("ftp", TargetKind::Remote(Protocol::Ftp)),
        ("bucket", TargetKind::Remote(Protocol::Bucket)),
        (
            "micropub",
            TargetKind::Remote(Protocol::Library(LibraryKind::Micropub)),
        ),
        (
            "atompub",
            TargetKind::Remote(Protocol::Library(LibraryKind::Atompub)),
        ),
        (
            "rest",
            TargetKind::Remote(Protocol::Library(LibraryKind::Rest)),
        ),
    ];
}

impl FromStr for TargetKind {
    type Err = String;

    fn from_str(text: &str) -> Result<TargetKind, String> {
        let found = TargetKind::ALL.iter().find(|(name, _)| *name == text);
        found.map(|(_, kind)| *kind).ok_or_else(|| {
            let names = TargetKind::ALL.map(|(name, _)| name).join(", ");
            format!("the kinds are {names}")
        })
    }
}

/// Where a secret comes from; itself it stands nowhere.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum SecretSource {
    /// A variable of the environment.
    Environment(String),
    /// The first line that a command prints.
    Command(String),
    /// The keyring of the system.
    Keyring,
}

impl FromStr for SecretSource {
    type Err = String;

    /// What is refused is not repeated: it may be a secret.
    fn from_str(text: &str) -> Result<SecretSource, String> {
        let (word, rest) = text.trim().split_once(' ').unwrap_or((text.trim(), ""));
        let rest = rest.trim().to_owned();
        match word {
            "env" if !rest.is_empty() && !rest.contains(['=', '\0']) => {
                Ok(SecretSource::Environment(rest))
            }
            "command" if !rest.is_empty() => Ok(SecretSource::Command(rest)),
            "keyring" if rest.is_empty() => Ok(SecretSource::Keyring),
            _ => Err(
                "a secret never stands here in plain: say where it comes from, \"env NAME\", \"command LINE\" or \"keyring\""
                    .to_owned(),
            ),
        }
    }
}

/// A target, as far as it was said.
#[derive(Clone, Debug, Default)]
pub struct TargetGiven {
    /// What it is, where its address does not tell.
    pub kind: Option<TargetKind>,
    /// Its address, or its path.
    pub to: Option<String>,
    /// Who logs in.
    pub user: Option<String>,
    /// Where the password, token or passphrase comes from.
    pub secret: Option<SecretSource>,
    /// The file of the key that logs in.
    pub key_file: Option<PathBuf>,
    /// The fingerprint of the host's key.
    pub trust: Option<String>,
    /// The certificates of an authority of one's own.
    pub authority: Option<PathBuf>,
    /// Whether passwords and files may go over the network in plain.
    pub unencrypted: Option<bool>,
    /// Files sent at a time.
    pub at_once: Option<usize>,
    /// How often a file is tried.
    pub tries: Option<usize>,
    /// Seconds that nothing may happen.
    pub timeout: Option<u64>,
    /// The most that one bundle may weigh.
    pub split: Option<u64>,
    /// The region of a bucket.
    pub region: Option<String>,
    /// Whether the host begins with the name of the bucket.
    pub in_host: Option<bool>,
    /// How long browsers may keep files: by their names, what `Cache-Control` says. The first that fits holds.
    pub cache: Vec<(Glob, String)>,
    /// How a library is used.
    pub media: Option<Media>,
}

impl TargetGiven {
    /// What this says, else what lies below.
    pub fn over(self, below: &TargetGiven) -> TargetGiven {
        TargetGiven {
            kind: self.kind.or(below.kind),
            to: self.to.or_else(|| below.to.clone()),
            user: self.user.or_else(|| below.user.clone()),
            secret: self.secret.or_else(|| below.secret.clone()),
            key_file: self.key_file.or_else(|| below.key_file.clone()),
            trust: self.trust.or_else(|| below.trust.clone()),
            authority: self.authority.or_else(|| below.authority.clone()),
            unencrypted: self.unencrypted.or(below.unencrypted),
            at_once: self.at_once.or(below.at_once),
            tries: self.tries.or(below.tries),
            timeout: self.timeout.or(below.timeout),
            split: self.split.or(below.split),
            region: self.region.or_else(|| below.region.clone()),
            in_host: self.in_host.or(below.in_host),
            media: self.media.or_else(|| below.media.clone()),
            cache: match self.cache.is_empty() {
                true => below.cache.clone(),
                false => self.cache,
            },
        }
    }
}

/// `--at-once`: a number of files.
pub fn parse_at_once(text: &str) -> Result<usize, String> {
    match text.trim().parse() {
        Ok(files @ 1..=64) => Ok(files),
        _ => Err("it is a whole number of files from 1 to 64".to_owned()),
    }
}

/// `--tries`: how often something is tried.
pub fn parse_tries(text: &str) -> Result<usize, String> {
    match text.trim().parse() {
        Ok(tries @ 1..=100) => Ok(tries),
        _ => Err("it is a whole number from 1 to 100".to_owned()),
    }
}

/// `--timeout`: seconds.
pub fn parse_seconds(text: &str) -> Result<u64, String> {
    match text.trim().parse() {
        Ok(seconds @ 1..=3600) => Ok(seconds),
        _ => Err("it is a whole number of seconds from 1 to 3600".to_owned()),
    }
}

/// `--trust`: the fingerprint of a host's key, SHA-256 in Base64 as ssh programs print it.
pub fn parse_fingerprint(text: &str) -> Result<String, String> {
    /// Characters of 32 bytes in Base64 without its padding.
    const LENGTH: usize = 43;
    let digits = text
        .trim()
        .trim_start_matches("SHA256:")
        .trim_end_matches('=');
    let sound = |c: char| c.is_ascii_alphanumeric() || "+/".contains(c);
    if digits.len() == LENGTH && digits.chars().all(sound) {
        Ok(format!("SHA256:{digits}"))
    } else {
        Err("it is the fingerprint of the host's key, SHA256: and 43 characters, as its owner can tell".to_owned())
    }
}
