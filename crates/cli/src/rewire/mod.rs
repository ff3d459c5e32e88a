//! `kiln rewire`: the files of a site, pointed at the pieces.

mod change;
mod files;
mod guide;
mod learn;
mod notes;
mod report;
mod sheets;
mod shown;
mod undo;
mod work_tree;

use std::path::Path;
use std::process::ExitCode;

use rayon::prelude::*;

use crate::failure::Failure;
use crate::find;
use crate::report::{Channels, Counting};
use crate::settings::RewireSettings;
use crate::stock::Stock;
use change::Changes;
use files::SiteFile;
use guide::Finder;
use notes::Notes;
use sheets::Sheets;

/// Files that are worked on together; what they came to is told in their order.
const TOGETHER: usize = 256;

/// Rewires a site, or undoes that.
pub fn run(settings: &RewireSettings, channels: &Channels) -> Result<ExitCode, Failure> {
    if settings.undo {
        return undo::run(settings, channels);
    }
    let rewired = rewire(settings, channels)?;
    let report = report::Report {
        settings,
        rewired: &rewired,
    };
    if !settings.dry_run {
        channels.print(|out, columns| {
            if settings.json {
                report.json(out)
            } else {
                report.table(out, columns)
            }
        })?;
    } else {
        report.complain(channels);
    }
    Ok(ExitCode::from(u8::from(!rewired.notes.is_done())))
}

/// What a run came to.
pub struct Rewired {
    /// What changed, in the order of the files.
    pub files: Vec<ChangedFile>,
    /// Files that were read.
    pub read: usize,
    /// References that lead to pieces now.
    pub references: usize,
    /// What there is to say.
    pub notes: Notes,
    /// Texts that went into the label sheet.
    pub learned: Vec<(String, String)>,
}

/// A file that changed.
pub struct ChangedFile {
    /// Its path below the site.
    pub name: String,
    /// References in it that lead to pieces now.
    pub references: usize,
}

/// Rewires a site; in a dry run the diff is printed instead.
pub fn rewire(settings: &RewireSettings, channels: &Channels) -> Result<Rewired, Failure> {
    let stock = Stock::read(&settings.sources)?;
    for remark in &stock.remarks {
        channels.note(remark);
    }
    let finder = Finder::new(stock, settings)?;
    let files = files::find(&finder, settings)?;
    let sheets = Sheets::read(&files);
    let mut rewired = Rewired {
        files: Vec::new(),
        read: files.len(),
        references: 0,
        notes: Notes::default(),
        learned: Vec::new(),
    };
    let mut changes = Changes::new()?;
    let mut diff = undo::Diff::begin(settings)?;
    let counting = Counting::start(files.len(), "files", channels);
    for some in files.chunks(TOGETHER) {
        let worked: Vec<_> = some
            .par_iter()
            .map(|file| change::of(file, &finder, &sheets, settings))
            .collect();
        for (file, worked) in some.iter().zip(worked) {
            counting.one();
            rewired.references += worked.references;
            rewired.notes.take(worked.notes);
            if let Some((change, patch)) = worked.change {
                rewired.files.push(ChangedFile {
                    name: file.name.clone(),
                    references: worked.references,
                });
                diff.take(&patch, channels)?;
                if !settings.dry_run {
                    changes.take(change)?;
                }
            }
        }
    }
    counting.end();
    rewired.notes.settle(&finder, settings.learn);
    if settings.dry_run {
        return Ok(rewired);
    }
    work_tree::check(settings, &changes.paths)?;
    changes.may_be_written()?;
    if !changes.paths.is_empty() {
        diff.keep()?;
    }
    changes.write()?;
    if settings.learn {
        rewired.learned = learn::take(&rewired.notes, &finder, settings)?;
    }
    Ok(rewired)
}

/// A path below the site, as people write it.
fn below(root: &Path, path: &Path) -> String {
    path.strip_prefix(root)
        .map_or_else(|_| path.to_string_lossy().into_owned(), find::slashed)
}

/// A file of the site with its bytes.
fn read(file: &SiteFile) -> Result<Vec<u8>, String> {
    std::fs::read(&file.path)
        .map_err(|error| format!("cannot be read ({error}); check its permissions"))
}
