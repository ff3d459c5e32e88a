//! Screens, and what media queries (Media Queries Level 4), `sizes` attributes and lengths come to on
//! them.

use std::fmt;
use std::str::FromStr;

use cssparser::{ParseError, Parser, Token};
use serde::Serialize;

/// A screen that a page is shown on.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct Viewport {
    /// CSS pixels.
    pub width: f64,
    /// CSS pixels.
    pub height: f64,
    /// Device pixels per CSS pixel.
    pub density: f64,
}

/// No screen: `390x844@3` and `1440x900` are.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct NoViewport;

impl fmt::Display for NoViewport {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(
            "a screen is WIDTHxHEIGHT or WIDTHxHEIGHT@DENSITY, each side from 50 to 10000 CSS \
             pixels, the density from 0.5 to 8, such as 390x844@3",
        )
    }
}

impl std::error::Error for NoViewport {}

impl FromStr for Viewport {
    type Err = NoViewport;

    fn from_str(text: &str) -> Result<Viewport, NoViewport> {
        let (sides, density) = text.split_once('@').unwrap_or((text, "1"));
        let (width, height) = sides.split_once(['x', '×']).ok_or(NoViewport)?;
        let side = |text: &str| {
            let side: u32 = text.trim().parse().map_err(|_| NoViewport)?;
            let fits = (50..=10_000).contains(&side);
            fits.then_some(f64::from(side)).ok_or(NoViewport)
        };
        let density: f64 = density.trim().parse().map_err(|_| NoViewport)?;
        if !(0.5..=8.0).contains(&density) {
            return Err(NoViewport);
        }
        Ok(Viewport {
            width: side(width)?,
            height: side(height)?,
            density,
        })
    }
}

impl fmt::Display for Viewport {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}x{}@{}", self.width, self.height, self.density)
    }
}

/// Brackets within brackets that are followed.
const DEPTH: u32 = 24;

/// CSS pixels of a letter's height where nothing says otherwise.
const EM: f64 = 16.0;

/// Whether a media query list holds. What is not known does not hold.
pub fn holds(query: &str, viewport: &Viewport) -> bool {
    let mut parser = Parser::new(query);
    if parser.is_exhausted() {
        return true;
    }
    let queries = parser.parse_comma_separated(|parser| {
        // A query that is wrong does not hold; the others count.
        let held = parser.try_parse(|parser| -> Result<bool, Nothing> {
            let held = query_holds(parser, viewport)?;
            parser.expect_exhausted()?;
            Ok(held)
        });
        while parser.next().is_ok() {}
        Ok::<bool, Nothing>(held.unwrap_or(false))
    });
    queries.is_ok_and(|held| held.contains(&true))
}

/// What is not as expected; why is of no use here.
type Nothing = ParseError<()>;

fn query_holds(p: &mut Parser<'_>, viewport: &Viewport) -> Result<bool, Nothing> {
    let alone = p.try_parse(|p| -> Result<_, Nothing> {
        let held = condition(p, viewport, DEPTH)?;
        p.expect_exhausted()?;
        Ok(held)
    });
    if let Ok(held) = alone {
        return Ok(held == Some(true));
    }
    let negated = p.try_parse(|p| p.expect_ident_matching("not")).is_ok();
    let _ = p.try_parse(|p| p.expect_ident_matching("only"));
    let medium = p.expect_ident()?.to_ascii_lowercase();
    let mut held = Some(matches!(medium.as_str(), "all" | "screen"));
    if p.try_parse(|p| p.expect_ident_matching("and")).is_ok() {
        held = both(held, condition(p, viewport, DEPTH)?);
    }
    Ok(if negated {
        held == Some(false)
    } else {
        held == Some(true)
    })
}

fn both(a: Option<bool>, b: Option<bool>) -> Option<bool> {
    match (a, b) {
        (Some(false), _) | (_, Some(false)) => Some(false),
        (Some(true), Some(true)) => Some(true),
        _ => None,
    }
}

fn either(a: Option<bool>, b: Option<bool>) -> Option<bool> {
    both(a.map(|a| !a), b.map(|b| !b)).map(|neither| !neither)
}

