//! What a setting is: a key of the kiln file, an option of the command line, how it is read and what
//! it means; and what the table of settings is written with.

use kiln_core::pixels::Orientation;
use kiln_core::plan::{CodingWish, LookWish, Wish};

use super::{Given, Layer, Origin};

/// A value as people read it, and where it was given.
pub(super) type ToldValue = (String, Option<Origin>);

/// A setting of a place: a key of the kiln file, and an option of `kiln fire`.
pub struct Setting {
    /// Its key.
    pub key: &'static str,
    /// Its option, where it has one.
    pub option: Option<Opt>,
    pub(super) take: fn(&mut Layer, &Typed, Origin) -> Result<(), Refusal>,
    /// Puts what a layer says of it into a wish.
    pub(super) apply: fn(&Layer, &mut Wish),
    /// Its value where it is worth telling, and where that comes from.
    pub(super) tell: fn(&Layer, &Wish) -> Option<ToldValue>,
}

/// An option of the command line.
pub struct Opt {
    /// Its long name.
    pub long: &'static str,
    /// Its one-letter name.
    pub short: Option<char>,
    /// What its value is called; `None` for a switch.
    pub value: Option<&'static str>,
    /// What it does.
    pub help: &'static str,
    /// Keys of settings that cannot be given with it.
    pub excludes: &'static [&'static str],
}

/// A value as it was typed.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Typed {
    /// A text or a number.
    One(String),
    /// A list of such.
    List(Vec<String>),
    /// Neither.
    Other,
}

/// Why a value is not taken.
#[derive(Debug)]
pub enum Refusal {
    /// It is wrong; the text says what is allowed.
    Value(String),
    /// It excludes another that is there too.
    Twice(String),
}

impl From<String> for Refusal {
    fn from(says: String) -> Self {
        Refusal::Value(says)
    }
}

impl Setting {
    /// Takes a value, or a list of such, into a layer.
    pub fn take(&self, layer: &mut Layer, typed: &Typed, origin: Origin) -> Result<(), Refusal> {
        (self.take)(layer, typed, origin)
    }
}

pub(super) type Taken = Result<(), Refusal>;

pub(super) const fn option(long: &'static str, value: &'static str, help: &'static str) -> Opt {
    Opt {
        long,
        short: None,
        value: Some(value),
        help,
        excludes: &[],
    }
}

impl Opt {
    pub(super) const fn short(self, short: char) -> Opt {
        Opt {
            short: Some(short),
            ..self
        }
    }

    pub(super) const fn excludes(self, excludes: &'static [&'static str]) -> Opt {
        Opt { excludes, ..self }
    }
}

/// A setting with a single value in a slot of its own.
macro_rules! single {
    ($key:literal, $slot:ident, $parse:expr, $option:expr, $apply:expr, $tell:expr) => {
        Setting {
            key: $key,
            option: $option,
            take: |layer, texts, origin| put(&mut layer.$slot, one(texts, $parse)?, origin),
            apply: |layer, wish| {
                if let Some(given) = &layer.$slot {
                    let apply: fn(&mut Wish, _) = $apply;
                    apply(wish, given.value.clone());
                }
            },
            tell: |layer, wish| {
                let tell: fn(&Layer, &Wish) -> Option<String> = $tell;
                Some((tell(layer, wish)?, origin(&layer.$slot)))
            },
        }
    };
}

/// A switch in a slot of its own.
macro_rules! switch {
    ($key:literal, $slot:ident, $help:literal, $apply:expr) => {
        single!(
            $key,
            $slot,
            wording::parse_switch,
            Some(Opt {
                long: $key,
                short: None,
                value: None,
                help: $help,
                excludes: &[],
            }),
            $apply,
            |layer, _| {
                let on = layer.$slot.as_ref().is_some_and(|given| given.value);
                on.then(|| "true".to_owned())
            }
        )
    };
}

/// A measure of pictures, of which only one holds.
macro_rules! measure {
    ($key:literal, $take:expr, $option:expr, $tell:expr) => {
        Setting {
            key: $key,
            option: Some($option),
            take: |layer, texts, origin| {
                let take: fn(&Typed) -> Result<Extent, String> = $take;
                let twice = "only one of width, height, long-side and scale can hold; take one out";
                alone(&mut layer.extent, take(texts)?, origin, twice)
            },
            // The last of them to be asked finds it in the slot as well.
            apply: |layer, wish| wish.extent = given(&layer.extent, Extent::Own),
            tell: |layer, wish| {
                let tell: fn(&Extent) -> Option<String> = $tell;
                Some((tell(&wish.extent)?, origin(&layer.extent)))
            },
        }
    };
}

pub(super) fn put<T>(slot: &mut Option<Given<T>>, value: T, origin: Origin) -> Taken {
    *slot = Some(Given { value, origin });
    Ok(())
}

/// Puts a value into a slot that several settings share, where no other is there yet.
pub(super) fn alone<T>(
    slot: &mut Option<Given<T>>,
    value: T,
    origin: Origin,
    twice: &str,
) -> Taken {
    match slot.replace(Given { value, origin }) {
        None => Ok(()),
        Some(_) => Err(Refusal::Twice(twice.to_owned())),
    }
}

/// A single value.
pub fn one<T>(typed: &Typed, parse: fn(&str) -> Result<T, String>) -> Result<T, String> {
    match typed {
        Typed::One(text) => parse(text),
        // What is no single text is told what is allowed in the same words.
        Typed::List(_) | Typed::Other => parse("\0").and(Err("it is a single value".to_owned())),
    }
}

/// Values, at least one.
pub(super) fn all<T>(
    typed: &Typed,
    what: &str,
    parse: fn(&str) -> Result<T, String>,
) -> Result<Vec<T>, String> {
    match typed {
        Typed::One(text) => Ok(vec![parse(text)?]),
        Typed::List(texts) if texts.is_empty() => Err(format!("the list is empty; name {what}")),
        Typed::List(texts) => texts.iter().map(|text| parse(text)).collect(),
        Typed::Other => Err(format!("it is {what} or a list of such")),
    }
}

pub(super) fn given<T: Clone>(given: &Option<Given<T>>, usual: T) -> T {
    given.as_ref().map_or(usual, |given| given.value.clone())
}

pub(super) fn origin<T>(given: &Option<Given<T>>) -> Option<Origin> {
    given.as_ref().map(|given| given.origin.clone())
}

/// Changes the look that a wish has, where it has one.
pub(super) fn looked(wish: &mut Wish, change: impl FnOnce(&mut LookWish)) {
    if let CodingWish::Look(look) = &mut wish.coding {
        change(look);
    }
}

pub(super) fn look_of(wish: &Wish) -> Option<LookWish> {
    match wish.coding {
        CodingWish::Look(look) => Some(look),
        CodingWish::Exact | CodingWish::Dial(_) => None,
    }
}

/// A value that is not the usual one.
pub(super) fn unusual<T: PartialEq + ToString>(value: T, usual: T) -> Option<String> {
    (value != usual).then(|| value.to_string())
}

/// The name of a value in a table.
pub(super) fn named(
    given: &Option<Given<Orientation>>,
    names: &[(&str, Orientation)],
) -> Option<String> {
    let value = given.as_ref()?.value;
    let named = names.iter().find(|(_, named)| *named == value);
    named.map(|(name, _)| (*name).to_owned())
}

pub(super) fn listed<T: ToString>(values: &[T]) -> String {
    let values: Vec<String> = values.iter().map(T::to_string).collect();
    values.join(", ")
}
