//! The kiln file: the settings of a site, read with everything that is wrong in it.

mod check;
mod diagnosis;
mod display;
mod keys;
mod markup;
mod pages;
mod targets;

use std::fs;
use std::path::{Path, PathBuf};

use kiln_core::credits::{Credits, Field};
use kiln_core::plan::{CreditsWish, Glob, Total, slug};
use toml::Spanned;
use toml::de::{DeTable, DeValue};

use crate::failure::Failure;
use crate::given::{MarkupGiven, TargetGiven};
use crate::layer::{self, Layer, Refusal};
use crate::rules::CheckLimits;
use crate::wording;
use diagnosis::{Source, Wrong};
pub use display::Display;

/// The name of a kiln file.
pub const NAME: &str = "kiln.toml";

/// A kiln file, read and checked.
#[derive(Clone, Debug)]
pub struct SiteFile {
    /// Where it is.
    pub path: PathBuf,
    /// The folder of the originals.
    pub originals: Option<PathBuf>,
    /// Where the pieces go.
    pub out: Option<PathBuf>,
    /// The label sheet.
    pub labels: Option<PathBuf>,
    /// What holds for every place that does not say otherwise.
    pub every: Layer,
    /// The places, in the order of the file.
    pub places: Vec<PlaceGiven>,
    /// What pieces say of themselves.
    pub credits: CreditsWish,
    /// What all pictures may weigh together, and its line.
    pub max_total: Option<(u64, usize)>,
    /// The pages, in the order of the file.
    pub pages: Vec<PageGiven>,
    /// What files are held to.
    pub check: CheckLimits,
    /// How pages are given their pieces.
    pub markup: MarkupGiven,
    /// Where pieces are delivered to, by their names, in the order of the file.
    pub targets: Vec<(String, TargetGiven)>,
    /// Who logs in at the addresses of originals and out folder, in the order of the file.
    pub accesses: Vec<(String, TargetGiven)>,
}

/// A page as the kiln file gives it.
#[derive(Clone, Debug)]
pub struct PageGiven {
    /// What its pictures may weigh together, and which they are.
    pub total: Total,
    /// The line of its budget.
    pub line: usize,
}

/// A place as the kiln file gives it.
#[derive(Clone, Debug)]
pub struct PlaceGiven {
    /// Its name.
    pub name: String,
    /// Which originals it shows.
    pub of: Vec<Glob>,
    /// What it says of them.
    pub layer: Layer,
    /// How a page shows them.
    pub display: Display,
}

/// A table with the spans of its keys and values.
type Table<'a> = DeTable<'a>;

/// A value with its span.
type Value<'a> = Spanned<DeValue<'a>>;

/// The kiln file of a folder: its own, or that of the nearest folder above.
pub fn find(folder: &Path) -> Option<PathBuf> {
    let folder = folder.canonicalize().ok()?;
    let candidates = folder.ancestors().map(|above| above.join(NAME));
    let found = candidates.into_iter().find(|path| path.is_file())?;
    // Shown as it is reached from here, where that is shorter.
    let shown =
        pathdiff::diff_paths(&found, &folder).filter(|shown| shown.components().count() < 4);
    Some(shown.unwrap_or(found))
}

/// Reads a kiln file; everything that is wrong in it is told at once.
pub fn read(path: &Path) -> Result<SiteFile, Failure> {
    let text = fs::read_to_string(path).map_err(|source| Failure::NoKilnFile {
        path: path.to_owned(),
        source,
    })?;
    parsed(path, &text).map_err(Failure::KilnFile)
}

/// The same from its text; what is wrong is explained with its lines.
pub fn parsed(path: &Path, text: &str) -> Result<SiteFile, String> {
    let source = Source { path, text };
    parse(&source).map_err(|wrongs| source.explain(&wrongs))
}