/// A media condition: true, false, or unknown.
fn condition(p: &mut Parser<'_>, viewport: &Viewport, depth: u32) -> Result<Option<bool>, Nothing> {
    if p.try_parse(|p| p.expect_ident_matching("not")).is_ok() {
        return Ok(group(p, viewport, depth)?.map(|held| !held));
    }
    let mut held = group(p, viewport, depth)?;
    loop {
        if p.try_parse(|p| p.expect_ident_matching("and")).is_ok() {
            held = both(held, group(p, viewport, depth)?);
        } else if p.try_parse(|p| p.expect_ident_matching("or")).is_ok() {
            held = either(held, group(p, viewport, depth)?);
        } else {
            return Ok(held);
        }
    }
}

/// A condition or feature in brackets.
fn group(p: &mut Parser<'_>, viewport: &Viewport, depth: u32) -> Result<Option<bool>, Nothing> {
    match p.next()?.clone() {
        Token::ParenthesisBlock if depth > 0 => p.parse_nested_block(|p| {
            let inner = p.try_parse(|p| -> Result<_, Nothing> {
                let held = condition(p, viewport, depth - 1)?;
                p.expect_exhausted()?;
                Ok(held)
            });
            if let Ok(held) = inner {
                return Ok(held);
            }
            let held = p.try_parse(|p| -> Result<_, Nothing> {
                let held = feature(p, viewport)?;
                p.expect_exhausted()?;
                Ok(held)
            });
            while p.next().is_ok() {}
            Ok(held.unwrap_or(None))
        }),
        Token::Function(_) if depth > 0 => p.parse_nested_block(|p| {
            while p.next().is_ok() {}
            Ok(None)
        }),
        _ => Err(Nothing::custom(())),
    }
}

/// A feature: `min-width: 600px`, `width >= 600px`, `400px < width < 600px`, `hover`.
fn feature(p: &mut Parser<'_>, viewport: &Viewport) -> Result<Option<bool>, Nothing> {
    if let Ok(name) = p.try_parse(|p| p.expect_ident().map(|name| name.to_ascii_lowercase())) {
        if p.is_exhausted() {
            return Ok(bare(&name));
        }
        if p.try_parse(Parser::expect_colon).is_ok() {
            return plain(p, &name, viewport);
        }
        let order = order(p)?;
        let limit = value(p, viewport)?;
        return Ok(fact(&name, viewport).map(|fact| order.holds(fact, limit)));
    }
    let low = value(p, viewport)?;
    let first = order(p)?;
    let name = p.expect_ident()?.to_ascii_lowercase();
    let fact = fact(&name, viewport);
    let mut held = fact.map(|fact| first.holds(low, fact));
    if !p.is_exhausted() {
        let second = order(p)?;
        let high = value(p, viewport)?;
        held = both(held, fact.map(|fact| second.holds(fact, high)));
    }
    Ok(held)
}

/// How two values are compared.
#[derive(Clone, Copy)]
struct Order {
    less: bool,
    equal: bool,
    greater: bool,
}

impl Order {
    fn holds(self, a: f64, b: f64) -> bool {
        (self.less && a < b) || (self.equal && a == b) || (self.greater && a > b)
    }
}

fn order(p: &mut Parser<'_>) -> Result<Order, Nothing> {
    let sign = match p.next()? {
        Token::Delim(sign) => *sign,
        _ => return Err(Nothing::custom(())),
    };
    let equal = sign == '=' || p.try_parse(|p| p.expect_delim('=')).is_ok();
    Ok(Order {
        less: sign == '<',
        equal,
        greater: sign == '>',
    })
}

/// What a screen is, as a number: lengths in CSS pixels, densities in device pixels per CSS pixel.
fn fact(name: &str, viewport: &Viewport) -> Option<f64> {
    match name {
        "width" | "device-width" => Some(viewport.width),
        "height" | "device-height" => Some(viewport.height),
        "resolution" | "-webkit-device-pixel-ratio" => Some(viewport.density),
        "aspect-ratio" | "device-aspect-ratio" => Some(viewport.width / viewport.height),
        "color" => Some(8.0),
        "monochrome" | "color-index" | "grid" => Some(0.0),
        _ => None,
    }
}

/// A feature that is merely named.
fn bare(name: &str) -> Option<bool> {
    match name {
        "hover"
        | "any-hover"
        | "pointer"
        | "any-pointer"
        | "scripting"
        | "update"
        | "overflow-block"
        | "overflow-inline"
        | "color-gamut"
        | "orientation"
        | "prefers-color-scheme"
        | "display-mode" => Some(true),
        "prefers-reduced-motion"
        | "prefers-reduced-data"
        | "prefers-contrast"
        | "prefers-reduced-transparency"
        | "forced-colors"
        | "inverted-colors" => Some(false),
        _ => fact(name, &Viewport::default()).map(|fact| fact > 0.0),
    }
}

