//! What changes in a file, and the writing of it.

use std::fs::{self, File};
use std::io::{self, BufRead, BufReader, BufWriter, Seek, Write};
use std::ops::Range;
use std::path::PathBuf;

use kiln_core::plan::{Digest, digest};
use kiln_site::coded::Coding;
use kiln_site::edit::{Edit, applied};
use kiln_site::patch::{self, Part};
use kiln_site::rewire::{self, Says};
use kiln_site::{Found, coded, css, html, manifest, markdown, templates, xml};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};

use super::files::{Kind, SiteFile};
use super::guide::{FileGuide, Finder};
use super::notes::{Matter, Notes};
use super::sheets::Sheets;
use super::{TOGETHER, read};
use crate::failure::Failure;
use crate::settings::RewireSettings;
use crate::write;

/// What changes in a file.
#[derive(Serialize, Deserialize)]
pub(super) struct Change {
    /// Where it is.
    path: PathBuf,
    /// The digest of its bytes before.
    before: Digest,
    /// What changes in its text.
    edits: Vec<Edit>,
}

/// Changes that wait until all are known: on disk, since a site may be large.
pub(super) struct Changes {
    spool: BufWriter<File>,
    /// The files that change.
    pub paths: Vec<PathBuf>,
}

impl Changes {
    /// None yet.
    pub fn new() -> Result<Changes, Failure> {
        let spool = tempfile::tempfile().map_err(Failure::unwritable(&std::env::temp_dir()))?;
        Ok(Changes {
            spool: BufWriter::new(spool),
            paths: Vec::new(),
        })
    }

    /// Takes in one.
    pub fn take(&mut self, change: Change) -> Result<(), Failure> {
        let kept = serde_json::to_writer(&mut self.spool, &change).map_err(io::Error::from);
        let kept = kept.and_then(|()| self.spool.write_all(b"\n"));
        kept.map_err(Failure::unwritable(&std::env::temp_dir()))?;
        self.paths.push(change.path);
        Ok(())
    }

    /// Refuses the whole run where one of the files cannot be written.
    pub fn may_be_written(&self) -> Result<(), Failure> {
        for path in &self.paths {
            let about = fs::metadata(path).map_err(Failure::unreadable(path))?;
            if about.permissions().readonly() {
                return Err(Failure::Refused {
                    path: path.clone(),
                    says: "is write-protected, so nothing was changed in any file; allow it, or move it out of the site".to_owned(),
                });
            }
        }
        Ok(())
    }

    /// Writes the files, each whole or not at all.
    pub fn write(self) -> Result<(), Failure> {
        let folder = std::env::temp_dir();
        let spool = self.spool.into_inner().map_err(|error| error.into_error());
        let spool = spool.and_then(|mut spool| spool.rewind().map(|()| BufReader::new(spool)));
        let mut lines = spool.map_err(Failure::unreadable(&folder))?.lines();
        loop {
            let some: io::Result<Vec<String>> = lines.by_ref().take(TOGETHER).collect();
            let some = some.map_err(Failure::unreadable(&folder))?;
            if some.is_empty() {
                return Ok(());
            }
            some.par_iter().try_for_each(|line| {
                let change: Change = serde_json::from_str(line)
                    .map_err(io::Error::from)
                    .map_err(Failure::unreadable(&folder))?;
                change.write()
            })?;
        }
    }
}

impl Change {
    fn write(&self) -> Result<(), Failure> {
        let path = &self.path;
        let bytes = fs::read(path).map_err(Failure::unreadable(path))?;
        let read = coded::read(&bytes).filter(|_| digest(&bytes) == self.before);
        let Some((text, coding)) = read else {
            return Err(Failure::Refused {
                path: path.clone(),
                says: "was changed while this ran; run it again".to_owned(),
            });
        };
        let after = coding.write(&applied(&text, &self.edits));
        write::in_place(path, &after).map_err(Failure::unwritable(path))
    }
}

/// What came of a file.
#[derive(Default)]
pub(super) struct Worked {
    /// What changes, and the same as a diff.
    pub change: Option<(Change, Vec<u8>)>,
    /// References that lead to pieces now.
    pub references: usize,
    /// What there is to say.
    pub notes: Notes,
}

