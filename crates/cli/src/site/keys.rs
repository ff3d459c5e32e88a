//! The keys of `[every]` and of places, and what each takes.

use kiln_core::pixels::Size;
use kiln_core::plan::Extent;
use toml::de::DeValue;

use crate::layer::{Bound, Given, Layer, Origin};
use crate::wording;

/// The keys at the top of a kiln file.
pub const TOP: [&str; 8] = [
    "originals",
    "out",
    "labels",
    "max-total",
    "every",
    "place",
    "page",
    "metadata",
];

/// The keys of a page.
pub const PAGE: [&str; 3] = ["places", "of", "max-total"];

/// The keys of `[metadata]`.
pub const METADATA: [&str; 3] = ["keep", "write", "resolution"];

/// A key that a place can have.
pub struct Key {
    name: &'static str,
    take: fn(&mut Layer, &DeValue<'_>, Origin) -> Result<(), Refusal>,
}

/// Why a key is not taken.
pub enum Refusal {
    /// Its value is wrong; the text says what is allowed.
    Value(String),
    /// It excludes another that is there too.
    Twice(String),
}

impl From<String> for Refusal {
    fn from(says: String) -> Self {
        Refusal::Value(says)
    }
}

impl Key {
    /// Takes a value into a layer.
    pub fn take(&self, layer: &mut Layer, value: &DeValue<'_>, line: usize) -> Result<(), Refusal> {
        (self.take)(layer, value, Origin::Line(line))
    }
}

/// The key of a name.
pub fn find(name: &str) -> Option<&'static Key> {
    KEYS.iter().find(|key| key.name == name)
}

/// The names of all keys of a place.
pub fn names() -> Vec<&'static str> {
    let names = KEYS.iter().map(|key| key.name);
    std::iter::once("of").chain(names).collect()
}

