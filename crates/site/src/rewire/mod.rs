//! References rewritten: each that leads to an original, or to a piece of it, becomes one to its pieces.
//!
//! Only what has to change is changed, as [`Edits`] of the text; what a reference stands for is for a
//! [`Guide`] to say.

mod css;
mod html;
mod others;
mod styles;
mod tag;

use std::ops::Range;

pub use css::sheet;
pub use html::page;
pub use others::{markdown, of_json, of_xml};
pub use styles::Styles;

use crate::edit::Edits;
use crate::escape::attribute;
use crate::offer::{Layout, Offer, Piece, Spot};
use crate::showing::{Candidate, Found, Role, Showing};
use crate::srcset::Descriptor;
use crate::tags::{Offers, Words};
use crate::templates;

/// What a reference stands for, and what there is of it.
#[derive(Clone, Debug, PartialEq)]
pub struct Aim {
    /// Tells originals apart.
    pub original: usize,
    /// Its pieces for that place, with addresses as the file has to write them.
    pub main: Offer,
    /// Those of other shapes, for other screens.
    pub others: Vec<Offer>,
    /// What is said of it.
    pub words: Words,
    /// The spot that it is shown in.
    pub spot: Spot,
    /// Whether no screen shows it without scrolling, where that is known.
    pub is_below: bool,
    /// Whether the address is that of a piece that stands: somebody has chosen it.
    pub is_piece: bool,
}

/// Says what references stand for.
pub trait Guide {
    /// What a candidate of a showing stands for; `None` for what is none of its business.
    fn aim(&mut self, showing: &Showing, candidate: &Candidate) -> Option<Aim>;
}

/// How much is rewritten.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Extent {
    /// Only addresses, and what has to agree with them.
    pub plain: bool,
    /// Pictures of Markdown become HTML.
    pub markdown_as_html: bool,
}

/// Something that a person should know.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Remark {
    /// The line, from 1.
    pub line: u32,
    /// The address that it is about.
    pub address: String,
    /// What there is to say.
    pub says: Says,
}

/// What there is to say of a reference.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Says {
    /// It stands in template syntax, and was not touched.
    InTemplate,
    /// It is written with escapes that were not understood, and was not touched.
    Escaped,
    /// A border cut by pixels, which a piece of another size would cut elsewhere.
    CutByPixels,
    /// Its width and height are given by a style that does not say `height: auto`; they were not added.
    SizedByStyle,
    /// Styles ask where it lies, so no element was put around it: one format for all.
    LiesClose,
    /// No alternative text is known.
    NoText,
    /// No icon of the size that is asked for.
    NoSuchSize,
    /// Its width and height are in other proportions than its pieces.
    OtherShape,
}

impl Says {
    /// For people.
    pub fn as_str(self) -> &'static str {
        match self {
            Says::InTemplate => "stands in template syntax; change it there",
            Says::Escaped => "is written with escapes; change it by hand",
            Says::CutByPixels => "is a border that is cut by pixels; left as it is",
            Says::SizedByStyle => {
                "has no width and height: a style gives its size and does not say height: auto"
            }
            Says::LiesClose => {
                "stays a single img in one format, since a style asks what it lies right within"
            }
            Says::NoText => "has no alternative text, nor has the label sheet",
            Says::NoSuchSize => "has no piece of the size that is said beside it; left as it is",
            Says::OtherShape => "has a width and height of other proportions than its pieces",
        }
    }
}

/// What came of a file.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Rewired {
    /// The changes.
    pub edits: Edits,
    /// References that lead to pieces now, changed or not.
    pub references: usize,
    /// What there is to say.
    pub remarks: Vec<Remark>,
}

impl Rewired {
    fn say(&mut self, line: u32, address: &str, says: Says) {
        self.remarks.push(Remark {
            line,
            address: address.to_owned(),
            says,
        });
    }
}

/// A file that is to be rewritten.
#[derive(Clone, Copy, Debug)]
pub struct File<'a> {
    /// Its text, with what belongs to templates blotted out.
    pub text: &'a str,
    /// What it refers to.
    pub found: &'a Found,
    /// Its parts that belong to templates.
    pub parts: &'a [Range<usize>],
    /// How much is rewritten.
    pub extent: Extent,
}

/// A file that is rewritten.
struct Work<'a> {
    /// Its text.
    source: &'a str,
    /// Parts that belong to templates.
    parts: &'a [Range<usize>],
    extent: Extent,
    is_markdown: bool,
    done: Rewired,
}

