//! Pictures brought home: originals with names that say something, where each of them was, a label sheet
//! with the alternative texts, and a kiln file whose places are the sizes that they are shown at.

use std::collections::{BTreeMap, HashMap, HashSet};
use std::fmt::Write as _;
use std::fs;
use std::path::Path;

use kiln_core::credits::{Credits, Field};
use kiln_core::plan::{says_nothing, slug, stem};
use kiln_site::Use;
use serde::Serialize;
use xxhash_rust::xxh3::xxh3_128;

use super::names::last_part;
use super::visit::{Picture, Visit};
use crate::failure::Failure;
use crate::sheet::Sheet;
use crate::{wording, write};

/// The folder of the pictures.
const ORIGINALS: &str = "originals";

/// What was brought home.
pub(super) struct Saved {
    pictures: usize,
    places: usize,
}

/// A line of the sheet that says where pictures were.
#[derive(Serialize)]
struct Row<'a> {
    file: &'a str,
    address: &'a str,
    page: &'a str,
    line: u32,
    #[serde(rename = "alternative text")]
    alternative_text: &'a str,
    #[serde(rename = "shown from")]
    shown_from: Option<u32>,
    #[serde(rename = "shown to")]
    shown_to: Option<u32>,
}

impl Saved {
    /// For people.
    pub fn says(&self, folder: &Path) -> String {
        format!(
            "{}: {} in {}, with source.csv, labels.csv and kiln.toml; then kiln fire there",
            folder.display(),
            wording::count(self.pictures, "picture", "pictures"),
            wording::count(self.places, "place", "places"),
        )
    }
}

/// Refuses a folder that holds anything.
pub(super) fn may_be_made(folder: &Path) -> Result<(), Failure> {
    match fs::read_dir(folder) {
        Ok(mut entries) => match entries.next() {
            None => Ok(()),
            Some(_) => Err(Failure::FolderThere(folder.to_owned())),
        },
        Err(error) if error.kind() == std::io::ErrorKind::NotFound => Ok(()),
        Err(error) => Err(Failure::unreadable(folder)(error)),
    }
}

/// Brings all pictures of a visit home.
pub(super) fn save(visit: &Visit, folder: &Path) -> Result<Saved, Failure> {
    let kept = largest(visit);
    let mut names = Names::default();
    let mut files: HashMap<usize, String> = HashMap::new();
    let mut by_digest: HashMap<u128, String> = HashMap::new();
    for &number in &kept {
        let picture = &visit.pictures[number];
        let Ok((_, path)) = &picture.got else {
            continue;
        };
        let bytes = fs::read(path).map_err(Failure::unreadable(path))?;
        // Of twins one file is enough.
        let digest = xxh3_128(&bytes);
        if let Some(name) = by_digest.get(&digest) {
            files.insert(number, name.clone());
            continue;
        }
        let name = names.free(visit, picture);
        let target = folder.join(ORIGINALS).join(&name);
        write::whole(&target, &bytes).map_err(Failure::unwritable(&target))?;
        by_digest.insert(digest, name.clone());
        files.insert(number, name);
    }
    rows(visit, &files, folder)?;
    labels(visit, &kept, &files, folder)?;
    let places = places(visit, &kept, &files);
    let kiln_file = folder.join("kiln.toml");
    write::whole(&kiln_file, kiln_text(&places).as_bytes())
        .map_err(Failure::unwritable(&kiln_file))?;
    Ok(Saved {
        pictures: by_digest.len(),
        places: places.len(),
    })
}

/// Area of a picture in pixels, where it is one.
fn area(picture: &Picture) -> Option<u64> {
    let headers = picture.record.as_ref()?.headers.as_ref()?;
    headers.own_size().map(|size| size.pixels())
}

/// The uses that stand for one and the same showing.
fn showings(visit: &Visit) -> HashMap<(usize, usize, usize), Vec<usize>> {
    let mut showings: HashMap<_, Vec<usize>> = HashMap::new();
    for (number, picture) in visit.pictures.iter().enumerate() {
        if picture.address.scheme() == "data" || area(picture).is_none() {
            continue;
        }
        for (page, Use { file, showing, .. }) in &picture.uses {
            showings
                .entry((*page, *file, *showing))
                .or_default()
                .push(number);
        }
    }
    showings
}

