//! What a file shows: pictures, each with the candidates that a browser chooses from.

use std::collections::HashSet;
use std::ops::Range;

use serde::Serialize;

use crate::kinds;
use crate::media::{self, Viewport};
use crate::srcset::Descriptor;

/// How a file refers to a picture.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Role {
    /// An `img` element, with the `picture` around it.
    Image,
    /// An image button.
    Button,
    /// The poster of a video.
    Poster,
    /// An `object` or `embed` element.
    Embedded,
    /// A picture in a drawing that is part of the page.
    Drawing,
    /// A background, border, mask, bullet or pointer of a style.
    Style,
    /// A picture that a script brings in when it is scrolled to.
    Deferred,
    /// A picture that is asked for ahead.
    Preload,
    /// An icon of the site.
    Icon,
    /// An icon or screenshot of a web app manifest.
    App,
    /// A preview for those who link to the page.
    Preview,
    /// The aim of a link.
    Link,
    /// A picture of a feed or sitemap.
    Feed,
    /// A picture of a Markdown text.
    Markdown,
}

impl Role {
    /// For people.
    pub fn as_str(self) -> &'static str {
        match self {
            Role::Image => "image",
            Role::Button => "button",
            Role::Poster => "poster",
            Role::Embedded => "embedded",
            Role::Drawing => "in a drawing",
            Role::Style => "style",
            Role::Deferred => "deferred",
            Role::Preload => "preload",
            Role::Icon => "icon",
            Role::App => "app icon",
            Role::Preview => "preview",
            Role::Link => "link",
            Role::Feed => "feed",
            Role::Markdown => "Markdown",
        }
    }

    /// Whether a browser loads it with the page, be it when it is scrolled to. Which icon it takes
    /// hangs on the browser; previews, links, feeds and manifests are for others.
    pub fn is_loaded(self) -> bool {
        match self {
            Role::Image
            | Role::Button
            | Role::Poster
            | Role::Embedded
            | Role::Drawing
            | Role::Style
            | Role::Deferred
            | Role::Preload
            | Role::Markdown => true,
            Role::Icon | Role::App | Role::Preview | Role::Link | Role::Feed => false,
        }
    }
}

/// A reference: an address as a file says it, and where.
#[derive(Clone, Debug, PartialEq)]
pub struct Candidate {
    /// The address, with what the language of the file escapes put back.
    pub address: String,
    /// Its bytes in the file, escapes and all. In attributes that hold escapes it is the whole value.
    pub span: Range<usize>,
    /// The line, from 1.
    pub line: u32,
    /// For which screens it is meant.
    pub descriptor: Descriptor,
}

/// Candidates of one kind; of several choices a browser takes the first that holds.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Choice {
    /// The media query that it holds for; all where there is none.
    pub media: Option<String>,
    /// The media type of its files, where it is said.
    pub kind: Option<String>,
    /// The `sizes` attribute.
    pub sizes: Option<String>,
    /// The candidates, as written.
    pub candidates: Vec<Candidate>,
    /// The bytes of the tag of a `source` element.
    pub source: Option<Range<usize>>,
}

/// One picture that a file shows, in all the forms that it is offered in.
#[derive(Clone, Debug, PartialEq)]
pub struct Showing {
    /// How.
    pub role: Role,
    /// The bytes of the tag or declaration.
    pub span: Range<usize>,
    /// The line, from 1.
    pub line: u32,
    /// The bytes of the tag of the `picture` element around it.
    pub picture: Option<Range<usize>>,
    /// Whether its spans are those of a larger part of the file, that it was read from.
    pub is_nested: bool,
    /// The elements around it, the outermost first, for `img` elements.
    pub around: Vec<Element>,
    /// The bytes of the whole `url()` or `image-set()`, for styles.
    pub function: Option<Range<usize>>,
    /// The quotes of the attribute that it stands in, for styles of an element.
    pub within: Option<char>,
    /// The alternative text; `None` where there is none, empty where the picture is decorative.
    pub alt: Option<String>,
    /// Width attribute, in CSS pixels.
    pub width: Option<f64>,
    /// Height attribute, in CSS pixels.
    pub height: Option<f64>,
    /// The width that a style of its own gives it.
    pub styled: Option<String>,
    /// Whether it waits until it is scrolled near.
    pub lazy: bool,
    /// Whether no browser that runs scripts shows it as it stands: in `noscript` and `template`.
    pub inert: bool,
    /// The media queries that all have to hold.
    pub conditions: Vec<String>,
    /// The selector of the rule, for styles.
    pub selector: Option<String>,
    /// The property, for styles.
    pub property: Option<String>,
    /// The forms.
    pub choices: Vec<Choice>,
}

