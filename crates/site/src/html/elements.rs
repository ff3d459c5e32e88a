//! What each element refers to.

use html5gum::emitters::default::StartTag;

use super::{Reader, Value, nested};
use crate::css;
use crate::kinds::{self, is_named_like_a_picture};
use crate::showing::{Candidate, Choice, Element, Linked, Links, Role};
use crate::srcset::Descriptor;
use crate::text::Lines;

/// Attributes in common use for pictures that a script brings in when they are scrolled to.
const DEFERRED: [&str; 14] = [
    "data-src",
    "data-original",
    "data-lazy",
    "data-lazy-src",
    "data-image",
    "data-image-src",
    "data-img-src",
    "data-poster",
    "data-bg",
    "data-bg-src",
    "data-bg-image",
    "data-background",
    "data-background-image",
    "data-lazy-background",
];

/// The same, for lists of candidates.
const DEFERRED_LISTS: [&str; 4] = [
    "data-srcset",
    "data-lazy-srcset",
    "data-original-set",
    "data-bgset",
];

/// Elements that hold nothing and are never closed (HTML, "void elements").
const VOID: [&str; 14] = [
    "area", "base", "br", "col", "embed", "hr", "img", "image", "input", "link", "meta", "source",
    "track", "wbr",
];

/// What `meta` calls previews.
const PREVIEWS: [&str; 10] = [
    "og:image",
    "og:image:url",
    "og:image:secure_url",
    "twitter:image",
    "twitter:image:src",
    "image",
    "thumbnailurl",
    "msapplication-tileimage",
    "msapplication-square150x150logo",
    "msapplication-wide310x150logo",
];

