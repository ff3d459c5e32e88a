//! A drawing in fewer bytes that looks the same: what is never seen is left out, what is said twice is said
//! once, and numbers have the decimals that are seen.

use std::collections::{BTreeMap, BTreeSet};

use super::numbers::colour;
use super::tree::{Child, Element};
use super::words::{
    PROPERTIES, is_animation, is_colour, is_definition, is_inherited, is_leaf, is_length,
    is_of_letters,
};
use crate::draw;

/// What holds for a whole drawing.
pub(super) struct Facts {
    /// Whether there are style sheets: then selectors may mean anything, and little is moved.
    styled: bool,
    pub letters: bool,
    pub moves: bool,
    /// Whether lengths are told in the size of letters.
    ems: bool,
}

impl Facts {
    pub fn of(root: &Element) -> Facts {
        let ems = |element: &Element| {
            let mut attributes = element.attributes.iter();
            attributes.any(|(name, value)| {
                is_length(name) && (value.ends_with("em") || value.ends_with("ex"))
            })
        };
        Facts {
            styled: root.any(&|element| element.name == "style"),
            letters: root.any(&|element| element.name == "text"),
            moves: root.any(&|element| is_animation(&element.name)),
            ems: root.any(&ems),
        }
    }
}

/// Everything but numbers, which need an eye that watches.
pub(super) fn slimmed(mut root: Element) -> Element {
    let facts = Facts::of(&root);
    root.each_mut(&mut |element| spread(element, &facts));
    root.each_mut(&mut |element| tidied(element, &facts));
    if !facts.styled && !facts.moves {
        without_unseen(&mut root);
    }
    loop {
        let before = count(&root);
        without_unused(&mut root);
        without_empty(&mut root, &facts);
        if count(&root) == before {
            break;
        }
    }
    if !facts.styled && !facts.moves {
        without_defaults(&mut root);
        let referred = referred(&root);
        gathered(&mut root, &referred);
        unwrapped(&mut root);
    }
    renamed(&mut root, &facts);
    for name in [
        "version",
        "baseProfile",
        "x",
        "y",
        "zoomAndPan",
        "contentStyleType",
        "contentScriptType",
    ] {
        root.remove(name);
    }
    root
}

fn count(root: &Element) -> usize {
    let mut count = 0;
    root.each(&mut |_| count += 1);
    count
}

/// Declarations of a style attribute become attributes, where no style sheet goes between them.
fn spread(element: &mut Element, facts: &Facts) {
    let Some(style) = element.remove("style") else {
        return;
    };
    let mut rest = Vec::new();
    for declaration in declarations(&style) {
        let Some((name, value)) = declaration.split_once(':') else {
            continue;
        };
        let (name, value) = (name.trim(), value.trim());
        let known = PROPERTIES.iter().any(|(known, _)| *known == name);
        if name.starts_with('-') || value.is_empty() {
            // A word of one program alone.
        } else if known && !facts.styled && !value.contains('!') {
            element.set(name, value.to_owned());
        } else if facts.letters || !is_of_letters(name) {
            rest.push(format!("{name}:{value}"));
        }
    }
    if !rest.is_empty() {
        element.set("style", rest.join(";"));
    }
}

/// The declarations of a style attribute: a semicolon within brackets or quotes ends none.
fn declarations(style: &str) -> Vec<&str> {
    let (mut parts, mut start, mut depth, mut quote) = (Vec::new(), 0, 0u32, None);
    for (at, c) in style.char_indices() {
        match (quote, c) {
            (Some(open), c) if c == open => quote = None,
            (Some(_), _) => {}
            (None, '"' | '\'') => quote = Some(c),
            (None, '(') => depth += 1,
            (None, ')') => depth = depth.saturating_sub(1),
            (None, ';') if depth == 0 => {
                parts.push(&style[start..at]);
                start = at + 1;
            }
            _ => {}
        }
    }
    parts.push(&style[start..]);
    parts
}

/// Attributes that say nothing, and values in fewer letters.
fn tidied(element: &mut Element, facts: &Facts) {
    let name = element.name.clone();
    element.attributes.retain(|(attribute, value)| {
        let idle = match attribute.as_str() {
            "class" => !facts.styled,
            "enable-background" | "pointer-events" | "cursor" | "color-rendering" => true,
            "xml:space" => !facts.letters,
            "font-size" => !facts.letters && !facts.ems,
            "preserveAspectRatio" => value == "xMidYMid" || value == "xMidYMid meet",
            "type" => name == "style",
            "media" => name == "style" && value == "all",
            _ if attribute.starts_with("data-") => !facts.styled,
            _ => is_of_letters(attribute) && !facts.letters,
        };
        let empty = value.trim().is_empty();
        !(idle || (empty && PROPERTIES.iter().any(|(known, _)| known == attribute)))
    });
    for (attribute, value) in &mut element.attributes {
        if is_colour(attribute) {
            if let Some(shorter) = colour(value) {
                *value = shorter;
            }
        } else if !matches!(
            attribute.as_str(),
            "id" | "href" | "class" | "style" | "unicode"
        ) {
            let words: Vec<&str> = value.split_whitespace().collect();
            *value = words.join(" ");
        }
    }
}

