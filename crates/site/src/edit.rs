//! Changes of a text, by the bytes that they replace.

use std::ops::Range;

use serde::{Deserialize, Serialize};

/// A part of a text, and what stands there afterwards.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Edit {
    /// The bytes that go; none where something is put in.
    pub span: Range<usize>,
    /// What comes.
    pub text: String,
}

/// Changes of one text, none of which has to do with another.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Edits(Vec<Edit>);

impl Edits {
    /// None yet.
    pub fn new() -> Edits {
        Edits::default()
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    /// Replaces a part, unless it says that already. The same change twice is one.
    pub fn replace(&mut self, source: &str, span: Range<usize>, text: String) {
        let edit = Edit { span, text };
        if source.get(edit.span.clone()) != Some(edit.text.as_str()) && !self.0.contains(&edit) {
            self.0.push(edit);
        }
    }

    /// Puts something in, behind all that was put in there before.
    pub fn insert(&mut self, at: usize, text: String) {
        if !text.is_empty() {
            self.0.push(Edit { span: at..at, text });
        }
    }

    /// Takes in others.
    pub fn extend(&mut self, others: Edits) {
        self.0.extend(others.0);
    }

    /// Takes in others of a part of the text, which begins at a byte.
    pub fn extend_from(&mut self, others: Edits, offset: usize) {
        self.0.extend(others.0.into_iter().map(|edit| Edit {
            span: edit.span.start + offset..edit.span.end + offset,
            text: edit.text,
        }));
    }

    /// Whether any of them has to do with a span.
    pub fn touch(&self, span: &Range<usize>) -> bool {
        let touches = |edit: &Edit| {
            let inserted = edit.span.is_empty() && span.contains(&edit.span.start);
            inserted || (edit.span.start < span.end && span.start < edit.span.end)
        };
        self.0.iter().any(touches)
    }

    /// In the order of the text. Of two that have to do with each other the first stands.
    pub fn ordered(mut self) -> Vec<Edit> {
        self.0
            .sort_by_key(|edit| (edit.span.start, !edit.span.is_empty()));
        let mut end = 0;
        self.0.retain(|edit| {
            let fits = edit.span.start >= end;
            if fits {
                end = edit.span.end;
            }
            fits
        });
        self.0
    }
}

/// A text with changes in order made.
pub fn applied(text: &str, edits: &[Edit]) -> String {
    let mut changed = String::with_capacity(text.len());
    let mut at = 0;
    for edit in edits {
        changed.push_str(text.get(at..edit.span.start).unwrap_or_default());
        changed.push_str(&edit.text);
        at = edit.span.end;
    }
    changed.push_str(text.get(at..).unwrap_or_default());
    changed
}
