//! Words and numbers between people and the program: values as typed, sizes as printed, names
//! made safe for a terminal.

mod looks;
mod media;

use std::str::FromStr;

use kiln_core::credits::Field;
use kiln_core::encode::Format;
use kiln_core::pixels::{Fit, NoFraming, Orientation};
use kiln_core::plan::{NoPart, PartOf, Pattern, PatternError};
use unicode_width::{UnicodeWidthChar, UnicodeWidthStr};

pub use looks::{
    lossless, pace, parse_aim, parse_least_look, parse_look, parse_pace, parse_passes, passes,
};
pub use media::{choices, parse_backdrop, parse_choice, parse_format, parse_knock_out};

/// The widest that can be asked for: far above any display, far below any format's trouble.
const WIDEST: u32 = 65_535;

/// `--width`: a whole number of CSS pixels.
pub fn parse_width(text: &str) -> Result<u32, String> {
    let text = text.trim();
    match text.strip_suffix("px").unwrap_or(text).trim_end().parse() {
        Ok(width @ 1..=WIDEST) => Ok(width),
        _ => Err(format!(
            "a width is a whole number of pixels from 1 to {WIDEST}"
        )),
    }
}

/// `--scale`: a part of a picture's own size.
pub fn parse_scale(text: &str) -> Result<f64, String> {
    let text = text.trim();
    let (number, unit) = match text.strip_suffix('%') {
        Some(number) => (number.trim_end(), 0.01),
        None => (text, 1.0),
    };
    match number.parse::<f64>() {
        Ok(number) if number > 0.0 && number * unit <= 8.0 => Ok(number * unit),
        _ => Err(
            "a scale is a part of the picture's own size, such as 33% or 0.5; 800% at most"
                .to_owned(),
        ),
    }
}

/// `--shape`, `--focus` and others that the core can read.
pub fn parse_named<T: FromStr<Err = NoFraming>>(text: &str) -> Result<T, String> {
    text.trim()
        .parse()
        .map_err(|error: NoFraming| error.to_string())
}

/// `--fit`: how a picture is brought to a shape.
pub fn parse_fit(text: &str) -> Result<Fit, String> {
    match text.trim() {
        "crop" => Ok(Fit::Crop),
        "pad" => Ok(Fit::Pad),
        _ => Err("a fit is crop or pad".to_owned()),
    }
}

/// The turns, in degrees clockwise.
pub const TURNS: [(&str, Orientation); 4] = [
    ("0", Orientation::Upright),
    ("90", Orientation::QuarterClockwise),
    ("180", Orientation::UpsideDown),
    ("270", Orientation::QuarterAnticlockwise),
];

/// The ways to mirror a picture.
pub const MIRRORS: [(&str, Orientation); 2] = [
    ("horizontal", Orientation::Mirrored),
    ("vertical", Orientation::Flipped),
];

/// The value of a name in a table.
fn named<T: Copy>(table: &[(&str, T)], text: &str) -> Option<T> {
    let known = table.iter().find(|(name, _)| *name == text.trim());
    known.map(|(_, value)| *value)
}

/// `turn`: degrees.
pub fn parse_turn(text: &str) -> Result<Orientation, String> {
    named(&TURNS, text).ok_or_else(|| "a turn is 0, 90, 180 or 270 degrees clockwise".to_owned())
}

/// `mirror`: sides.
pub fn parse_mirror(text: &str) -> Result<Orientation, String> {
    named(&MIRRORS, text).ok_or_else(|| {
        "a mirror is horizontal (left and right change places) or vertical".to_owned()
    })
}

/// `--name`: a pattern for names.
pub fn parse_name(text: &str) -> Result<Pattern, String> {
    text.trim()
        .parse()
        .map_err(|error: PatternError| error.to_string())
}

/// `--metadata-keep`: something that a picture can say of itself.
pub fn parse_field(text: &str) -> Result<Field, String> {
    let known = Field::ALL
        .into_iter()
        .find(|field| field.name() == text.trim());
    known.ok_or_else(|| format!("the fields are {}", Field::ALL.map(Field::name).join(", ")))
}

/// `--metadata-write`: a field and its text.
pub fn parse_written(text: &str) -> Result<(Field, String), String> {
    let form = "it is a field and its text, such as copyright=\"© Tern Point Trust\"";
    let (field, text) = text.split_once('=').ok_or(form)?;
    let field = parse_field(field)?;
    field.check(text).map_err(|form| form.to_string())?;
    Ok((field, text.to_owned()))
}

