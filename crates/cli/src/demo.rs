//! The sample site of Tern Point Light, unpacked and fired.

use std::collections::HashSet;
use std::fs;
use std::io::Write;
use std::path::Path;
use std::process::ExitCode;

use kiln_site::edit::{Edits, applied};
use kiln_site::{kinds, walk};

use crate::args::{DeliverArgs, DemoArgs, FireArgs, RewireArgs};
use crate::failure::Failure;
use crate::firing;
use crate::grid::{self, FAINT, GOOD};
use crate::report::Channels;
use crate::settings::{DeliverSettings, RewireSettings, Settings, Telling, VIEWPORTS};
use crate::{deliver, loads, rewire, wording, write};

macro_rules! sample_site {
    ($($name:literal),* $(,)?) => {
        /// Every file of the sample site: its path and its bytes.
        const SITE: &[(&str, &[u8])] = &[
            $(($name, include_bytes!(concat!("../sample-site/", $name)))),*
        ];
    };
}

sample_site![
    "index.html",
    "kiln.toml",
    "labels.csv",
    "museum.html",
    "notes/storm-season.md",
    "originals/banners/IMG_2041.JPG",
    "originals/banners/P1010347.JPG",
    "originals/graphics/beacon.gif",
    "originals/graphics/coast-chart.png",
    "originals/graphics/logo-canvas.png",
    "originals/graphics/logo-white.png",
    "originals/graphics/mark.svg",
    "originals/graphics/opening-hours.png",
    "originals/people/IMG_2107.jpg",
    "originals/people/IMG_2110.jpg",
    "originals/people/Überfahrt.jpg",
    "originals/rooms/DSC_0187.JPG",
    "originals/rooms/IMG_2044 (1).jpg",
    "originals/rooms/breakfast.png",
    "originals/rooms/morning fog.webp",
    "rooms.html",
    "site.css",
];

/// The pages that are weighed.
const PAGES: [&str; 3] = ["index.html", "rooms.html", "museum.html"];

/// The folder that the pages are kept in as they came.
const BEFORE: &str = "before";

/// The two that are broken on purpose: a photo cut off in the middle, and a note that calls
/// itself one.
const BROKEN: [&str; 2] = [
    "originals/people/IMG_2110.jpg",
    "originals/people/Überfahrt.jpg",
];

/// Unpacks the site and fires it.
pub fn run(typed: &DemoArgs, channels: &Channels) -> Result<ExitCode, Failure> {
    unpack(&typed.dir)?;
    let mut settings = Settings::resolve(&FireArgs::by(&typed.dir.join("kiln.toml")))?;
    settings.jobs = typed.jobs.unwrap_or(settings.jobs);
    if typed.json {
        settings.telling = Telling::Json;
    } else if typed.quiet {
        settings.telling = Telling::Quiet;
    }
    let say = |text: &str| {
        if !(typed.json || typed.quiet) {
            say(text);
        }
    };
    let dir = typed.dir.display();
    say(&format!(
        "The site of Tern Point Light is in {dir}: originals, a kiln file, a label sheet, and pages that \
         show the originals as they came; {dir}/{BEFORE} keeps those pages.\n\
         What follows is the same as kiln fire in that folder.\n",
    ));
    let report = firing::fire(&settings, &HashSet::new(), channels)?;
    channels.tell(&report, &settings)?;
    // The two broken samples are part of the show; anything else is not.
    let refused = report.all_refused();
    let refused: Vec<&Path> = refused.iter().map(|aside| aside.path.as_path()).collect();
    let broken = BROKEN.map(|name| typed.dir.join(name));
    if !report.interrupted && report.problems().len() == BROKEN.len() && refused == broken {
        say("\nTwo of the originals are broken on purpose, to show how that is said.");
        let typed_so = RewireArgs::by(&typed.dir, &typed.dir.join("kiln.toml"));
        let settings = RewireSettings::resolve(&typed_so)?;
        if typed.json || typed.quiet {
            rewire::rewire(&settings, channels)?;
        } else {
            rewired(typed, &settings, channels)?;
        }
        return bundled(typed, channels);
    }
    Ok(report.exit())
}

