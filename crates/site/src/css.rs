//! References in style sheets and style attributes: every `url()`, `src()` and `image-set()`, with
//! the rule and the media queries around it (CSS Syntax Level 3, CSS Images Level 4).
//!
//! A block is walked as a list of statements, each of which ends with `;` or with a block of its own:
//! so rules within rules need no care.

use std::ops::Range;

use cssparser::{ParseError, Parser, SourcePosition, Token};

use crate::showing::{Candidate, Choice, Found, Linked, Links, Role, Showing, Side, Sizing};
use crate::srcset::Descriptor;
use crate::text::{self, Lines};

/// Blocks within blocks that are followed.
const DEPTH: u32 = 32;

/// What a sheet refers to.
pub fn references(sheet: &str) -> Found {
    let lines = Lines::of(sheet);
    let place = Place {
        lines: &lines,
        span: 0..sheet.len(),
        is_exact: true,
    };
    within(sheet, &place)
}

/// Where a piece of CSS stands in a file.
pub(crate) struct Place<'a> {
    /// The lines of the file.
    pub lines: &'a Lines,
    /// The bytes of the file that it stands in.
    pub span: Range<usize>,
    /// Whether its bytes are those of the file; escapes may have been put back.
    pub is_exact: bool,
}

impl Place<'_> {
    /// Bytes of the piece as bytes of the file, and their line.
    pub fn of(&self, bytes: Range<usize>) -> (Range<usize>, u32) {
        let span = if self.is_exact {
            self.span.start + bytes.start..self.span.start + bytes.end
        } else {
            self.span.clone()
        };
        let line = self.lines.at(span.start);
        (span, line)
    }
}

/// What a piece of CSS within a file refers to.
pub(crate) fn within(css: &str, place: &Place<'_>) -> Found {
    let mut reader = Reader {
        place,
        conditions: Vec::new(),
        selectors: Vec::new(),
        in_font: false,
        sets: 0,
        found: Found::default(),
    };
    reader.block(&mut Parser::new(css), DEPTH);
    reader.found
}

/// The value of a property in a style attribute.
pub(crate) fn declared(style: &str, property: &str) -> Option<String> {
    let mut last = None;
    for statement in style.split(';') {
        if let Some((name, value)) = statement.split_once(':')
            && name.trim().eq_ignore_ascii_case(property)
        {
            let value = value.trim().trim_end_matches("!important").trim();
            last = Some(value.to_owned());
        }
    }
    last
}

struct Reader<'a> {
    place: &'a Place<'a>,
    conditions: Vec<String>,
    selectors: Vec<String>,
    /// Whether the block is that of a font.
    in_font: bool,
    /// Sets met so far.
    sets: usize,
    found: Found,
}

/// What is not as expected; why is of no use here.
type Broken = ParseError<()>;

