//! Bytes of a file as text, and lines in it.

/// Where the lines of a text begin.
pub struct Lines(Vec<usize>);

impl Lines {
    /// Of a text.
    pub fn of(text: &str) -> Lines {
        Lines(memchr::memchr_iter(b'\n', text.as_bytes()).collect())
    }

    /// The line of a byte, from 1.
    pub fn at(&self, byte: usize) -> u32 {
        let before = self.0.partition_point(|line| *line < byte);
        u32::try_from(before + 1).unwrap_or(u32::MAX)
    }
}

/// The part of a text without blanks around it, as its bytes.
pub fn trimmed(text: &str) -> std::ops::Range<usize> {
    let start = text.len() - text.trim_ascii_start().len();
    start..(start + text.trim_ascii().len())
}

/// The encoding that an HTML file names near its beginning (HTML, "prescan a byte stream"), such as
/// `iso-8859-2`; a simple form that looks for `charset=` within a `meta` tag.
pub fn declared(bytes: &[u8]) -> Option<String> {
    let head = &bytes[..bytes.len().min(1024)];
    let head = String::from_utf8_lossy(head).to_ascii_lowercase();
    head.match_indices("<meta").find_map(|(at, _)| {
        let tag = head[at..].split('>').next()?;
        let value = tag
            .split_once("charset")?
            .1
            .trim_start()
            .strip_prefix('=')?;
        let value = value.trim_start().trim_start_matches(['"', '\'']);
        let end = value.find(|c: char| c.is_whitespace() || "\"';/".contains(c));
        let label = &value[..end.unwrap_or(value.len())];
        (!label.is_empty()).then(|| label.to_owned())
    })
}
