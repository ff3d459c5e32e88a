//! XML, parsed within bounds.

use roxmltree::{Document, ParsingOptions};

/// Elements within elements: drawings of editors nest some dozen.
const DEPTH: usize = 256;

/// Elements, texts and comments. Each takes some hundred bytes.
const NODES: u32 = 2_000_000;

/// Whether a text may declare entities. Where it may, the parser bounds what they come to.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Entities {
    /// As drawings do.
    Declared,
    /// As metadata never do.
    None,
}

/// Parses a text; `None` where it is not well-formed, or beyond all bounds.
pub(crate) fn parse(text: &str, entities: Entities) -> Option<Document<'_>> {
    let options = ParsingOptions {
        allow_dtd: entities == Entities::Declared,
        nodes_limit: NODES,
        ..ParsingOptions::default()
    };
    is_shallow(text)
        .then(|| Document::parse_with_options(text, options).ok())
        .flatten()
}

/// Whether no element lies too deep. What the parser keeps of namespaces grows with the depth of
/// each element, so this is told before it begins.
fn is_shallow(text: &str) -> bool {
    let mut depth = 0usize;
    let bytes = text.as_bytes();
    for at in memchr::memchr2_iter(b'<', b'>', bytes) {
        match (bytes[at], bytes.get(at + 1)) {
            (b'<', Some(b'/')) => depth = depth.saturating_sub(1),
            (b'<', Some(b'!' | b'?')) => {}
            (b'<', _) => depth += 1,
            // An element without content ends where it begins.
            _ if at > 0 && bytes[at - 1] == b'/' => depth = depth.saturating_sub(1),
            _ => {}
        }
        if depth > DEPTH {
            return false;
        }
    }
    true
}
