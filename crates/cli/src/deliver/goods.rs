//! What is delivered: pieces as they were fired, with what is said of them.

use std::collections::{HashMap, HashSet};
use std::fs::{self, File};
use std::path::{Path, PathBuf};

use kiln_core::credits::{Credits, Field};
use kiln_core::label::Label;
use kiln_core::plan::{self, Digest};
use kiln_site::kinds;
use rayon::prelude::*;

use crate::failure::Failure;
use crate::find;
use crate::ledger::Ledger;
use crate::loads;
use crate::settings::DeliverSettings;
use crate::stock::{self, Held, Shown, Stock};

/// A piece that may go.
#[derive(Clone, Debug)]
pub struct Good {
    /// Its path below the out folder, which is its name at the target.
    pub name: String,
    /// Where it is.
    pub path: PathBuf,
    /// Its bytes.
    pub weight: u64,
    /// Their digest.
    pub digest: Digest,
    /// Its media type.
    pub kind: &'static str,
    /// What the label sheet says of its original.
    pub said: Credits,
    /// Whether it tells nothing to those who do not see it.
    pub is_decorative: bool,
    /// The digest of those texts.
    pub texts: Digest,
}

/// All that was asked for.
#[derive(Debug, Default)]
pub struct Goods {
    /// What may go, by its name.
    pub all: Vec<Good>,
    /// The originals that it was made from, with those of their places that go.
    pub held: Vec<Held>,
    /// What may not, and why.
    pub refused: Vec<(String, String)>,
}

/// Whether all that the ledger knows is delivered.
pub fn is_whole(settings: &DeliverSettings) -> bool {
    settings.paths.is_empty() && settings.places.is_empty() && settings.pages.is_empty()
}

/// Gathers it.
pub fn gather(
    settings: &DeliverSettings,
    stock: &Stock,
    ledger: &Ledger,
) -> Result<Goods, Failure> {
    let mut held = stock.wanted(&settings.paths, &settings.places);
    let shown = shown_by(&settings.pages)?;
    let mut names: Vec<&str> = held
        .iter()
        .flat_map(|held| &held.shown)
        .flat_map(Shown::pieces)
        .map(|piece| piece.name.as_str())
        .filter(|name| {
            shown
                .as_ref()
                .is_none_or(|shown| shown.contains(&stock.out.join(name)))
        })
        .collect();
    names.sort_unstable();
    names.dedup();
    let labels = labels(&held);
    let read: Vec<Result<Good, (String, String)>> = names
        .par_iter()
        .map(|name| {
            good(name, labels.get(name).copied(), stock, ledger)
                .map_err(|says| ((*name).to_owned(), says))
        })
        .collect();
    let (mut all, mut refused) = (Vec::new(), Vec::new());
    for one in read {
        match one {
            Ok(good) => all.push(good),
            Err(says) => refused.push(says),
        }
    }
    let missing = held.iter().flat_map(|held| &held.missing);
    refused.extend(missing.map(|name| {
        let says = "is not there any more; make it again with kiln fire";
        (name.clone(), says.to_owned())
    }));
    if all.is_empty() && refused.is_empty() {
        let named = settings.paths.first().or(settings.pages.first());
        return Err(stock::nothing(named, &settings.sources.out));
    }
    let names: HashSet<&str> = all.iter().map(|good| good.name.as_str()).collect();
    for shown in held.iter_mut().flat_map(|held| &mut held.shown) {
        shown.keep(|piece| names.contains(piece.name.as_str()));
    }
    Ok(Goods { all, held, refused })
}

/// What the label sheet says of the original of each piece.
pub fn labels(held: &[Held]) -> HashMap<&str, &Label> {
    let mut labels = HashMap::new();
    for held in held {
        for piece in held.shown.iter().flat_map(Shown::pieces) {
            labels.extend(
                held.label
                    .as_ref()
                    .map(|label| (piece.name.as_str(), label)),
            );
        }
    }
    labels
}

fn good(name: &str, label: Option<&Label>, stock: &Stock, ledger: &Ledger) -> Result<Good, String> {
    let path = stock.out.join(name);
    let unread = |error: std::io::Error| format!("cannot be read ({error}); check its permissions");
    let about = fs::symlink_metadata(&path).map_err(unread)?;
    if !about.is_file() || !find::real(&path).starts_with(&stock.out) {
        return Err("is a link or lies outside of the out folder; it is not sent".to_owned());
    }
    let digest = plan::digest_of(File::open(&path).map_err(unread)?).map_err(unread)?;
    if ledger.digest(name).is_some_and(|fired| fired != digest) {
        return Err(
            "was altered since it was fired; move it away and make it again with kiln fire"
                .to_owned(),
        );
    }
    let said = label.map_or(Credits::default(), |label| label.credits.clone());
    let is_decorative = label.is_some_and(|label| label.decorative);
    let texts = Field::ALL.map(|field| said.get(field).unwrap_or_default());
    let texts = format!("{}\n{is_decorative}", texts.join("\n"));
    Ok(Good {
        texts: plan::digest(texts.as_bytes()),
        said,
        is_decorative,
        kind: kinds::by_name(name),
        name: name.to_owned(),
        path,
        weight: about.len(),
        digest,
    })
}

/// Whether the name of a piece holds a digest: with other bytes it would be another.
pub fn is_named_by_digest(name: &str) -> bool {
    /// Digits of a digest in a name, at least.
    const DIGITS: usize = 8;
    let file = name.rsplit('/').next().unwrap_or(name);
    let stem = file.rsplit_once('.').map_or(file, |(stem, _)| stem);
    stem.split(['-', '_', '.']).any(|word| {
        let has = |is: fn(&char) -> bool| word.chars().any(|c| is(&c));
        word.len() >= DIGITS
            && word.chars().all(|c| matches!(c, '0'..='9' | 'a'..='f'))
            && has(char::is_ascii_digit)
            && has(char::is_ascii_lowercase)
    })
}

/// The files that pages refer to as pictures, on whatever screen; `None` where no page is named.
fn shown_by(pages: &[PathBuf]) -> Result<Option<HashSet<PathBuf>>, Failure> {
    if pages.is_empty() {
        return Ok(None);
    }
    let mut shown = HashSet::new();
    for path in pages {
        let root = path.parent().filter(|root| !root.as_os_str().is_empty());
        let page = loads::walked(path, root.unwrap_or(Path::new(".")));
        let page = page.ok_or_else(|| Failure::Refused {
            path: path.clone(),
            says: "cannot be read as a page; name an HTML file".to_owned(),
        })?;
        let files = page
            .pictures
            .iter()
            .filter_map(|picture| picture.address.to_file_path().ok());
        shown.extend(files.map(|file| find::real(&file)));
    }
    Ok(Some(shown))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_digest_in_a_name_is_told_from_words_and_numbers() {
        for name in [
            "rooms/fog-800-0a1b2c3d.webp",
            "fog.9f86d081884c.avif",
            "5e884898da28.png",
        ] {
            assert!(is_named_by_digest(name), "{name}");
        }
        for name in [
            "fog-800.webp",
            "20260412.jpg",
            "facade-decade.webp",
            "0a1b2c3.webp",
            "0a1b2c3d/fog.webp",
            "0A1B2C3D.jpg",
        ] {
            assert!(!is_named_by_digest(name), "{name}");
        }
    }
}