/// The largest picture of each showing, by their numbers: smaller ones are made from it.
fn largest(visit: &Visit) -> Vec<usize> {
    let largest = showings(visit).into_values().filter_map(|mut numbers| {
        numbers.sort_unstable();
        // Of equals the first.
        let area = |number: &usize| (area(&visit.pictures[*number]), std::cmp::Reverse(*number));
        numbers.into_iter().max_by_key(area)
    });
    let kept: HashSet<usize> = largest.collect();
    let mut kept: Vec<usize> = kept.into_iter().collect();
    kept.sort_unstable();
    kept
}

/// Names given so far.
#[derive(Default)]
struct Names(HashSet<String>);

impl Names {
    /// A name that is free: by the address, or by the alternative text where that says nothing.
    fn free(&mut self, visit: &Visit, picture: &Picture) -> String {
        let last = last_part(&picture.address);
        let own = stem(&last);
        let by_text = visit.alt(picture).map(slug).filter(|slug| !slug.is_empty());
        let base = match by_text {
            Some(text) if says_nothing(own) => text,
            text => {
                let own = slug(own);
                let usual = || text.unwrap_or_else(|| "picture".to_owned());
                if own.is_empty() { usual() } else { own }
            }
        };
        let base: String = base.chars().take(80).collect();
        let record = picture.record.as_ref();
        let kind = record.and_then(|record| Some(record.headers.as_ref()?.kind));
        let extension = kind
            .and_then(|kind| kind.extensions().first())
            .unwrap_or(&"bin");
        let numbered = (2..).map(|number| format!("{base}-{number}.{extension}"));
        let mut names = std::iter::once(format!("{base}.{extension}")).chain(numbered);
        let name = names
            .find(|name| !self.0.contains(name))
            .unwrap_or_default();
        self.0.insert(name.clone());
        name
    }
}

/// Writes where each picture was; smaller ones of a showing lead to the file that stands for them.
fn rows(visit: &Visit, files: &HashMap<usize, String>, folder: &Path) -> Result<(), Failure> {
    let path = folder.join("source.csv");
    let mut stands_for: HashMap<usize, &String> = HashMap::new();
    for numbers in showings(visit).into_values() {
        let file = numbers.iter().find_map(|number| files.get(number));
        for number in numbers {
            if let Some(file) = files.get(&number).or(file) {
                stands_for.insert(number, file);
            }
        }
    }
    let unwritable = |error: csv::Error| Failure::unwritable(&path)(std::io::Error::other(error));
    let mut sheet = csv::Writer::from_writer(Vec::new());
    for (number, picture) in visit.pictures.iter().enumerate() {
        let Some(file) = stands_for.get(&number) else {
            continue;
        };
        let mut told = HashSet::new();
        for (page, used) in &picture.uses {
            let visited = &visit.pages[*page];
            // A sheet that several pages have is one file.
            let address = &visited.page.files[used.file].address;
            if !told.insert((address, used.line)) {
                continue;
            }
            let showing = visited.page.showing(*used);
            let widths = picture.widths();
            let row = Row {
                file,
                address: picture.address.as_str(),
                page: address.as_str(),
                line: used.line,
                alternative_text: showing.alt.as_deref().unwrap_or(""),
                shown_from: widths.map(|(least, _)| least.round() as u32),
                shown_to: widths.map(|(_, most)| most.round() as u32),
            };
            sheet.serialize(row).map_err(unwritable)?;
        }
    }
    let bytes = sheet
        .into_inner()
        .map_err(|error| Failure::unwritable(&path)(std::io::Error::other(error.to_string())))?;
    write::whole(&path, &bytes).map_err(Failure::unwritable(&path))
}

