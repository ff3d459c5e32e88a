//! Pictures in files and folders, by their magic bytes.

mod elsewhere;

use std::collections::{HashMap, HashSet};
use std::ffi::OsString;
use std::fs::{self, File};
use std::io::{self, BufReader};
use std::path::{Component, Path, PathBuf};

use kiln_core::plan::Original;
use kiln_core::source::{self, Ballast, Headers, Kind, ProbeError};
use rayon::prelude::*;
use serde::{Serialize, Serializer};
use walkdir::{DirEntry, WalkDir};

use crate::away::Distant;
use crate::failure::Failure;
use crate::ledger;
use crate::mishap::Mishap;
use crate::settings::{Originals, is_address};

/// Files whose headers are held at a time.
const TOGETHER: usize = 1024;

/// A picture whose headers were read.
#[derive(Debug)]
pub struct Picture {
    /// Where it is, if that cannot be told as a text: else it is as its original has it, and there may be very many.
    odd_path: Option<Box<Path>>,
    /// The same, where that is on another machine.
    pub distant: Option<Box<Distant>>,
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

impl Aside {
    /// Whether it is a folder, of which nothing was looked at.
    pub fn is_folder(&self) -> bool {
        self.name.is_empty() && self.path.is_dir()
    }
}

impl AsRef<Original> for Picture {
    fn as_ref(&self) -> &Original {
        &self.original
    }
}

impl Picture {
    /// Where it is.
    pub fn path(&self) -> &Path {
        let path = self.odd_path.as_deref();
        path.unwrap_or(Path::new(&self.original.path))
    }

    /// All its bytes.
    pub fn bytes(&self) -> io::Result<Vec<u8>> {
        match &self.distant {
            Some(distant) => distant.bytes(),
            None => fs::read(self.path()),
        }
    }

    /// It, put aside.
    pub fn aside(&self, why: Mishap) -> Aside {
        Aside {
            path: self.path().to_owned(),
            name: self.original.name.clone(),
            why,
        }
    }
}

/// JSON holds no paths that are not Unicode; what is not is marked as such.
fn lossy<S: Serializer>(path: &Path, serializer: S) -> Result<S::Ok, S::Error> {
    serializer.serialize_str(&path.to_string_lossy())
}

/// All files below some paths.
#[derive(Debug, Default)]
pub struct Searched {
    /// What may be pictures, ordered by path.
    pub candidates: Vec<Candidate>,
    /// Folders and files that could not be searched.
    pub unreadable: Vec<Aside>,
    /// What was passed over: pieces of earlier firings, links that lead nowhere.
    pub passed_over: Vec<Aside>,
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
#[derive(Clone, Debug)]
pub struct Candidate {
    /// Where it is.
    pub path: PathBuf,
    /// The same, where that is on another machine.
    pub distant: Option<Box<Distant>>,
    /// Its path below the folder that was given, with `/` between the parts.
    pub name: String,
    /// Whether it was given itself, not found in a folder.
    pub named_by_user: bool,
}

impl Candidate {
    /// One that was given itself.
    pub fn named(path: PathBuf, name: String) -> Candidate {
        Candidate {
            path,
            distant: None,
            name,
            named_by_user: true,
        }
    }