impl Reader<'_> {
    /// Statements up to the end of a block.
    fn block(&mut self, p: &mut Parser<'_>, depth: u32) {
        loop {
            p.skip_whitespace();
            if p.is_exhausted() {
                return;
            }
            let begins = p.position();
            self.statement(p, begins, depth);
        }
    }

    /// One statement, with its block where it has one.
    fn statement(&mut self, p: &mut Parser<'_>, begins: SourcePosition, depth: u32) {
        let mut urls = Vec::new();
        let end = loop {
            let before = p.position();
            let token = match p.next_including_whitespace() {
                Ok(token) => token.clone(),
                Err(_) => break before,
            };
            match token {
                Token::Semicolon => break before,
                Token::CurlyBracketBlock => {
                    let prelude = p.slice(begins..before).trim().to_owned();
                    let followed = p.parse_nested_block(|p| {
                        if depth > 0 {
                            self.under(&prelude, p, depth - 1);
                        } else {
                            while p.next().is_ok() {}
                        }
                        Ok::<_, Broken>(())
                    });
                    let _ = followed;
                    return;
                }
                token => self.component(p, token, before, &mut urls, depth),
            }
        };
        let words = p.slice(begins..end).to_owned();
        let at = begins.byte_index();
        self.finished(&words, at, urls);
    }

    /// A token that is not the end of a statement; what it holds is looked through.
    fn component(
        &mut self,
        p: &mut Parser<'_>,
        token: Token<'_>,
        before: SourcePosition,
        urls: &mut Vec<Url>,
        depth: u32,
    ) {
        match token {
            Token::UnquotedUrl(address) => {
                let written = p.slice_from(before);
                let inner = written.find('(').map_or(0, |at| at + 1);
                let end = written.strip_suffix(')').unwrap_or(written).len();
                let trimmed = text::trimmed(&written[inner..end.max(inner)]);
                let from = before.byte_index() + inner;
                let address = Url::of(&address, from + trimmed.start..from + trimmed.end);
                let function = before.byte_index()..before.byte_index() + written.len();
                urls.push(Url {
                    function: Some(function),
                    ..address
                });
            }
            // A bare text is the address of an import.
            Token::QuotedString(address) => {
                urls.push(Url {
                    is_text: true,
                    ..Url::of(&address, quoted(p.slice_from(before), before))
                });
            }
            Token::Function(name) if depth > 0 => {
                let name = name.to_ascii_lowercase();
                let inner =
                    p.parse_nested_block(|p| Ok::<_, Broken>(self.function(&name, p, depth - 1)));
                let mut inner = inner.unwrap_or_default();
                if matches!(
                    name.as_str(),
                    "url" | "src" | "image-set" | "-webkit-image-set"
                ) {
                    let function = before.byte_index()..p.position().byte_index();
                    for url in &mut inner {
                        url.function = Some(function.clone());
                    }
                }
                urls.extend(inner);
            }
            Token::ParenthesisBlock | Token::SquareBracketBlock if depth > 0 => {
                let inner = p.parse_nested_block(|p| {
                    let mut inner = Vec::new();
                    self.components(p, &mut inner, depth - 1);
                    Ok::<_, Broken>(inner)
                });
                urls.extend(inner.unwrap_or_default().into_iter().filter(|u| !u.is_text));
            }
            _ => {}
        }
    }

    /// All tokens of a block that has no statements.
    fn components(&mut self, p: &mut Parser<'_>, urls: &mut Vec<Url>, depth: u32) {
        loop {
            p.skip_whitespace();
            let before = p.position();
            let Ok(token) = p.next_including_whitespace().cloned() else {
                return;
            };
            self.component(p, token, before, urls, depth);
        }
    }

    fn function(&mut self, name: &str, p: &mut Parser<'_>, depth: u32) -> Vec<Url> {
        let mut inner = Vec::new();
        match name {
            "url" | "src" => {
                self.components(p, &mut inner, depth);
                inner.truncate(1);
                inner.iter_mut().for_each(|url| url.is_text = false);
            }
            "image-set" | "-webkit-image-set" => {
                self.found_in_set(p, &mut inner, depth);
            }
            // Texts stand in many functions and are addresses in none but these.
            _ => {
                self.components(p, &mut inner, depth);
                inner.retain(|url| !url.is_text);
            }
        }
        inner
    }

    /// The options of an `image-set()`: an address each, with a density and a media type.
    fn found_in_set(&mut self, p: &mut Parser<'_>, urls: &mut Vec<Url>, depth: u32) {
        self.sets += 1;
        loop {
            let mut option = Vec::new();
            let (mut density, mut kind) = (Descriptor::None, None);
            let ended = loop {
                p.skip_whitespace();
                let before = p.position();
                let Ok(token) = p.next_including_whitespace().cloned() else {
                    break true;
                };
                match token {
                    Token::Comma => break false,
                    Token::Dimension { value, unit, .. } => {
                        let per = match unit.to_ascii_lowercase().as_str() {
                            "x" | "dppx" => 1.0,
                            "dpi" => 1.0 / 96.0,
                            _ => continue,
                        };
                        density = Descriptor::Density(f64::from(value) * per);
                    }
                    Token::Function(name) if name.eq_ignore_ascii_case("type") => {
                        let named = p.parse_nested_block(|p| -> Result<String, Broken> {
                            Ok(p.expect_string()?.to_string())
                        });
                        kind = named.ok();
                    }
                    token => self.component(p, token, before, &mut option, depth),
                }
            };
            if let Some(mut url) = option.into_iter().next() {
                url.is_text = false;
                (url.density, url.kind) = (density, kind);
                url.set = Some(self.sets);
                urls.push(url);
            }
            if ended {
                return;
            }
        }
    }

    /// What stands in the block of a rule.
    fn under(&mut self, prelude: &str, p: &mut Parser<'_>, depth: u32) {
        let Some(rule) = prelude.strip_prefix('@') else {
            self.found.is_close |= is_about_pictures(prelude);
            self.selectors.push(prelude.to_owned());
            self.block(p, depth);
            self.selectors.pop();
            return;
        };
        let word = rule.find(|c: char| !c.is_alphanumeric() && c != '-');
        let (name, rest) = rule.split_at(word.unwrap_or(rule.len()));
        match name.to_ascii_lowercase().as_str() {
            "media" => {
                self.conditions.push(rest.trim().to_owned());
                self.block(p, depth);
                self.conditions.pop();
            }
            "font-face" => {
                let before = std::mem::replace(&mut self.in_font, true);
                self.block(p, depth);
                self.in_font = before;
            }
            // What a page prints is not what it loads.
            "page" => while p.next().is_ok() {},
            _ => self.block(p, depth),
        }
    }

    /// A statement that ended: an import, or a declaration.
    fn finished(&mut self, words: &str, at: usize, mut urls: Vec<Url>) {
        let lower = words.get(..7).map(str::to_ascii_lowercase);
        if lower.as_deref() == Some("@import") {
            if let Some(url) = urls.into_iter().next() {
                let behind = url.span.end.saturating_sub(at).min(words.len());
                let rest = words.get(behind..).unwrap_or("");
                self.import(&url, rest);
            }
            return;
        }
        urls.retain(|url| !url.is_text && !is_within(&url.address));
        let Some((property, value)) = words.split_once(':') else {
            return;
        };
        let property = property.trim().to_ascii_lowercase();
        self.note_size(&property, value);
        if self.in_font {
            return;
        }
        let mut urls = urls.into_iter().peekable();
        while let Some(url) = urls.next() {
            let mut all = vec![url];
            let set = all[0].set;
            while set.is_some() && urls.peek().is_some_and(|next| next.set == set) {
                all.extend(urls.next());
            }
            self.show(&property, words.len(), at, all);
        }
    }

    fn note_size(&mut self, property: &str, value: &str) {
        // What a style attribute says is looked up where its element is.
        if self.selectors.is_empty() {
            return;
        }
        let side = match property {
            "width" | "max-width" | "min-width" | "inline-size" | "max-inline-size" => Side::Width,
            "height" | "block-size" => Side::Height,
            "max-height" | "min-height" => Side::HeightBound,
            "aspect-ratio" => Side::Ratio,
            _ => return,
        };
        let value = value.trim().trim_end_matches("!important").trim();
        self.found.boxes.push(Sizing {
            selector: self.selectors.join(" "),
            side,
            is_auto: value.eq_ignore_ascii_case("auto"),
            is_conditional: !self.conditions.is_empty() || self.selectors.len() > 1,
        });
    }

    fn show(&mut self, property: &str, length: usize, at: usize, urls: Vec<Url>) {
        let (span, line) = self.place.of(at..at + length);
        let mut showing = Showing::new(Role::Style, span, line);
        showing.conditions.clone_from(&self.conditions);
        showing.selector = (!self.selectors.is_empty()).then(|| self.selectors.join(" "));
        showing.property = Some(property.to_owned());
        showing.function = urls
            .first()
            .and_then(|url| url.function.clone())
            .filter(|_| self.place.is_exact)
            .map(|function| self.place.of(function).0);
        // Options of one media type are chosen by density; the first type that is shown counts.
        for url in urls {
            let (span, line) = self.place.of(url.span);
            let candidate = Candidate {
                address: url.address,
                span,
                line,
                descriptor: url.density,
            };
            match showing.choices.iter_mut().find(|c| c.kind == url.kind) {
                Some(choice) => choice.candidates.push(candidate),
                None => showing.choices.push(Choice {
                    kind: url.kind,
                    candidates: vec![candidate],
                    ..Choice::default()
                }),
            }
        }
        self.found.showings.push(showing);
    }

    fn import(&mut self, url: &Url, rest: &str) {
        // Layers and conditions of support stand before the media.
        let mut media = rest.trim().trim_start_matches([')', '"', '\'']).trim();
        for word in ["layer", "supports"] {
            if let Some(behind) = media.strip_prefix(word) {
                media = match behind.strip_prefix('(') {
                    Some(inner) => inner.split_once(')').map_or("", |(_, rest)| rest).trim(),
                    None => behind.trim(),
                };
            }
        }
        let mut conditions = self.conditions.clone();
        if !media.is_empty() {
            conditions.push(media.to_owned());
        }
        self.found.linked.push(Linked {
            what: Links::Sheet,
            address: url.address.clone(),
            line: self.place.of(url.span.clone()).1,
            conditions,
        });
    }
}

