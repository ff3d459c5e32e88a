//! Pictures in files and folders, by their magic bytes.

use std::collections::{HashMap, HashSet};
use std::fs::{self, File};
use std::io::BufReader;
use std::path::{Component, Path, PathBuf};

use kiln_core::plan::Original;
use kiln_core::source::{self, Headers, Kind, ProbeError};
use serde::{Serialize, Serializer};
use walkdir::{DirEntry, WalkDir};

use crate::failure::Failure;

/// A picture whose headers were read.
#[derive(Debug)]
pub struct Picture {
    /// Where it is.
    pub path: PathBuf,
    /// What the plan needs to know of it.
    pub original: Original,
    /// Whether its extension belongs to another format.
    pub misnamed: bool,
}

/// A file or folder that gives no pieces, and why.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Aside {
    /// Its path as found.
    #[serde(serialize_with = "lossy")]
    pub path: PathBuf,
    /// What is wrong, and what to do.
    pub why: String,
}

/// JSON holds no paths that are not Unicode; what is not is marked as such.
fn lossy<S: Serializer>(path: &Path, serializer: S) -> Result<S::Ok, S::Error> {
    serializer.serialize_str(&path.to_string_lossy())
}

/// All that was found.
#[derive(Debug, Default)]
pub struct Finding {
    /// Readable pictures, ordered by path.
    pub pictures: Vec<Picture>,
    /// Files that should have been pictures.
    pub refused: Vec<Aside>,
    /// Files that are best published as they are.
    pub left_out: Vec<Aside>,
}

/// A file that may be a picture.
#[derive(Debug)]
pub struct Candidate {
    /// Where it is.
    pub path: PathBuf,
    /// Its path below the folder that was given, with `/` between the parts.
    pub name: String,
    /// Whether it was given itself, not found in a folder.
    pub named_by_user: bool,
}

/// Finds pictures. Hidden files and the out folder are left out, a file that is reached in two
/// ways counts once.
pub fn find(paths: &[PathBuf], out: &Path) -> Result<Finding, Failure> {
    let mut finding = Finding::default();
    let (candidates, unreadable) = candidates(paths, Some(out))?;
    finding.refused = unreadable;
    for candidate in candidates {
        finding.look_at(candidate);
    }
    finding.refused.sort_by(|a, b| a.path.cmp(&b.path));
    Ok(finding)
}

/// Every file below the paths, ordered by path, and the folders that could not be searched.
pub fn candidates(
    paths: &[PathBuf],
    out: Option<&Path>,
) -> Result<(Vec<Candidate>, Vec<Aside>), Failure> {
    let real_out = out.map(real);
    let (mut found, mut unreadable, mut seen) = (Vec::new(), Vec::new(), HashSet::new());
    for path in paths {
        let about = fs::metadata(path).map_err(|_| Failure::NoSuchPath(path.clone()))?;
        if let (Some(out), Some(real_out)) = (out, &real_out)
            && real(path).starts_with(real_out)
        {
            return Err(Failure::OutHoldsOriginals {
                out: out.to_owned(),
                originals: path.clone(),
            });
        }
        if about.is_dir() {
            search(path, real_out.as_deref(), &mut found, &mut unreadable);
        } else {
            let name = path.file_name().map(PathBuf::from).unwrap_or_default();
            found.push(Candidate {
                path: path.clone(),
                name: slashed(&name),
                named_by_user: true,
            });
        }
    }
    let mut folders = HashMap::new();
    found.retain(|candidate| seen.insert(identity(&candidate.path, &mut folders)));
    found.sort_by(|a, b| a.path.cmp(&b.path));
    Ok((found, unreadable))
}

fn search(
    root: &Path,
    out: Option<&Path>,
    found: &mut Vec<Candidate>,
    unreadable: &mut Vec<Aside>,
) {
    let wanted = |entry: &DirEntry| {
        let hidden = entry.file_name().as_encoded_bytes().starts_with(b".");
        let is_out =
            || entry.file_type().is_dir() && out.is_some_and(|out| real(entry.path()) == out);
        entry.depth() == 0 || !(hidden || is_out())
    };
    let walk = WalkDir::new(root).follow_links(true).sort_by_file_name();
    for entry in walk.into_iter().filter_entry(wanted) {
        match entry {
            Ok(entry) if entry.file_type().is_file() => {
                let below = entry.path().strip_prefix(root).unwrap_or(entry.path());
                found.push(Candidate {
                    name: slashed(below),
                    path: entry.into_path(),
                    named_by_user: false,
                });
            }
            Ok(_) => {}
            // A link back to a folder above holds nothing that is not found anyway.
            Err(error) if error.loop_ancestor().is_some() => {}
            Err(error) => {
                let path = error.path().unwrap_or(root).to_owned();
                let why = match error.into_io_error() {
                    Some(io) => format!("cannot be searched ({io}); check its permissions"),
                    None => "cannot be searched; check its permissions".to_owned(),
                };
                unreadable.push(Aside { path, why });
            }
        }
    }
}