fn parse(source: &Source<'_>) -> Result<SiteFile, Vec<Wrong>> {
    let (document, errors) = DeTable::parse_recoverable(source.text);
    if !errors.is_empty() {
        return Err(errors.iter().map(Wrong::syntax).collect());
    }
    let folder = source.path.parent().unwrap_or(Path::new(""));
    let mut site = SiteFile {
        path: source.path.to_owned(),
        originals: None,
        out: None,
        labels: None,
        every: Layer::default(),
        places: Vec::new(),
        credits: CreditsWish::default(),
        max_total: None,
        pages: Vec::new(),
        check: CheckLimits::default(),
        markup: MarkupGiven::default(),
        targets: Vec::new(),
        accesses: Vec::new(),
    };
    let mut wrongs = Vec::new();
    for (key, value) in in_order(document.get_ref()) {
        let mut path = |path: &mut Option<PathBuf>| match value.get_ref().as_str() {
            Some(text) if text.contains("://") => *path = Some(text.into()),
            Some(text) if !text.trim().is_empty() => *path = Some(folder.join(text)),
            _ => wrongs.push(Wrong::value(
                key,
                value,
                "it is a path, such as \"originals\"",
            )),
        };
        match key.get_ref().as_ref() {
            "originals" => path(&mut site.originals),
            "out" => path(&mut site.out),
            "labels" => path(&mut site.labels),
            "every" => match value.get_ref().as_table() {
                Some(table) => site.every = layer(table, source, None, &mut wrongs).0,
                None => wrongs.push(Wrong::value(key, value, "it is a table: [every]")),
            },
            "place" => match value.get_ref().as_table() {
                Some(table) => site.places = places(table, source, &mut wrongs),
                None => wrongs.push(Wrong::value(key, value, "it is a table: [place.NAME]")),
            },
            "max-total" => match keys::one(value.get_ref(), wording::parse_weight) {
                Ok(most) => site.max_total = Some((most, source.line(key.span().start))),
                Err(says) => wrongs.push(Wrong::value(key, value, says)),
            },
            "page" => match value.get_ref().as_table() {
                Some(table) => {
                    site.pages = pages::read(table, document.get_ref(), source, &mut wrongs)
                }
                None => wrongs.push(Wrong::value(key, value, "it is a table: [page.NAME]")),
            },
            "check" => match value.get_ref().as_table() {
                Some(table) => site.check = check::read(table, folder, &mut wrongs),
                None => wrongs.push(Wrong::value(key, value, "it is a table: [check]")),
            },
            "markup" => match value.get_ref().as_table() {
                Some(table) => site.markup = markup::read(table, folder, &mut wrongs),
                None => wrongs.push(Wrong::value(key, value, "it is a table: [markup]")),
            },
            "target" => match value.get_ref().as_table() {
                Some(table) => {
                    site.targets = targets::read(table, source, &targets::TARGET, &mut wrongs)
                }
                None => wrongs.push(Wrong::value(key, value, "it is a table: [target.NAME]")),
            },
            "access" => match value.get_ref().as_table() {
                Some(table) => {
                    site.accesses = targets::read(table, source, &targets::ACCESS, &mut wrongs)
                }
                None => wrongs.push(Wrong::value(key, value, "it is a table: [access.NAME]")),
            },
            "metadata" => match value.get_ref().as_table() {
                Some(table) => site.credits = credits(table, &mut wrongs),
                None => wrongs.push(Wrong::value(key, value, "it is a table: [metadata]")),
            },
            _ => wrongs.push(Wrong::key(key, &keys::TOP, "at the top of a kiln file")),
        }
    }
    match wrongs.is_empty() {
        true => Ok(site),
        false => {
            wrongs.sort_by_key(|wrong| wrong.span.start);
            Err(wrongs)
        }
    }
}

/// The entries of a table in the order of the file.
fn in_order<'a, 'b>(
    table: &'a Table<'b>,
) -> Vec<(&'a Spanned<std::borrow::Cow<'b, str>>, &'a Value<'b>)> {
    let mut entries: Vec<_> = table.iter().collect();
    entries.sort_by_key(|(key, _)| key.span().start);
    entries
}

/// Reads `[every]` or a place; the globs of its `of` too, where it has one, and of a place how it is
/// shown.
fn layer(
    table: &Table<'_>,
    source: &Source<'_>,
    mut display: Option<&mut Display>,
    wrongs: &mut Vec<Wrong>,
) -> (Layer, Option<Vec<Glob>>) {
    let (mut layer, mut of) = (Layer::default(), None);
    for (key, value) in in_order(table) {
        let name = key.get_ref().as_ref();
        if name == "of" {
            match globs(value) {
                Ok(globs) => of = Some(globs),
                Err(says) => wrongs.push(Wrong::value(key, value, says)),
            }
            continue;
        }
        if let Some(taken) = display
            .as_mut()
            .and_then(|display| display.take(name, value))
        {
            if let Err(says) = taken {
                wrongs.push(Wrong::value(key, value, says));
            }
            continue;
        }
        let line = source.line(key.span().start);
        match layer::find(name) {
            None if display.is_none() && keys::DISPLAY.contains(&name) => {
                let says = "it is said of one place: put it into [place.NAME]".to_owned();
                wrongs.push(Wrong::whole(key, says));
            }
            None if display.is_none() => {
                wrongs.push(Wrong::key(key, &keys::of_every(), "of [every]"));
            }
            None => wrongs.push(Wrong::key(key, &keys::of_place(), "of a place")),
            Some(setting) => match keys::take(setting, &mut layer, value.get_ref(), line) {
                Ok(()) => {}
                Err(Refusal::Value(says)) => wrongs.push(Wrong::value(key, value, says)),
                Err(Refusal::Twice(says)) => wrongs.push(Wrong::whole(key, says)),
            },
        }
    }
    (layer, of)
}