impl Reader<'_> {
    /// A tag that opens.
    pub(super) fn start(&mut self, name: &str, tag: &StartTag<usize>) {
        let element = self.named(name, tag);
        // Most elements of a page are like others before.
        if !self.found.named.elements.contains(&element) {
            self.found.named.elements.insert(element.clone());
        }
        if !tag.attributes.is_empty() || matches!(name, "svg" | "template" | "noscript" | "picture")
        {
            self.refers(name, tag);
        }
        let is_closed = tag.self_closing && self.drawings > 0;
        if !is_closed && !VOID.contains(&name) {
            self.open.push(element);
        }
    }

    /// What a tag refers to.
    fn refers(&mut self, name: &str, tag: &StartTag<usize>) {
        match name {
            "svg" if !tag.self_closing => self.drawings += 1,
            "template" | "noscript" => self.inert += 1,
            "base" if self.found.base.is_none() => self.found.base = self.text(tag, "href"),
            "picture" => self.picture = Some((self.span(tag.span), Vec::new())),
            "source" => self.source(tag),
            "image" | "feimage" | "use" if self.drawings > 0 => {
                let attribute = if tag.attributes.contains_key(b"href".as_slice()) {
                    "href"
                } else {
                    "xlink:href"
                };
                self.simple(Role::Drawing, tag, attribute);
            }
            // An `image` outside of a drawing is read as an `img`.
            "img" | "image" => self.img(tag),
            "input" if self.has_word(tag, "type", "image") => self.simple(Role::Button, tag, "src"),
            "video" => self.simple(Role::Poster, tag, "poster"),
            "object" => self.embedded(tag, "data"),
            "embed" => self.embedded(tag, "src"),
            "link" => self.link(tag),
            "meta" => self.meta(tag),
            "script" => self.linked(Links::Script, tag, "src"),
            "frame" => self.linked(Links::Frame, tag, "src"),
            "iframe" => self.iframe(tag),
            "a" | "area" => self.link_to_picture(tag),
            "body" | "table" | "thead" | "tbody" | "tfoot" | "tr" | "td" | "th" => {
                self.simple(Role::Style, tag, "background");
            }
            _ => {}
        }
        self.style_attribute(tag);
        if tag.attributes.keys().any(|name| name.starts_with(b"data-")) {
            self.deferred(tag);
        }
    }

    fn link_to_picture(&mut self, tag: &StartTag<usize>) {
        let address = self.text(tag, "href");
        if address.is_some_and(|address| is_named_like_a_picture(&address)) {
            self.simple(Role::Link, tag, "href");
        }
    }

    /// An element as selectors meet it.
    fn named(&self, name: &str, tag: &StartTag<usize>) -> Element {
        let classes = self.text(tag, "class").unwrap_or_default();
        let classes = classes.split_ascii_whitespace().map(str::to_owned);
        Element {
            name: name.to_owned(),
            id: self.text(tag, "id"),
            classes: classes.collect(),
        }
    }

    fn has_word(&self, tag: &StartTag<usize>, attribute: &str, word: &str) -> bool {
        let value = self.text(tag, attribute).unwrap_or_default();
        value
            .split_ascii_whitespace()
            .any(|one| one.eq_ignore_ascii_case(word))
    }

    /// A source of a `picture`; those of films are no pictures.
    fn source(&mut self, tag: &StartTag<usize>) {
        let candidates = self
            .value(tag, "srcset")
            .map(|value| self.candidates(&value));
        let choice = Choice {
            media: self.text(tag, "media"),
            kind: self.text(tag, "type"),
            sizes: self.text(tag, "sizes"),
            candidates: candidates.unwrap_or_default(),
            source: Some(self.span(tag.span)),
        };
        if let Some((_, sources)) = &mut self.picture {
            sources.push(choice);
        }
    }

    fn img(&mut self, tag: &StartTag<usize>) {
        let mut showing = self.showing(Role::Image, tag);
        showing.around.clone_from(&self.open);
        if let Some((span, sources)) = self.picture.take() {
            (showing.picture, showing.choices) = (Some(span), sources);
        }
        showing
            .choices
            .extend(self.own_choices(tag, "srcset", "sizes", "src"));
        self.show(showing);
    }

    /// The candidates of an element itself. Its plain address is one of them, for a density of 1, unless
    /// that is there already or widths are said; then it is for browsers of old.
    fn own_choices(
        &self,
        tag: &StartTag<usize>,
        list: &str,
        sizes: &str,
        plain: &str,
    ) -> Vec<Choice> {
        let listed = self.value(tag, list).map(|value| self.candidates(&value));
        let mut listed = listed.unwrap_or_default();
        let plain: Option<Candidate> = self
            .value(tag, plain)
            .and_then(|value| self.address(&value));
        let is_served = |c: &Candidate| match c.descriptor {
            Descriptor::None => true,
            Descriptor::Density(density) => density == 1.0,
            Descriptor::Width(_) => true,
        };
        let last = if listed.iter().any(is_served) {
            plain
        } else {
            listed.extend(plain);
            None
        };
        let choice = |candidates| Choice {
            sizes: self.text(tag, sizes),
            candidates,
            ..Choice::default()
        };
        vec![choice(listed), choice(last.into_iter().collect())]
    }

    fn embedded(&mut self, tag: &StartTag<usize>, attribute: &str) {
        let kind = self.text(tag, "type");
        let says = kind
            .as_deref()
            .is_some_and(|kind| kind.starts_with("image/"));
        let address = self.text(tag, attribute).unwrap_or_default();
        if says || (kind.is_none() && is_named_like_a_picture(&address)) {
            self.simple(Role::Embedded, tag, attribute);
        }
    }

    fn link(&mut self, tag: &StartTag<usize>) {
        let is = |word: &str| self.has_word(tag, "rel", word);
        if is("stylesheet") {
            let off = is("alternate") || tag.attributes.contains_key(b"disabled".as_slice());
            if !off {
                self.linked(Links::Sheet, tag, "href");
            }
        } else if is("manifest") {
            self.linked(Links::Manifest, tag, "href");
        } else if is("preload") || is("prefetch") {
            if self.has_word(tag, "as", "image") {
                let mut showing = self.showing(Role::Preload, tag);
                let choices = self.own_choices(tag, "imagesrcset", "imagesizes", "href");
                showing.choices = choices;
                showing.conditions.extend(self.text(tag, "media"));
                self.show(showing);
            }
        } else if is("image_src") {
            self.simple(Role::Preview, tag, "href");
        } else if [
            "icon",
            "apple-touch-icon",
            "apple-touch-icon-precomposed",
            "mask-icon",
            "apple-touch-startup-image",
        ]
        .iter()
        .any(|word| is(word))
        {
            self.icon(tag);
        }
    }

    /// An icon, of the width that is said.
    fn icon(&mut self, tag: &StartTag<usize>) {
        let before = self.found.showings.len();
        self.simple(Role::Icon, tag, "href");
        let width = self
            .text(tag, "sizes")
            .and_then(|sizes| kinds::side(&sizes));
        for showing in &mut self.found.showings[before..] {
            showing.width = width;
        }
    }

    fn meta(&mut self, tag: &StartTag<usize>) {
        let named = ["property", "name", "itemprop"].into_iter();
        let named: Vec<String> = named.filter_map(|name| self.text(tag, name)).collect();
        let lower = named.iter().map(|name| name.trim().to_ascii_lowercase());
        if lower
            .into_iter()
            .any(|name| PREVIEWS.contains(&name.as_str()))
        {
            self.simple(Role::Preview, tag, "content");
        }
    }

    fn linked(&mut self, what: Links, tag: &StartTag<usize>, attribute: &str) {
        let Some(value) = self.value(tag, attribute) else {
            return;
        };
        let Some(candidate) = self.address(&value) else {
            return;
        };
        if self.inert == 0 {
            self.found.linked.push(Linked {
                what,
                address: candidate.address,
                line: candidate.line,
                conditions: self.text(tag, "media").into_iter().collect(),
            });
        }
    }

    /// A page in the page, by its address or as the text of an attribute.
    fn iframe(&mut self, tag: &StartTag<usize>) {
        let Some(Value { text, span, .. }) = self.value(tag, "srcdoc") else {
            return self.linked(Links::Frame, tag, "src");
        };
        if self.depth == 0 {
            return;
        }
        let mut inner = nested(&text, 0, &Lines::of(&text), self.depth - 1);
        let line = self.lines.at(span.start);
        for showing in &mut inner.showings {
            showing.stand_in(&span, line);
        }
        self.take(inner);
    }

    fn style_attribute(&mut self, tag: &StartTag<usize>) {
        let Some(value) = self.value(tag, "style") else {
            return;
        };
        let place = css::Place {
            lines: self.lines,
            span: value.span.clone(),
            is_exact: value.is_exact,
        };
        let mut found = css::within(&value.text, &place);
        let width = css::declared(&value.text, "width");
        let opening = self.html.get(..value.span.start - self.offset);
        let opening = opening.and_then(|before| before.chars().next_back());
        for showing in &mut found.showings {
            showing.styled.clone_from(&width);
            showing.stand_within(opening);
        }
        self.take(found);
    }

    fn deferred(&mut self, tag: &StartTag<usize>) {
        let mut choices = Vec::new();
        for name in DEFERRED_LISTS {
            let value = self.value(tag, name);
            let candidates = value
                .map(|value| self.candidates(&value))
                .unwrap_or_default();
            if !candidates.is_empty() {
                choices.push(Choice {
                    sizes: self.text(tag, "data-sizes").or(self.text(tag, "sizes")),
                    candidates,
                    ..Choice::default()
                });
            }
        }
        for name in DEFERRED {
            let Some(value) = self.value(tag, name) else {
                continue;
            };
            let written = value.text.trim();
            if written.starts_with("url(") {
                let style = format!("background-image:{written}");
                let place = css::Place {
                    lines: self.lines,
                    span: value.span,
                    is_exact: false,
                };
                choices.extend(
                    css::within(&style, &place)
                        .showings
                        .into_iter()
                        .flat_map(|s| s.choices),
                );
            } else if is_named_like_a_picture(written)
                || matches!(name, "data-src" | "data-lazy-src")
            {
                choices.extend(self.address(&value).map(|candidate| Choice {
                    candidates: vec![candidate],
                    ..Choice::default()
                }));
            }
        }
        // Scripts, films and frames are deferred by the same attributes.
        let of_pictures = choices.iter().flat_map(|choice| &choice.candidates);
        let is_img = &**tag.name == b"img";
        if is_img
            || of_pictures
                .clone()
                .all(|c| is_named_like_a_picture(&c.address))
        {
            let mut showing = self.showing(Role::Deferred, tag);
            showing.choices = choices;
            showing.lazy = true;
            self.show(showing);
        }
    }
}