    /// One that was found in a folder.
    pub fn found(path: PathBuf, name: String) -> Candidate {
        Candidate {
            named_by_user: false,
            ..Candidate::named(path, name)
        }
    }
}

/// Finds pictures. Hidden files and the out folder are left out, a file that is reached in two
/// ways counts once.
pub fn find(originals: &Originals, out: &Path) -> Result<Finding, Failure> {
    let mut finding = Finding::default();
    let base = originals.base.as_deref();
    let here = originals.paths.iter().filter(|path| !is_address(path));
    let here: Vec<PathBuf> = here.cloned().collect();
    let searched = candidates(&here, base, Some(out))?;
    finding.refused = searched.unreadable;
    finding.left_out = searched.passed_over;
    let mut candidates = searched.candidates.into_iter();
    loop {
        let some: Vec<Candidate> = candidates.by_ref().take(TOGETHER).collect();
        if some.is_empty() {
            break;
        }
        let read: Vec<Read> = some.par_iter().map(headers).collect();
        for (candidate, read) in some.into_iter().zip(read) {
            finding.take(candidate, read);
        }
    }
    if !originals.remotes.is_empty() {
        let searched = elsewhere::candidates(originals, out)?;
        finding.left_out.extend(searched.passed_over);
        for (candidate, read) in elsewhere::headers(searched.candidates) {
            finding.take(candidate, read);
        }
        finding.pictures.sort_by(|a, b| a.path().cmp(b.path()));
    }
    finding.refused.sort_by(|a, b| a.path.cmp(&b.path));
    finding.left_out.sort_by(|a, b| a.path.cmp(&b.path));
    Ok(finding)
}

/// Every file below the paths. What lies in `base` is named from there, all else from the path that it
/// was found below. Folders of pieces are passed over, unless they are looked for themselves: where
/// nothing is to be made of what is found, there is no `out`.
pub fn candidates(
    paths: &[PathBuf],
    base: Option<&Path>,
    out: Option<&Path>,
) -> Result<Searched, Failure> {
    let real_out = out.map(real);
    let real_base = base.map(real);
    let mut searched = Searched::default();
    for path in paths {
        if is_address(path) {
            return Err(Failure::Elsewhere(path.clone()));
        }
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
            searched.below(path, &lead, real_out.as_deref());
        } else {
            let name = path.file_name().map(PathBuf::from).unwrap_or_default();
            let name = slashed(below_base.unwrap_or(&name));
            searched
                .candidates
                .push(Candidate::named(path.clone(), name));
        }
    }
    let (mut folders, mut seen) = (Folders::default(), HashSet::new());
    let found = &mut searched.candidates;
    found.retain(|candidate| seen.insert(folders.identity(&candidate.path)));
    found.sort_by(|a, b| a.path.cmp(&b.path));
    Ok(searched)
}

impl Searched {
    /// Searches a folder.
    fn below(&mut self, root: &Path, lead: &str, out: Option<&Path>) {
        let mut fired = Vec::new();
        let wanted = |entry: &DirEntry| {
            let hidden = entry.file_name().as_encoded_bytes().starts_with(b".");
            let is_folder = entry.file_type().is_dir();
            let is_out = || is_folder && out.is_some_and(|out| real(entry.path()) == out);
            if entry.depth() > 0 && (hidden || is_out()) {
                return false;
            }
            let asked_for = entry.depth() == 0 && out.is_none();
            let holds_pieces = is_folder && !asked_for && ledger::is_in(entry.path());
            if holds_pieces {
                fired.push(entry.path().to_owned());
            }
            !holds_pieces
        };
        let mut dead = Vec::new();
        let walk = WalkDir::new(root).follow_links(true).sort_by_file_name();
        for entry in walk.into_iter().filter_entry(wanted) {
            match entry {
                Ok(entry) if entry.file_type().is_file() => {
                    let below = entry.path().strip_prefix(root).unwrap_or(entry.path());
                    let below = slashed(below);
                    let name = if lead.is_empty() {
                        below
                    } else {
                        format!("{lead}/{below}")
                    };
                    let found = Candidate::found(entry.into_path(), name);
                    self.candidates.push(found);
                }
                Ok(_) => {}
                // A link back to a folder above holds nothing that is not found anyway.
                Err(error) if error.loop_ancestor().is_some() => {}
                Err(error) => {
                    let path = error.path().unwrap_or(root).to_owned();
                    let is_dead = path.is_symlink() && !path.exists();
                    if is_dead && !is_called_a_picture(&path) {
                        dead.push(path);
                        continue;
                    }
                    let why = if is_dead {
                        Mishap::new("a link that leads nowhere; mend or remove it")
                    } else {
                        Mishap::of(io::Error::from(error), "check its permissions")
                    };
                    self.unreadable.push(Aside::of(path, why));
                }
            }
        }
        for folder in fired {
            let why = Mishap::new("holds the pieces of a firing, which are no originals");
            self.passed_over.push(Aside::of(folder, why));
        }
        if let [first, others @ ..] = &dead[..] {
            let others = match others.len() {
                0 => String::new(),
                1 => ", as does another here".to_owned(),
                more => format!(", as do {more} others here"),
            };
            let why = Mishap::new(format!("a link that leads nowhere{others}"));
            self.passed_over.push(Aside::of(first.clone(), why));
        }
    }
}

/// Whether a file is called a picture by its extension.
fn is_called_a_picture(path: &Path) -> bool {
    let extension = path.extension();
    extension.is_some_and(|e| Kind::is_picture_extension(&e.to_string_lossy()))
}

/// Why the headers of a file are of no use: what is wrong, and what to do.
#[derive(Debug)]
pub enum HeaderTrouble {
    /// A format that is not read.
    NotRead(Kind, Mishap),
    /// No sound picture.
    Unfit(Mishap),
    /// The file cannot be read at all.
    Unreadable(Mishap),
}

/// What was read of a file: its bytes counted, and its headers. `None` where it is no picture and does not pretend to
/// be one.
pub type Read = Option<Result<(u64, Headers), HeaderTrouble>>;

/// Reads the headers of a file.
pub fn headers(candidate: &Candidate) -> Read {
    let read = || {
        if let Some(distant) = &candidate.distant {
            return Ok((distant.weight(), source::headers(distant.reader())?));
        }
        let file = File::open(&candidate.path).map_err(ProbeError::Read)?;
        let weight = file.metadata().map_err(ProbeError::Read)?.len();
        Ok((weight, source::headers(BufReader::new(file))?))
    };
    let poses = || is_called_a_picture(&candidate.path);
    match read() {
        Ok(read) => Some(Ok(read)),
        // Whatever else lies in a folder of pictures is none of our business.
        Err(ProbeError::Unknown | ProbeError::Empty) if !candidate.named_by_user && !poses() => {
            None
        }
        Err(error) => Some(Err(match error {
            ProbeError::Read(_) => HeaderTrouble::Unreadable(error.into()),
            ProbeError::Unread(kind) => HeaderTrouble::NotRead(kind, error.into()),
            _ => HeaderTrouble::Unfit(error.into()),
        })),
    }
}

impl Finding {
    fn take(&mut self, candidate: Candidate, read: Read) {
        let extension = candidate
            .path
            .extension()
            .map(|e| e.to_string_lossy().into_owned());
        let Some(read) = read else {
            return;
        };
        let Candidate {
            path,
            distant,
            mut name,
            ..
        } = candidate;
        name.shrink_to_fit();
        let (weight, headers) = match read {
            Ok(read) => read,
            Err(HeaderTrouble::NotRead(kind, why)) if kind.is_left_out() => {
                return self.left_out.push(Aside { path, name, why });
            }
            Err(
                HeaderTrouble::NotRead(_, why)
                | HeaderTrouble::Unfit(why)
                | HeaderTrouble::Unreadable(why),
            ) => return self.refused.push(Aside { path, name, why }),
        };
        match headers.probe() {
            Ok(probe) => {
                let misnamed = extension.is_some_and(|e| !probe.kind.has_extension(&e));
                let (mut shown, odd_path) = match path.into_os_string().into_string() {
                    Ok(text) => (text, None),
                    Err(odd) => {
                        let shown = odd.to_string_lossy().into_owned();
                        (shown, Some(PathBuf::from(odd).into_boxed_path()))
                    }
                };
                shown.shrink_to_fit();
                let mut original = Original::new(shown, name, weight, probe);
                original.credits = headers.credits;
                self.pictures.push(Picture {
                    odd_path,
                    distant,
                    original,
                    misnamed,
                    ballast: headers.ballast,
                });
            }
            Err(error) => {
                let why = Mishap::from(error);
                let asides = if headers.kind.is_left_out() {
                    &mut self.left_out
                } else {
                    &mut self.refused
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

/// A path as a kiln file in a folder says it.
pub fn seen_from(folder: &Path, path: &Path) -> String {
    let folder = if folder.as_os_str().is_empty() {
        Path::new(".")
    } else {
        folder
    };
    let seen = pathdiff::diff_paths(real(path), real(folder));
    let seen = seen.unwrap_or_else(|| path.to_owned());
    if seen.as_os_str().is_empty() {
        ".".to_owned()
    } else {
        seen.to_string_lossy().replace('\\', "/")
    }
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

/// Folders resolved so far: resolving is slow, so each is resolved once. Paths are hashed part by part, which is slow too.
#[derive(Default)]
struct Folders(HashMap<OsString, PathBuf>);

impl Folders {
    /// What makes two ways to a file the same file: its folder, resolved, and its name.
    fn identity(&mut self, path: &Path) -> OsString {
        let folder = path
            .parent()
            .filter(|p| !p.as_os_str().is_empty())
            .unwrap_or(Path::new("."));
        let resolved = match self.0.get(folder.as_os_str()) {
            Some(resolved) => resolved,
            None => self.0.entry(folder.into()).or_insert_with(|| real(folder)),
        };
        path.file_name()
            .map_or(resolved.clone(), |name| resolved.join(name))
            .into_os_string()
    }
}
