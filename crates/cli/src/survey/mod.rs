//! `kiln survey`: what is heavy, why, and what it would weigh. Touches nothing.

mod gather;
mod json;
mod page;
mod summary;
mod table;

use std::process::ExitCode;

use crate::args::SurveyArgs;
use crate::failure::Failure;
use crate::report::Channels;
use crate::wording::Order;
use crate::write;

pub use gather::{Record, Survey};

/// Surveys and reports. Damaged pictures are findings like others; only what could not be read
/// at all changes the exit code.
pub fn run(typed: &SurveyArgs, channels: &Channels) -> Result<ExitCode, Failure> {
    let survey = gather::gather(typed, channels)?;
    for aside in &survey.unreadable {
        channels.name_problem(&aside.path.to_string_lossy(), &aside.why);
    }
    let shown = shown(&survey, typed);
    if let Some(path) = &typed.html {
        let page = page::render(&survey, &shown);
        write::whole(path, page.as_bytes()).map_err(Failure::unwritable(path))?;
    }
    channels.print(|out, columns| match typed.json {
        true => json::write(out, &survey, &shown),
        false => table::write(out, &survey, &shown, columns),
    })?;
    Ok(match survey.unreadable.is_empty() {
        true => ExitCode::SUCCESS,
        false => ExitCode::from(1),
    })
}

/// The records to show, in the order asked for.
fn shown<'a>(survey: &'a Survey, typed: &SurveyArgs) -> Vec<&'a Record> {
    let mut shown: Vec<&Record> = survey.records.iter().collect();
    shown.retain(|record| typed.over.is_none_or(|least| record.weight > least));
    match typed.sort {
        // Records come by path, so equals stay in that order.
        Order::Weight => shown.sort_by_key(|record| std::cmp::Reverse(record.weight)),
        Order::Waste => shown.sort_by_key(|record| std::cmp::Reverse(record.waste())),
        Order::Name => {}
    }
    shown.truncate(typed.top.unwrap_or(usize::MAX));
    shown
}
