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
#[derive(Clone, Debug, Default)]
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
        found.into_iter().flatten().any(|element| self.is(element))
    }

    fn is(&self, element: &Element) -> bool {
        self.name.as_ref().is_none_or(|name| *name == element.name)
            && self.ids.iter().all(|id| element.id.as_ref() == Some(id))
            && self
                .classes
                .iter()
                .all(|class| element.classes.contains(class))
    }
}

/// A list of selectors, ready to be held against single elements.
#[derive(Clone, Debug)]
pub struct Selectors {
    each: Vec<Parts>,
    /// Whether it asks nothing but what an element itself tells in its names.
    pub is_plain: bool,
}

/// The parts of a selector, the last of which is about the element itself.
#[derive(Clone, Debug)]
struct Parts {
    last: Compound,
    /// What it lies in, from the inside outwards. What it lies beside is not looked at.
    around: Vec<Compound>,
}

impl Selectors {
    /// Of a list of selectors, without those that are about other kinds of elements; `None` where none
    /// is left.
    pub fn about(name: &str, selectors: &str) -> Option<Selectors> {
        let plain = |c: char| c.is_alphanumeric() || "-_.#*".contains(c);
        let parts = |one: &str| {
            let mut around = compounds(one);
            let last = around.pop()?;
            around.reverse();
            if one.contains(['+', '~']) {
                around.clear();
            }
            let is_about = last.name.as_deref().is_none_or(|one| one == name);
            is_about.then_some(Parts { last, around })
        };
        let each: Vec<Parts> = selectors.split(',').filter_map(parts).collect();
        (!each.is_empty()).then(|| Selectors {
            each,
            is_plain: selectors
                .split(',')
                .all(|one| one.trim().chars().all(plain)),
        })
    }

    /// Whether it may be about an element, with the elements around it, the outermost first, where they
    /// are known.
    pub fn may_be(&self, element: &Element, around: Option<&[Element]>) -> bool {
        self.each.iter().any(|parts| {
            let mut outwards = around.unwrap_or_default().iter().rev();
            let lies_in = |part: &Compound| around.is_none() || outwards.any(|one| part.is(one));
            parts.last.is(element) && parts.around.iter().all(lies_in)
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
