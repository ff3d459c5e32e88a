//! The `srcset` attribute (HTML, "parse a srcset attribute").

use std::fmt;
use std::ops::Range;

/// What an image candidate is for.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub enum Descriptor {
    /// Nothing is said: for a density of 1.
    #[default]
    None,
    /// Device pixels per CSS pixel.
    Density(f64),
    /// The picture's own width in pixels.
    Width(u32),
}

impl fmt::Display for Descriptor {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Descriptor::None => Ok(()),
            Descriptor::Density(density) => write!(f, "{density}x"),
            Descriptor::Width(pixels) => write!(f, "{pixels}w"),
        }
    }
}

/// Candidates: the bytes of each address in the text, and what it is for. Wrong ones are left out, as
/// browsers do.
pub fn parse(text: &str) -> Vec<(Range<usize>, Descriptor)> {
    let bytes = text.as_bytes();
    let blank = |at: usize| bytes.get(at).is_some_and(u8::is_ascii_whitespace);
    let mut candidates = Vec::new();
    let mut at = 0;
    while at < bytes.len() {
        if blank(at) || bytes[at] == b',' {
            at += 1;
            continue;
        }
        let start = at;
        while at < bytes.len() && !blank(at) {
            at += 1;
        }
        let mut end = at;
        while bytes[start..end].ends_with(b",") {
            end -= 1;
        }
        let mut descriptors = "";
        if end == at {
            let begins = at;
            let mut depth = 0usize;
            while at < bytes.len() && (depth > 0 || bytes[at] != b',') {
                match bytes[at] {
                    b'(' => depth += 1,
                    b')' => depth = depth.saturating_sub(1),
                    _ => {}
                }
                at += 1;
            }
            descriptors = &text[begins..at];
        }
        if let Some(descriptor) = descriptor(descriptors)
            && start < end
        {
            candidates.push((start..end, descriptor));
        }
    }
    candidates
}

/// What the words behind an address say; `None` where they are wrong.
fn descriptor(words: &str) -> Option<Descriptor> {
    let mut found = Descriptor::None;
    let (mut width, mut density, mut height) = (false, false, false);
    for word in words.split_ascii_whitespace() {
        let (number, unit) = word.split_at_checked(word.len() - 1)?;
        match unit {
            "w" if !width && !density => {
                let pixels: u32 = number.parse().ok().filter(|pixels| *pixels > 0)?;
                (found, width) = (Descriptor::Width(pixels), true);
            }
            "x" if !width && !density && !height => {
                let value: f64 = number.parse().ok()?;
                if !value.is_finite() || value < 0.0 {
                    return None;
                }
                (found, density) = (Descriptor::Density(value), true);
            }
            // The height of the picture; of no use to a choice.
            "h" if !height && !density => {
                number.parse::<u32>().ok()?;
                height = true;
            }
            _ => return None,
        }
    }
    (!height || width).then_some(found)
}
