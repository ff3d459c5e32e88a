//! Which rules of a style sheet can meet a page, as far as single elements tell.

use std::collections::{HashMap, HashSet};

use cssparser::{Parser, Token};

use crate::showing::{Element, Named};

/// States of an element that a page is not in when it is loaded.
const LATER: [&str; 8] = [
    ":hover",
    ":focus",
    ":active",
    ":target",
    ":checked",
    ":visited",
    ":invalid",
    "::selection",
];

/// The elements of a page, ready for selectors to be held against them.
pub struct Meetings<'a> {
    names: HashSet<&'a str>,
    by_class: HashMap<&'a str, Vec<&'a Element>>,
    by_id: HashMap<&'a str, Vec<&'a Element>>,
}

impl<'a> Meetings<'a> {
    /// Of a page.
    pub fn of(named: &'a Named) -> Meetings<'a> {
        let mut meetings = Meetings {
            // These are there, written or not.
            names: HashSet::from(["html", "head", "body", "tbody"]),
            by_class: HashMap::new(),
            by_id: HashMap::new(),
        };
        for element in &named.elements {
            meetings.names.insert(&element.name);
            for class in &element.classes {
                meetings.by_class.entry(class).or_default().push(element);
            }
            if let Some(id) = &element.id {
                meetings.by_id.entry(id).or_default().push(element);
            }
        }
        meetings
    }

    /// Whether a rule can meet anything of a page as it is loaded, as far as single elements tell: where a
    /// part of its selector, such as `li.card`, meets no element of the page, the whole meets none. How
    /// elements lie in each other, attributes, and what is within `:not()`, `:is()` and the like are taken to
    /// be as the selector wants them.
    pub fn may_be(&self, selector: &str) -> bool {
        selector.split(',').any(|one| {
            let lower = one.to_ascii_lowercase();
            !LATER.iter().any(|state| lower.contains(state))
                && compounds(one).iter().all(|part| part.meets(self))
        })
    }
}

/// A part of a selector that is about one element.
#[derive(Default)]
struct Compound {
    name: Option<String>,
    ids: Vec<String>,
    classes: Vec<String>,
}

impl Compound {
    fn meets(&self, elements: &Meetings<'_>) -> bool {
        // The rarest of what it asks for is looked through.
        let by_class = self
            .classes
            .first()
            .map(|class| elements.by_class.get(&**class));
        let by_id = self.ids.first().map(|id| elements.by_id.get(&**id));
        let Some(found) = by_id.or(by_class) else {
            return self
                .name
                .as_ref()
                .is_none_or(|name| elements.names.contains(&**name));
        };
        found.into_iter().flatten().any(|element| {
            self.name.as_ref().is_none_or(|name| *name == element.name)
                && self.ids.iter().all(|id| element.id.as_ref() == Some(id))
                && self
                    .classes
                    .iter()
                    .all(|class| element.classes.contains(class))
        })
    }
}

/// The parts of a selector, each about one element.
fn compounds(selector: &str) -> Vec<Compound> {
    let mut p = Parser::new(selector);
    let mut parts = vec![Compound::default()];
    let (mut is_class, mut is_state) = (false, false);
    while let Ok(token) = p.next_including_whitespace() {
        let (class, state) = (is_class, is_state);
        (is_class, is_state) = (false, false);
        let Some(compound) = parts.last_mut() else {
            break;
        };
        match token {
            Token::Delim('.') => is_class = true,
            Token::Colon => is_state = true,
            Token::Ident(_) if state => {}
            Token::Ident(name) if class => compound.classes.push(name.to_string()),
            Token::Ident(name) => compound.name = Some(name.to_ascii_lowercase()),
            Token::IDHash(id) | Token::Hash(id) => compound.ids.push(id.to_string()),
            Token::WhiteSpace(_) | Token::Delim('>' | '+' | '~') => parts.push(Compound::default()),
            _ => {}
        }
    }
    parts
}
