//! What a check goes by.

use std::path::PathBuf;

use kiln_core::decode::Allowance;
use kiln_core::plan::{CodingWish, Extent};

use super::{Judging, Settings, cores, is_address, kiln_file};
use crate::args::{CheckArgs, FireArgs};
use crate::failure::Failure;
use crate::rules::{CheckLimits, Level, Levels, Rule};

/// The most that a picture may weigh where nothing is said.
const MAX_WEIGHT: u64 = 200_000;

/// The most that the pictures of a page may weigh where nothing is said.
const PAGE_TOTAL: u64 = 1_000_000;

/// All that a check goes by.
#[derive(Clone, Debug)]
pub struct CheckSettings {
    /// What is checked.
    pub paths: Vec<PathBuf>,
    /// Whether the whole site of the kiln file is, with its label sheet.
    pub is_whole: bool,
    /// The limits and levels.
    pub limits: CheckLimits,
    /// The same that a firing goes by, where there is a kiln file.
    pub site: Option<Settings>,
    /// Where all that is found is written.
    pub new_baseline: Option<PathBuf>,
    /// How pictures are judged.
    pub judging: Judging,
    /// How the report is given.
    pub form: CheckForm,
}

/// How the report of a check is given.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum CheckForm {
    /// A line each.
    Lines,
    /// A JSON document.
    Json,
    /// SARIF 2.1.0.
    Sarif,
}

impl CheckSettings {
    /// What options and kiln file mean together.
    pub fn resolve(typed: &CheckArgs) -> Result<CheckSettings, Failure> {
        let file = kiln_file(&typed.kiln_file)?;
        let mut levels = Levels::default();
        levels.set(&typed.error, Level::Error);
        levels.set(&typed.warning, Level::Warning);
        levels.set(&typed.off, Level::Off);
        let given = CheckLimits {
            max_weight: typed.max_weight,
            max_total: typed.max_total,
            page_total: typed.page_total,
            folder_total: typed.folder_total,
            max_width: typed.max_width,
            look: typed.look,
            levels,
            baseline: typed.baseline.clone(),
        };
        let mut limits = match &file {
            Some(file) => given.over(&file.check),
            None => given,
        };
        let site = match &file {
            Some(file) if file.originals.is_some() => {
                Some(Settings::resolve(&FireArgs::by(&file.path))?)
            }
            _ => None,
        };
        if let Some(site) = site.as_ref().filter(|site| is_address(&site.out)) {
            return Err(Failure::Elsewhere(site.out.clone()));
        }
        limits.max_weight.get_or_insert(MAX_WEIGHT);
        limits.page_total.get_or_insert(PAGE_TOTAL);
        limits.max_width = limits.max_width.or(site.as_ref().and_then(widest));
        let paths = match (&typed.paths[..], &site) {
            ([], Some(site)) => vec![site.out.clone()],
            ([], None) => return Err(Failure::NoPaths),
            (paths, _) => paths.to_vec(),
        };
        if typed.new_baseline.is_some() {
            limits.baseline = None;
        }
        Ok(CheckSettings {
            is_whole: typed.paths.is_empty(),
            paths,
            judging: Judging {
                max_weight: None,
                format: kiln_core::encode::Format::WebP,
                coding: CodingWish::default(),
                look: limits.levels.of(Rule::Format) != Level::Off,
                thumbnails: false,
                allowance: Allowance {
                    pixels: typed.allowance,
                },
                jobs: typed.jobs.unwrap_or_else(cores),
            },
            limits,
            site,
            new_baseline: typed.new_baseline.clone(),
            form: match typed {
                t if t.json => CheckForm::Json,
                t if t.sarif => CheckForm::Sarif,
                _ => CheckForm::Lines,
            },
        })
    }
}

/// The widest that any place shows, in pixels; `None` where one of them sets no bound.
fn widest(site: &Settings) -> Option<u32> {
    let widths = site.site.wishes().map(|wish| {
        let most = match &wish.extent {
            Extent::Widths(widths) | Extent::LongSide(widths) => widths.iter().max().copied(),
            Extent::Own | Extent::Heights(_) | Extent::Scale(_) => None,
        };
        let density = wish.densities.iter().copied().fold(1.0, f64::max);
        most.map(|most| (f64::from(most) * density).ceil() as u32)
    });
    let widths: Option<Vec<u32>> = widths.collect();
    widths?.into_iter().max()
}
