//! Pictures in files and folders, by their magic bytes.

use std::collections::HashSet;
use std::fs::{self, File};
use std::io::BufReader;
use std::path::{Component, Path, PathBuf};

use kiln_core::plan::Original;
use kiln_core::source::{self, Kind, ProbeError};
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
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Aside {
    /// Its path as found.
    pub path: PathBuf,
    /// What is wrong, and what to do.
    pub why: String,
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

/// Searches files and folders. Hidden files and the out folder are left out, a file that is
/// reached in two ways counts once.
pub fn find(paths: &[PathBuf], out: &Path) -> Result<Finding, Failure> {
    let real_out = real(out);
    let mut finding = Finding::default();
    let mut seen = HashSet::new();
    for path in paths {
        let about = fs::metadata(path).map_err(|_| Failure::NoSuchPath(path.clone()))?;
        if real(path).starts_with(&real_out) {
            return Err(Failure::OutHoldsOriginals {
                out: out.to_owned(),
                originals: path.clone(),
            });
        }
        if about.is_dir() {
            search(path, &real_out, &mut seen, &mut finding);
        } else if seen.insert(identity(path)) {
            let name = path.file_name().map(PathBuf::from).unwrap_or_default();
            finding.look_at(path, &name, true);
        }
    }
    finding.pictures.sort_by(|a, b| a.path.cmp(&b.path));
    finding.refused.sort_by(|a, b| a.path.cmp(&b.path));
    finding.left_out.sort_by(|a, b| a.path.cmp(&b.path));
    Ok(finding)
}

fn search(root: &Path, out: &Path, seen: &mut HashSet<PathBuf>, finding: &mut Finding) {
    let wanted = |entry: &DirEntry| {
        let hidden = entry.file_name().as_encoded_bytes().starts_with(b".");
        let is_out = entry.file_type().is_dir() && real(entry.path()) == out;
        entry.depth() == 0 || !(hidden || is_out)
    };
    let walk = WalkDir::new(root).follow_links(true).sort_by_file_name();
    for entry in walk.into_iter().filter_entry(wanted) {
        match entry {
            Ok(entry) if entry.file_type().is_file() => {
                let below = entry.path().strip_prefix(root).unwrap_or(entry.path());
                if seen.insert(identity(entry.path())) {
                    finding.look_at(entry.path(), below, false);
                }
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
                finding.refused.push(Aside { path, why });
            }
        }
    }
}

impl Finding {
    fn look_at(&mut self, path: &Path, below: &Path, named_by_user: bool) {
        let extension = path.extension().map(|e| e.to_string_lossy().into_owned());
        let poses = extension.as_deref().is_some_and(Kind::is_picture_extension);
        let read = |path: &Path| {
            let file = File::open(path).map_err(ProbeError::Read)?;
            let weight = file.metadata().map_err(ProbeError::Read)?.len();
            Ok((weight, source::probe(BufReader::new(file))?))
        };
        let aside = |why: String| Aside {
            path: path.to_owned(),
            why,
        };
        match read(path) {
            Ok((weight, probe)) => self.pictures.push(Picture {
                path: path.to_owned(),
                misnamed: extension.is_some_and(|e| !probe.kind.has_extension(&e)),
                original: Original {
                    path: path.to_string_lossy().into_owned(),
                    name: slashed(below),
                    weight,
                    probe,
                },
            }),
            Err(error @ ProbeError::Unread(Kind::Svg | Kind::Ico)) => {
                self.left_out.push(aside(error.to_string()));
            }
            // Whatever else lies in a folder of pictures is none of our business.
            Err(ProbeError::Unknown | ProbeError::Empty) if !poses && !named_by_user => {}
            Err(ProbeError::Read(error)) => {
                self.refused.push(aside(format!(
                    "cannot be read ({error}); check its permissions"
                )));
            }
            Err(error) => self.refused.push(aside(advised(&error))),
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

/// What makes two ways to a file the same file: its folder, resolved, and its name.
fn identity(path: &Path) -> PathBuf {
    let folder = path.parent().filter(|p| !p.as_os_str().is_empty());
    let folder = real(folder.unwrap_or(Path::new(".")));
    path.file_name()
        .map_or(folder.clone(), |name| folder.join(name))
}
