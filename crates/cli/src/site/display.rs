//! What a place says of how a page shows its pictures; no piece depends on it.

use kiln_site::offer::Part;

use super::diagnosis::Wrong;
use super::{PlaceGiven, Table, Value, in_order, keys};
use crate::wording;

/// How a page shows the pictures of a place.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Display {
    /// What they are on the page.
    pub part: Part,
    /// Whether they are what a visitor sees first.
    pub lead: bool,
    /// The `sizes` attribute.
    pub sizes: Option<String>,
    /// The screens that this place is for, instead of another.
    pub media: Option<String>,
    /// That other place.
    pub instead_of: Option<String>,
}

impl Display {
    /// Takes the value of a key, if it is one of these.
    pub fn take(&mut self, name: &str, value: &Value<'_>) -> Option<Result<(), String>> {
        let value = value.get_ref();
        let text = || {
            let is_text = |text: &str| match text.trim() {
                "" => Err("it is a text, and not empty".to_owned()),
                text => Ok(text.to_owned()),
            };
            keys::one(value, is_text).map(Some)
        };
        Some(match name {
            "shown-as" => keys::one(value, part).map(|part| self.part = part),
            "lead" => keys::one(value, wording::parse_switch).map(|lead| self.lead = lead),
            "sizes" => text().map(|sizes| self.sizes = sizes),
            "media" => text().map(|media| self.media = media),
            "instead-of" => text().map(|place| self.instead_of = place),
            _ => return None,
        })
    }
}

fn part(text: &str) -> Result<Part, String> {
    match text {
        "picture" => Ok(Part::Picture),
        "background" => Ok(Part::Background),
        "icon" => Ok(Part::Icon),
        "preview" => Ok(Part::Preview),
        _ => Err("it is \"picture\", \"background\", \"icon\" or \"preview\"".to_owned()),
    }
}

/// Says what does not hold together between places.
pub fn check(table: &Table<'_>, places: &[PlaceGiven], wrongs: &mut Vec<Wrong>) {
    for (key, _) in in_order(table) {
        let name = key.get_ref().as_ref();
        let Some(place) = places.iter().find(|place| place.name == name) else {
            continue;
        };
        let display = &place.display;
        let says = match (&display.media, &display.instead_of) {
            (None, None) => continue,
            (Some(_), None) => {
                "media goes with instead-of: say which place it stands for on these screens"
                    .to_owned()
            }
            (None, Some(_)) => {
                "instead-of goes with media: say on which screens, such as media = \"(max-width: 600px)\""
                    .to_owned()
            }
            (Some(_), Some(of)) if of == name => "it cannot stand for itself".to_owned(),
            (Some(_), Some(of)) => match places.iter().find(|place| place.name == *of) {
                None => format!("there is no place {of:?} that it could stand for"),
                Some(other) if other.display.instead_of.is_some() => {
                    format!("{of:?} stands for another place itself; name that one")
                }
                Some(_) => continue,
            },
        };
        wrongs.push(Wrong::whole(key, says));
    }
}