/// `--density`: a device pixel ratio.
pub fn parse_density(text: &str) -> Result<f64, String> {
    let text = text.trim();
    match text.strip_suffix(['x', '×']).unwrap_or(text).parse() {
        Ok(density) if (0.5..=8.0).contains(&density) => Ok(density),
        _ => Err("a density is a number from 0.5 to 8".to_owned()),
    }
}

/// `--max-weight`: bytes, with an optional unit.
pub fn parse_weight(text: &str) -> Result<u64, String> {
    let text = text.trim();
    let digits = text.find(|c: char| !c.is_ascii_digit() && c != '.');
    let (number, unit) = text.split_at(digits.unwrap_or(text.len()));
    let factor = match unit.trim_start().to_ascii_lowercase().as_str() {
        "" | "b" => Some(1.0),
        "kb" | "k" => Some(1e3),
        "mb" | "m" => Some(1e6),
        "kib" => Some(1024.0),
        "mib" => Some(1024.0 * 1024.0),
        _ => None,
    };
    let bytes = factor.and_then(|f| Some(number.parse::<f64>().ok()? * f));
    match bytes {
        Some(bytes) if (1.0..=1e12).contains(&bytes) => Ok(bytes as u64),
        _ => {
            Err("a weight is a number above 0 with B, KB, MB, KiB or MiB, such as 120KB".to_owned())
        }
    }
}

/// `--quality`: a dial.
pub fn parse_quality(text: &str) -> Result<u8, String> {
    match text.trim().parse() {
        Ok(dial @ 0..=100) => Ok(dial),
        _ => Err("a quality is a whole number from 0 to 100".to_owned()),
    }
}

/// A switch of the kiln file: true or false.
pub fn parse_switch(text: &str) -> Result<bool, String> {
    text.parse().map_err(|_| "it is true or false".to_owned())
}

/// `--allowance`: megapixels, as pixels.
pub fn parse_megapixels(text: &str) -> Result<u64, String> {
    match text.trim().parse() {
        Ok(megapixels @ 1..=100_000u64) => Ok(megapixels * 1_000_000),
        _ => Err("an allowance is a whole number of megapixels from 1 to 100000".to_owned()),
    }
}

/// `--base`: an address, or a path from the root of the site.
pub fn parse_base(text: &str) -> Result<String, String> {
    let text = text.trim();
    let sound = !text.contains(|c: char| c.is_whitespace() || "\"<>\\^`{|}".contains(c));
    if sound && (text.starts_with('/') || is_web(text)) {
        Ok(format!("{}/", text.trim_end_matches('/')))
    } else {
        Err("it is an address, such as https://tern-point.example/img or /img".to_owned())
    }
}

/// `--home`: the address of a site.
pub fn parse_home(text: &str) -> Result<String, String> {
    let base = parse_base(text).ok().filter(|base| is_web(base));
    base.ok_or_else(|| {
        "it is the address of the site, such as https://tern-point.example".to_owned()
    })
}

fn is_web(text: &str) -> bool {
    let rest = text
        .strip_prefix("https://")
        .or(text.strip_prefix("http://"));
    rest.is_some_and(|rest| !rest.trim_matches('/').is_empty())
}

/// `--jobs`: a number of pictures.
pub fn parse_jobs(text: &str) -> Result<usize, String> {
    match text.trim().parse() {
        Ok(jobs @ 1..=256) => Ok(jobs),
        _ => Err("jobs are a whole number from 1 to 256".to_owned()),
    }
}

/// Which part of a firing is wanted.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum PartWish {
    /// The one that a batch engine says.
    Auto,
    /// This one.
    Told(PartOf),
}

/// `--part`: K/N, or `auto`.
pub fn parse_part(text: &str) -> Result<PartWish, String> {
    if text.trim().eq_ignore_ascii_case("auto") {
        return Ok(PartWish::Auto);
    }
    let part = text.parse().map(PartWish::Told);
    part.map_err(|error: NoPart| error.to_string())
}

/// The order of a survey.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Order {
    /// The heaviest first.
    Weight,
    /// What could lose most first.
    Waste,
    /// By path.
    Name,
}