/// An address that was met.
struct Url {
    address: String,
    span: Range<usize>,
    density: Descriptor,
    kind: Option<String>,
    /// Whether it is a mere text so far.
    is_text: bool,
    /// The set that it is an option of.
    set: Option<usize>,
    /// The bytes of the whole `url()`, or of the set.
    function: Option<Range<usize>>,
}

impl Url {
    fn of(address: &str, span: Range<usize>) -> Url {
        Url {
            address: address.to_owned(),
            span,
            density: Descriptor::None,
            kind: None,
            is_text: false,
            set: None,
            function: None,
        }
    }
}

/// The bytes between the quotes of a text.
fn quoted(written: &str, before: SourcePosition) -> Range<usize> {
    let from = before.byte_index();
    let closed = written.len() > 1 && written.ends_with(['"', '\'']);
    from + 1..from + written.len() - usize::from(closed)
}

/// Whether a selector asks where an `img` lies.
fn is_about_pictures(selector: &str) -> bool {
    let lower = selector.to_ascii_lowercase();
    let close = [":first-", ":last-", ":nth-", ":only-", ">", "+", "~"];
    close.iter().any(|mark| lower.contains(mark))
        && lower
            .split(|c: char| !c.is_alphanumeric() && c != '-' && c != '_' && c != '.' && c != '#')
            .any(|word| word == "img" || word.starts_with("img.") || word.starts_with("img#"))
}

/// Whether an address leads to a part of the same file, or nowhere.
fn is_within(address: &str) -> bool {
    let address = address.trim();
    address.is_empty() || address.starts_with('#')
}
