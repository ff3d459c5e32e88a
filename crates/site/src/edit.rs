//! Changes of a text, by the bytes that they replace.

use std::collections::BTreeSet;
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
pub struct Edits {
    all: Vec<Edit>,
    /// Where they are.
    spans: BTreeSet<(usize, usize)>,
}

impl Edits {
    /// None yet.
    pub fn new() -> Edits {
        Edits::default()
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.all.is_empty()
    }

    /// Replaces a part, unless it says that already. The same part twice is replaced once.
    pub fn replace(&mut self, source: &str, span: Range<usize>, text: String) {
        let says_that = source.get(span.clone()) == Some(text.as_str());
        if !says_that && self.spans.insert((span.start, span.end)) {
            self.all.push(Edit { span, text });
        }
    }

    /// Takes a part out, with the blank before it.
    pub fn remove(&mut self, source: &str, span: Range<usize>) {
        let before = source.get(..span.start).unwrap_or_default();
        let start = before.trim_ascii_end().len();
        self.replace(source, start..span.end, String::new());
    }

    /// Puts something in, behind all that was put in there before.
    pub fn insert(&mut self, at: usize, text: String) {
        if !text.is_empty() {
            self.spans.insert((at, at));
            self.all.push(Edit { span: at..at, text });
        }
    }

    /// Takes in others.
    pub fn extend(&mut self, others: Edits) {
        self.spans.extend(others.spans);
        self.all.extend(others.all);
    }

    /// Whether any of them has to do with a span.
    pub fn touch(&self, span: &Range<usize>) -> bool {
        let before = self.spans.range(..(span.end, 0)).next_back();
        before.is_some_and(|(start, end)| *end > span.start || *start >= span.start)
    }

    /// In the order of the text. Of two that have to do with each other the first stands.
    pub fn ordered(mut self) -> Vec<Edit> {
        self.all
            .sort_by_key(|edit| (edit.span.start, !edit.span.is_empty()));
        let mut end = 0;
        self.all.retain(|edit| {
            let fits = edit.span.start >= end;
            if fits {
                end = edit.span.end;
            }
            fits
        });
        self.all
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
