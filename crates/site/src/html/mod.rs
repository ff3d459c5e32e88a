//! References in HTML, by the standard's own tokeniser (WHATWG HTML, "Tokenization").
//!
//! No tree is built: what a reference belongs to shows in the order of the tags. `noscript` and
//! `template` are read too, and what is in them is marked as inert.

mod elements;
mod needed;

use std::cell::Cell;
use std::ops::Range;
use std::rc::Rc;

use html5gum::emitters::default::{StartTag, Token};
use html5gum::{HtmlString, Span, State, Tokenizer};

use crate::css;
use crate::showing::{Candidate, Choice, Element, Found, Role, Showing};
use crate::srcset::{self, Descriptor};
use crate::text::{self, Lines};
use needed::Needed;

/// Pages within pages, as texts of `srcdoc`, that are followed.
const DEPTH: u32 = 4;

/// What a page refers to.
pub fn references(html: &str) -> Found {
    within(html, 0, &Lines::of(html))
}

/// What a piece of HTML refers to, which stands in a file from a byte on.
pub(crate) fn within(html: &str, offset: usize, lines: &Lines) -> Found {
    nested(html, offset, lines, DEPTH)
}

fn nested(html: &str, offset: usize, lines: &Lines, depth: u32) -> Found {
    let mut reader = Reader::of(html, offset, lines, depth);
    reader.read();
    reader.found
}

/// An attribute of a tag, and where it stands in a file.
#[derive(Clone, Debug, PartialEq)]
pub struct Attribute {
    /// Its name, in lower case.
    pub name: String,
    /// Its value, with character references put back.
    pub value: String,
    /// Its bytes, from the name to the closing quote.
    pub span: Range<usize>,
    /// The bytes of its value, without quotes; empty where it has none.
    pub written: Range<usize>,
    /// Whether these bytes are the value itself.
    pub is_exact: bool,
}

/// The attributes of a tag that stands in a file at these bytes, in their order.
pub fn attributes(html: &str, tag: &Range<usize>) -> Vec<Attribute> {
    let Some(text) = html.get(tag.clone()) else {
        return Vec::new();
    };
    let emitter = Needed::of(&Rc::new(Cell::new(false)));
    let tokens = Tokenizer::new_with_emitter(text, emitter);
    // What is wrong in the tag comes before it.
    let tag_of = |token| match token {
        Token::StartTag(read) => Some(read),
        _ => None,
    };
    let Some(read) = tokens.flatten().find_map(tag_of) else {
        return Vec::new();
    };
    let names: Vec<String> = read.attributes.keys().map(lossy).collect();
    let lines = Lines::of("");
    let reader = Reader::of(text, tag.start, &lines, 0);
    let attribute = |name: &String| {
        let value = reader.value(&read, name)?;
        let found = read.attributes.get(name.as_bytes())?;
        let start = tag.start + found.span.start;
        let mut written = value.span;
        // The tokeniser leaves the quotes of an empty value to what follows.
        let behind = text.get(written.end - tag.start..).unwrap_or("");
        if value.text.is_empty()
            && let Some(rest) = behind.trim_ascii_start().strip_prefix('=')
        {
            let quotes = rest.trim_ascii_start();
            let at = written.end + behind.len() - quotes.len();
            if quotes.starts_with("\"\"") || quotes.starts_with("''") {
                written = at + 1..at + 1;
            }
        }
        let quoted = text.get(written.end - tag.start..).unwrap_or("");
        let before = text.get(..written.start - tag.start).unwrap_or("");
        let closing = before.ends_with(['"', '\'']) && quoted.starts_with(['"', '\'']);
        Some(Attribute {
            name: name.clone(),
            value: value.text,
            // A name alone ends where its span does.
            span: start..written.end + usize::from(closing),
            written,
            is_exact: value.is_exact,
        })
    };
    let mut attributes: Vec<Attribute> = names.iter().filter_map(attribute).collect();
    attributes.sort_by_key(|attribute| attribute.span.start);
    attributes
}

struct Reader<'a> {
    html: &'a str,
    /// The byte of the file that the text begins at.
    offset: usize,
    lines: &'a Lines,
    depth: u32,
    found: Found,
    /// The `picture` element that is open: the bytes of its tag, and its sources.
    picture: Option<(Range<usize>, Vec<Choice>)>,
    /// The elements that are open, as far as tags tell: what is never closed stays.
    open: Vec<Element>,
    /// `svg` elements that are open.
    drawings: u32,
    /// `template` and `noscript` elements that are open.
    inert: u32,
}

/// An attribute: its value, and where that stands.
struct Value {
    text: String,
    /// Bytes of the file.
    span: Range<usize>,
    /// Whether these bytes are the text itself, without escapes.
    is_exact: bool,
}

