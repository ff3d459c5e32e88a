//! The tag of an element, as it stands in a page.

use std::ops::Range;

use crate::html::Attribute;
use crate::showing::Element;

/// The tag of an element.
pub(super) struct Tag {
    pub span: Range<usize>,
    pub attributes: Vec<Attribute>,
}

impl Tag {
    /// An attribute.
    pub fn get(&self, name: &str) -> Option<&Attribute> {
        self.attributes
            .iter()
            .find(|attribute| attribute.name == name)
    }

    /// Where another attribute can be put in.
    pub fn end(&self, source: &str) -> usize {
        let last = self.attributes.last().map(|attribute| attribute.span.end);
        // `<img` without any.
        last.unwrap_or_else(|| {
            let text = source.get(self.span.clone()).unwrap_or_default();
            let name = text.find(|c: char| c.is_ascii_whitespace() || matches!(c, '>' | '/'));
            self.span.start + name.unwrap_or(0)
        })
    }

    /// The element as selectors meet it.
    pub fn element(&self) -> Element {
        let classes = self.get("class").map_or("", |class| &class.value);
        Element {
            name: "img".to_owned(),
            id: self.get("id").map(|id| id.value.clone()),
            classes: classes
                .split_ascii_whitespace()
                .map(str::to_owned)
                .collect(),
        }
    }

    /// What its own style says of a property.
    pub fn styled(&self, property: &str) -> Option<String> {
        crate::css::declared(&self.get("style")?.value, property)
    }
}
