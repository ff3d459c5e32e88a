//! How the pixels of a piece are computed from those of its original.

use std::str::FromStr;

use serde::{Deserialize, Serialize};

use super::{Backdrop, NoFraming};

/// How the samples of a smaller (or larger) picture are weighed out of the original's.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Kernel {
    /// As sharp as a three-lobed windowed sinc, and held where that would ring.
    #[default]
    Clear,
    /// A soft cubic that never rings and calms grain (D. Mitchell, A. Netravali, 1988, with
    /// B = 1, C = 0: a cubic B-spline).
    Gentle,
    /// The mean of what each pixel covers.
    Even,
    /// The nearest sample, untouched: for pixel art and codes that are scanned.
    Hard,
}

/// How much crisper a sized picture is made.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Sharpen {
    /// Not at all.
    #[default]
    None,
    /// A little.
    Soft,
    /// As much as small text and thin lines bear.
    Crisp,
}

/// Which colours a piece can hold.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum ColourWish {
    /// sRGB, which every screen shows alike.
    #[default]
    Srgb,
    /// Display P3 where the original's profile holds more than sRGB does.
    Keep,
}

/// A plain background that becomes transparent.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct KnockOut {
    /// The background, in sRGB; `None` where the border shows it.
    pub colour: Option<[u8; 3]>,
    /// Whether areas of that colour go that do not touch the border.
    pub holes: bool,
}

/// How the pixels of a piece are computed.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Rendering {
    /// How samples are weighed.
    pub kernel: Kernel,
    /// How much crisper the result is made.
    pub sharpen: Sharpen,
    /// Which colours it can hold.
    pub colour: ColourWish,
    /// What is made transparent before anything else.
    pub knock_out: Option<KnockOut>,
}

/// The names of an enum's values, one table for reading and telling.
trait Named: Copy + PartialEq + 'static {
    const NAMES: &'static [(&'static str, Self)];

    fn name(self) -> &'static str {
        let named = Self::NAMES.iter().find(|(_, value)| *value == self);
        named.map_or("", |(name, _)| name)
    }

    fn of(text: &str) -> Option<Self> {
        let text = text.trim();
        let named = Self::NAMES.iter().find(|(name, _)| *name == text);
        named.map(|(_, value)| *value)
    }
}

impl Named for Kernel {
    const NAMES: &'static [(&'static str, Kernel)] = &[
        ("clear", Kernel::Clear),
        ("gentle", Kernel::Gentle),
        ("even", Kernel::Even),
        ("hard", Kernel::Hard),
    ];
}

impl Named for Sharpen {
    const NAMES: &'static [(&'static str, Sharpen)] = &[
        ("none", Sharpen::None),
        ("soft", Sharpen::Soft),
        ("crisp", Sharpen::Crisp),
    ];
}

impl Named for ColourWish {
    const NAMES: &'static [(&'static str, ColourWish)] =
        &[("srgb", ColourWish::Srgb), ("keep", ColourWish::Keep)];
}

impl FromStr for Kernel {
    type Err = NoFraming;

    fn from_str(text: &str) -> Result<Kernel, NoFraming> {
        Kernel::of(text).ok_or(NoFraming(
            "a sizing is clear, gentle (calms grain), even (plain means) or hard (pixels stay pixels)",
        ))
    }
}

impl FromStr for Sharpen {
    type Err = NoFraming;

    fn from_str(text: &str) -> Result<Sharpen, NoFraming> {
        Sharpen::of(text).ok_or(NoFraming("sharpening is none, soft or crisp"))
    }
}

impl FromStr for ColourWish {
    type Err = NoFraming;

    fn from_str(text: &str) -> Result<ColourWish, NoFraming> {
        ColourWish::of(text).ok_or(NoFraming(
            "a colour is srgb, or keep (what goes beyond sRGB stays, as Display P3)",
        ))
    }
}

impl std::fmt::Display for Kernel {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(self.name())
    }
}

impl std::fmt::Display for Sharpen {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(self.name())
    }
}

impl std::fmt::Display for ColourWish {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(self.name())
    }
}

impl std::fmt::Display for KnockOut {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self.colour {
            Some(colour) => write!(f, "{}", Backdrop::Colour(colour)),
            None => f.write_str("auto"),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn survives<T: FromStr<Err = NoFraming> + std::fmt::Display + Named + std::fmt::Debug>() {
        for (name, value) in T::NAMES {
            assert_eq!(value.to_string(), *name);
            assert_eq!(format!(" {name} ").parse::<T>(), Ok(*value));
        }
        assert!("lanczos".parse::<T>().is_err() && "".parse::<T>().is_err());
    }

    #[test]
    fn every_name_is_read_as_it_is_told() {
        survives::<Kernel>();
        survives::<Sharpen>();
        survives::<ColourWish>();
        let knock_out = |colour| KnockOut {
            colour,
            holes: false,
        };
        let told = [None, Some([255; 3]), Some([1, 2, 3])].map(|c| knock_out(c).to_string());
        assert_eq!(told, ["auto", "white", "#010203"]);
    }
}
