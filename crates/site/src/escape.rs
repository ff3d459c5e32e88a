//! Texts as the languages of a site write them.

use percent_encoding::{AsciiSet, NON_ALPHANUMERIC, utf8_percent_encode};

/// What stays as it is in the path of an address: RFC 3986, unreserved, and what no language around it
/// takes for its own.
const PATH: &AsciiSet = &NON_ALPHANUMERIC
    .remove(b'-')
    .remove(b'_')
    .remove(b'.')
    .remove(b'~')
    .remove(b'/')
    .remove(b'@');

/// A path as the path of an address.
pub fn path(path: &str) -> String {
    utf8_percent_encode(path, PATH).to_string()
}

/// A text within an attribute of HTML or XML, in double quotes.
pub fn attribute(text: &str) -> String {
    text.replace('&', "&amp;")
        .replace('"', "&quot;")
        .replace('<', "&lt;")
        .replace('>', "&gt;")
}

/// A text between the tags of HTML or XML.
pub fn text(text: &str) -> String {
    text.replace('&', "&amp;")
        .replace('<', "&lt;")
        .replace('>', "&gt;")
}

/// A text within a comment of HTML.
pub fn comment(text: &str) -> String {
    text.replace("--", "- -").replace(['<', '>'], " ")
}

/// A string of CSS, in these quotes (CSS Syntax Level 3, "serialize a string" of CSSOM).
pub fn css_string(text: &str, quote: char) -> String {
    let mut quoted = String::from(quote);
    for letter in text.chars() {
        match letter {
            '"' | '\'' | '\\' => quoted.extend(['\\', letter]),
            letter if letter.is_control() => {
                quoted.push_str(&format!("\\{:x} ", u32::from(letter)));
            }
            letter => quoted.push(letter),
        }
    }
    quoted.push(quote);
    quoted
}

/// A text in square brackets of Markdown.
pub fn markdown(text: &str) -> String {
    let mut escaped = String::new();
    for letter in text.chars() {
        match letter {
            '[' | ']' | '\\' | '*' | '_' | '`' | '<' | '>' | '&' => escaped.extend(['\\', letter]),
            '\n' | '\r' => escaped.push(' '),
            letter => escaped.push(letter),
        }
    }
    escaped
}