/// Points the pages at the pieces, and says what that gained.
fn rewired(
    typed: &DemoArgs,
    settings: &RewireSettings,
    channels: &Channels,
) -> Result<(), Failure> {
    let dir = typed.dir.display();
    say(&format!("\nNow its pages, as kiln rewire {dir} does it:\n"));
    rewire::run(settings, channels)?;
    let weight = |folder: &Path, page: &str| {
        let page = loads::walked(&folder.join(page), folder);
        let sums = VIEWPORTS.iter().map(|screen| {
            let pictures = page.iter().flat_map(|page| loads::pictures(page, screen));
            let weights = pictures.filter_map(|path| Some(fs::metadata(path).ok()?.len()));
            weights.sum::<u64>()
        });
        sums.max().unwrap_or(0)
    };
    let row = |cells: [String; 4], style| cells.map(|cell| (cell, style)).to_vec();
    let head = ["pictures that a page loads", "before", "after", "change"];
    let mut rows = vec![row(head.map(str::to_owned), FAINT)];
    for page in PAGES {
        let before = weight(&typed.dir.join(BEFORE), page);
        let after = weight(&typed.dir, page);
        let change = wording::change(before, after);
        let weights = [before, after].map(wording::weight);
        let [before, after] = weights;
        rows.push(row([page.to_owned(), before, after, change], GOOD));
    }
    channels.print(|out, columns| writeln!(out, "\n{}", grid::set(rows, columns, &[1, 2, 3])))?;
    Ok(())
}

/// Packs the pieces with their texts, to be handed on.
fn bundled(typed: &DemoArgs, channels: &Channels) -> Result<ExitCode, Failure> {
    let typed_so = DeliverArgs::by(&typed.dir.join("kiln.toml"));
    let report = deliver::deliver(&DeliverSettings::resolve(&typed_so)?, channels)?;
    if !(typed.json || typed.quiet) {
        let dir = typed.dir.display();
        say("\nAnd all pieces with their texts in a bundle, as kiln deliver makes it there:\n");
        channels.print(|out, _| report.sums(out))?;
        say(&format!(
            "\nOpen {dir}/index.html beside {dir}/{BEFORE}/index.html, or let kiln page {dir}/{BEFORE} {dir} set \
             them side by side."
        ));
    }
    Ok(report.exit())
}

/// Writes what is missing; a file of that name with other contents is never touched. Pages that an earlier
/// run has rewired are known by what is kept of them.
fn unpack(folder: &Path) -> Result<(), Failure> {
    for (name, bytes) in SITE {
        let kept = before(name, bytes);
        let keeps = folder.join(BEFORE).join(name);
        let is_kept = kept.is_some() && fs::read(&keeps).ok() == kept;
        if let Some(kept) = kept.filter(|_| !is_kept) {
            put(&keeps, &kept)?;
        }
        let path = folder.join(name);
        if !(is_kept && path.exists()) {
            put(&path, bytes)?;
        }
    }
    Ok(())
}

fn put(path: &Path, bytes: &[u8]) -> Result<(), Failure> {
    match fs::read(path) {
        Ok(there) if there == bytes => Ok(()),
        Ok(_) => Err(Failure::NotOurs {
            path: path.to_owned(),
        }),
        Err(_) => write::whole(path, bytes).map_err(Failure::unwritable(path)),
    }
}

/// A page or sheet as it is kept in a folder of its own: what it refers to lies one folder above there.
/// `None` for other files.
fn before(name: &str, bytes: &[u8]) -> Option<Vec<u8>> {
    let text = str::from_utf8(bytes).ok()?;
    let kind = kinds::by_name(name);
    let is_site = matches!(kind, "text/html" | "text/css" | "text/markdown");
    let found = walk::references(kind, text).filter(|_| is_site)?;
    let mut edits = Edits::new();
    for candidate in found
        .showings
        .iter()
        .flat_map(|showing| showing.candidates())
    {
        edits.insert(candidate.span.start, "../".to_owned());
    }
    Some(applied(text, &edits.ordered()).into_bytes())
}

fn say(text: &str) {
    // A closed standard output is no reason to stop the demo.
    let _ = writeln!(anstream::stdout(), "{text}");
}
