//! Pictures in files and folders, by their magic bytes.

use std::collections::{HashMap, HashSet};
use std::fs::{self, File};
use std::io::{self, BufReader};
use std::path::{Component, Path, PathBuf};

use kiln_core::plan::Original;
use kiln_core::source::{self, Ballast, Headers, Kind, ProbeError};
use serde::{Serialize, Serializer};
use walkdir::{DirEntry, WalkDir};

use crate::failure::Failure;
use crate::mishap::Mishap;
use crate::settings::Originals;

/// A picture whose headers were read.
#[derive(Debug)]
pub struct Picture {
    /// Where it is.
    pub path: PathBuf,
    /// What the plan needs to know of it.
    pub original: Original,
    /// Whether its extension belongs to another format.
    pub misnamed: bool,
    /// What the file carries beside its pixels.
    pub ballast: Ballast,
}

/// A file or folder that gives no pieces, and why.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Aside {
    /// Its path as found.
    #[serde(serialize_with = "lossy")]
    pub path: PathBuf,
    /// Its path below the folder that was given; empty for a folder.
    #[serde(skip)]
    pub name: String,
    /// What is wrong, and what to do.
    pub why: Mishap,
}

impl Aside {
    /// A folder, or a file of which nothing is known.
    pub fn of(path: PathBuf, why: Mishap) -> Aside {
        let name = String::new();
        Aside { path, name, why }
    }
}

impl Picture {
    /// It, put aside.
    pub fn aside(&self, why: Mishap) -> Aside {
        Aside {
            path: self.path.clone(),
            name: self.original.name.clone(),
            why,
        }
    }
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
pub fn find(originals: &Originals, out: &Path) -> Result<Finding, Failure> {
    let mut finding = Finding::default();
    let base = originals.base.as_deref();
    let (candidates, unreadable) = candidates(&originals.paths, base, Some(out))?;
    finding.refused = unreadable;
    for candidate in candidates {
        finding.look_at(candidate);
    }
    finding.refused.sort_by(|a, b| a.path.cmp(&b.path));
    Ok(finding)
}

/// Every file below the paths, ordered by path, and the folders that could not be searched. What
/// lies in `base` is named from there, all else from the path that it was found below.
pub fn candidates(
    paths: &[PathBuf],
    base: Option<&Path>,
    out: Option<&Path>,
) -> Result<(Vec<Candidate>, Vec<Aside>), Failure> {
    let real_out = out.map(real);
    let real_base = base.map(real);
    let (mut found, mut unreadable, mut seen) = (Vec::new(), Vec::new(), HashSet::new());
    for path in paths {
        let about = fs::metadata(path).map_err(Failure::unreadable(path))?;
        let real_path = real(path);
        if let (Some(out), Some(real_out)) = (out, &real_out)
            && real_path.starts_with(real_out)
        {
            return Err(Failure::OutHoldsOriginals {
                out: out.to_owned(),
                originals: path.clone(),
            });
        }
        let below_base = real_base.as_ref();
        let below_base = below_base.and_then(|base| real_path.strip_prefix(base).ok());
        if about.is_dir() {
            let lead = below_base.map(slashed).unwrap_or_default();
            search(
                path,
                &lead,
                real_out.as_deref(),
                &mut found,
                &mut unreadable,
            );
        } else {
            let name = path.file_name().map(PathBuf::from).unwrap_or_default();
            found.push(Candidate {
                path: path.clone(),
                name: slashed(below_base.unwrap_or(&name)),
                named_by_user: true,
            });
        }
    }
    let mut folders = Folders::default();
    found.retain(|candidate| seen.insert(folders.identity(&candidate.path)));
    found.sort_by(|a, b| a.path.cmp(&b.path));
    Ok((found, unreadable))
}

fn search(
    root: &Path,
    lead: &str,
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
                let below = slashed(below);
                found.push(Candidate {
                    name: match lead.is_empty() {
                        true => below,
                        false => format!("{lead}/{below}"),
                    },
                    path: entry.into_path(),
                    named_by_user: false,
                });
            }
            Ok(_) => {}
            // A link back to a folder above holds nothing that is not found anyway.
            Err(error) if error.loop_ancestor().is_some() => {}
            Err(error) => {
                let path = error.path().unwrap_or(root).to_owned();
                let why = Mishap::of(io::Error::from(error), "check its permissions");
                unreadable.push(Aside::of(path, why));
            }
        }
    }
}

/// Why the headers of a file are of no use: what is wrong, and what to do.
#[derive(Debug)]
pub enum HeaderTrouble {
    /// A format that is not read.
    NotRead(Mishap),
    /// No sound picture.
    Unfit(Mishap),
    /// The file cannot be read at all.
    Unreadable(Mishap),
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
        Err(error) => {
            let trouble = match error {
                ProbeError::Read(_) => HeaderTrouble::Unreadable,
                ProbeError::Unread(_) => HeaderTrouble::NotRead,
                _ => HeaderTrouble::Unfit,
            };
            Some(Err(trouble(error.into())))
        }
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
        let (weight, headers) = match read {
            Ok(read) => read,
            Err(
                HeaderTrouble::NotRead(why)
                | HeaderTrouble::Unfit(why)
                | HeaderTrouble::Unreadable(why),
            ) => return self.refused.push(Aside { path, name, why }),
        };
        match headers.probe() {
            Ok(probe) => {
                let misnamed = extension.is_some_and(|e| !probe.kind.has_extension(&e));
                let shown = path.to_string_lossy().into_owned();
                let mut original = Original::new(shown, name, weight, probe);
                original.credits = headers.credits;
                self.pictures.push(Picture {
                    path,
                    original,
                    misnamed,
                    ballast: headers.ballast,
                });
            }
            Err(error) => {
                let why = Mishap::from(error);
                let asides = match headers.kind {
                    Kind::Svg | Kind::Ico => &mut self.left_out,
                    _ => &mut self.refused,
                };
                asides.push(Aside { path, name, why });
            }
        }
    }
}

/// The parts of a path below a root, with `/` between them.
pub fn slashed(below: &Path) -> String {
    let parts = below.components().filter_map(|part| match part {
        Component::Normal(name) => Some(name.to_string_lossy()),
        _ => None,
    });
    parts.collect::<Vec<_>>().join("/")
}

/// The path with links and dots resolved as far as it exists.
pub fn real(path: &Path) -> PathBuf {
    let absolute = std::path::absolute(path).unwrap_or_else(|_| path.to_owned());
    for above in absolute.ancestors() {
        if let Ok(found) = above.canonicalize() {
            let rest = absolute.strip_prefix(above).unwrap_or(Path::new(""));
            // Joining nothing would add a slash.
            return if rest.as_os_str().is_empty() {
                found
            } else {
                found.join(rest)
            };
        }
    }
    absolute
}

/// Folders resolved so far: resolving is slow, so each is resolved once.
#[derive(Default)]
pub struct Folders(HashMap<PathBuf, PathBuf>);

impl Folders {
    /// What makes two ways to a file the same file: its folder, resolved, and its name.
    pub fn identity(&mut self, path: &Path) -> PathBuf {
        let folder = path
            .parent()
            .filter(|p| !p.as_os_str().is_empty())
            .unwrap_or(Path::new("."));
        let resolved = match self.0.get(folder) {
            Some(resolved) => resolved,
            None => self
                .0
                .entry(folder.to_owned())
                .or_insert_with(|| real(folder)),
        };
        path.file_name()
            .map_or(resolved.clone(), |name| resolved.join(name))
    }
}