impl<'a> Work<'a> {
    fn of(file: &File<'a>) -> Work<'a> {
        Work {
            source: file.text,
            parts: file.parts,
            extent: file.extent,
            is_markdown: false,
            done: Rewired::default(),
        }
    }

    /// Whether a span may be changed; where a template has to do with it, that is said.
    fn may_change(&mut self, span: &Range<usize>, candidate: &Candidate) -> bool {
        let touched = templates::is_touched(span, self.parts);
        if touched {
            self.done
                .say(candidate.line, &candidate.address, Says::InTemplate);
        }
        !touched
    }

    /// Replaces nothing but the address of a candidate. Its span may be all of it, whatever escapes it is
    /// written with: then what is new needs none.
    fn address(&mut self, candidate: &Candidate, is_all: bool, new: &str) {
        if !self.may_change(&candidate.span, candidate) {
            return;
        }
        let raw = self.source.get(candidate.span.clone()).unwrap_or_default();
        self.done.references += 1;
        if raw == candidate.address || is_all {
            let span = candidate.span.clone();
            self.done.edits.replace(self.source, span, new.to_owned());
            return;
        }
        // The span is that of a larger part, in which the address stands with or without escapes.
        let forms = [candidate.address.clone(), attribute(&candidate.address)];
        for form in forms {
            for (at, _) in raw.match_indices(&form) {
                let start = candidate.span.start + at;
                let span = start..start + form.len();
                if is_whole(raw, at, form.len()) && !self.done.edits.touch(&span) {
                    self.done.edits.replace(self.source, span, attribute(new));
                    return;
                }
            }
        }
        self.done.references -= 1;
        self.done
            .say(candidate.line, &candidate.address, Says::Escaped);
    }

    /// Rewrites every candidate of a showing by itself.
    fn plainly(&mut self, showing: &Showing, guide: &mut dyn Guide) {
        for candidate in showing.candidates() {
            let Some(aim) = guide.aim(showing, candidate) else {
                continue;
            };
            if aim.is_piece {
                self.done.references += 1;
                continue;
            }
            match for_role(showing, candidate, &aim) {
                Some(piece) => {
                    let is_all = showing.function.is_some() || showing.role == Role::App;
                    self.address(candidate, is_all, &piece);
                }
                None => self
                    .done
                    .say(candidate.line, &candidate.address, Says::NoSuchSize),
            }
        }
    }
}

/// Whether a part of a text is an address by itself, not the end or beginning of another.
fn is_whole(text: &str, at: usize, length: usize) -> bool {
    let belongs = |letter: char| letter.is_alphanumeric() || "/._-%~".contains(letter);
    let before = text[..at].chars().next_back();
    let behind = text[at + length..].chars().next();
    !before.is_some_and(belongs)
        && !behind.is_some_and(|c| c.is_alphanumeric() || "/_-%~".contains(c))
}

/// The address of the one piece that a reference of some role becomes.
fn for_role(showing: &Showing, candidate: &Candidate, aim: &Aim) -> Option<String> {
    let layout = aim.main.layout(&aim.spot)?;
    let piece = match showing.role {
        Role::Icon | Role::App => icon(&aim.main, showing.width)?,
        Role::Link | Role::Feed | Role::Preview => layout.largest(),
        _ => described(&layout, candidate.descriptor),
    };
    Some(piece.address.clone())
}

/// The piece for an icon of a size: that very size, or what is sharp at every size; where none is asked
/// for, the smallest that is no smaller than a tab shows.
fn icon(offer: &Offer, size: Option<f64>) -> Option<&Piece> {
    /// Pixels of an icon on a dense screen.
    const TAB: u32 = 32;
    let scalable = offer.pieces.iter().find(|piece| piece.is_scalable());
    let pieces = || offer.pieces.iter().filter(|piece| !piece.is_scalable());
    match size {
        Some(size) => pieces()
            .find(|piece| f64::from(piece.width) == size)
            .or(scalable),
        None => scalable
            .or_else(|| pieces().find(|piece| piece.width >= TAB))
            .or_else(|| pieces().next_back()),
    }
}

/// The file of the last form that is meant by a descriptor.
fn described<'a>(layout: &Layout<'a>, descriptor: Descriptor) -> &'a Piece {
    let wanted = match descriptor {
        Descriptor::None => return layout.plain,
        Descriptor::Density(density) => f64::from(layout.width) * density,
        Descriptor::Width(pixels) => f64::from(pixels),
    };
    let candidates = layout.forms.last().map_or(&[][..], |form| &form.candidates);
    let serves = candidates
        .iter()
        .find(|(piece, _)| f64::from(piece.width) >= wanted);
    serves
        .or(candidates.last())
        .map_or(layout.plain, |(piece, _)| *piece)
}

impl Aim {
    /// Whether both are of one original for one place.
    fn is_like(&self, other: &Aim) -> bool {
        (self.original, &self.main.place) == (other.original, &other.main.place)
    }

    fn offers(&self) -> Offers<'_> {
        Offers {
            others: &self.others,
            main: &self.main,
        }
    }
}