const fn take(
    name: &'static str,
    take: fn(&mut Layer, &DeValue<'_>, Origin) -> Result<(), Refusal>,
) -> Key {
    Key { name, take }
}

/// A key with a single value, which goes into the layer's slot as it is read.
macro_rules! single {
    ($name:literal, $slot:ident, $parse:expr) => {
        take($name, |layer, value, origin| {
            put(&mut layer.$slot, one(value, $parse)?, origin)
        })
    };
}

const KEYS: [Key; 28] = [
    take("width", |layer, value, origin| {
        let widths = all(value, "a width", wording::parse_width)?;
        extent(layer, Extent::Widths(widths), origin)
    }),
    take("height", |layer, value, origin| {
        let heights = all(value, "a height", wording::parse_width)?;
        extent(layer, Extent::Heights(heights), origin)
    }),
    take("long-side", |layer, value, origin| {
        let sides = all(value, "a long side", wording::parse_width)?;
        extent(layer, Extent::LongSide(sides), origin)
    }),
    take("scale", |layer, value, origin| {
        let part = one(value, wording::parse_scale)?;
        extent(layer, Extent::Scale(part), origin)
    }),
    take("densities", |layer, value, origin| {
        let densities = all(value, "a density", wording::parse_density)?;
        put(&mut layer.densities, densities, origin)
    }),
    take("formats", |layer, value, origin| {
        let formats = all(value, "a format", wording::parse_format)?;
        put(&mut layer.formats, wording::once(&formats), origin)
    }),
    take("max-weight", |layer, value, origin| {
        let most = one(value, wording::parse_weight)?;
        bound(layer, Bound::Weight(most), origin)
    }),
    take("quality", |layer, value, origin| {
        let dial = one(value, wording::parse_quality)?;
        if layer.look.is_some() {
            return Err(Refusal::Twice(DIAL_AND_LOOK.to_owned()));
        }
        bound(layer, Bound::Dial(dial), origin)
    }),
    take("min-size", |layer, value, origin| {
        let form = "it is a width and a height in pixels, such as [1200, 675]";
        let sides = all(value, "a side", wording::parse_width).map_err(|_| form.to_owned())?;
        let size = match sides[..] {
            [width, height] => Size::new(width, height),
            _ => None,
        };
        let size = size.ok_or_else(|| form.to_owned())?;
        put(&mut layer.min_size, size, origin)
    }),
    single!("backdrop", backdrop, wording::parse_backdrop),
    single!("name", name, wording::parse_name),
    single!("shape", shape, wording::parse_named),
    single!("focus", focus, wording::parse_named),
    single!("fit", fit, wording::parse_fit),
    single!("turn", turn, wording::parse_turn),
    single!("mirror", mirror, wording::parse_mirror),
    single!("enlarge", enlarge, wording::parse_switch),
    single!("trim", trim, wording::parse_switch),
    single!("knock-out", knock_out, wording::parse_knock_out),
    single!("knock-out-holes", knock_out_holes, wording::parse_switch),
    single!("sizing", sizing, wording::parse_named),
    single!("sharpen", sharpen, wording::parse_named),
    single!("colour", colour, wording::parse_named),
    take("look", |layer, value, origin| {
        let look = one(value, wording::parse_look)?;
        if matches!(&layer.bound, Some(bound) if matches!(bound.value, Bound::Dial(_))) {
            return Err(Refusal::Twice(DIAL_AND_LOOK.to_owned()));
        }
        put(&mut layer.look, look, origin)
    }),
    single!("least-look", least_look, wording::parse_least_look),
    single!("aim", sharpest, wording::parse_aim),
    single!("shrink-to-fit", shrink_to_fit, wording::parse_switch),
    single!("pace", pace, wording::parse_pace),
];

const DIAL_AND_LOOK: &str = "quality sets a dial and look searches for one; take one out";

fn put<T>(slot: &mut Option<Given<T>>, value: T, origin: Origin) -> Result<(), Refusal> {
    *slot = Some(Given { value, origin });
    Ok(())
}

fn extent(layer: &mut Layer, value: Extent, origin: Origin) -> Result<(), Refusal> {
    match layer.extent.replace(Given { value, origin }) {
        None => Ok(()),
        Some(_) => Err(Refusal::Twice(
            "only one of width, height, long-side and scale can hold; take one out".to_owned(),
        )),
    }
}

fn bound(layer: &mut Layer, value: Bound, origin: Origin) -> Result<(), Refusal> {
    match layer.bound.replace(Given { value, origin }) {
        None => Ok(()),
        Some(_) => Err(Refusal::Twice(
            "quality sets a dial and max-weight searches for one; take one out".to_owned(),
        )),
    }
}

/// A text or a number as it was typed.
fn text(value: &DeValue<'_>) -> Option<String> {
    match value {
        DeValue::String(text) => Some(text.to_string()),
        DeValue::Integer(number) => Some(number.as_str().to_owned()),
        DeValue::Float(number) => Some(number.as_str().to_owned()),
        DeValue::Boolean(yes) => Some(yes.to_string()),
        _ => None,
    }
}

/// One text or number, or a list of them.
pub fn texts(value: &DeValue<'_>) -> Option<Vec<String>> {
    match value.as_array() {
        Some(list) => list.iter().map(|value| text(value.get_ref())).collect(),
        None => Some(vec![text(value)?]),
    }
}

pub(super) fn one<T>(
    value: &DeValue<'_>,
    parse: fn(&str) -> Result<T, String>,
) -> Result<T, String> {
    match text(value) {
        Some(text) => parse(&text),
        // What is no text at all is told what is allowed in the same words.
        None => parse("\0").and(Err("it is a single value".to_owned())),
    }
}

fn all<T>(
    value: &DeValue<'_>,
    what: &str,
    parse: fn(&str) -> Result<T, String>,
) -> Result<Vec<T>, String> {
    let texts = texts(value).ok_or_else(|| format!("it is {what} or a list of such"))?;
    if texts.is_empty() {
        return Err(format!("the list is empty; name {what}"));
    }
    texts.iter().map(|text| parse(text)).collect()
}
