//! Markdown, XML and JSON rewritten.

use std::collections::HashMap;

use roxmltree::{Document, Node, ParsingOptions};

use super::styles::Styles;
use super::{File, Guide, Rewired, Work};
use crate::escape;
use crate::offer::Piece;
use crate::showing::{Role, Showing};
use crate::tags;

/// A text in Markdown.
pub fn markdown(file: &File<'_>, styles: &Styles, guide: &mut dyn Guide) -> Rewired {
    let mut work = Work::of(file);
    work.is_markdown = true;
    for showing in &file.found.showings {
        match showing.role {
            Role::Markdown => work.picture(showing, guide),
            _ => work.showing(showing, styles, guide),
        }
    }
    work.done
}

impl Work<'_> {
    /// A picture of Markdown.
    fn picture(&mut self, showing: &Showing, guide: &mut dyn Guide) {
        let Some(candidate) = showing.candidates().next() else {
            return;
        };
        let Some(aim) = guide.aim(showing, candidate) else {
            return;
        };
        let written = self.source.get(showing.span.clone()).unwrap_or_default();
        let lacks_text = showing
            .alt
            .as_deref()
            .is_none_or(|alt| alt.trim().is_empty());
        let mut words = aim.words.clone();
        if !lacks_text {
            words.alt.clone_from(&showing.alt);
        }
        if self.extent.markdown_as_html && !self.extent.plain {
            if let Some(html) = tags::picture(aim.offers(), &words, None)
                && self.may_change(&showing.span, candidate)
            {
                self.done.references += 1;
                // A blank line would end the element.
                let html = html.replace('\n', "");
                self.done
                    .edits
                    .replace(self.source, showing.span.clone(), html);
            }
            return;
        }
        // A text that is missing is put in, where the brackets are plainly empty.
        if lacks_text && written.starts_with("![]") && !self.extent.plain {
            let alt = words.alt.as_deref().unwrap_or_default();
            let at = showing.span.start + 2;
            if self.may_change(&(at..at + 1), candidate) {
                self.done.edits.insert(at, escape::markdown(alt));
            }
        }
        self.plainly(showing, guide);
    }
}

/// Attributes that say something of the file that an element refers to.
const ABOUT: [&str; 5] = ["type", "length", "fileSize", "width", "height"];

/// An XML file: a drawing, a feed, a sitemap.
pub fn of_xml(file: &File<'_>, guide: &mut dyn Guide) -> Rewired {
    let mut work = Work::of(file);
    let options = ParsingOptions {
        allow_dtd: true,
        ..ParsingOptions::default()
    };
    let document = Document::parse_with_options(file.text, options).ok();
    let nodes = document.iter().flat_map(Document::descendants);
    let of_attributes = nodes.flat_map(|node| {
        let attributes = node.attributes();
        attributes.map(move |one| (one.range_value().start, node))
    });
    let by_address: HashMap<usize, Node<'_, '_>> = of_attributes.collect();
    for showing in &file.found.showings {
        match showing.role {
            Role::Style => work.style(showing, guide),
            _ => work.plainly(showing, guide),
        }
        let first = showing.candidates().next();
        let node = first.and_then(|candidate| by_address.get(&candidate.span.start));
        if let (Role::Feed, Some(node)) = (showing.role, node) {
            work.about(showing, node, guide);
        }
    }
    work.done
}

impl Work<'_> {
    /// What a feed says of a file beside its address.
    fn about(&mut self, showing: &Showing, node: &Node<'_, '_>, guide: &mut dyn Guide) {
        let Some(candidate) = showing.candidates().next() else {
            return;
        };
        let Some(aim) = guide.aim(showing, candidate).filter(|aim| !aim.is_piece) else {
            return;
        };
        let piece = aim
            .main
            .layout(&aim.spot)
            .map(|layout| layout.largest().clone());
        let Some(piece) = piece else {
            return;
        };
        for attribute in node.attributes().filter(|one| ABOUT.contains(&one.name())) {
            let value = said(&piece, attribute.name());
            let span = attribute.range_value();
            if self.may_change(&span, candidate) {
                self.done.edits.replace(self.source, span, value);
            }
        }
    }
}

fn said(piece: &Piece, name: &str) -> String {
    match name {
        "type" => piece.kind.clone(),
        "width" => piece.width.to_string(),
        "height" => piece.height.to_string(),
        _ => piece.weight.to_string(),
    }
}

/// A web app manifest.
pub fn of_json(file: &File<'_>, guide: &mut dyn Guide) -> Rewired {
    let mut work = Work::of(file);
    for showing in &file.found.showings {
        work.plainly(showing, guide);
    }
    work.done
}