/// What is never shown, unless something refers to it or to a part of it.
fn without_unseen(root: &mut Element) {
    let referred = referred(root);
    let kept = |element: &Element| {
        let hidden = element.get("display") == Some("none");
        !hidden || element.any(&|one| one.get("id").is_some_and(|id| referred.contains_key(id)))
    };
    root.each_mut(&mut |element| {
        element.children.retain(|child| match child {
            Child::Element(child) => kept(child),
            Child::Text(_) => true,
        });
    });
}

/// How often each part is referred to.
fn referred(root: &Element) -> BTreeMap<String, usize> {
    let mut found: BTreeMap<String, usize> = BTreeMap::new();
    root.each(&mut |element| {
        for (name, value) in &element.attributes {
            for id in references(name, value) {
                *found.entry(id).or_default() += 1;
            }
        }
        if element.name == "style" {
            let text = element.text();
            for id in text.split('#').skip(1) {
                let end = id.find(|c: char| !(c.is_alphanumeric() || "-_.".contains(c)));
                *found
                    .entry(id[..end.unwrap_or(id.len())].to_owned())
                    .or_default() += 1;
            }
        }
    });
    found
}

/// The parts that an attribute refers to.
fn references(name: &str, value: &str) -> Vec<String> {
    let mut found: Vec<String> = draw::references(value).map(str::to_owned).collect();
    match name {
        "href" => found.extend(value.trim().strip_prefix('#').map(str::to_owned)),
        "aria-labelledby" | "aria-describedby" => {
            found.extend(value.split_whitespace().map(str::to_owned))
        }
        // As in `a.click; b.end + 1s`.
        "begin" | "end" => {
            let events = value
                .split(';')
                .filter_map(|event| event.trim().split_once('.'));
            found.extend(events.map(|(id, _)| id.to_owned()));
        }
        _ => {}
    }
    found
}

/// Names that nothing refers to, and definitions that nothing uses.
fn without_unused(root: &mut Element) {
    let referred = referred(root);
    let is_used = |element: &Element| {
        element.any(&|one| one.get("id").is_some_and(|id| referred.contains_key(id)))
    };
    root.each_mut(&mut |element| {
        if element
            .get("id")
            .is_some_and(|id| !referred.contains_key(id))
        {
            element.remove("id");
        }
        let defined = element.name == "defs";
        element.children.retain(|child| match child {
            Child::Element(child) => {
                let idle = is_definition(&child.name) || (defined && child.name != "style");
                !idle || is_used(child)
            }
            Child::Text(_) => true,
        });
    });
}

fn without_empty(root: &mut Element, facts: &Facts) {
    for child in &mut root.children {
        if let Child::Element(child) = child {
            without_empty(child, facts);
        }
    }
    root.children.retain(|child| match child {
        Child::Element(child) => {
            let hollow = matches!(
                child.name.as_str(),
                "g" | "defs" | "a" | "switch" | "text" | "tspan" | "style"
            );
            let empty = child.children.is_empty();
            let filled = child.get("filter").is_some() || child.get("id").is_some();
            let pathless =
                child.name == "path" && child.get("d").is_none_or(|d| d.trim().is_empty());
            !(hollow && empty && !filled)
                && !(pathless && empty && child.get("id").is_none() && !facts.moves)
        }
        Child::Text(text) => !text.is_empty(),
    });
}

/// Attributes that say what holds anyway: where nothing that holds others says otherwise.
fn without_defaults(root: &mut Element) {
    let mut changed = BTreeSet::new();
    root.each(&mut |element| {
        for (name, value) in &element.attributes {
            let default = PROPERTIES.iter().find(|(known, _)| known == name);
            if !is_leaf(&element.name) && default.is_some_and(|(_, default)| value != default) {
                changed.insert(name.clone());
            }
        }
    });
    root.each_mut(&mut |element| {
        element.attributes.retain(|(name, value)| {
            let default = PROPERTIES.iter().find(|(known, _)| known == name);
            let says_default =
                default.is_some_and(|(_, default)| !default.is_empty() && value == default);
            !says_default || (is_inherited(name) && changed.contains(name))
        });
        let stroke = element.get("stroke");
        // Of a stroke that is none nothing matters; what holds others may be said for them.
        let none = stroke == Some("none") || (stroke.is_none() && !changed.contains("stroke"));
        if none && is_leaf(&element.name) {
            element
                .attributes
                .retain(|(name, _)| !name.starts_with("stroke-"));
        }
    });
}

