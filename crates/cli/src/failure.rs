//! Why a whole command ends without doing its work.

use std::io;
use std::path::{Path, PathBuf};
use std::process::ExitCode;

use kiln_core::plan::Clash;
use thiserror::Error;

/// A failure that stops a run before, or instead of, its work.
#[derive(Debug, Error)]
pub enum Failure {
    #[error("{0}: no such file or folder; check the path")]
    NoSuchPath(PathBuf),
    #[error(
        "{out}: the originals in {originals} are inside the out folder; choose another with --out"
    )]
    OutHoldsOriginals { out: PathBuf, originals: PathBuf },
    #[error("--quality sets a dial, and PNG has none; leave png out of --format or --quality away")]
    DialOfPng,
    #[error("{0}: no pictures found (JPEG, PNG, WebP or GIF); name another folder")]
    NothingFound(String),
    #[error("{0}; rename one of them or fire them into different --out folders")]
    Clash(#[from] Clash),
    #[error(
        "{piece}: is there already and is not a piece of an earlier firing; move it away or choose another --out"
    )]
    Foreign { piece: PathBuf },
    #[error("{path}: is there already and is not a page; choose another name for --html")]
    NoPage { path: PathBuf },
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

impl Failure {
    /// The exit code: 2 where the command line is at fault, else 1.
    pub fn exit(&self) -> ExitCode {
        match self {
            Failure::NoSuchPath(_) | Failure::OutHoldsOriginals { .. } | Failure::DialOfPng => {
                ExitCode::from(2)
            }
            _ => ExitCode::from(1),
        }
    }

    /// No pictures below any of the paths.
    pub fn nothing_found(paths: &[PathBuf]) -> Failure {
        let paths: Vec<String> = paths.iter().map(|p| p.display().to_string()).collect();
        Failure::NothingFound(paths.join(", "))
    }

    /// For errors of one path.
    pub fn unwritable(path: &Path) -> impl FnOnce(io::Error) -> Failure {
        let path = path.to_owned();
        |source| Failure::Unwritable { path, source }
    }
}
