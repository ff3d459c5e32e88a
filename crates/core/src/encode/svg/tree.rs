//! A drawing as a tree of our own, without what is no drawing, and its text again.

use roxmltree::{Document, NodeType};

use crate::draw::{is_handler, is_shape, leads_out};

/// An element.
#[derive(Clone, Debug, Default, PartialEq)]
pub(super) struct Element {
    pub name: String,
    pub attributes: Vec<(String, String)>,
    pub children: Vec<Child>,
}

/// What an element holds.
#[derive(Clone, Debug, PartialEq)]
pub(super) enum Child {
    Element(Element),
    Text(String),
}

/// Elements whose text is seen or heard.
const SPOKEN: [&str; 6] = ["text", "tspan", "textPath", "title", "desc", "style"];

impl Element {
    /// The drawing of a document: without comments, elements and attributes of other languages, scripts
    /// and handlers, and links that lead out of it.
    pub fn of(document: &Document<'_>) -> Element {
        element(document.root_element())
    }

    pub fn get(&self, name: &str) -> Option<&str> {
        let found = self.attributes.iter().find(|(known, _)| known == name);
        found.map(|(_, value)| value.as_str())
    }

    pub fn set(&mut self, name: &str, value: String) {
        match self.attributes.iter_mut().find(|(known, _)| known == name) {
            Some((_, old)) => *old = value,
            None => self.attributes.push((name.to_owned(), value)),
        }
    }

    pub fn remove(&mut self, name: &str) -> Option<String> {
        let index = self
            .attributes
            .iter()
            .position(|(known, _)| known == name)?;
        Some(self.attributes.remove(index).1)
    }

    pub fn elements(&self) -> impl Iterator<Item = &Element> {
        self.children.iter().filter_map(|child| match child {
            Child::Element(element) => Some(element),
            Child::Text(_) => None,
        })
    }

    /// It, and all that lies in it, in the order of the text.
    pub fn each(&self, visit: &mut impl FnMut(&Element)) {
        visit(self);
        self.elements().for_each(|element| element.each(visit));
    }

    /// The same, to be changed: what it holds after it itself.
    pub fn each_mut(&mut self, change: &mut impl FnMut(&mut Element)) {
        change(self);
        for child in &mut self.children {
            if let Child::Element(element) = child {
                element.each_mut(change);
            }
        }
    }

    /// Whether anything in it is so.
    pub fn any(&self, is_so: &impl Fn(&Element) -> bool) -> bool {
        is_so(self) || self.elements().any(|element| element.any(is_so))
    }

    /// All the text in it.
    pub fn text(&self) -> String {
        let texts = self.children.iter().map(|child| match child {
            Child::Text(text) => text.clone(),
            Child::Element(element) => element.text(),
        });
        texts.collect()
    }

    /// As the text of a file.
    pub fn written(&self) -> String {
        let mut text = String::new();
        self.write(&mut text);
        text
    }

    fn write(&self, into: &mut String) {
        into.push('<');
        into.push_str(&self.name);
        for (name, value) in &self.attributes {
            into.push(' ');
            into.push_str(name);
            into.push_str("=\"");
            escaped(value, true, into);
            into.push('"');
        }
        if self.children.is_empty() {
            into.push_str("/>");
            return;
        }
        into.push('>');
        for child in &self.children {
            match child {
                Child::Element(element) => element.write(into),
                Child::Text(text) => escaped(text, false, into),
            }
        }
        into.push_str("</");
        into.push_str(&self.name);
        into.push('>');
    }
}

fn escaped(text: &str, quoted: bool, into: &mut String) {
    for c in text.chars() {
        match c {
            '&' => into.push_str("&amp;"),
            '<' => into.push_str("&lt;"),
            '"' if quoted => into.push_str("&quot;"),
            // In an attribute they would be read as spaces.
            '\n' if quoted => into.push_str("&#10;"),
            '\t' if quoted => into.push_str("&#9;"),
            '\r' => into.push_str("&#13;"),
            c => into.push(c),
        }
    }
}

fn element(node: roxmltree::Node<'_, '_>) -> Element {
    let name = node.tag_name().name();
    let spoken = SPOKEN.contains(&name);
    let mut found = Element {
        name: name.to_owned(),
        ..Element::default()
    };
    if node.parent_element().is_none() {
        found.set("xmlns", "http://www.w3.org/2000/svg".to_owned());
    }
    for attribute in node.attributes() {
        let (name, value) = (attribute.name(), attribute.value());
        let name = match attribute.namespace() {
            None if is_handler(name) => continue,
            None => name.to_owned(),
            Some("http://www.w3.org/1999/xlink") if name == "href" => name.to_owned(),
            Some("http://www.w3.org/XML/1998/namespace") => format!("xml:{name}"),
            Some(_) => continue,
        };
        let runs = |value: &str| {
            value
                .trim_start()
                .to_ascii_lowercase()
                .starts_with("javascript:")
        };
        match name.as_str() {
            "href" if leads_out(value) || runs(value) => {}
            // The newer of two names was met already.
            "href" if found.get("href").is_some() => {}
            _ => found.set(&name, without_outside(value)),
        }
    }
    for child in node.children() {
        match child.node_type() {
            NodeType::Element if is_shape(&child) => {
                let name = child.tag_name().name();
                if !matches!(name, "metadata" | "script" | "foreignObject") {
                    let child = element(child);
                    let nothing = matches!(name, "image" | "use") && child.get("href").is_none();
                    if !nothing {
                        found.children.push(Child::Element(child));
                    }
                }
            }
            NodeType::Text if spoken => {
                let text = child.text().unwrap_or_default();
                let text = if name == "style" {
                    sheet(text)
                } else {
                    text.to_owned()
                };
                match found.children.last_mut() {
                    // What stood on both sides of a comment.
                    Some(Child::Text(before)) => before.push_str(&text),
                    _ if text.is_empty() => {}
                    _ => found.children.push(Child::Text(text)),
                }
            }
            _ => {}
        }
    }
    found
}

/// A value without addresses that lead out: `none` stands in their place.
fn without_outside(value: &str) -> String {
    let Some((before, rest)) = value.split_once("url(") else {
        return value.to_owned();
    };
    let Some((address, rest)) = rest.split_once(')') else {
        return before.to_owned();
    };
    let bare = address.trim().trim_matches(['"', '\'']);
    let kept = match leads_out(bare) {
        true => "none".to_owned(),
        false => format!("url({bare})"),
    };
    format!("{before}{kept}{}", without_outside(rest))
}

/// A style sheet without comments, imports and addresses that lead out.
fn sheet(text: &str) -> String {
    let mut bare = String::new();
    let mut rest = text;
    while let Some((before, comment)) = rest.split_once("/*") {
        bare.push_str(before);
        rest = comment.split_once("*/").map_or("", |(_, behind)| behind);
    }
    bare.push_str(rest);
    while let Some(at) = bare.find("@import") {
        let end = bare[at..].find(';').map_or(bare.len(), |end| at + end + 1);
        bare.replace_range(at..end, "");
    }
    let words = without_outside(&bare);
    let words: Vec<&str> = words.split_whitespace().collect();
    let mut tight = String::new();
    for word in words {
        let open = tight.ends_with(['{', '}', ';', ':', ',']) || tight.is_empty();
        if !open && !word.starts_with(['{', '}', ';', ',']) {
            tight.push(' ');
        }
        tight.push_str(word);
    }
    tight.replace(";}", "}")
}
