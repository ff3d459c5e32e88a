//! Parts of a file that belong to a template language: nobody but that may change them.

use std::borrow::Cow;
use std::ops::Range;

use crate::kinds;

/// What opens a part, and what closes it.
const MARKS: [(&str, &str); 5] = [
    ("{{", "}}"),
    ("{%", "%}"),
    ("{#", "#}"),
    ("<?", "?>"),
    ("<%", "%>"),
];

/// The parts of a text between marks of templates. What is never closed is none. Those of `<? ?>` are
/// left out where the language of the file itself has them.
pub fn parts(text: &str, is_xml: bool) -> Vec<Range<usize>> {
    let mut parts: Vec<Range<usize>> = Vec::new();
    let mut unclosed = [false; MARKS.len()];
    let mut at = 0;
    while let Some(found) = memchr::memchr2(b'{', b'<', &text.as_bytes()[at..]) {
        let start = at + found;
        let rest = &text[start..];
        let mark = MARKS
            .iter()
            .position(|(opens, _)| rest.starts_with(opens) && !(is_xml && *opens == "<?"));
        let Some(mark) = mark.filter(|mark| !unclosed[*mark]) else {
            at = start + 1;
            continue;
        };
        let (opens, closes) = MARKS[mark];
        match rest[opens.len()..].find(closes) {
            Some(inner) => {
                let end = start + opens.len() + inner + closes.len();
                parts.push(start..end);
                at = end;
            }
            None => {
                // It is closed nowhere behind: one look is enough.
                unclosed[mark] = true;
                at = start + 1;
            }
        }
    }
    parts
}

/// A text with its template parts blotted out, byte for byte, so that nothing in them is read. Line
/// breaks stay.
pub fn blotted<'a>(text: &'a str, parts: &[Range<usize>]) -> Cow<'a, str> {
    if parts.is_empty() {
        return Cow::Borrowed(text);
    }
    let mut bytes = text.as_bytes().to_vec();
    for part in parts {
        for byte in &mut bytes[part.clone()] {
            if !matches!(byte, b'\n' | b'\r') {
                *byte = b'x';
            }
        }
    }
    // Whole characters were replaced by letters.
    Cow::Owned(String::from_utf8(bytes).unwrap_or_default())
}

/// Whether a span has to do with any of the parts, which are in order.
pub fn is_touched(span: &Range<usize>, parts: &[Range<usize>]) -> bool {
    let first = parts.partition_point(|part| part.end <= span.start);
    parts.get(first).is_some_and(|part| part.start < span.end)
}

/// Words in a part that look like addresses of pictures, and where they begin.
pub fn addresses<'a>(text: &'a str, part: &Range<usize>) -> Vec<(usize, &'a str)> {
    let between = |letter: char| letter.is_whitespace() || "\"'()<>{}|,;=".contains(letter);
    let inner = &text[part.clone()];
    let words = inner
        .split(between)
        .filter(|word| kinds::is_named_like_a_picture(word));
    words
        .map(|word| (word.as_ptr() as usize - text.as_ptr() as usize, word))
        .collect()
}
