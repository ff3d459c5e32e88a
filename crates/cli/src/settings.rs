//! Settings resolved: the only thing that the work sees of the command line.

use std::path::PathBuf;
use std::thread;

use kiln_core::decode::Allowance;
use kiln_core::encode::Format;
use kiln_core::plan::{CodingWish, Wish};
use kiln_core::survey::Limits;

use crate::args::{FireArgs, SurveyArgs};
use crate::failure::Failure;
use crate::wording::Order;

/// All that a firing goes by.
#[derive(Clone, Debug)]
pub struct Settings {
    /// Pictures, and folders that are searched for them.
    pub paths: Vec<PathBuf>,
    /// Where the pieces go.
    pub out: PathBuf,
    /// What is made of every picture.
    pub wish: Wish,
    /// The largest picture that is read.
    pub allowance: Allowance,
    /// Pictures in work at once.
    pub jobs: usize,
    /// Whether only the plan is shown.
    pub dry_run: bool,
    /// How the report is given.
    pub telling: Telling,
}

/// How the report is given.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Telling {
    /// As a table; with dials and encodes when `verbose`.
    Table {
        /// Dials and encodes too.
        verbose: bool,
    },
    /// As a JSON document.
    Json,
    /// Not at all.
    Quiet,
}

impl Settings {
    /// What the options mean together.
    pub fn resolve(typed: &FireArgs) -> Result<Settings, Failure> {
        let formats = in_order(&typed.format);
        let coding = match typed.quality {
            Some(_) if formats.contains(&Format::Png) => return Err(Failure::DialOfPng),
            Some(dial) => CodingWish::Dial(dial),
            None => CodingWish::Usual,
        };
        Ok(Settings {
            paths: typed.paths.clone(),
            out: typed.out.clone(),
            wish: Wish {
                widths: typed.width.clone(),
                densities: typed.density.clone(),
                formats,
                max_weight: typed.max_weight,
                coding,
                backdrop: typed.backdrop,
            },
            allowance: Allowance {
                pixels: typed.allowance,
            },
            jobs: typed.jobs.unwrap_or_else(cores),
            dry_run: typed.dry_run,
            telling: match typed {
                t if t.quiet => Telling::Quiet,
                t if t.json => Telling::Json,
                t => Telling::Table { verbose: t.verbose },
            },
        })
    }
}

/// All that a survey goes by.
#[derive(Clone, Debug)]
pub struct SurveySettings {
    /// Pictures, and folders that are searched for them.
    pub paths: Vec<PathBuf>,
    /// What counts as too much.
    pub limits: Limits,
    /// The format of the estimates.
    pub format: Format,
    /// The order of the files.
    pub order: Order,
    /// Only files above this weight are shown.
    pub over: u64,
    /// Only so many files are shown.
    pub top: usize,
    /// Whether pixels are looked at.
    pub look: bool,
    /// Where a page is written.
    pub page: Option<PathBuf>,
    /// The largest picture that is looked at.
    pub allowance: Allowance,
    /// Pictures in work at once.
    pub jobs: usize,
    /// Whether the report is a JSON document.
    pub json: bool,
}

impl SurveySettings {
    /// What the options mean together.
    pub fn resolve(typed: &SurveyArgs) -> SurveySettings {
        SurveySettings {
            paths: typed.paths.clone(),
            limits: Limits {
                // The densest screens that matter show two pixels for one.
                widest: typed.shown.saturating_mul(2),
                max_weight: typed.max_weight,
            },
            format: typed.format,
            order: typed.sort,
            over: typed.over.unwrap_or(0),
            top: typed.top.unwrap_or(usize::MAX),
            look: !typed.headers_only,
            page: typed.html.clone(),
            allowance: Allowance {
                pixels: typed.allowance,
            },
            jobs: typed.jobs.unwrap_or_else(cores),
            json: typed.json,
        }
    }
}

/// One job a core.
pub fn cores() -> usize {
    thread::available_parallelism().map_or(1, usize::from)
}

/// Each format once, in the order of its first mention.
fn in_order(formats: &[Format]) -> Vec<Format> {
    let mut once = Vec::new();
    for format in formats {
        if !once.contains(format) {
            once.push(*format);
        }
    }
    once
}