/// `--sort`: an order.
pub fn parse_order(text: &str) -> Result<Order, String> {
    match text.trim().to_ascii_lowercase().as_str() {
        "weight" => Ok(Order::Weight),
        "waste" => Ok(Order::Waste),
        "name" => Ok(Order::Name),
        _ => Err("the orders are weight, waste and name".to_owned()),
    }
}

/// `--top`: a number of files.
pub fn parse_top(text: &str) -> Result<usize, String> {
    match text.trim().parse() {
        Ok(top @ 1..) => Ok(top),
        _ => Err("a number of files is a whole number from 1 on".to_owned()),
    }
}

/// Why a piece was left out.
pub fn outdone(by: Format) -> String {
    let why = match by.is_scalable() {
        true => "is sharp at every size, and no heavier",
        false => "is lighter at the same look, and more browsers show it",
    };
    format!("{by} {why}; --keep-all keeps both")
}

/// The same in a few words.
pub fn left_out(by: Format) -> String {
    match by.is_scalable() {
        true => format!("left out: {by} serves all sizes"),
        false => format!("left out: {by} is lighter, all sizes together"),
    }
}

/// A weight in three digits: `812 B`, `62.1 KB`, `3.10 MB`.
pub fn weight(bytes: u64) -> String {
    let (value, unit) = match bytes {
        0..1_000 => return format!("{bytes} B"),
        // 999,500 bytes and more would round to 1000 KB.
        1_000..999_500 => (bytes as f64 / 1e3, "KB"),
        999_500..999_500_000 => (bytes as f64 / 1e6, "MB"),
        _ => (bytes as f64 / 1e9, "GB"),
    };
    let places = match value {
        v if v < 9.995 => 2,
        v if v < 99.95 => 1,
        _ => 0,
    };
    format!("{value:.places$} {unit}")
}

/// A visual score, which may be told from a sample of the pixels: `78.3`, `about 78`, `100` where nothing differs.
pub fn score(score: f32, is_sampled: bool) -> String {
    match score {
        100.0 => "100".to_owned(),
        _ if is_sampled => format!("about {score:.0}"),
        _ => format!("{score:.1}"),
    }
}

/// A weight as a person would type it: `250 KB`.
pub fn weight_typed(bytes: u64) -> String {
    match bytes % 1000 {
        0 => format!("{} KB", bytes / 1000),
        _ => format!("{bytes} B"),
    }
}

/// The change from one weight to another, in per cent: `−97.2%`, `+12%`.
pub fn change(before: u64, after: u64) -> String {
    if before == 0 {
        return String::new();
    }
    let share = (after as f64 / before as f64 - 1.0) * 100.0;
    let places = usize::from(share.abs() < 99.95);
    match share {
        s if s <= -0.05 => format!("−{:.places$}%", -s),
        s if s >= 0.05 => format!("+{s:.places$}%"),
        _ => "±0%".to_owned(),
    }
}

/// A time: `0.8 s`, `42 s`, `3 min 05 s`.
pub fn time(seconds: f64) -> String {
    match seconds {
        s if s < 9.95 => format!("{s:.1} s"),
        s if s < 59.5 => format!("{s:.0} s"),
        s => {
            let whole = s.round() as u64;
            format!("{} min {:02} s", whole / 60, whole % 60)
        }
    }
}

/// Today's date, as all countries read it.
pub fn today() -> String {
    chrono::Local::now().format("%Y-%m-%d").to_string()
}

/// A count with its noun.
pub fn count(number: usize, one: &str, many: &str) -> String {
    format!("{number} {}", if number == 1 { one } else { many })
}

/// A name that a terminal can print: control characters, and marks that turn the direction of
/// the text, are shown as escapes.
pub fn safe(name: &str) -> String {
    let mut safe = String::with_capacity(name.len());
    for c in name.chars() {
        let turns = matches!(c, '\u{200E}' | '\u{200F}' | '\u{202A}'..='\u{202E}' | '\u{2066}'..='\u{2069}');
        if c.is_control() || turns {
            safe.extend(c.escape_unicode());
        } else {
            safe.push(c);
        }
    }
    safe
}