/// Writes a label sheet with the alternative texts that were found.
fn labels(
    visit: &Visit,
    kept: &[usize],
    files: &HashMap<usize, String>,
    folder: &Path,
) -> Result<(), Failure> {
    let mut sheet = Sheet::open(&folder.join("labels.csv"))?;
    let mut labelled = HashSet::new();
    for number in kept {
        let Some(file) = files.get(number).filter(|file| labelled.insert(*file)) else {
            continue;
        };
        let picture = &visit.pictures[*number];
        let record = picture
            .record
            .as_ref()
            .and_then(|record| record.headers.as_ref());
        let mut said = record.map_or(Credits::default(), |headers| headers.credits.clone());
        if let Some(alt) = visit.alt(picture) {
            said.set(Field::AlternativeText, alt);
        }
        sheet.add(file, &said)?;
    }
    sheet.save()
}

/// A place of the draft: widths, and the files that are shown so.
type Places = BTreeMap<Vec<u32>, Vec<String>>;

/// The files by the widths that they are shown at; none where nothing tells.
fn places(visit: &Visit, kept: &[usize], files: &HashMap<usize, String>) -> Places {
    let mut places = Places::new();
    for number in kept {
        let picture = &visit.pictures[*number];
        let Some(file) = files.get(number) else {
            continue;
        };
        let shown = picture.shown.iter().filter_map(|shown| shown.width);
        let mut widths: Vec<u32> = shown.map(|width| width.ceil().max(1.0) as u32).collect();
        if widths.is_empty() && visit.is_style(picture) {
            // A background may be as wide as the screen.
            widths = visit
                .viewports
                .iter()
                .map(|screen| screen.width as u32)
                .collect();
        }
        widths.sort_unstable();
        widths.dedup();
        let place = places.entry(widths).or_default();
        if !place.contains(file) {
            place.push(file.clone());
        }
    }
    // What a twin of it tells is enough.
    if let Some(mut unsaid) = places.remove(&Vec::new()) {
        unsaid.retain(|file| !places.values().any(|files| files.contains(file)));
        if !unsaid.is_empty() {
            places.insert(Vec::new(), unsaid);
        }
    }
    places
}

/// What a place of a width is called, and what a piece of it may weigh.
fn role(width: u32) -> (&'static str, &'static str) {
    match width {
        1000.. => ("background", "250 KB"),
        500.. => ("article", "150 KB"),
        200.. => ("card", "60 KB"),
        _ => ("mark", "20 KB"),
    }
}

fn kiln_text(places: &Places) -> String {
    let mut text = format!(
        "# Places as the pages show their pictures, for kiln fire. Widths are in CSS pixels, as\n\
         # displayed; where each picture was is in source.csv.\n\n\
         originals = {ORIGINALS:?}\n\
         out       = \"upload\"\n\n\
         [every]                       # holds for every place that does not say otherwise\n\
         densities = [1, 2]            # twice the pixels for dense screens, never enlarged\n\
         formats   = [\"auto\"]\n"
    );
    let mut numbers: HashMap<&str, usize> = HashMap::new();
    for (widths, files) in places.iter().rev() {
        let unsaid = widths.is_empty();
        let (name, weight) = if unsaid {
            ("unsaid", "150 KB")
        } else {
            role(widths.last().copied().unwrap_or(0))
        };
        let number = numbers.entry(name).or_insert(0);
        *number += 1;
        let name = match *number {
            1 => name.to_owned(),
            more => format!("{name}-{more}"),
        };
        let widths = match &widths[..] {
            [] => "800".to_owned(),
            [one] => one.to_string(),
            several => format!("{several:?}"),
        };
        let remark = if unsaid {
            "# No markup says how wide these are shown: set the width.\n"
        } else {
            ""
        };
        // A basic string: what JSON escapes, TOML understands.
        let of: Vec<String> = files
            .iter()
            .map(|file| format!("    {},\n", serde_json::Value::from(file.as_str())))
            .collect();
        // Writing into a text does not fail.
        let _ = write!(
            text,
            "\n{remark}[place.{name}]\nof         = [\n{}]\nwidth      = {widths}\n\
             max-weight = \"{weight}\"\n",
            of.concat()
        );
    }
    text
}