/// Why the headers of a file are of no use: what is wrong, and what to do.
#[derive(Debug)]
pub enum HeaderTrouble {
    /// A format that is not read.
    NotRead(String),
    /// No sound picture.
    Unfit(String),
    /// The file cannot be read at all.
    Unreadable(String),
}

/// Reads the headers of a file. `None` where it is no picture and does not pretend to be one.
pub fn headers(candidate: &Candidate) -> Option<Result<(u64, Headers), HeaderTrouble>> {
    let read = || {
        let file = File::open(&candidate.path).map_err(ProbeError::Read)?;
        let weight = file.metadata().map_err(ProbeError::Read)?.len();
        Ok((weight, source::headers(BufReader::new(file))?))
    };
    let poses = || {
        let extension = candidate.path.extension();
        extension.is_some_and(|e| Kind::is_picture_extension(&e.to_string_lossy()))
    };
    match read() {
        Ok(read) => Some(Ok(read)),
        // Whatever else lies in a folder of pictures is none of our business.
        Err(ProbeError::Unknown | ProbeError::Empty) if !candidate.named_by_user && !poses() => {
            None
        }
        Err(ProbeError::Read(io)) => {
            let why = format!("cannot be read ({io}); check its permissions");
            Some(Err(HeaderTrouble::Unreadable(why)))
        }
        Err(error @ ProbeError::Unread(_)) => Some(Err(HeaderTrouble::NotRead(error.to_string()))),
        Err(error) => Some(Err(HeaderTrouble::Unfit(advised(&error)))),
    }
}

impl Finding {
    fn look_at(&mut self, candidate: Candidate) {
        let extension = candidate
            .path
            .extension()
            .map(|e| e.to_string_lossy().into_owned());
        let Some(read) = headers(&candidate) else {
            return;
        };
        let Candidate { path, name, .. } = candidate;
        match read {
            Ok((weight, headers)) => match headers.probe() {
                Ok(probe) => self.pictures.push(Picture {
                    misnamed: extension.is_some_and(|e| !probe.kind.has_extension(&e)),
                    original: Original {
                        path: path.to_string_lossy().into_owned(),
                        name,
                        weight,
                        probe,
                    },
                    path,
                }),
                Err(error) if matches!(headers.kind, Kind::Svg | Kind::Ico) => {
                    self.left_out.push(Aside {
                        path,
                        why: error.to_string(),
                    });
                }
                Err(error) => self.refused.push(Aside {
                    path,
                    why: error.to_string(),
                }),
            },
            Err(
                HeaderTrouble::NotRead(why)
                | HeaderTrouble::Unfit(why)
                | HeaderTrouble::Unreadable(why),
            ) => {
                self.refused.push(Aside { path, why });
            }
        }
    }
}

/// What to do about a file whose headers are of no use.
fn advised(error: &ProbeError) -> String {
    match error {
        ProbeError::CutOff { .. } | ProbeError::Broken { .. } => {
            format!("{error}; export or copy it again")
        }
        ProbeError::Empty | ProbeError::Unknown => {
            format!("{error}; export it again or move it away")
        }
        _ => error.to_string(),
    }
}

/// The parts of a path below a root, with `/` between them.
fn slashed(below: &Path) -> String {
    let parts = below.components().filter_map(|part| match part {
        Component::Normal(name) => Some(name.to_string_lossy()),
        _ => None,
    });
    parts.collect::<Vec<_>>().join("/")
}

/// The path with links and dots resolved as far as it exists.
fn real(path: &Path) -> PathBuf {
    let absolute = std::path::absolute(path).unwrap_or_else(|_| path.to_owned());
    for above in absolute.ancestors() {
        if let Ok(found) = above.canonicalize() {
            let rest = absolute.strip_prefix(above).unwrap_or(Path::new(""));
            // Joining nothing would add a slash.
            return match rest.as_os_str().is_empty() {
                true => found,
                false => found.join(rest),
            };
        }
    }
    absolute
}

/// What makes two ways to a file the same file: its folder, resolved, and its name. Resolving is
/// slow, so each folder is resolved once.
fn identity(path: &Path, folders: &mut HashMap<PathBuf, PathBuf>) -> PathBuf {
    let folder = path
        .parent()
        .filter(|p| !p.as_os_str().is_empty())
        .unwrap_or(Path::new("."));
    let resolved = match folders.get(folder) {
        Some(resolved) => resolved,
        None => folders
            .entry(folder.to_owned())
            .or_insert_with(|| real(folder)),
    };
    path.file_name()
        .map_or(resolved.clone(), |name| resolved.join(name))
}
