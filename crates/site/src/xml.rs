//! References in XML: drawings (SVG), feeds (RSS 2.0, Atom, Media RSS) and sitemaps with pictures.

use std::ops::Range;

use roxmltree::{Attribute, Document, Node, ParsingOptions};

use crate::css;
use crate::html;
use crate::kinds;
use crate::showing::{Candidate, Found, Role, Showing};
use crate::srcset::Descriptor;
use crate::text::{self, Lines};

/// Elements and texts of a file that is read.
const NODES: u32 = 4_000_000;

/// What a file refers to; nothing where it is not well-formed.
pub fn references(xml: &str) -> Found {
    let options = ParsingOptions {
        allow_dtd: true,
        nodes_limit: NODES,
        ..ParsingOptions::default()
    };
    let Ok(document) = Document::parse_with_options(xml, options) else {
        return Found::default();
    };
    let mut reader = Reader {
        xml,
        lines: Lines::of(xml),
        found: Found::default(),
    };
    for node in document.descendants().filter(Node::is_element) {
        match node.tag_name().name() {
            "image" | "feImage" | "use" => reader.drawing(&node),
            "enclosure" | "content" | "thumbnail" | "link" | "player" => {
                reader.feed_attributes(&node);
            }
            "url" | "loc" | "logo" | "icon" => reader.feed_text(&node),
            "description" | "encoded" | "summary" => reader.feed_html(&node),
            "style" => reader.style(&node),
            _ => {}
        }
        if let Some(style) = node.attribute_node("style") {
            reader.style_attribute(&style);
        }
        if node.parent().is_some_and(|above| above.is_root()) {
            reader.found.base = base(&node);
        }
    }
    reader.found
}

/// What an XML file says its addresses are relative to.
fn base(node: &Node<'_, '_>) -> Option<String> {
    let space = "http://www.w3.org/XML/1998/namespace";
    node.attribute((space, "base")).map(str::to_owned)
}

struct Reader<'a> {
    xml: &'a str,
    lines: Lines,
    found: Found,
}

impl Reader<'_> {
    fn show(&mut self, role: Role, address: &str, span: Range<usize>) {
        let address = address.trim();
        if address.is_empty() || address.starts_with('#') {
            return;
        }
        let line = self.lines.at(span.start);
        let candidate = Candidate {
            address: address.to_owned(),
            span: span.clone(),
            line,
            descriptor: Descriptor::None,
        };
        let showing = Showing::new(role, span, line).of(candidate);
        self.found.showings.push(showing);
    }

    /// A picture in a drawing; the attribute was once in a name space of its own.
    fn drawing(&mut self, node: &Node<'_, '_>) {
        for attribute in node.attributes().filter(|one| one.name() == "href") {
            self.show(Role::Drawing, attribute.value(), attribute.range_value());
        }
    }

    /// Attributes that lead to a picture, by what the element or the address says.
    fn feed_attributes(&mut self, node: &Node<'_, '_>) {
        let kind = node.attribute("type").or(node.attribute("medium"));
        let says_picture = kind.is_some_and(|kind| kind.starts_with("image"))
            || node.tag_name().name() == "thumbnail";
        for name in ["url", "href", "src"] {
            let Some(attribute) = node.attribute_node(name) else {
                continue;
            };
            let named_like_one =
                kind.is_none() && kinds::is_named_like_a_picture(attribute.value());
            if says_picture || named_like_one {
                self.show(Role::Feed, attribute.value(), attribute.range_value());
            }
        }
    }

    /// An address that is the text of an element.
    fn feed_text(&mut self, node: &Node<'_, '_>) {
        let above = node.parent_element();
        let of_picture = above.is_some_and(|above| above.tag_name().name() == "image");
        let is_one = matches!(node.tag_name().name(), "logo" | "icon");
        for text in node.children().filter(Node::is_text) {
            let address = text.text().unwrap_or("");
            if is_one || of_picture || kinds::is_named_like_a_picture(address) {
                let written = &self.xml[text.range()];
                let inner = text::trimmed(written);
                let at = text.range().start;
                self.show(Role::Feed, address, at + inner.start..at + inner.end);
            }
        }
    }

    /// HTML that is the text of an element, escaped.
    fn feed_html(&mut self, node: &Node<'_, '_>) {
        for text in node.children().filter(Node::is_text) {
            let Some(html) = text.text().filter(|html| html.contains('<')) else {
                continue;
            };
            let span = text.range();
            let line = self.lines.at(span.start);
            for mut showing in html::references(html).showings {
                showing.stand_in(&span, line);
                showing.role = Role::Feed;
                self.found.showings.push(showing);
            }
        }
    }

    fn style(&mut self, node: &Node<'_, '_>) {
        for text in node.children().filter(Node::is_text) {
            let Some(css) = text.text() else { continue };
            self.css(css, text.range());
        }
    }

    fn style_attribute(&mut self, style: &Attribute<'_, '_>) {
        let before = self.found.showings.len();
        self.css(style.value(), style.range_value());
        let opening = self.xml.get(..style.range_value().start);
        let opening = opening.and_then(|before| before.chars().next_back());
        for showing in &mut self.found.showings[before..] {
            showing.stand_within(opening);
        }
    }

    fn css(&mut self, css: &str, span: Range<usize>) {
        let place = css::Place {
            lines: &self.lines,
            is_exact: self.xml.get(span.clone()) == Some(css),
            span,
        };
        let found = css::within(css, &place);
        self.found.showings.extend(found.showings);
        self.found.linked.extend(found.linked);
    }
}
