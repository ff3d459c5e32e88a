//! The Atom Publishing Protocol (RFC 5023): a file becomes a media resource, its texts stand in the media link entry
//! beside it.

use std::ops::Range;

use kiln_core::credits::Field;
use kiln_site::escape;
use percent_encoding::{NON_ALPHANUMERIC, utf8_percent_encode};
use roxmltree::{Document, Node};
use ureq::http::header;
use url::Url;

use super::super::http::Http;
use super::{Fault, Item, Library, Placed, Shelf, for_visitors, good, id, location, said};
use crate::ledger::Delivered;

/// The namespace of Atom (RFC 4287).
const ATOM: &str = "http://www.w3.org/2005/Atom";

const ENTRY: &str = "application/atom+xml;type=entry";

/// A connection.
pub struct Atompub(pub Library);

/// A media link entry.
struct Entry {
    xml: String,
    tag: Option<String>,
    /// Where it is, which is where it is changed.
    at: Url,
}

impl Atompub {
    fn entry(&self, at: Url) -> Result<Entry, Fault> {
        let (head, xml) = good(self.0.ask("GET", &at, &[("accept", ENTRY)], Http::ask)?)?;
        let tag = head.get(header::ETAG).and_then(|tag| tag.to_str().ok());
        Ok(Entry {
            xml,
            tag: tag.map(str::to_owned),
            at,
        })
    }

    /// Puts the texts of a file into its entry; what else stands there stays.
    fn tell(&self, item: &Item<'_>, entry: &Entry) -> Result<(), Fault> {
        let xml = written(&entry.xml, |field| said(item, field))?;
        let mut headers = Vec::new();
        if let Some(tag) = &entry.tag {
            headers.push(("if-match", tag.as_str()));
        }
        let sent = self.0.ask("PUT", &entry.at, &headers, |http, ask| {
            http.tell(ask, ENTRY, xml.as_bytes())
        })?;
        good(sent).map(drop)
    }
}

impl Shelf for Atompub {
    fn add(&mut self, item: &Item<'_>) -> Result<Placed, Fault> {
        let library = &self.0;
        // Bytes of another picture: where the server still has the first, they take its place (9.6).
        if let Some(earlier) = item.earlier
            && let Ok(entry) = self.entry(library.named(id(earlier)?)?)
        {
            let to = linked(
                &entry,
                |node| node.attribute("rel") == Some("edit-media"),
                "href",
            );
            let to = to.ok_or_else(|| {
                Fault::file("the server lets nobody replace it; remove it there by hand")
            })?;
            let to = library.told(&entry.at, &to)?;
            good(library.ask("PUT", &to, &[], |http, ask| http.send_told(ask, item))?)?;
            // The server has changed it.
            let entry = self.entry(entry.at)?;
            self.tell(item, &entry)?;
            return Ok(placed(library, &entry));
        }
        let slug = said(item, Field::Title).unwrap_or_default();
        let slug = utf8_percent_encode(slug, NON_ALPHANUMERIC)
            .to_string()
            .replace("%20", " ");
        let headers = [("slug", slug.as_str()), ("accept", ENTRY)];
        let sent = library.ask("POST", &library.endpoint, &headers, |http, ask| {
            http.send_told(ask, item)
        })?;
        let (head, _) = good(sent)?;
        let to = location(&head)
            .ok_or_else(|| Fault::file("the server took it and does not say where it is"))?;
        let entry = self.entry(library.told(&library.endpoint, to)?)?;
        self.tell(item, &entry)?;
        Ok(placed(library, &entry))
    }

    fn retell(&mut self, item: &Item<'_>, earlier: &Delivered) -> Result<(), Fault> {
        let entry = self.entry(self.0.named(id(earlier)?)?)?;
        self.tell(item, &entry)
    }

    fn strike(&mut self, earlier: &Delivered) -> Result<(), Fault> {
        let at = self.0.named(id(earlier)?)?;
        match good(self.0.ask("DELETE", &at, &[], Http::ask)?) {
            Err(fault) if fault.says.contains("404") || fault.says.contains("410") => Ok(()),
            done => done.map(drop),
        }
    }
}

fn placed(library: &Library, entry: &Entry) -> Placed {
    let source = linked(entry, |node| node.has_tag_name((ATOM, "content")), "src");
    let source = source.and_then(|source| library.told(&entry.at, &source).ok());
    Placed {
        address: source.as_ref().and_then(for_visitors),
        id: Some(entry.at.to_string()),
    }
}

/// An attribute of the first child of an entry that is meant.
fn linked(
    entry: &Entry,
    is_meant: impl Fn(&Node<'_, '_>) -> bool,
    attribute: &str,
) -> Option<String> {
    let document = Document::parse(&entry.xml).ok()?;
    let mut children = document.root_element().children();
    let found = children.find(|node| node.is_element() && is_meant(node))?;
    found.attribute(attribute).map(str::to_owned)
}

/// An entry with the texts of a file: title, alternative text as its summary, caption, who is to be named, licence.
/// Atom has no place for an alternative text of its own; what a summary says of a picture is what it shows.
pub fn written<'a>(xml: &str, said: impl Fn(Field) -> Option<&'a str>) -> Result<String, Fault> {
    let unsound =
        |_| Fault::file("the server's entry of it is no XML; see there what became of it");
    let document = Document::parse(xml).map_err(unsound)?;
    let root = document.root_element();
    if !root.has_tag_name((ATOM, "entry")) {
        return Err(Fault::file(
            "the server's entry of it is none of Atom; check the address",
        ));
    }
    let source = &xml[root.range()];
    let name: String = source[1..]
        .chars()
        .take_while(|c| !c.is_whitespace() && !"/>".contains(*c))
        .collect();
    let prefix = name.strip_suffix("entry").unwrap_or_default();
    let summary = said(Field::AlternativeText).or(said(Field::Caption));
    let rights: Vec<&str> = [Field::Credit, Field::Licence]
        .into_iter()
        .filter_map(&said)
        .collect();
    let texts = [
        ("title", said(Field::Title).map(str::to_owned)),
        ("summary", summary.map(str::to_owned)),
        (
            "rights",
            Some(rights.join(", ")).filter(|text| !text.is_empty()),
        ),
    ];
    let mut changes: Vec<(Range<usize>, String)> = Vec::new();
    let end = xml.rfind("</").filter(|end| *end < root.range().end);
    let end = end.ok_or_else(|| Fault::file("the server's entry of it is empty"))?;
    for (tag, text) in texts {
        let Some(text) = text else { continue };
        let element = format!("<{prefix}{tag}>{}</{prefix}{tag}>", escape::text(&text));
        let there = root.children().find(|node| node.has_tag_name((ATOM, tag)));
        changes.push((there.map_or(end..end, |node| node.range()), element));
    }
    changes.sort_by_key(|(range, _)| range.start);
    let mut all = xml.to_owned();
    for (range, element) in changes.into_iter().rev() {
        all.replace_range(range, &element);
    }
    Ok(all)
}
