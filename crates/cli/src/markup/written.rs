//! The markup of a picture in a place, with all that it is made of: what a page, a document and a template
//! are given alike.

use std::collections::HashMap;
use std::io::{self, Write};
use std::path::Path;

use kiln_site::escape;
use kiln_site::offer::{Layout, Offer, Part, Piece, Spot};
use kiln_site::srcset::Descriptor;
use kiln_site::tags::{self, Offers, Words};
use serde::Serialize;

use super::{Complaints, inline, meanwhile};
use crate::find;
use crate::settings::{Address, MarkupSettings};
use crate::stock::{Held, Shown};

/// The version of the document's form.
const SCHEMA: u32 = 1;

/// A picture in a place.
#[derive(Clone, Debug, Serialize)]
pub struct Written {
    /// The original, by its path below the folder of originals.
    pub original: String,
    /// The place; `None` where it was made without one.
    pub place: Option<String>,
    /// What it is on the page.
    pub shown_as: Part,
    /// Whether it is what a visitor sees first.
    pub lead: bool,
    /// The title.
    pub title: Option<String>,
    /// The alternative text; empty where the picture is decorative.
    pub alternative_text: Option<String>,
    /// The caption.
    pub caption: Option<String>,
    /// Who is to be named.
    pub credit: Option<String>,
    /// The licence.
    pub licence: Option<String>,
    /// CSS pixels.
    pub width: u32,
    /// CSS pixels.
    pub height: u32,
    /// The `sizes`, where there are widths to choose from.
    pub sizes: Option<String>,
    /// The file for browsers that choose nothing.
    pub plain: File,
    /// What browsers choose from, what fewest of them show first.
    pub forms: Vec<Form>,
    /// Other shapes, for other screens.
    pub other_shapes: Vec<Shape>,
    /// What stands in its spot until it comes: a value of the property `background`.
    pub meanwhile: Option<String>,
    /// Lines for the head of the page.
    pub head: Vec<String>,
    /// HTML for its body.
    pub html: Option<String>,
    /// Rules for a style sheet.
    pub css: Option<String>,
    /// Markdown.
    pub markdown: String,
}

/// A file.
#[derive(Clone, Debug, Serialize)]
pub struct File {
    /// Its address.
    pub address: String,
    /// Its path below the out folder.
    pub name: String,
    /// Its media type.
    #[serde(rename = "type")]
    pub kind: String,
    /// Pixels.
    pub width: u32,
    /// Pixels.
    pub height: u32,
    /// Bytes.
    pub weight: u64,
}

/// Files of one format.
#[derive(Clone, Debug, Serialize)]
pub struct Form {
    /// The media type; `None` where there are several.
    #[serde(rename = "type")]
    pub kind: Option<String>,
    /// As an attribute.
    pub srcset: String,
    /// The candidates.
    pub files: Vec<Candidate>,
}

/// A candidate.
#[derive(Clone, Debug, Serialize)]
pub struct Candidate {
    /// What it is for: `2x`, `800w`, or nothing.
    pub descriptor: String,
    /// The file.
    #[serde(flatten)]
    pub file: File,
}

/// Another shape.
#[derive(Clone, Debug, Serialize)]
pub struct Shape {
    /// The screens that it is for.
    pub media: Option<String>,
    /// The place.
    pub place: Option<String>,
    /// Its forms.
    pub forms: Vec<Form>,
}

impl From<&Piece> for File {
    fn from(piece: &Piece) -> File {
        File {
            address: piece.address.clone(),
            name: piece.name.clone(),
            kind: piece.kind.clone(),
            width: piece.width,
            height: piece.height,
            weight: piece.weight,
        }
    }
}

impl Written {
    /// What is said of it before its markup.
    pub fn heading(&self) -> String {
        match &self.place {
            Some(place) => format!("{} in {place}", self.original),
            None => self.original.clone(),
        }
    }

    /// What a file of it is called, as words.
    pub fn called(&self) -> String {
        let file = self.original.rsplit('/').next().unwrap_or(&self.original);
        let title = self.title.as_deref().unwrap_or(kiln_core::plan::stem(file));
        match &self.place {
            Some(place) => format!("{title} {place}"),
            None => title.to_owned(),
        }
    }

    /// All of it, ready to be pasted.
    pub fn text(&self) -> String {
        let head = self.head.iter().cloned();
        let css = self
            .css
            .as_ref()
            .map(|css| format!("<style>\n{css}</style>"));
        let parts: Vec<String> = head.chain(self.html.clone()).chain(css).collect();
        parts.join("\n")
    }
}