impl Default for Viewport {
    /// A common screen on a desk.
    fn default() -> Self {
        Viewport {
            width: 1440.0,
            height: 900.0,
            density: 1.0,
        }
    }
}

/// A feature with a value.
fn plain(p: &mut Parser<'_>, name: &str, viewport: &Viewport) -> Result<Option<bool>, Nothing> {
    if let Ok(word) = p.try_parse(|p| p.expect_ident().map(|word| word.to_ascii_lowercase())) {
        let is = |usual: &str| Some(word == usual);
        return Ok(match name {
            "orientation" => Some((word == "portrait") == (viewport.height >= viewport.width)),
            "prefers-color-scheme" => is("light"),
            "prefers-reduced-motion"
            | "prefers-reduced-data"
            | "prefers-contrast"
            | "prefers-reduced-transparency" => is("no-preference"),
            "forced-colors" | "inverted-colors" => is("none"),
            "hover" | "any-hover" => is("hover"),
            "pointer" | "any-pointer" => is("fine"),
            "scripting" => is("enabled"),
            "update" => is("fast"),
            "display-mode" => is("browser"),
            "color-gamut" => is("srgb"),
            "dynamic-range" | "video-dynamic-range" => is("standard"),
            _ => None,
        });
    }
    let limit = value(p, viewport)?;
    let (prefix, rest) = ["min-", "max-", "-webkit-min-", "-webkit-max-"]
        .into_iter()
        .find_map(|prefix| Some((prefix, name.strip_prefix(prefix)?)))
        .unwrap_or(("", name));
    let rest = if prefix.starts_with("-webkit") && rest == "device-pixel-ratio" {
        "resolution"
    } else {
        rest
    };
    Ok(fact(rest, viewport).map(|fact| {
        if prefix.ends_with("min-") {
            fact >= limit
        } else if prefix.ends_with("max-") {
            fact <= limit
        } else {
            fact == limit
        }
    }))
}

/// A length in CSS pixels, a resolution in device pixels per CSS pixel, a ratio or a number.
fn value(p: &mut Parser<'_>, viewport: &Viewport) -> Result<f64, Nothing> {
    let value = measure(p, viewport, DEPTH)?.amount;
    if p.try_parse(|p| p.expect_delim('/')).is_ok() {
        return Ok(value / f64::from(p.expect_number()?));
    }
    Ok(value)
}

/// A number, or a length in CSS pixels.
#[derive(Clone, Copy)]
struct Measure {
    amount: f64,
    is_length: bool,
}

/// A value and what it is made of.
fn measure(p: &mut Parser<'_>, viewport: &Viewport, depth: u32) -> Result<Measure, Nothing> {
    let plain = |amount: f32, is_length| Measure {
        amount: f64::from(amount),
        is_length,
    };
    match p.next()?.clone() {
        Token::Number { value, .. } => Ok(plain(value, false)),
        // Of the width of the screen, since nothing narrower is known.
        Token::Percentage { unit_value, .. } => Ok(Measure {
            amount: f64::from(unit_value) * viewport.width,
            is_length: true,
        }),
        Token::Dimension { value, unit, .. } => {
            let size = unit_size(&unit, viewport).ok_or_else(|| Nothing::custom(()))?;
            Ok(Measure {
                amount: f64::from(value) * size,
                is_length: true,
            })
        }
        Token::ParenthesisBlock if depth > 0 => {
            p.parse_nested_block(|p| sum(p, viewport, depth - 1))
        }
        Token::Function(name) if depth > 0 => {
            let name = name.to_ascii_lowercase();
            p.parse_nested_block(|p| {
                let parts = p.parse_comma_separated(|p| sum(p, viewport, depth - 1))?;
                let amounts = parts.iter().map(|part| part.amount);
                let amount = match (name.as_str(), &parts[..]) {
                    ("calc" | "-webkit-calc", [one]) => one.amount,
                    ("min", _) => amounts.fold(f64::INFINITY, f64::min),
                    ("max", _) => amounts.fold(f64::NEG_INFINITY, f64::max),
                    ("clamp", [low, middle, high]) => {
                        middle.amount.min(high.amount).max(low.amount)
                    }
                    _ => return Err(Nothing::custom(())),
                };
                Ok(Measure {
                    amount,
                    is_length: parts.iter().any(|part| part.is_length),
                })
            })
        }
        _ => Err(Nothing::custom(())),
    }
}

