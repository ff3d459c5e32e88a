//! References in Markdown (CommonMark, with tables and front matter): pictures, links to pictures,
//! and what HTML within it refers to.

use std::ops::Range;

use pulldown_cmark::{Event, LinkType, Options, Parser, Tag, TagEnd};
use serde::de::IgnoredAny;

use crate::html;
use crate::kinds;
use crate::showing::{Candidate, Found, Role, Showing};
use crate::srcset::Descriptor;
use crate::text::Lines;

/// What a text refers to.
pub fn references(text: &str) -> Found {
    let mut found = Found::default();
    let lines = Lines::of(text);
    let options = Options::ENABLE_TABLES
        | Options::ENABLE_FOOTNOTES
        | Options::ENABLE_STRIKETHROUGH
        | Options::ENABLE_YAML_STYLE_METADATA_BLOCKS
        | Options::ENABLE_PLUSES_DELIMITED_METADATA_BLOCKS;
    // The picture that is being read, and the text that stands in for it.
    let mut pictures: Vec<(Showing, String)> = Vec::new();
    let mut markup: Option<Range<usize>> = None;
    for (event, span) in Parser::new_ext(text, options).into_offset_iter() {
        match event {
            Event::Html(_) | Event::InlineHtml(_) => {
                let begun = markup.get_or_insert(span.clone());
                let between = text.get(begun.end..span.start).unwrap_or_default();
                if !between.trim().is_empty() {
                    take_html(text, &lines, begun.clone(), &mut found);
                    *begun = span;
                } else {
                    begun.end = begun.end.max(span.end);
                }
            }
            Event::Start(Tag::Image {
                link_type,
                dest_url,
                ..
            }) => {
                let candidate = candidate(text, &lines, &span, &dest_url, link_type);
                let showing = Showing::new(Role::Markdown, span.clone(), lines.at(span.start));
                pictures.push((showing.of(candidate), String::new()));
            }
            Event::End(TagEnd::Image) => {
                // One that leads nowhere shows nothing.
                let leads = |showing: &Showing| showing.candidates().all(|c| !c.address.is_empty());
                if let Some((mut showing, alt)) = pictures.pop().filter(|(one, _)| leads(one)) {
                    showing.alt = Some(alt);
                    found.showings.push(showing);
                }
            }
            Event::Start(Tag::Link {
                link_type,
                dest_url,
                ..
            }) if kinds::is_named_like_a_picture(&dest_url) => {
                let candidate = candidate(text, &lines, &span, &dest_url, link_type);
                let showing = Showing::new(Role::Link, span.clone(), lines.at(span.start));
                found.showings.push(showing.of(candidate));
            }
            Event::Text(words) | Event::Code(words) => {
                if let Some((_, alt)) = pictures.last_mut() {
                    alt.push_str(&words);
                }
            }
            Event::SoftBreak | Event::HardBreak => {
                if let Some((_, alt)) = pictures.last_mut() {
                    alt.push(' ');
                }
            }
            _ => {}
        }
    }
    if let Some(span) = markup {
        take_html(text, &lines, span, &mut found);
    }
    found.showings.sort_by_key(|showing| showing.span.start);
    found
}

/// Addresses of pictures in what stands before a text, between lines of `---` or `+++`, or as an object of
/// JSON: settings of the program that builds the site, in which a value may be a picture.
pub fn front_matter(text: &str) -> Found {
    let mut found = Found::default();
    let lines = Lines::of(text);
    let block = match text.lines().next().map(str::trim_end) {
        Some(mark @ ("---" | "+++")) => {
            let start = text.find('\n').map_or(text.len(), |at| at + 1);
            let end = text[start..].find(&format!("\n{mark}"));
            end.map(|length| start..start + length)
        }
        Some(first) if first.starts_with('{') => {
            let mut values = serde_json::Deserializer::from_str(text).into_iter::<IgnoredAny>();
            let is_object = values.next().is_some_and(|value| value.is_ok());
            is_object.then(|| 0..values.byte_offset())
        }
        _ => None,
    };
    let block = block.unwrap_or(0..0);
    // Quoted values first, else what stands behind a colon, a sign or a dash, up to the end of its line.
    for line in text[block.clone()].split_inclusive('\n') {
        let start = line.as_ptr() as usize - text.as_ptr() as usize;
        for (at, value) in values(line) {
            if kinds::is_named_like_a_picture(value) && !value.contains([' ', '\\']) {
                let span = start + at..start + at + value.len();
                let candidate = Candidate {
                    address: value.to_owned(),
                    line: lines.at(span.start),
                    span: span.clone(),
                    descriptor: Descriptor::None,
                };
                let line = candidate.line;
                let showing = Showing::new(Role::Markdown, span, line);
                found.showings.push(showing.of(candidate));
            }
        }
    }
    found
}

/// The values in a line of settings, and where they begin.
fn values(line: &str) -> Vec<(usize, &str)> {
    let mut values = Vec::new();
    let mut rest = line;
    while let Some(at) = rest.find(['"', '\'']) {
        let quote = &rest[at..=at];
        let inner = &rest[at + 1..];
        let Some(length) = inner.find(quote) else {
            break;
        };
        let start = inner.as_ptr() as usize - line.as_ptr() as usize;
        values.push((start, &inner[..length]));
        rest = &inner[length + 1..];
    }
    if values.is_empty() {
        let begins = line
            .find(": ")
            .map(|at| at + 2)
            .or_else(|| line.find("- ").map(|at| at + 2));
        let behind = begins.and_then(|at| line.get(at..)).unwrap_or_default();
        let value = behind.trim();
        let start = value.as_ptr() as usize - line.as_ptr() as usize;
        values.push((start, value));
    }
    values
}

/// An address, and where it stands: in the brackets themselves, or in the definition they refer to.
fn candidate(
    text: &str,
    lines: &Lines,
    span: &Range<usize>,
    address: &str,
    kind: LinkType,
) -> Candidate {
    let within = match kind {
        LinkType::Inline => text[span.clone()].rfind(address).map(|at| span.start + at),
        _ => {
            let written = text.match_indices(address).find(|(at, _)| {
                let before = text[..*at].trim_end_matches([' ', '<']);
                before.ends_with("]:")
            });
            written.map(|(at, _)| at)
        }
    };
    let span = within.map_or(span.clone(), |at| at..at + address.len());
    Candidate {
        address: address.to_owned(),
        line: lines.at(span.start),
        span,
        descriptor: Descriptor::None,
    }
}

fn take_html(text: &str, lines: &Lines, span: Range<usize>, found: &mut Found) {
    let within = html::within(&text[span.clone()], span.start, lines);
    found.showings.extend(within.showings);
    found.linked.extend(within.linked);
    found.named.add(&within.named);
}
