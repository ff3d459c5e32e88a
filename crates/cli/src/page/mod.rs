//! `kiln page`: what a page loads, how wide it is shown, and what is too heavy. Writes nothing but what
//! is asked for.

mod html;
mod json;
mod markup;
mod measured;
mod names;
mod notes;
mod save;
mod sides;
mod starts;
mod sums;
mod table;
mod visit;

use std::process::ExitCode;

use crate::failure::Failure;
use crate::report::Channels;
use crate::settings::PageSettings;
use crate::{pages, wording, write};

use notes::Note;
use sums::Sum;
use visit::{Picture, Visit};

/// Visits and reports.
pub fn run(settings: &PageSettings, channels: &Channels) -> Result<ExitCode, Failure> {
    if let Some(page) = &settings.page {
        pages::may_be_written(page)?;
    }
    if let Some(folder) = &settings.save {
        save::may_be_made(folder)?;
    }
    let starts = starts::starts(settings)?;
    let manners = starts::manners(settings)?;
    let is_pair = settings.pages.len() == 2 && starts.len() == 2 && settings.from.is_none();
    let visit = visit::visit(starts, settings, &manners, channels)?;
    for (at, why) in &visit.troubles {
        channels.name_problem(at, &why.to_string());
    }
    let sums: Vec<Vec<Sum>> = visit
        .pages
        .iter()
        .map(|page| sums::sums(&visit, page))
        .collect();
    let mut kept = true;
    for (page, sums) in visit.pages.iter().zip(&sums) {
        let heaviest = sums::heaviest(sums);
        if let Some(most) = settings.max_total.filter(|most| heaviest > *most) {
            kept = false;
            let says = format!(
                "its pictures weigh {}, the total is {}; see what is heaviest, and fire it",
                wording::weight(heaviest),
                wording::weight(most)
            );
            channels.name_problem(&page.start.given, &says);
        }
    }
    let told = Told {
        visit: &visit,
        sums: &sums,
        shown: shown(&visit, settings),
        notes: notes::notes(&visit),
    };
    if let Some(folder) = &settings.save {
        let saved = save::save(&visit, folder)?;
        channels.note(&saved.says(folder));
    }
    if let Some(path) = &settings.page {
        let page = html::render(&told);
        write::whole(path, page.as_bytes()).map_err(Failure::unwritable(path))?;
    }
    channels.print(|out, columns| {
        if settings.json {
            json::write(out, &told)
        } else if !visit.pages.iter().any(|page| page.came()) {
            // Why has been said.
            Ok(())
        } else if is_pair && !settings.each {
            sides::write(out, &told, columns)
        } else {
            table::write(out, &told, columns)
        }
    })?;
    Ok(if visit.troubles.is_empty() && kept {
        ExitCode::SUCCESS
    } else {
        ExitCode::from(1)
    })
}

/// All that is told.
struct Told<'a> {
    visit: &'a Visit,
    /// Of each page, for each screen.
    sums: &'a [Vec<Sum>],
    /// The pictures that came, the heaviest first, as many as are wanted.
    shown: Vec<&'a Picture>,
    notes: Vec<Note>,
}

impl Told<'_> {
    /// Whether a browser measured any of the pages.
    fn is_measured(&self) -> bool {
        let mut pages = self.visit.pages.iter().flat_map(|page| &page.measured);
        pages.any(Option::is_some)
    }

    /// How many pictures came that are not shown.
    fn left(&self) -> usize {
        let came = self.visit.pictures.iter().filter(|p| p.got.is_ok());
        came.count() - self.shown.len()
    }
}

fn shown<'a>(visit: &'a Visit, settings: &PageSettings) -> Vec<&'a Picture> {
    let came = visit.pictures.iter().filter(|picture| picture.got.is_ok());
    let heavy =
        |picture: &&Picture| settings.over == 0 || picture.weight().unwrap_or(0) > settings.over;
    let mut shown: Vec<&Picture> = came.filter(heavy).collect();
    // Equals stay in the order met.
    shown.sort_by_key(|picture| std::cmp::Reverse(picture.weight()));
    shown.truncate(settings.top);
    shown
}