fn sum(p: &mut Parser<'_>, viewport: &Viewport, depth: u32) -> Result<Measure, Nothing> {
    let mut total = product(p, viewport, depth)?;
    loop {
        let sign = if p.try_parse(|p| p.expect_delim('+')).is_ok() {
            1.0
        } else if p.try_parse(|p| p.expect_delim('-')).is_ok() {
            -1.0
        } else {
            return Ok(total);
        };
        total.amount += sign * product(p, viewport, depth)?.amount;
    }
}

fn product(p: &mut Parser<'_>, viewport: &Viewport, depth: u32) -> Result<Measure, Nothing> {
    let mut total = measure(p, viewport, depth)?;
    loop {
        if p.try_parse(|p| p.expect_delim('*')).is_ok() {
            let by = measure(p, viewport, depth)?;
            total.amount *= by.amount;
            total.is_length |= by.is_length;
        } else if p.try_parse(|p| p.expect_delim('/')).is_ok() {
            total.amount /= measure(p, viewport, depth)?.amount;
        } else {
            return Ok(total);
        }
    }
}

/// CSS pixels of a unit of length, device pixels per CSS pixel of one of resolution.
fn unit_size(unit: &str, viewport: &Viewport) -> Option<f64> {
    let (width, height) = (viewport.width / 100.0, viewport.height / 100.0);
    let unit = unit.to_ascii_lowercase();
    // Small, large and dynamic screens are the same here.
    let of_screen = unit.strip_prefix(['s', 'l', 'd']).unwrap_or(&unit);
    Some(match of_screen {
        "vw" | "vi" => return Some(width),
        "vh" | "vb" => return Some(height),
        "vmin" => return Some(width.min(height)),
        "vmax" => return Some(width.max(height)),
        _ => match unit.as_str() {
            "px" => 1.0,
            "em" | "rem" | "ic" | "ric" => EM,
            "ex" | "ch" | "rex" | "rch" => EM / 2.0,
            "lh" | "rlh" => EM * 1.2,
            "in" => 96.0,
            "cm" => 96.0 / 2.54,
            "mm" => 96.0 / 25.4,
            "q" => 96.0 / 101.6,
            "pt" => 96.0 / 72.0,
            "pc" => 16.0,
            "dppx" | "x" => 1.0,
            "dpi" => 1.0 / 96.0,
            "dpcm" => 2.54 / 96.0,
            _ => return None,
        },
    })
}

/// A length in CSS pixels, where it is one: `300px`, `50%` of the screen, `calc(100vw - 2rem)`.
pub fn length(text: &str, viewport: &Viewport) -> Option<f64> {
    let mut parser = Parser::new(text);
    let measure = measure(&mut parser, viewport, DEPTH).ok()?;
    let is_length = measure.is_length || measure.amount == 0.0;
    let fits = is_length && measure.amount.is_finite() && measure.amount >= 0.0;
    (fits && parser.is_exhausted()).then_some(measure.amount)
}

/// Whether a `sizes` attribute leaves it to the layout.
pub fn is_auto(sizes: &str) -> bool {
    let first = sizes.split(',').next().unwrap_or("");
    first.trim().eq_ignore_ascii_case("auto")
}

/// What a `sizes` attribute comes to, in CSS pixels (HTML, "parse a sizes attribute"); the width of the
/// screen where no part of it holds.
pub fn sizes(text: &str, viewport: &Viewport) -> f64 {
    let mut parser = Parser::new(text);
    let parts = parser.parse_comma_separated(|p| {
        let alone = p.try_parse(|p| -> Result<_, Nothing> {
            let width = measure(p, viewport, DEPTH)?;
            p.expect_exhausted()?;
            Ok((Some(true), width))
        });
        let part = alone.or_else(|_| {
            p.try_parse(|p| -> Result<_, Nothing> {
                let held = condition(p, viewport, DEPTH)?;
                let width = measure(p, viewport, DEPTH)?;
                p.expect_exhausted()?;
                Ok((held, width))
            })
        });
        while p.next().is_ok() {}
        Ok::<_, Nothing>(part.ok())
    });
    let fits = |part: Option<(Option<bool>, Measure)>| match part {
        Some((Some(true), m)) if m.amount.is_finite() && m.amount >= 0.0 => Some(m.amount),
        _ => None,
    };
    let parts = parts.unwrap_or_default();
    let width = parts.into_iter().find_map(fits);
    width.unwrap_or(viewport.width)
}
