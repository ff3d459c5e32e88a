//! What surveys and visits of pages go by.

use std::path::PathBuf;

use kiln_core::decode::Allowance;
use kiln_core::encode::Format;
use kiln_core::plan::CodingWish;

use super::cores;
use crate::args::{JudgingArgs, SurveyArgs};
use crate::wording::Order;

/// What pictures are judged by.
#[derive(Clone, Debug)]
pub struct Judging {
    /// The most that a picture may weigh; without it, three steps from 100 KB on.
    pub max_weight: Option<u64>,
    /// The format of the estimates.
    pub format: Format,
    /// How good they shall look.
    pub coding: CodingWish,
    /// Whether pixels are looked at.
    pub look: bool,
    /// Whether small pictures of them are kept.
    pub thumbnails: bool,
    /// The largest picture that is looked at.
    pub allowance: Allowance,
    /// Pictures in work at once.
    pub jobs: usize,
}

/// All that a survey goes by.
#[derive(Clone, Debug)]
pub struct SurveySettings {
    /// Pictures, and folders that are searched for them.
    pub paths: Vec<PathBuf>,
    /// The widest that a picture is shown, in CSS pixels.
    pub shown: u32,
    /// The device pixel ratio of the densest screen that counts.
    pub density: f64,
    /// Both together: the widest that any place shows, in pixels.
    pub widest: u32,
    /// What counts as too much, and the estimates.
    pub judging: Judging,
    /// The order of the files.
    pub order: Order,
    /// Only files above this weight are shown.
    pub over: u64,
    /// Only so many files are shown.
    pub top: usize,
    /// Where a page is written.
    pub page: Option<PathBuf>,
    /// Whether the report is a JSON document.
    pub json: bool,
}

impl Judging {
    /// What the options mean together; `thumbnails` are for a page.
    pub fn resolve(typed: &JudgingArgs, thumbnails: bool) -> Judging {
        Judging {
            max_weight: typed.max_weight,
            format: typed.format,
            coding: typed.look.into(),
            look: !typed.headers_only,
            thumbnails,
            allowance: Allowance {
                pixels: typed.allowance,
            },
            jobs: typed.jobs.unwrap_or_else(cores),
        }
    }
}

impl SurveySettings {
    /// What the options mean together.
    pub fn resolve(typed: &SurveyArgs) -> SurveySettings {
        SurveySettings {
            paths: typed.paths.clone(),
            shown: typed.shown,
            density: typed.density,
            widest: (f64::from(typed.shown) * typed.density).round() as u32,
            judging: Judging::resolve(&typed.judging, typed.html.is_some()),
            order: typed.sort,
            over: typed.judging.over.unwrap_or(0),
            top: typed.judging.top.unwrap_or(usize::MAX),
            page: typed.html.clone(),
            json: typed.json,
        }
    }
}