/// What all shapes of a group say alike, the group says for them.
fn gathered(root: &mut Element, referred: &BTreeMap<String, usize>) {
    for child in &mut root.children {
        if let Child::Element(child) = child {
            gathered(child, referred);
        }
    }
    if !matches!(root.name.as_str(), "g" | "svg") {
        return;
    }
    let silent = |element: &Element| {
        matches!(
            element.name.as_str(),
            "title" | "desc" | "linearGradient" | "radialGradient"
        ) || (element.name == "defs"
            && element
                .elements()
                .all(|one| matches!(one.name.as_str(), "linearGradient" | "radialGradient")))
    };
    let painted = |element: &Element| {
        (is_leaf(&element.name) || matches!(element.name.as_str(), "g" | "use"))
            && element
                .get("id")
                .is_none_or(|id| !referred.contains_key(id))
    };
    let shapes: Vec<&Element> = root.elements().filter(|element| !silent(element)).collect();
    if shapes.len() < 2 || !shapes.iter().all(|element| painted(element)) {
        return;
    }
    let common: Vec<(String, String)> = shapes[0]
        .attributes
        .iter()
        .filter(|(name, value)| {
            is_inherited(name) && shapes.iter().all(|shape| shape.get(name) == Some(value))
        })
        .cloned()
        .collect();
    for (name, value) in common {
        root.set(&name, value);
        for child in &mut root.children {
            if let Child::Element(child) = child {
                child.remove(&name);
            }
        }
    }
}

/// Groups that say nothing give way to what they hold; of those that hold one thing, it says all.
fn unwrapped(root: &mut Element) {
    let mut children = Vec::new();
    for mut child in std::mem::take(&mut root.children) {
        if let Child::Element(element) = &mut child {
            unwrapped(element);
            if element.name == "g" && element.attributes.is_empty() && root.name != "switch" {
                let titled = |child: &Child| matches!(child, Child::Element(one) if matches!(one.name.as_str(), "title" | "desc"));
                if !element.children.iter().any(titled) {
                    children.append(&mut element.children);
                    continue;
                }
            }
            if let Some(one) = only(element) {
                children.push(Child::Element(one));
                continue;
            }
        }
        children.push(child);
    }
    root.children = children;
}

/// The one shape of a group that says only what the shape may say itself.
fn only(group: &Element) -> Option<Element> {
    let [Child::Element(shape)] = &group.children[..] else {
        return None;
    };
    let mut shape = shape.clone();
    if group.name != "g" || !(is_leaf(&shape.name) || shape.name == "g") {
        return None;
    }
    for (name, value) in &group.attributes {
        match name.as_str() {
            // Where the shape has one as well, that is the inner one.
            "transform" if !shape.attributes.iter().any(|(name, _)| is_placed(name)) => {
                let inner = shape.get("transform").unwrap_or_default();
                shape.set("transform", format!("{value} {inner}").trim().to_owned());
            }
            name if is_inherited(name) => {
                if shape.get(name).is_none() {
                    shape.set(name, value.clone());
                }
            }
            _ => return None,
        }
    }
    Some(shape)
}

/// Whether a property is told in the coordinates of the element that has it.
fn is_placed(name: &str) -> bool {
    matches!(
        name,
        "clip-path" | "mask" | "filter" | "style" | "transform-origin"
    )
}

/// Short names, the shortest for what is referred to most.
fn renamed(root: &mut Element, facts: &Facts) {
    if facts.styled || facts.moves {
        return;
    }
    let mut used: Vec<(String, usize)> = referred(root).into_iter().collect();
    used.sort_by(|a, b| b.1.cmp(&a.1).then_with(|| a.0.cmp(&b.0)));
    let name = |index: usize| {
        let letter = |index: usize| char::from(b"abcdefghijklmnopqrstuvwxyz"[index % 26]);
        let (mut name, mut rest) = (letter(index).to_string(), index / 26);
        while rest > 0 {
            name.push(letter(rest - 1));
            rest = (rest - 1) / 26;
        }
        name
    };
    let names: BTreeMap<String, String> = used
        .into_iter()
        .enumerate()
        .map(|(index, (old, _))| (old, name(index)))
        .collect();
    root.each_mut(&mut |element| {
        for (attribute, value) in &mut element.attributes {
            if attribute == "id" {
                if let Some(new) = names.get(value.as_str()) {
                    *value = new.clone();
                }
            } else if attribute == "href" {
                if let Some(new) = value
                    .trim()
                    .strip_prefix('#')
                    .and_then(|old| names.get(old))
                {
                    *value = format!("#{new}");
                }
            } else if attribute.starts_with("aria-") {
                let words = value.split_whitespace();
                let words: Vec<&str> = words
                    .map(|old| names.get(old).map_or(old, String::as_str))
                    .collect();
                *value = words.join(" ");
            } else if value.contains("url(") {
                *value = with_names(value, &names);
            }
        }
    });
}

fn with_names(value: &str, names: &BTreeMap<String, String>) -> String {
    let mut parts = value.split("url(");
    let mut whole = parts.next().unwrap_or_default().to_owned();
    for part in parts {
        let (address, rest) = part.split_once(')').unwrap_or((part, ""));
        let bare = address.trim().trim_matches(['"', '\'']);
        let new = bare.strip_prefix('#').and_then(|old| names.get(old));
        let address = new.map_or(bare.to_owned(), |new| format!("#{new}"));
        whole.push_str(&format!("url({address}){rest}"));
    }
    whole
}

#[cfg(test)]
mod tests;
