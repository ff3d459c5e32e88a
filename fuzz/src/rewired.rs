//! The files of a site, rewired: a second run changes nothing, templates stay, and a diff undoes it all.

use kiln_site::edit::applied;
use kiln_site::offer::{Offer, Piece};
use kiln_site::patch::{self, Part};
use kiln_site::rewire::{self, Aim, Extent, File, Guide, Rewired, Styles};
use kiln_site::tags::Words;
use kiln_site::{
    Candidate, Found, Showing, coded, css, html, kinds, manifest, markdown, templates, xml,
};

use super::pages::Exercise;

/// All of them, by the names of their targets.
pub const ALL: [(&str, Exercise); 3] = [
    ("rewire_html", |bytes| rewired(bytes, page)),
    ("rewire_texts", |bytes| {
        rewired(bytes, sheet);
        rewired(bytes, text);
        rewired(bytes, feed);
        rewired(bytes, app);
    }),
    ("patches", |bytes| {
        for (_, hunks) in patch::files(bytes).unwrap_or_default() {
            let _ = patch::undone(bytes, &hunks);
        }
    }),
];

/// Knows every picture, and has the same pieces for each.
struct Everything;

impl Guide for Everything {
    fn aim(&mut self, _: &Showing, candidate: &Candidate) -> Option<Aim> {
        if !kinds::is_named_like_a_picture(&candidate.address) {
            return None;
        }
        let piece = |name: &str, width: u32| Piece {
            name: name.to_owned(),
            address: name.to_owned(),
            kind: kinds::by_name(name).to_owned(),
            width,
            height: width,
            displayed: Some(40.0),
            weight: 1,
        };
        let names = [("a.jpg", 40), ("b.jpg", 80), ("c.webp", 40), ("d.webp", 80)];
        Some(Aim {
            original: 0,
            main: Offer {
                pieces: names.map(|(name, width)| piece(name, width)).to_vec(),
                ..Offer::default()
            },
            others: Vec::new(),
            words: Words {
                alt: Some("\"a\" <b>".to_owned()),
                ..Words::default()
            },
            spot: Default::default(),
            is_below: true,
            is_piece: false,
        })
    }
}

/// A text, read in one way and rewired in another.
fn worked(
    text: &str,
    is_xml: bool,
    read: fn(&str) -> Found,
    rewire: impl Fn(&File<'_>) -> Rewired,
) -> Rewired {
    let parts = templates::parts(text, is_xml);
    let text = &templates::blotted(text, &parts);
    rewire(&File {
        text,
        found: &read(text),
        parts: &parts,
        extent: Extent::default(),
    })
}

fn page(text: &str) -> Rewired {
    worked(text, false, html::references, |file| {
        rewire::page(file, Styles::default(), &mut Everything)
    })
}

fn sheet(text: &str) -> Rewired {
    worked(text, false, css::references, |file| {
        rewire::sheet(file, &mut Everything)
    })
}

fn text(text: &str) -> Rewired {
    worked(text, false, markdown::references, |file| {
        rewire::markdown(file, &Styles::of_a_part(), &mut Everything)
    })
}

fn feed(text: &str) -> Rewired {
    worked(text, true, xml::references, |file| {
        rewire::of_xml(file, &mut Everything)
    })
}

fn app(text: &str) -> Rewired {
    worked(text, false, manifest::references, |file| {
        rewire::of_json(file, &mut Everything)
    })
}

fn rewired(bytes: &[u8], work: fn(&str) -> Rewired) {
    let Some((text, coding)) = coded::read(bytes) else {
        return;
    };
    assert_eq!(
        coding.write(&text),
        bytes,
        "read and written it is the same"
    );
    let edits = work(&text).edits.ordered();
    let parts = templates::parts(&text, true);
    for edit in &edits {
        assert!(
            text.get(edit.span.clone()).is_some(),
            "{edit:?} lies outside"
        );
        let touches = |part: &&std::ops::Range<usize>| {
            part.start < edit.span.end && edit.span.start < part.end
        };
        assert_eq!(parts.iter().find(touches), None, "{edit:?} is a template's");
    }
    let after = applied(&text, &edits);
    let again = work(&after).edits.ordered();
    assert!(again.is_empty(), "{again:?} in {after:?} of {text:?}");
    undone(&text, &after, &edits);
}

fn undone(text: &str, after: &str, edits: &[kiln_site::edit::Edit]) {
    let mut parts = Vec::new();
    let (mut shift, mut at) = (0isize, 0);
    for edit in edits {
        let start = edit.span.start.saturating_add_signed(shift);
        assert!(edit.span.start >= at, "in order");
        at = edit.span.end;
        parts.push(Part {
            before: edit.span.clone(),
            after: start..start + edit.text.len(),
        });
        shift += edit.text.len() as isize - edit.span.len() as isize;
    }
    let diff = patch::unified("a", text.as_bytes(), after.as_bytes(), &parts);
    for (_, hunks) in patch::files(&diff).expect("a diff of our own") {
        assert_eq!(
            patch::undone(after.as_bytes(), &hunks),
            Ok(text.as_bytes().to_vec())
        );
    }
}
