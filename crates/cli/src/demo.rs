//! The sample site of Tern Point Light, unpacked and fired.

use std::fs;
use std::io::Write;
use std::path::PathBuf;
use std::process::ExitCode;

use kiln_core::decode::Allowance;
use kiln_core::encode::Format;
use kiln_core::pixels::Backdrop;
use kiln_core::plan::{CodingWish, Wish};

use crate::args::DemoArgs;
use crate::failure::Failure;
use crate::firing;
use crate::report::Channels;
use crate::settings::{self, Settings, Telling};
use crate::write;

macro_rules! sample_site {
    ($($name:literal),* $(,)?) => {
        /// Every file of the sample site: its path below `originals`, and its bytes.
        const SITE: &[(&str, &[u8])] = &[
            $(($name, include_bytes!(concat!("../sample-site/", $name)))),*
        ];
    };
}

sample_site![
    "banners/IMG_2041.JPG",
    "banners/P1010347.JPG",
    "graphics/beacon.gif",
    "graphics/coast-chart.png",
    "graphics/logo-canvas.png",
    "graphics/logo-white.png",
    "graphics/mark.svg",
    "graphics/opening-hours.png",
    "people/IMG_2107.jpg",
    "people/IMG_2110.jpg",
    "people/Überfahrt.jpg",
    "rooms/DSC_0187.JPG",
    "rooms/IMG_2044 (1).jpg",
    "rooms/breakfast.png",
    "rooms/morning fog.webp",
];

/// The two that are broken on purpose: a photo cut off in the middle, and a note that calls
/// itself one.
const BROKEN: usize = 2;

/// Unpacks the site and fires it.
pub fn run(typed: &DemoArgs, channels: &Channels) -> Result<ExitCode, Failure> {
    let originals = typed.dir.join("originals");
    unpack(&originals)?;
    let settings = settings(typed, originals);
    say(&format!(
        "The originals of Tern Point Light are in {}. What follows is the same as\n  \
         kiln fire {} --out {} --width 800 --density 1,2 --format webp,jpeg --max-weight 200KB\n",
        settings.paths[0].display(),
        settings.paths[0].display(),
        settings.out.display(),
    ));
    let report = firing::fire(&settings, channels)?;
    channels.tell(&report, &settings)?;
    // The two broken samples are part of the show; anything else is not.
    if !report.interrupted && report.problems().len() == BROKEN {
        say("\nTwo of the originals are broken on purpose, to show how that is said.");
        return Ok(ExitCode::SUCCESS);
    }
    Ok(report.exit())
}

/// Writes what is missing; a file of that name with other contents is never touched.
fn unpack(originals: &std::path::Path) -> Result<(), Failure> {
    for (name, bytes) in SITE {
        let path = originals.join(name);
        match fs::read(&path) {
            Ok(there) if there == *bytes => {}
            Ok(_) => return Err(Failure::NotOurs { path }),
            Err(_) => write::whole(&path, bytes).map_err(Failure::unwritable(&path))?,
        }
    }
    Ok(())
}

fn settings(typed: &DemoArgs, originals: PathBuf) -> Settings {
    Settings {
        paths: vec![originals],
        out: typed.dir.join("upload"),
        wish: Wish {
            widths: vec![800],
            densities: vec![1.0, 2.0],
            formats: vec![Format::WebP, Format::Jpeg],
            max_weight: Some(200_000),
            coding: CodingWish::Usual,
            backdrop: Backdrop::WHITE,
        },
        allowance: Allowance::default(),
        jobs: settings::cores(),
        dry_run: false,
        telling: Telling::Table { verbose: false },
    }
}

fn say(text: &str) {
    // A closed standard output is no reason to stop the demo.
    let _ = writeln!(anstream::stdout(), "{text}");
}