/// What else a page is made of.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Links {
    /// A style sheet.
    Sheet,
    /// A web app manifest.
    Manifest,
    /// A page in a frame.
    Frame,
    /// A script, of which only the weight counts.
    Script,
}

/// A reference to a part of a page that is no picture.
#[derive(Clone, Debug, PartialEq)]
pub struct Linked {
    /// What it is.
    pub what: Links,
    /// The address as written.
    pub address: String,
    /// The line, from 1.
    pub line: u32,
    /// The media queries that all have to hold.
    pub conditions: Vec<String>,
}

/// All that one file refers to.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Found {
    /// The pictures, in the order of the file.
    pub showings: Vec<Showing>,
    /// The other parts.
    pub linked: Vec<Linked>,
    /// What addresses are relative to, where the file says so.
    pub base: Option<String>,
    /// The title.
    pub title: Option<String>,
    /// The names that selectors can meet.
    pub named: Named,
    /// Which sizes rules of styles give to elements.
    pub boxes: Vec<Sizing>,
    /// Whether rules tell apart what lies right beside or right within what else, where pictures do.
    pub is_close: bool,
}

/// A declaration that decides how large an element is shown.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Sizing {
    /// The selector of its rule.
    pub selector: String,
    /// What it says something of.
    pub side: Side,
    /// Whether that is `auto`.
    pub is_auto: bool,
    /// Whether it holds on some screens only.
    pub is_conditional: bool,
}

/// What of the size of an element is declared.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Side {
    /// The width, or a bound of it.
    Width,
    /// The height.
    Height,
    /// A bound of the height.
    HeightBound,
    /// The ratio of both.
    Ratio,
}

/// What selectors can meet in a page: a rule of which a part meets no element meets nothing.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Named {
    /// Every kind of element, once.
    pub elements: HashSet<Element>,
}

/// An element, as far as its names go.
#[derive(Clone, Debug, Default, PartialEq, Eq, Hash)]
pub struct Element {
    /// What it is, in lower case.
    pub name: String,
    /// Its id.
    pub id: Option<String>,
    /// Its classes, as written.
    pub classes: Vec<String>,
}

impl Named {
    /// Takes in those of another page.
    pub fn add(&mut self, other: &Named) {
        self.elements.extend(other.elements.iter().cloned());
    }
}

impl Showing {
    /// A picture of which nothing more is known.
    pub fn new(role: Role, span: Range<usize>, line: u32) -> Showing {
        Showing {
            role,
            span,
            line,
            picture: None,
            is_nested: false,
            around: Vec::new(),
            function: None,
            within: None,
            alt: None,
            width: None,
            height: None,
            styled: None,
            lazy: false,
            inert: false,
            conditions: Vec::new(),
            selector: None,
            property: None,
            choices: Vec::new(),
        }
    }

    /// With one form only.
    pub fn of(mut self, candidate: Candidate) -> Showing {
        self.choices.push(Choice {
            candidates: vec![candidate],
            ..Choice::default()
        });
        self
    }

    /// Stands, with all that it has, in one part of a file: where what it was read from has escapes.
    pub(crate) fn stand_in(&mut self, span: &Range<usize>, line: u32) {
        (self.span, self.line) = (span.clone(), line);
        (self.function, self.picture, self.is_nested) = (None, None, true);
        let choices = self.choices.iter_mut();
        for candidate in choices.flat_map(|choice| &mut choice.candidates) {
            (candidate.span, candidate.line) = (span.clone(), line);
        }
    }

