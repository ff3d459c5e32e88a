//! Settings that worked, kept in the kiln file.

use std::fs;
use std::path::{Path, PathBuf};

use toml_edit::{Array, DocumentMut, InlineTable, Item, Table, Value, value};

use crate::args::FireArgs;
use crate::failure::Failure;
use crate::find;
use crate::layer::Typed;
use crate::site;
use crate::wording;
use crate::write;

/// Writes what was typed into the kiln file, as a place; says where. Comments and order stay, and
/// what would make the file one that cannot be read is not written.
pub fn keep(name: &str, typed: &FireArgs) -> Result<String, Failure> {
    let named = typed.kiln_file.kiln.clone();
    let path = named.or_else(|| site::find(Path::new(".")));
    let path = path.unwrap_or_else(|| PathBuf::from(site::NAME));
    let folder = path.parent().unwrap_or(Path::new(""));
    let text = if path.exists() {
        fs::read_to_string(&path).map_err(Failure::unreadable(&path))?
    } else {
        String::new()
    };
    let unsound = |says: String| Failure::Unkept {
        path: path.clone(),
        says,
    };
    let mut document: DocumentMut = text
        .parse()
        .map_err(|error: toml_edit::TomlError| unsound(error.message().to_owned()))?;
    if document.get("originals").is_none() && !typed.paths.is_empty() {
        document["originals"] = value(find::seen_from(folder, &common(&typed.paths)));
    }
    if let Some(out) = &typed.out {
        document["out"] = value(find::seen_from(folder, out));
    }
    if let Some(total) = typed.max_total {
        document["max-total"] = value(wording::weight_typed(total));
    }
    let base = document
        .get("originals")
        .and_then(Item::as_str)
        .unwrap_or(".");
    let base = find::real(&folder.join(base));
    let of = patterns(&typed.paths, &base).map_err(unsound)?;
    credits(&mut document, typed);
    let places = document.entry("place").or_insert_with(|| {
        let mut table = Table::new();
        table.set_implicit(true);
        Item::Table(table)
    });
    let places = places.as_table_mut();
    let places = places.ok_or_else(|| unsound("place is no table".to_owned()))?;
    let place = places
        .entry(name)
        .or_insert_with(|| Item::Table(Table::new()));
    let place = place.as_table_mut();
    let place = place.ok_or_else(|| unsound(format!("place.{name} is no table")))?;
    place["of"] = value(of);
    for (key, typed) in &typed.layer.texts {
        let mut said = written(typed);
        if let Some(before) = place.get(key).and_then(Item::as_value) {
            // A comment behind it stays.
            *said.decor_mut() = before.decor().clone();
        }
        place[*key] = Item::Value(said);
    }
    let text = document.to_string();
    site::parsed(&path, &text).map_err(Failure::KilnFile)?;
    write::whole(&path, text.as_bytes()).map_err(Failure::unwritable(&path))?;
    let path = path.display();
    let plain = name
        .chars()
        .all(|c| c.is_ascii_alphanumeric() || "-_".contains(c));
    let quoted = if plain {
        name.to_owned()
    } else {
        format!("'{name}'")
    };
    Ok(format!(
        "the settings stand in {path} as [place.{name}]; kiln fire --place {quoted} fires it again"
    ))
}

fn credits(document: &mut DocumentMut, typed: &FireArgs) {
    let typed = &typed.credits;
    let mut put = |key: &str, said: Value| {
        let table = document
            .entry("metadata")
            .or_insert_with(|| Item::Table(Table::new()));
        if let Some(table) = table.as_table_like_mut() {
            table.insert(key, Item::Value(said));
        }
    };
    if let Some(keep) = &typed.metadata_keep {
        put(
            "keep",
            keep.iter()
                .map(|field| field.name())
                .collect::<Array>()
                .into(),
        );
    }
    if !typed.metadata_write.is_empty() {
        let said = typed.metadata_write.iter();
        let said: InlineTable = said
            .map(|(field, text)| (field.name(), text.as_str()))
            .collect();
        put("write", said.into());
    }
    if let Some(dots) = typed.resolution {
        put("resolution", i64::from(dots).into());
    }
}

/// The folder that all paths lie in: one that is named alone, or that of a file.
fn common(paths: &[PathBuf]) -> PathBuf {
    let folder = |path: &PathBuf| {
        let real = find::real(path);
        if real.is_dir() {
            return real;
        }
        real.parent().map(Path::to_owned).unwrap_or(real)
    };
    let folders = paths.iter().map(folder);
    let common = folders.reduce(|one, other| {
        let mut above = one.ancestors().filter(|above| other.starts_with(above));
        above.next().map_or_else(PathBuf::new, Path::to_owned)
    });
    common.unwrap_or_default()
}

/// Patterns for all that is named, below the folder of the originals.
fn patterns(paths: &[PathBuf], base: &Path) -> Result<Array, String> {
    if paths.is_empty() {
        return Ok(Array::from_iter(["**"]));
    }
    let pattern = |path: &PathBuf| {
        let real = find::real(path);
        let below = real.strip_prefix(base).map_err(|_| {
            let (path, base) = (path.display(), base.display());
            format!("{path} is not below the originals of the kiln file, {base}; name what is")
        })?;
        let below = find::slashed(below);
        Ok(match (real.is_dir(), below.as_str()) {
            (true, "") => "**".to_owned(),
            (true, below) => format!("{}/**", literal(below)),
            (false, below) => literal(below),
        })
    };
    paths.iter().map(pattern).collect()
}

/// A path as a pattern that matches only itself.
fn literal(path: &str) -> String {
    let mut literal = String::new();
    for c in path.chars() {
        match c {
            '*' | '?' | '[' | ']' | '{' | '}' => literal.extend(['[', c, ']']),
            c => literal.push(c),
        }
    }
    literal
}

/// A value as a kiln file has it: numbers and switches as such.
fn written(typed: &Typed) -> Value {
    let one = |text: &String| -> Value {
        let text = text.trim();
        if let Ok(number) = text.parse::<i64>() {
            return number.into();
        }
        match text {
            "true" => true.into(),
            text => match text.parse::<f64>() {
                Ok(number) if number.is_finite() => number.into(),
                _ => text.into(),
            },
        }
    };
    match typed {
        Typed::One(text) => one(text),
        Typed::List(texts) => Value::Array(texts.iter().map(one).collect()),
        Typed::Other => "".into(),
    }
}
