//! Files as texts, and back, so that what is not changed keeps its bytes.

use encoding_rs::{Encoding, UTF_8, UTF_16BE, UTF_16LE, WINDOWS_1252};

use crate::text;

/// How a file writes its text.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Coding {
    encoding: &'static Encoding,
    /// Whether a byte order mark comes first.
    is_marked: bool,
}

/// The encoding of a file, and how long its mark is: by that mark, by what a server says, by what the file
/// declares, else UTF-8 where it is that, else Windows-1252 (WHATWG HTML, "determining the character
/// encoding").
pub fn encoding(bytes: &[u8], said: Option<&str>) -> (&'static Encoding, usize) {
    if let Some(marked) = Encoding::for_bom(bytes) {
        return marked;
    }
    let labelled = |label: &str| Encoding::for_label(label.as_bytes());
    let declared = || {
        let encoding = labelled(&declared(bytes)?)?;
        // Who could read this in UTF-16 would not have read it.
        Some(if matches!(encoding.name(), "UTF-16LE" | "UTF-16BE") {
            UTF_8
        } else {
            encoding
        })
    };
    let guessed = || {
        if str::from_utf8(bytes).is_ok() {
            UTF_8
        } else {
            WINDOWS_1252
        }
    };
    let told = said.and_then(labelled).or_else(declared);
    (told.unwrap_or_else(guessed), 0)
}

/// The text of a file on disk. `None` where it could not be written back as the same bytes: then nothing in
/// it can be changed without changing more.
pub fn read(bytes: &[u8]) -> Option<(String, Coding)> {
    let (encoding, mark) = encoding(bytes, None);
    let coding = Coding {
        encoding,
        is_marked: mark > 0,
    };
    if encoding == UTF_8 {
        let text = str::from_utf8(&bytes[mark..]).ok()?;
        return Some((text.to_owned(), coding));
    }
    let (text, _) = encoding.decode_without_bom_handling(&bytes[mark..]);
    let text = text.into_owned();
    (coding.write(&text) == bytes).then_some((text, coding))
}

/// The encoding that a file names near its beginning: an HTML page, an XML file, or a sheet.
fn declared(bytes: &[u8]) -> Option<String> {
    let head = String::from_utf8_lossy(&bytes[..bytes.len().min(200)]).to_ascii_lowercase();
    let named = |opens: &str, name: &str| {
        let rest = head.strip_prefix(opens)?.split(['>', ';']).next()?;
        let value = rest
            .split_once(name)?
            .1
            .trim_start()
            .trim_start_matches('=')
            .trim_start();
        let quote = value
            .chars()
            .next()
            .filter(|quote| matches!(quote, '"' | '\''))?;
        Some(value[1..].split(quote).next()?.to_owned())
    };
    named("<?xml", "encoding")
        .or_else(|| named("@charset", ""))
        .or_else(|| text::declared(bytes))
}

impl Coding {
    /// How many bytes a part of a text takes.
    pub fn length(self, part: &str) -> usize {
        if self.encoding == UTF_8 {
            part.len()
        } else {
            self.write(part).len() - self.mark()
        }
    }

    /// How many bytes the mark before a text takes.
    pub fn mark(self) -> usize {
        if self.is_marked {
            self.write("").len()
        } else {
            0
        }
    }

    /// A text as the bytes of a file. Letters that the encoding lacks become character references, which
    /// HTML and XML know.
    pub fn write(self, text: &str) -> Vec<u8> {
        let sixteen = |order: fn(u16) -> [u8; 2]| {
            let units = self.is_marked.then_some(0xFEFF).into_iter();
            units.chain(text.encode_utf16()).flat_map(order).collect()
        };
        if self.encoding == UTF_16LE {
            return sixteen(u16::to_le_bytes);
        }
        if self.encoding == UTF_16BE {
            return sixteen(u16::to_be_bytes);
        }
        let mut bytes = Vec::new();
        if self.is_marked {
            bytes.extend("\u{FEFF}".as_bytes());
        }
        bytes.extend_from_slice(&self.encoding.encode(text).0);
        bytes
    }
}