/// The raw text of an element that is read whole: `style` and `title`.
struct Raw {
    name: String,
    /// Where its tag ends: the tokeniser counts that to the text.
    from: usize,
    span: Option<Range<usize>>,
}

impl<'a> Reader<'a> {
    fn of(html: &'a str, offset: usize, lines: &'a Lines, depth: u32) -> Reader<'a> {
        Reader {
            html,
            offset,
            lines,
            depth,
            found: Found::default(),
            picture: None,
            open: Vec::new(),
            drawings: 0,
            inert: 0,
        }
    }

    fn read(&mut self) {
        let keeps_text = Rc::new(Cell::new(false));
        let emitter = Needed::of(&keeps_text);
        let mut tokens = Tokenizer::new_with_emitter(self.html, emitter);
        let mut raw: Option<Raw> = None;
        // The tokeniser reads from memory, which does not fail.
        while let Some(Ok(token)) = tokens.next() {
            match token {
                Token::StartTag(tag) => {
                    let name = str::from_utf8(&tag.name).unwrap_or_default();
                    if self.drawings == 0 {
                        match name {
                            "textarea" | "title" => tokens.set_state(State::RcData),
                            "plaintext" => tokens.set_state(State::PlainText),
                            "script" => tokens.set_state(State::ScriptData),
                            "style" | "iframe" | "xmp" | "noembed" | "noframes" => {
                                tokens.set_state(State::RawText);
                            }
                            _ => {}
                        }
                    }
                    if matches!(name, "style" | "title") {
                        raw = Some(Raw {
                            name: name.to_owned(),
                            from: tag.span.end,
                            span: None,
                        });
                        keeps_text.set(true);
                    }
                    self.start(name, &tag);
                }
                Token::EndTag(tag) => {
                    let name = str::from_utf8(&tag.name).unwrap_or_default();
                    if let Some(raw) = raw.take_if(|raw| raw.name == name) {
                        self.raw(&raw);
                        keeps_text.set(false);
                    }
                    self.end(name);
                }
                Token::String(text) => {
                    grow(&mut raw, text.span);
                }
                // In a drawing a style may stand in a CDATA section, which reads as a comment here.
                Token::Comment(text) => grow(&mut raw, text.span),
                Token::Doctype(_) | Token::Error(_) => {}
            }
        }
        if let Some(raw) = raw {
            self.raw(&raw);
        }
    }

    fn end(&mut self, name: &str) {
        if let Some(at) = self.open.iter().rposition(|open| open.name == name) {
            self.open.truncate(at);
        }
        match name {
            "svg" => self.drawings = self.drawings.saturating_sub(1),
            "template" | "noscript" => self.inert = self.inert.saturating_sub(1),
            "picture" => self.picture = None,
            _ => {}
        }
    }

    /// The text of a `style` or `title` element that has ended.
    fn raw(&mut self, raw: &Raw) {
        let Some(span) = raw.span.clone() else { return };
        let Some(text) = self.html.get(span.clone()) else {
            return;
        };
        if raw.name == "title" {
            if self.drawings == 0 && self.found.title.is_none() {
                let title = text.split_whitespace().collect::<Vec<_>>().join(" ");
                self.found.title = Some(unescaped(&title));
            }
            return;
        }
        let (mut css, mut start) = (text, self.offset + span.start);
        // The comment that a CDATA section becomes begins and ends within its marks.
        if let Some(inner) = css.trim_start().strip_prefix("<![CDATA[") {
            start += css.len() - css.trim_start().len() + "<![CDATA[".len();
            css = inner.split("]]>").next().unwrap_or(inner);
        }
        let place = css::Place {
            lines: self.lines,
            span: start..start + css.len(),
            is_exact: true,
        };
        self.take(css::within(css, &place));
    }

    /// Takes in what a part of the page refers to.
    fn take(&mut self, mut part: Found) {
        for showing in &mut part.showings {
            showing.inert |= self.inert > 0;
        }
        self.found.showings.append(&mut part.showings);
        if self.inert == 0 {
            self.found.linked.append(&mut part.linked);
        }
        self.found.named.add(&part.named);
        self.found.boxes.append(&mut part.boxes);
        self.found.is_close |= part.is_close;
    }

    fn value(&self, tag: &StartTag<usize>, name: &str) -> Option<Value> {
        let found = tag.attributes.get(name.as_bytes())?;
        let text = lossy(&found.value);
        // The tokeniser's span begins with the name of the attribute.
        let (start, end) = (found.span.start, found.span.end);
        let written = self.html.get(start..end).unwrap_or("");
        let span = written_value(written);
        let is_exact = written.get(span.clone()) == Some(text.as_str());
        let start = self.offset + start;
        Some(Value {
            text,
            span: start + span.start..start + span.end,
            is_exact,
        })
    }

    fn text(&self, tag: &StartTag<usize>, name: &str) -> Option<String> {
        self.value(tag, name).map(|value| value.text)
    }

    fn span(&self, span: Span<usize>) -> Range<usize> {
        self.offset + span.start..self.offset + span.end
    }

    /// The address that an attribute is.
    fn address(&self, value: &Value) -> Option<Candidate> {
        self.part(value, text::trimmed(&value.text), Descriptor::None)
    }

    /// The address in a part of an attribute.
    fn part(
        &self,
        value: &Value,
        bytes: Range<usize>,
        descriptor: Descriptor,
    ) -> Option<Candidate> {
        let address = value.text.get(bytes.clone())?.to_owned();
        if address.is_empty() || address.starts_with('#') {
            return None;
        }
        let span = if value.is_exact {
            value.span.start + bytes.start..value.span.start + bytes.end
        } else {
            value.span.clone()
        };
        Some(Candidate {
            address,
            line: self.lines.at(span.start),
            span,
            descriptor,
        })
    }

    /// The candidates of a `srcset`.
    fn candidates(&self, value: &Value) -> Vec<Candidate> {
        let parsed = srcset::parse(&value.text).into_iter();
        parsed
            .filter_map(|(bytes, descriptor)| self.part(value, bytes, descriptor))
            .collect()
    }

    /// A picture of a tag, with what the tag says of it.
    fn showing(&self, role: Role, tag: &StartTag<usize>) -> Showing {
        let span = self.span(tag.span);
        let line = self.lines.at(span.start);
        let mut showing = Showing::new(role, span, line);
        let number = |name: &str| {
            let text = self.text(tag, name)?;
            let text = text.trim().trim_end_matches("px");
            let number: f64 = text.parse().ok()?;
            (number.is_finite() && number > 0.0).then_some(number)
        };
        showing.width = number("width");
        showing.height = number("height");
        showing.alt = self.text(tag, "alt");
        let loading = self.text(tag, "loading");
        showing.lazy = loading.is_some_and(|word| word.eq_ignore_ascii_case("lazy"));
        let style = self.text(tag, "style");
        showing.styled = style.and_then(|style| css::declared(&style, "width"));
        showing.inert = self.inert > 0;
        showing
    }

    /// Notes a picture in all its forms, but for those without any file.
    fn show(&mut self, mut showing: Showing) {
        let is_offered = |choice: &Choice| !choice.candidates.is_empty();
        showing.choices.retain(is_offered);
        if !showing.choices.is_empty() {
            self.found.showings.push(showing);
        }
    }

    /// A picture with the one address of an attribute.
    fn simple(&mut self, role: Role, tag: &StartTag<usize>, attribute: &str) {
        let value = self.value(tag, attribute);
        if let Some(candidate) = value.and_then(|value| self.address(&value)) {
            let showing = self.showing(role, tag).of(candidate);
            self.found.showings.push(showing);
        }
    }
}

