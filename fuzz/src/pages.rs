//! The same for the files of a site: what is found in them lies in them.

use kiln_site::{Found, Viewport, css, html, manifest, markdown, selectors, xml};

/// An exercise.
pub type Exercise = fn(&[u8]);

/// All of them, by the names of their targets.
pub const ALL: [(&str, Exercise); 3] = [
    ("site_html", |bytes| with_text(bytes, html::references)),
    ("site_css", |bytes| with_text(bytes, css::references)),
    ("site_texts", |bytes| {
        with_text(bytes, markdown::references);
        with_text(bytes, xml::references);
        with_text(bytes, manifest::references);
    }),
];

fn with_text(bytes: &[u8], read: fn(&str) -> Found) {
    let text = String::from_utf8_lossy(bytes);
    let found = read(&text);
    let lines = text.matches('\n').count() as u32 + 1;
    let screen = Viewport::default();
    let elements = selectors::Meetings::of(&found.named);
    for showing in &found.showings {
        for candidate in showing.candidates() {
            let written = text.get(candidate.span.clone());
            assert!(written.is_some(), "{candidate:?} lies outside");
            assert!((1..=lines).contains(&candidate.line), "{candidate:?}");
            assert!(!candidate.address.is_empty());
        }
        if let Some((choice, candidate)) = showing.chosen(&screen) {
            assert!(choice.candidates.contains(candidate));
        }
        if let Some(width) = showing.width(&screen) {
            assert!(width.is_finite() && width >= 0.0);
        }
        if let Some(selector) = &showing.selector {
            elements.may_be(selector);
        }
    }
}
