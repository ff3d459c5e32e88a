//! `kiln survey`: what is heavy, why, and what it would weigh. Touches nothing.

mod gather;
mod json;
mod page;
mod summary;
mod table;

use std::process::ExitCode;

use crate::failure::Failure;
use crate::find::Aside;
use crate::report::Channels;
use crate::settings::SurveySettings;
use crate::wording::Order;
use crate::{pages, write};

pub use gather::{NO_LIMIT, Record, Survey, Wanted, gather, judge};

/// Surveys and reports. Damaged pictures are findings like others; only what could not be read
/// at all changes the exit code.
pub fn run(settings: &SurveySettings, channels: &Channels) -> Result<ExitCode, Failure> {
    if let Some(page) = &settings.page {
        pages::may_be_written(page)?;
    }
    let survey = gather(settings, channels)?;
    for aside in &survey.unreadable {
        channels.name_problem(&aside.path.to_string_lossy(), &aside.why.to_string());
    }
    for Aside { path, why, .. } in &survey.passed_over {
        channels.note(&format!("{}: {why}; left out", path.display()));
    }
    let shown = shown(&survey, settings);
    if let Some(path) = &settings.page {
        let page = page::render(&survey, &shown, &settings.paths);
        write::whole(path, page.as_bytes()).map_err(Failure::unwritable(path))?;
    }
    channels.print(|out, columns| {
        if settings.json {
            json::write(out, &survey, &shown)
        } else {
            table::write(out, &survey, &shown, columns)
        }
    })?;
    Ok(if survey.unreadable.is_empty() {
        ExitCode::SUCCESS
    } else {
        ExitCode::from(1)
    })
}

/// The records to show, in the order asked for.
fn shown<'a>(survey: &'a Survey, settings: &SurveySettings) -> Vec<&'a Record> {
    let mut shown: Vec<&Record> = survey.records.iter().collect();
    shown.retain(|record| record.weight > settings.over || settings.over == 0);
    match settings.order {
        // Records come by path, so equals stay in that order.
        Order::Weight => shown.sort_by_key(|record| std::cmp::Reverse(record.weight)),
        Order::Waste => shown.sort_by_key(|record| std::cmp::Reverse(record.waste())),
        Order::Name => {}
    }
    shown.truncate(settings.top);
    shown
}