/// Works on a file.
pub(super) fn of(
    file: &SiteFile,
    finder: &Finder,
    sheets: &Sheets,
    settings: &RewireSettings,
) -> Worked {
    let mut worked = Worked::default();
    let bytes = match read(file) {
        Ok(bytes) => bytes,
        Err(says) => {
            worked.notes.say(Matter::Undone, &file.name, 0, "", says);
            return worked;
        }
    };
    let Some((text, coding)) = coded::read(&bytes) else {
        let says = "is not in the encoding that it declares, so nothing in it can be changed alone; save it as UTF-8";
        worked.notes.say(Matter::Undone, &file.name, 0, "", says);
        return worked;
    };
    let parts = templates::parts(&text, file.kind == Kind::Xml);
    let blotted = templates::blotted(&text, &parts);
    let found = references(file.kind, &blotted);
    let mut guide = FileGuide::new(
        finder,
        &file.path,
        &file.name,
        &parts,
        found.base.as_deref(),
    );
    let read = rewire::File {
        text: &blotted,
        found: &found,
        parts: &parts,
        extent: settings.extent,
    };
    let done = match file.kind {
        Kind::Page => rewire::page(&read, sheets.of(finder, file, &read), &mut guide),
        Kind::Sheet => rewire::sheet(&read, &mut guide),
        Kind::Markdown => rewire::markdown(&read, &sheets.all, &mut guide),
        Kind::Xml => rewire::of_xml(&read, &mut guide),
        Kind::Manifest => rewire::of_json(&read, &mut guide),
    };
    let front = front_matter(file.kind, &read, &mut guide);
    worked.notes = guide.notes;
    worked.references = done.references + front.references;
    for remark in done.remarks.into_iter().chain(front.remarks) {
        let matter = match remark.says {
            Says::InTemplate | Says::Escaped => Matter::Undone,
            Says::CutByPixels
            | Says::SizedByStyle
            | Says::LiesClose
            | Says::NoText
            | Says::NoSuchSize
            | Says::OtherShape => Matter::Doubt,
        };
        let says = remark.says.as_str();
        worked
            .notes
            .say(matter, &file.name, remark.line, &remark.address, says);
    }
    in_templates(&text, &parts, file, finder, &mut worked.notes);
    let mut edits = done.edits;
    edits.extend(front.edits);
    let edits = edits.ordered();
    if !edits.is_empty() {
        let (after, spans) = written(&text, &edits, coding);
        let diff = patch::unified(&file.name, &bytes, &after, &spans);
        let change = Change {
            path: file.path.clone(),
            before: digest(&bytes),
            edits,
        };
        worked.change = Some((change, diff));
    }
    worked
}

fn references(kind: Kind, text: &str) -> Found {
    match kind {
        Kind::Page => html::references(text),
        Kind::Sheet => css::references(text),
        Kind::Markdown => markdown::references(text),
        Kind::Xml => xml::references(text),
        Kind::Manifest => manifest::references(text),
    }
}

/// What stands before a text: settings of the program that builds the site.
fn front_matter(kind: Kind, file: &rewire::File<'_>, guide: &mut FileGuide<'_>) -> rewire::Rewired {
    if !matches!(kind, Kind::Page | Kind::Markdown) {
        return rewire::Rewired::default();
    }
    let found = &markdown::front_matter(file.text);
    rewire::of_json(&rewire::File { found, ..*file }, guide)
}

/// References that a template holds, which nobody else may change.
fn in_templates(
    text: &str,
    parts: &[Range<usize>],
    file: &SiteFile,
    finder: &Finder,
    notes: &mut Notes,
) {
    if parts.is_empty() {
        return;
    }
    let lines = kiln_site::text::Lines::of(text);
    for part in parts {
        for (at, address) in templates::addresses(text, part) {
            let path = finder.path_of(&file.path, None, address);
            if path.is_some_and(|path| finder.is_known(&path)) {
                let says = Says::InTemplate.as_str();
                notes.say(Matter::Undone, &file.name, lines.at(at), address, says);
            }
        }
    }
}

/// The bytes afterwards, and which parts of the bytes differ.
fn written(text: &str, edits: &[Edit], coding: Coding) -> (Vec<u8>, Vec<Part>) {
    let after = coding.write(&applied(text, edits));
    let (mut old, mut new, mut at) = (coding.mark(), coding.mark(), 0);
    let mut spans = Vec::with_capacity(edits.len());
    for edit in edits {
        let same = coding.length(&text[at..edit.span.start]);
        (old, new) = (old + same, new + same);
        let gone = coding.length(&text[edit.span.clone()]);
        let come = coding.length(&edit.text);
        spans.push(Part {
            before: old..old + gone,
            after: new..new + come,
        });
        (old, new, at) = (old + gone, new + come, edit.span.end);
    }
    (after, spans)
}