fn globs(value: &Value<'_>) -> Result<Vec<Glob>, String> {
    let form = "it is a list of patterns for paths below the originals, such as [\"rooms/**\"]";
    let texts = keys::texts(value.get_ref()).filter(|texts| !texts.is_empty());
    let texts = texts.ok_or_else(|| form.to_owned())?;
    texts
        .iter()
        .map(|text| Glob::new(text).map_err(|error| format!("{text:?} is no pattern: {error}")))
        .collect()
}

fn places(table: &Table<'_>, source: &Source<'_>, wrongs: &mut Vec<Wrong>) -> Vec<PlaceGiven> {
    let mut places: Vec<PlaceGiven> = Vec::new();
    for (key, value) in in_order(table) {
        let name = key.get_ref().to_string();
        let Some(table) = value.get_ref().as_table() else {
            wrongs.push(Wrong::value(key, value, "a place is a table: [place.NAME]"));
            continue;
        };
        let mut display = Display::default();
        let (layer, of) = layer(table, source, Some(&mut display), wrongs);
        if let Some(other) = places.iter().find(|place| slug(&place.name) == slug(&name)) {
            let says = format!("its name is too much like that of {:?}", other.name);
            wrongs.push(Wrong::whole(key, says));
        }
        match of {
            Some(of) => places.push(PlaceGiven {
                name,
                of,
                layer,
                display,
            }),
            None if table.contains_key("of") => {} // Wrong, and named already.
            None => wrongs.push(Wrong::whole(
                key,
                "it does not say which originals it shows; add of = [\"FOLDER/**\"]".to_owned(),
            )),
        }
    }
    display::check(table, &places, wrongs);
    places
}

fn credits(table: &Table<'_>, wrongs: &mut Vec<Wrong>) -> CreditsWish {
    let mut wish = CreditsWish::default();
    let known = || Field::ALL.map(Field::name).join(", ");
    let field = |name: &str| Field::ALL.into_iter().find(|field| field.name() == name);
    for (key, value) in in_order(table) {
        match key.get_ref().as_ref() {
            "keep" => {
                let texts = keys::texts(value.get_ref());
                let fields = texts.and_then(|texts| texts.iter().map(|text| field(text)).collect());
                match fields {
                    Some(fields) => wish.keep = fields,
                    None => {
                        let says = format!("it is a list of {}", known());
                        wrongs.push(Wrong::value(key, value, says));
                    }
                }
            }
            "write" => match value.get_ref().as_table() {
                Some(table) => {
                    let mut write = Credits::default();
                    for (key, value) in in_order(table) {
                        match (field(key.get_ref()), value.get_ref().as_str()) {
                            (None, _) => {
                                let names = Field::ALL.map(Field::name);
                                wrongs.push(Wrong::key(key, &names, "of [metadata] write"));
                            }
                            (Some(field), text) => {
                                let text = text.unwrap_or_default();
                                match field.check(text) {
                                    Ok(()) => write.set(field, text),
                                    Err(form) => wrongs.push(Wrong::value(key, value, form)),
                                }
                            }
                        }
                    }
                    wish.write = write;
                }
                None => {
                    let says = "it is a table, such as { copyright = \"© Tern Point Trust\" }";
                    wrongs.push(Wrong::value(key, value, says));
                }
            },
            "resolution" => match value.get_ref().as_integer().map(|number| number.as_str()) {
                Some(text) if text.parse::<u16>().is_ok_and(|dots| dots > 0) => {
                    wish.dots_per_inch = text.parse().ok();
                }
                _ => {
                    let says = "it is a whole number of dots per inch from 1 to 65535";
                    wrongs.push(Wrong::value(key, value, says));
                }
            },
            _ => wrongs.push(Wrong::key(key, &keys::METADATA, "of [metadata]")),
        }
    }
    wish
}