/// Text that goes on.
fn grow(raw: &mut Option<Raw>, span: Span<usize>) {
    if let Some(raw) = raw {
        let start = span.start.max(raw.from);
        let begun = raw.span.get_or_insert(start..span.end);
        begun.end = begun.end.max(span.end);
    }
}

/// The bytes of the value of an attribute, as it is written: without name and quotes.
fn written_value(attribute: &str) -> Range<usize> {
    // A name may begin with the sign that else ends it.
    let sign = attribute.bytes().skip(1).position(|byte| byte == b'=');
    let Some(start) = sign.map(|at| at + 2) else {
        return attribute.len()..attribute.len();
    };
    let trimmed = text::trimmed(&attribute[start..]);
    let (start, end) = (start + trimmed.start, start + trimmed.end);
    match &attribute.as_bytes()[start..end] {
        [quote @ (b'"' | b'\''), .., last] if last == quote => start + 1..end - 1,
        // The tokeniser counts the sign behind such a value to it.
        value => {
            let ends = |byte: &u8| byte.is_ascii_whitespace() || *byte == b'>';
            start
                ..value
                    .iter()
                    .position(ends)
                    .map_or(end, |length| start + length)
        }
    }
}

fn lossy(text: &HtmlString) -> String {
    String::from_utf8_lossy(text).into_owned()
}

/// A text with its character references put back.
fn unescaped(text: &str) -> String {
    if !text.contains('&') {
        return text.to_owned();
    }
    let mut tokens = Tokenizer::new(text);
    tokens.set_state(State::RcData);
    let mut put_back = String::new();
    for token in tokens.flatten() {
        if let Token::String(part) = token {
            put_back.push_str(&lossy(&part.value));
        }
    }
    put_back
}