/// A text of at most so many columns, its middle taken out if need be.
pub fn shortened(text: &str, columns: usize) -> String {
    if text.width() <= columns {
        return text.to_owned();
    }
    let room = columns.saturating_sub(1);
    let take = |chars: &mut dyn Iterator<Item = char>, room: usize| {
        let mut used = 0;
        let fits = |c: &char| {
            used += c.width().unwrap_or(0);
            used <= room
        };
        chars.take_while(fits).collect::<Vec<char>>()
    };
    // The end tells more than the beginning: width and format stand there.
    let tail = take(&mut text.chars().rev(), room * 2 / 3);
    let head = take(&mut text.chars(), room - room * 2 / 3);
    head.into_iter()
        .chain(['…'])
        .chain(tail.into_iter().rev())
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_are_shortened_in_the_middle() {
        assert_eq!(shortened("rooms/a.png", 20), "rooms/a.png");
        let short = shortened("banners/a very long name indeed-1200.webp", 20);
        assert_eq!(
            (short.as_str(), short.width()),
            ("banners…ed-1200.webp", 20)
        );
        assert!(shortened("写真/灯台の写真-1200.webp", 18).width() <= 18);
    }

    #[test]
    fn weights_are_read_in_every_unit() {
        let cases = [
            ("100", 100),
            ("1B", 1),
            ("100KB", 100_000),
            ("100 kb", 100_000),
            ("1.5MB", 1_500_000),
            ("2KiB", 2048),
            ("0.5 MiB", 524_288),
            ("20k", 20_000),
        ];
        for (text, bytes) in cases {
            assert_eq!(parse_weight(text), Ok(bytes), "{text}");
        }
        for text in [
            "",
            "0",
            "KB",
            "-5KB",
            "5 apples",
            "1e9",
            "1.2.3KB",
            "99999999999999999999",
        ] {
            assert!(parse_weight(text).is_err(), "{text}");
        }
    }

    #[test]
    fn weights_are_printed_in_three_digits() {
        let cases = [
            (0, "0 B"),
            (999, "999 B"),
            (1_000, "1.00 KB"),
            (9_994, "9.99 KB"),
            (9_996, "10.0 KB"),
            (99_960, "100 KB"),
            (999_499, "999 KB"),
            (999_500, "1.00 MB"),
            (12_345_678, "12.3 MB"),
            (2_000_000_000, "2.00 GB"),
        ];
        for (bytes, text) in cases {
            assert_eq!(weight(bytes), text);
        }
    }

    #[test]
    fn changes_have_a_sign() {
        let cases = [
            (1000, 28, "−97.2%"),
            (1000, 1000, "±0%"),
            (1000, 1120, "+12.0%"),
            (100, 330, "+230%"),
            (0, 5, ""),
        ];
        for (before, after, text) in cases {
            assert_eq!(change(before, after), text);
        }
    }

    #[test]
    fn parts_turns_and_mirrors_are_read_or_refused() {
        for (text, part) in [
            ("33%", 0.33),
            ("0.5", 0.5),
            (" 100 % ", 1.0),
            ("1", 1.0),
            ("150%", 1.5),
        ] {
            assert!(
                parse_scale(text).is_ok_and(|found| (found - part).abs() < 1e-12),
                "{text}"
            );
        }
        for text in ["", "0", "0%", "801%", "9", "-5%", "half", "NaN"] {
            assert!(parse_scale(text).is_err(), "{text}");
        }
        for (degrees, turn) in TURNS {
            assert_eq!(parse_turn(degrees), Ok(turn));
        }
        for (sides, mirror) in MIRRORS {
            assert_eq!(parse_mirror(sides), Ok(mirror));
        }
        assert!(parse_turn("45").is_err() && parse_mirror("left").is_err());
        assert!(parse_fit("squash").is_err() && parse_fit("pad") == Ok(Fit::Pad));
    }

    #[test]
    fn weights_are_written_as_they_would_be_typed() {
        for bytes in [20_000, 250_000, 1_500, 999, 1_000_001] {
            assert_eq!(parse_weight(&weight_typed(bytes)), Ok(bytes));
        }
        assert_eq!(weight_typed(250_000), "250 KB");
    }

    #[test]
    fn names_cannot_steer_a_terminal() {
        assert_eq!(
            safe("a\n\u{1b}[31mb\u{202E}gnp.ü"),
            "a\\u{a}\\u{1b}[31mb\\u{202e}gnp.ü"
        );
    }
}
