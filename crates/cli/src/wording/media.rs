//! Formats and colours as typed.

use kiln_core::encode::Format;
use kiln_core::pixels::Backdrop;
use kiln_core::plan::Choice;

/// `--format`: one of the five.
pub fn parse_format(text: &str) -> Result<Format, String> {
    match text.trim().to_ascii_lowercase().as_str() {
        "jpeg" | "jpg" => Ok(Format::Jpeg),
        "png" => Ok(Format::Png),
        "webp" => Ok(Format::WebP),
        "avif" => Ok(Format::Avif),
        "svg" => Ok(Format::Svg),
        _ => Err("the formats are jpeg, png, webp, avif and svg".to_owned()),
    }
}

/// `--format`: one of the five, or `None` for `auto`.
pub fn parse_choice(text: &str) -> Result<Option<Format>, String> {
    match text.trim().to_ascii_lowercase().as_str() {
        "auto" => Ok(None),
        name => parse_format(name)
            .map(Some)
            .map_err(|_| "the formats are jpeg, png, webp, avif and svg, or auto".to_owned()),
    }
}

/// The pieces that a list of formats means, each once: one in each, or, with `auto` in it, one that
/// has the best of them all.
pub fn choices(formats: &[Option<Format>]) -> Vec<Choice> {
    let named = formats.iter().copied().flatten();
    if formats.contains(&None) {
        return vec![Choice::everywhere(named)];
    }
    let mut choices: Vec<Choice> = Vec::new();
    for choice in named.map(Choice::from) {
        if !choices.contains(&choice) {
            choices.push(choice);
        }
    }
    choices
}

/// A colour: white, black or `#rrggbb`.
fn colour(text: &str) -> Option<[u8; 3]> {
    let text = text.trim().to_ascii_lowercase();
    let hex = |digits: &str| u32::from_str_radix(digits, 16).ok().map(u32::to_be_bytes);
    match text.as_str() {
        "white" => Some([255; 3]),
        "black" => Some([0; 3]),
        _ => {
            let digits = text.strip_prefix('#')?;
            let digits = match digits.len() {
                3 => digits.chars().flat_map(|digit| [digit, digit]).collect(),
                _ => digits.to_owned(),
            };
            let sound = digits.len() == 6 && digits.bytes().all(|b| b.is_ascii_hexdigit());
            let [_, r, g, b] = sound.then(|| hex(&digits)).flatten()?;
            Some([r, g, b])
        }
    }
}

/// `--backdrop`: a colour, or nothing.
pub fn parse_backdrop(text: &str) -> Result<Backdrop, String> {
    match text.trim() {
        "transparent" => Ok(Backdrop::Transparent),
        text => colour(text).map(Backdrop::Colour).ok_or_else(|| {
            "a backdrop is white, black, transparent or a colour such as #f4ede0".to_owned()
        }),
    }
}

/// `--knock-out`: which background goes; `Some(None)` for the one at the border.
pub fn parse_knock_out(text: &str) -> Result<Option<[u8; 3]>, String> {
    match text.trim() {
        "auto" => Ok(None),
        text => colour(text).map(Some).ok_or_else(|| {
            "knock-out is auto (what the border shows), white, black or a colour such as #f4ede0"
                .to_owned()
        }),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn colours_are_read_or_refused() {
        assert_eq!(parse_backdrop("White"), Ok(Backdrop::WHITE));
        assert_eq!(
            parse_backdrop("#F4ede0"),
            Ok(Backdrop::Colour([0xF4, 0xED, 0xE0]))
        );
        assert_eq!(
            parse_backdrop("#fA0"),
            Ok(Backdrop::Colour([0xFF, 0xAA, 0]))
        );
        for text in ["", "#ffff", "#ggg", "#gggggg", "f4ede0", "#+4ede0", "blue"] {
            assert!(parse_backdrop(text).is_err(), "{text}");
        }
    }
}
