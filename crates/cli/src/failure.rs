//! Why a whole command ends without doing its work.

use std::io;
use std::path::{Path, PathBuf};
use std::process::ExitCode;

use kiln_core::plan::{PartOf, Trouble};
use thiserror::Error;

use crate::wording;

/// A failure that stops a run before, or instead of, its work.
#[derive(Debug, Error)]
pub enum Failure {
    #[error("{0}: no such file or folder; check the path")]
    NoSuchPath(PathBuf),
    #[error("{path}: cannot be read ({source}); check its permissions")]
    Unreadable {
        path: PathBuf,
        #[source]
        source: io::Error,
    },
    #[error(
        "{out}: the originals in {originals} are inside the out folder; choose another with --out"
    )]
    OutHoldsOriginals { out: PathBuf, originals: PathBuf },
    /// What only a firing reaches.
    #[error(
        "{0}: lies on another machine, where this command does not reach; bring the files to this one"
    )]
    Elsewhere(PathBuf),
    /// Settings of one place, or of all, that cannot hold together.
    #[error("{place}{says}")]
    Contradiction { place: String, says: &'static str },
    /// A part that nobody tells.
    #[error("--part auto: {0}")]
    NoPart(String),
    /// Parts that nobody made.
    #[error(
        "{0}: no parts have left anything to gather; make them with kiln fire --part K/N, or leave --gather out"
    )]
    NoParts(PathBuf),
    /// Somebody makes the same part.
    #[error("{out}: part {part} is being made there by another run; wait until it ends")]
    BusyPart { out: PathBuf, part: PartOf },
    #[error("no pictures are named; name some, or make a kiln file with kiln init")]
    NoPaths,
    #[error(
        "{0}: does not say where the originals are; add originals = \"FOLDER\" or name them on the command line"
    )]
    NoOriginals(PathBuf),
    #[error("{path}: cannot be read ({source}); check the path")]
    NoKilnFile {
        path: PathBuf,
        #[source]
        source: io::Error,
    },
    #[error("{path}: the settings were not kept: {says}")]
    Unkept { path: PathBuf, says: String },
    /// All that is wrong in it, each with its line.
    #[error("{0}")]
    KilnFile(String),
    /// What is no page, or cannot be asked.
    #[error("{given}: {says}")]
    NoAddress { given: String, says: String },
    /// No browser to ask.
    #[error("{0}")]
    NoBrowser(String),
    #[error("{0}: is no baseline of a check; make one with --new-baseline")]
    NoBaseline(PathBuf),
    #[error("{0}: is there already; name a new folder")]
    FolderThere(PathBuf),
    #[error("there is no place {name:?}; {advice}")]
    NoPlace { name: String, advice: String },
    #[error("there is no target {name:?}; {advice}")]
    NoTarget { name: String, advice: String },
    /// Nothing can be sent to a target.
    #[error("{address}: {says}")]
    Undelivered { address: String, says: String },
    #[error("{path}: is there already; name another file with --kiln, or move it away")]
    KilnFileThere { path: PathBuf },
    #[error("{path}: {what}")]
    Sheet { path: PathBuf, what: String },
    #[error(
        "{0}: no pictures found (JPEG, PNG, WebP, AVIF, SVG, GIF, TIFF, BMP, ICO, PNM or QOI); name another folder"
    )]
    NothingFound(String),
    #[error("{0}: holds the pieces of a firing and no originals; name the folder of the originals")]
    OnlyPieces(PathBuf),
    #[error(
        "{0}: no pieces are recorded there; make them with kiln fire, or name the folder with --out"
    )]
    NoPieces(PathBuf),
    #[error("{0}: cannot be read as a ledger; run kiln fire, which begins a new one")]
    NoLedger(PathBuf),
    /// Something that a command cannot be told to do.
    #[error("{path}: {says}")]
    Refused { path: PathBuf, says: String },
    #[error("{}", lines(.0))]
    Troubles(Vec<Trouble>),
    /// Files where pieces would go, which no ledger knows.
    #[error("{}", foreign(.0))]
    Foreign(Vec<PathBuf>),
    #[error(
        "{path}: was written by Mellow Kiln {kiln} and is of a newer form (schema {schema}); update this program, or choose another --out"
    )]
    NewerLedger {
        path: PathBuf,
        schema: u64,
        kiln: String,
    },
    #[error("{path}: is there already and is not a page; choose another name for --html")]
    NoPage { path: PathBuf },
    #[error("the page cannot be served at port {port} ({source}); name another with --serve=PORT")]
    Unserved {
        port: u16,
        #[source]
        source: io::Error,
    },
    #[error("{path}: cannot be written ({source}); choose another folder or make room")]
    Unwritable {
        path: PathBuf,
        #[source]
        source: io::Error,
    },
    #[error("{0}: another firing is at work there; wait until it ends")]
    Busy(PathBuf),
    #[error("{path}: is not the sample file of that name; move it away or name another folder")]
    NotOurs { path: PathBuf },
    #[error("the interrupt signal cannot be watched ({0}); close other programs and try again")]
    Signal(#[from] ctrlc::Error),
    #[error("threads cannot be started ({0}); try --jobs 1")]
    Threads(#[from] rayon::ThreadPoolBuildError),
}

/// Of very many troubles the first few tell enough.
const SHOWN: usize = 20;

fn lines(troubles: &[Trouble]) -> String {
    // A name with a line break in it must not look like two troubles.
    let line = |trouble: &Trouble| wording::safe(&trouble.to_string());
    let mut lines: Vec<String> = troubles.iter().take(SHOWN).map(line).collect();
    if troubles.len() > SHOWN {
        lines.push(format!("and {} more like these", troubles.len() - SHOWN));
    }
    lines.join("\n")
}

/// Each of the first few, and what to do about all.
fn foreign(pieces: &[PathBuf]) -> String {
    let line = |piece: &PathBuf| {
        let says = "is there already and is not a piece of an earlier firing";
        wording::safe(&format!("{}: {says}", piece.display()))
    };
    let mut lines: Vec<String> = pieces.iter().take(SHOWN).map(line).collect();
    if pieces.len() > SHOWN {
        lines.push(format!("and {} more like these", pieces.len() - SHOWN));
    }
    let advice = |them: &str| {
        format!(
            "move {them} away, choose another --out, or say --adopt to let pieces replace {them}"
        )
    };
    match &mut lines[..] {
        [one] => one.push_str(&format!("; {}", advice("it"))),
        _ => lines.push(advice("them")),
    }
    lines.join("\n")
}

impl Failure {
    /// The exit code: 2 where the command line is at fault, else 1.
    pub fn exit(&self) -> ExitCode {
        match self {
            Failure::NoSuchPath(_)
            | Failure::Unreadable { .. }
            | Failure::OutHoldsOriginals { .. }
            | Failure::Elsewhere(_)
            | Failure::Contradiction { .. }
            | Failure::NoPaths
            | Failure::NoPart(_)
            | Failure::NoAddress { .. }
            | Failure::NoOriginals(_)
            | Failure::NoKilnFile { .. }
            | Failure::Refused { .. }
            | Failure::KilnFile(_)
            | Failure::NoTarget { .. }
            | Failure::NoPlace { .. } => ExitCode::from(2),
            _ => ExitCode::from(1),
        }
    }

    /// No pictures below any of the paths.
    pub fn nothing_found(paths: &[PathBuf]) -> Failure {
        let paths: Vec<String> = paths.iter().map(|p| p.display().to_string()).collect();
        Failure::NothingFound(paths.join(", "))
    }

    /// A path that cannot be looked at: it is not there, or else.
    pub fn unreadable(path: &Path) -> impl FnOnce(io::Error) -> Failure {
        let path = path.to_owned();
        |source| match source.kind() {
            io::ErrorKind::NotFound => Failure::NoSuchPath(path),
            _ => Failure::Unreadable { path, source },
        }
    }

    /// For errors of one path.
    pub fn unwritable(path: &Path) -> impl FnOnce(io::Error) -> Failure {
        let path = path.to_owned();
        |source| Failure::Unwritable { path, source }
    }
}