    /// Stands in an attribute with these quotes. Without any, nothing but an address fits there.
    pub(crate) fn stand_within(&mut self, before: Option<char>) {
        self.within = before.filter(|quote| matches!(quote, '"' | '\''));
        if self.within.is_none() {
            self.function = None;
        }
    }

    /// All candidates of all forms.
    pub fn candidates(&self) -> impl Iterator<Item = &Candidate> {
        self.choices.iter().flat_map(|choice| &choice.candidates)
    }

    /// Whether the media queries around it hold.
    pub fn holds(&self, viewport: &Viewport) -> bool {
        self.conditions
            .iter()
            .all(|query| media::holds(query, viewport))
    }

    /// The form and the candidate that a browser takes, by the markup alone: HTML, "select an image
    /// source". It may take a larger one that it has in its cache.
    pub fn chosen(&self, viewport: &Viewport) -> Option<(&Choice, &Candidate)> {
        if !self.holds(viewport) {
            return None;
        }
        let holds = |choice: &&Choice| {
            let media = choice.media.as_deref();
            let kind = choice.kind.as_deref();
            !choice.candidates.is_empty()
                && media.is_none_or(|query| media::holds(query, viewport))
                && kind.is_none_or(is_shown_by_browsers)
        };
        let choice = self.choices.iter().find(holds)?;
        let sizes = choice.sizes.as_deref();
        // `auto` is what the layout comes to, which is known only of what waits.
        let laid_out = match sizes {
            Some(sizes) if media::is_auto(sizes) && self.lazy => {
                self.styled_width(viewport).or(self.width)
            }
            _ => None,
        };
        let by_sizes = || sizes.map_or(viewport.width, |sizes| media::sizes(sizes, viewport));
        let width = laid_out.unwrap_or_else(by_sizes);
        choice
            .nearest(width, viewport.density)
            .map(|candidate| (choice, candidate))
    }

    /// The width that the markup gives it, in CSS pixels: its own style, the `sizes` of the form in
    /// use, or the width attribute. `None` where only a style sheet could tell.
    pub fn width(&self, viewport: &Viewport) -> Option<f64> {
        let (choice, _) = self.chosen(viewport)?;
        let sizes = choice.sizes.as_deref().filter(|s| !media::is_auto(s));
        let by_sizes = || sizes.map(|sizes| media::sizes(sizes, viewport));
        self.styled_width(viewport).or_else(by_sizes).or(self.width)
    }

    /// The width that its own style gives it.
    fn styled_width(&self, viewport: &Viewport) -> Option<f64> {
        let styled = self.styled.as_deref()?;
        media::length(styled, viewport)
    }
}

impl Choice {
    /// The candidate with the least density that serves the screen, else the one with the greatest.
    fn nearest(&self, width: f64, density: f64) -> Option<&Candidate> {
        let offered = |candidate: &Candidate| match candidate.descriptor {
            Descriptor::None => 1.0,
            Descriptor::Density(density) => density,
            Descriptor::Width(pixels) => f64::from(pixels) / width.max(1.0),
        };
        // Of equals the first stands.
        let serves = self.candidates.iter().filter(|c| offered(c) >= density);
        let least = serves.reduce(|a, b| if offered(b) < offered(a) { b } else { a });
        let all = self.candidates.iter();
        least.or_else(|| all.reduce(|a, b| if offered(b) > offered(a) { b } else { a }))
    }
}

/// Whether browsers of today show files of a media type, as far as `type` attributes tell.
fn is_shown_by_browsers(kind: &str) -> bool {
    matches!(
        kinds::bare(kind).as_str(),
        "" | "image/jpeg"
            | "image/jpg"
            | "image/png"
            | "image/apng"
            | "image/gif"
            | "image/webp"
            | "image/avif"
            | "image/svg+xml"
            | "image/bmp"
            | "image/x-icon"
            | "image/vnd.microsoft.icon"
    )
}
