//! The sample site of Tern Point Light, unpacked and fired.

use std::collections::HashSet;
use std::fs;
use std::io::Write;
use std::path::Path;
use std::process::ExitCode;

use crate::args::{DemoArgs, FireArgs};
use crate::failure::Failure;
use crate::firing;
use crate::report::Channels;
use crate::settings::{Settings, Telling};
use crate::write;

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
    say(&format!(
        "The site of Tern Point Light is in {}: originals, a kiln file, a label sheet, and the pages \
         that show them as they came.\n\
         What follows is the same as kiln fire in that folder.\n",
        typed.dir.display(),
    ));
    let report = firing::fire(&settings, &HashSet::new(), channels)?;
    channels.tell(&report, &settings)?;
    // The two broken samples are part of the show; anything else is not.
    let refused = report.all_refused();
    let refused: Vec<&Path> = refused.iter().map(|aside| aside.path.as_path()).collect();
    let broken = BROKEN.map(|name| typed.dir.join(name));
    if !report.interrupted && report.problems().len() == BROKEN.len() && refused == broken {
        say(&format!(
            "\nTwo of the originals are broken on purpose, to show how that is said.\n\
             What its pages weigh with the originals: kiln page {}",
            typed.dir.display()
        ));
        return Ok(ExitCode::SUCCESS);
    }
    Ok(report.exit())
}

/// Writes what is missing; a file of that name with other contents is never touched.
fn unpack(folder: &Path) -> Result<(), Failure> {
    for (name, bytes) in SITE {
        let path = folder.join(name);
        match fs::read(&path) {
            Ok(there) if there == *bytes => {}
            Ok(_) => return Err(Failure::NotOurs { path }),
            Err(_) => write::whole(&path, bytes).map_err(Failure::unwritable(&path))?,
        }
    }
    Ok(())
}

fn say(text: &str) {
    // A closed standard output is no reason to stop the demo.
    let _ = writeln!(anstream::stdout(), "{text}");
}