/// The markup of all pictures, in all their places. Of some pieces it is known where they are found.
pub(super) fn all(
    wanted: &[Held],
    out: &Path,
    known: &HashMap<String, String>,
    settings: &MarkupSettings,
    complaints: &mut Complaints<'_>,
) -> Vec<Written> {
    let address = |name: &str| match &settings.address {
        Address::Base(base) => format!("{base}{}", escape::path(name)),
        Address::From(folder) => known.get(name).cloned().unwrap_or_else(|| {
            let way = find::seen_from(folder, &out.join(name));
            escape::path(&way)
        }),
    };
    let mut all = Vec::new();
    for held in wanted {
        for shown in &held.shown {
            let shown = Shown {
                main: shown.main.addressed(address),
                others: shown
                    .others
                    .iter()
                    .map(|offer| offer.addressed(address))
                    .collect(),
            };
            all.extend(written(held, &shown, out, settings, complaints));
        }
    }
    all
}

fn written(
    held: &Held,
    shown: &Shown,
    out: &Path,
    settings: &MarkupSettings,
    complaints: &mut Complaints<'_>,
) -> Option<Written> {
    let layout = shown.main.layout(&Spot::default())?;
    let words = held.words();
    let offers = Offers {
        others: &shown.others,
        main: &shown.main,
    };
    let meanwhile = settings.meanwhile.and_then(|kind| {
        let made = meanwhile::of(&shown.main, out, kind);
        made.unwrap_or_else(|why| {
            complaints.say(
                &held.name,
                &format!("nothing is made to stand there meanwhile: {why}"),
            );
            None
        })
    });
    let (mut head, mut html, mut css) = (Vec::new(), None, None);
    if shown.main.lead {
        head = tags::preloads(offers);
    }
    match shown.main.part {
        Part::Picture => {
            let style = meanwhile
                .as_ref()
                .map(|value| format!("background:{value}"));
            html = inline::drawing(&layout, &words, out, settings.inline)
                .or_else(|| tags::picture(offers, &words, style.as_deref()));
        }
        Part::Background => {
            let name = kiln_core::plan::slug(held.title().unwrap_or(&held.name));
            css = tags::background(&format!(".{}", class(&name)), offers, meanwhile.as_deref());
        }
        Part::Icon => head.extend(tags::icons(&shown.main)),
        Part::Preview => {
            head.extend(tags::previews(&shown.main, &words));
            if !layout.plain.address.contains("://") {
                let says =
                    "a preview needs its whole address; name that of the out folder with --base";
                complaints.say(&held.name, says);
            }
        }
    }
    Some(told(
        held,
        shown,
        &layout,
        words,
        Parts {
            meanwhile,
            head,
            html,
            css,
        },
    ))
}

/// What was made of a picture.
struct Parts {
    meanwhile: Option<String>,
    head: Vec<String>,
    html: Option<String>,
    css: Option<String>,
}

fn told(held: &Held, shown: &Shown, layout: &Layout<'_>, words: Words, parts: Parts) -> Written {
    let shape = |offer: &Offer| Shape {
        media: offer.media.clone(),
        place: offer.place.clone(),
        forms: offer
            .layout(&Spot::default())
            .as_ref()
            .map_or(Vec::new(), forms),
    };
    Written {
        original: held.name.clone(),
        place: shown.main.place.clone(),
        shown_as: shown.main.part,
        lead: shown.main.lead,
        title: held.title().map(str::to_owned),
        markdown: tags::in_markdown(layout, &words),
        alternative_text: words.alt,
        caption: words.caption,
        credit: words.credit,
        licence: words.licence,
        width: layout.width,
        height: layout.height,
        sizes: layout.sizes.clone(),
        plain: layout.plain.into(),
        forms: forms(layout),
        other_shapes: shown.others.iter().map(shape).collect(),
        meanwhile: parts.meanwhile,
        head: parts.head,
        html: parts.html,
        css: parts.css,
    }
}

fn forms(layout: &Layout<'_>) -> Vec<Form> {
    let file = |(piece, descriptor): &(&Piece, Descriptor)| Candidate {
        descriptor: descriptor.to_string(),
        file: (*piece).into(),
    };
    let form = |form: &kiln_site::offer::Form<'_>| Form {
        kind: form.kind.map(str::to_owned),
        srcset: tags::srcset(&form.candidates),
        files: form.candidates.iter().map(file).collect(),
    };
    layout.forms.iter().map(form).collect()
}

/// A name of a class: it does not begin with a digit.
fn class(name: &str) -> String {
    if name.starts_with(|c: char| c.is_ascii_digit()) {
        format!("picture-{name}")
    } else {
        name.to_owned()
    }
}

#[derive(Serialize)]
struct Document<'a> {
    schema: u32,
    kind: &'static str,
    kiln: &'static str,
    pictures: &'a [Written],
}

pub(super) fn json(out: &mut dyn Write, all: &[Written]) -> io::Result<()> {
    let document = Document {
        schema: SCHEMA,
        kind: "markup",
        kiln: env!("CARGO_PKG_VERSION"),
        pictures: all,
    };
    serde_json::to_writer_pretty(&mut *out, &document)?;
    writeln!(out)
}
