//! What else is to be said of pages: what makes them shift, what is asked for too early or too late.

use super::visit::{Picture, Visit};
use crate::wording;

/// A remark and the pictures that it is about.
#[derive(Debug, PartialEq)]
pub struct Note {
    /// The remark.
    pub says: String,
    /// The pictures, each with where it is referred to.
    pub about: Vec<String>,
}

/// So many pictures are named.
const NAMED: usize = 6;

/// The shift of a page that people notice (Layout Instability; 0.1 is what is called good).
const SHIFT: f64 = 0.1;

/// All remarks, the most urgent first.
pub fn notes(visit: &Visit) -> Vec<Note> {
    let mut notes = Vec::new();
    let mut add = |says: String, about: Vec<&Picture>| {
        if !about.is_empty() {
            notes.push(Note {
                says,
                about: named(visit, &about),
            });
        }
    };
    let loaded = || {
        let came = visit.pictures.iter().filter(|one| one.got.is_ok());
        came.filter(|picture| picture.is_loaded())
    };
    let any = |picture: &Picture, holds: fn(&super::visit::Shown) -> bool| {
        picture
            .shown
            .iter()
            .any(|shown| shown.is_loaded && holds(shown))
    };
    let unsized_: Vec<&Picture> = loaded()
        .filter(|one| any(one, |shown| shown.is_unsized))
        .collect();
    let count = wording::count(unsized_.len(), "picture", "pictures");
    add(
        format!("{count} without width and height: the page shifts as it comes"),
        unsized_,
    );
    // Too late on one screen is worse than too early on another.
    let late = |picture: &Picture| {
        any(picture, |s| {
            s.is_measured && s.is_lazy && !s.is_below && s.width.is_some()
        })
    };
    let is_late: Vec<&Picture> = loaded().filter(|one| late(one)).collect();
    let count = wording::count(is_late.len(), "picture", "pictures");
    add(
        format!("{count} in the first screen, and yet lazy: take out loading=\"lazy\""),
        is_late,
    );
    let always_below = |picture: &Picture| {
        let mut shown = picture.shown.iter().filter(|shown| shown.is_loaded);
        let all = shown
            .clone()
            .all(|shown| shown.is_measured && shown.is_below && !shown.is_lazy);
        all && shown.next().is_some()
    };
    let early: Vec<&Picture> = loaded()
        .filter(|one| always_below(one) && !visit.is_style(one))
        .collect();
    let weight = early.iter().filter_map(|picture| picture.weight()).sum();
    let count = wording::count(early.len(), "picture", "pictures");
    add(
        format!(
            "{count} below the first screen, loaded at once ({}): say loading=\"lazy\"",
            wording::weight(weight)
        ),
        early,
    );
    for visited in &visit.pages {
        let shifts = visited
            .measured
            .iter()
            .flatten()
            .map(|measured| measured.shift);
        let most = shifts.fold(0.0, f64::max);
        if most > SHIFT {
            notes.push(Note {
                says: format!(
                    "{} shifts by {most:.2} as it comes; more than {SHIFT} is noticed",
                    wording::safe(&visited.start.given)
                ),
                about: Vec::new(),
            });
        }
    }
    notes
}

fn named(visit: &Visit, about: &[&Picture]) -> Vec<String> {
    let named = about.iter().take(NAMED);
    let mut named: Vec<String> = named
        .map(|picture| format!("{} ({})", picture.called, visit.at(picture)))
        .collect();
    if about.len() > NAMED {
        named.push(format!("and {} more", about.len() - NAMED));
    }
    named
}
