//! What `memory` foretells beside what is really held: each decoder and encoder is run in a process of
//! its own, and the most that this held is asked of the system.

use std::collections::BTreeMap;
use std::fs;
use std::io::Cursor;
use std::ops::ControlFlow;
use std::process::Command;

use kiln_core::decode::{self, Allowance, Wanted};
use kiln_core::encode::{self, Chroma, Coding, Format, Manner, Pace};
use kiln_core::pipeline::{self, Eye};
use kiln_core::pixels::{Channels, Raster, Size};
use kiln_core::plan::{Extent, Job, Original, Wish};

use crate::common::jpeg::{Colours, Jpeg};
use crate::common::{self, busy_of, probe};

/// Large enough that what grows with the pixels outweighs all else.
const SIDE: u32 = 1000;

/// What may lie between a foretold peak and a real one.
const FACTOR: f64 = 1.5;

/// Bytes that do not grow with the pixels: rows, tables, stacks.
const SLACK: f64 = 3e6;

/// What the process of a case shall do; its file is beside it.
const CASE: &str = "KILN_MEMORY_CASE";
const FILE: &str = "KILN_MEMORY_FILE";

/// A square picture, from the samples of its pixels.
fn raster(samples: &[u8], channels: Channels) -> Raster {
    let side = (samples.len() / channels.count()).isqrt() as u32;
    let size = Size::new(side, side).expect("a size");
    Raster::new(size, channels, samples.to_vec()).expect("whole rows")
}

/// The raster of a case that is not about a file.
fn raster_of(case: &str, file: &[u8]) -> Raster {
    let clear = case.contains("clear");
    raster(file, if clear { Channels::Rgba } else { Channels::Rgb })
}

fn with_alpha(raster: &Raster) -> Raster {
    let pixels = raster.samples().chunks_exact(3).enumerate();
    let samples = pixels.flat_map(|(at, p)| [p[0], p[1], p[2], (at % 251) as u8]);
    Raster::new(raster.size(), Channels::Rgba, samples.collect()).expect("whole rows")
}

/// A file of each kind that is decoded in its own way.
fn files(raster: &Raster, clear: &Raster) -> Vec<(&'static str, Vec<u8>)> {
    let side = SIDE as u16;
    let samples = raster.samples();
    let jpeg = |samples: &[u8], jpeg: Jpeg| jpeg.file((SIDE, SIDE), samples);
    let dialled = || Jpeg {
        dial: 90,
        ..Jpeg::default()
    };
    let mut gif = Vec::new();
    let palette: Vec<u8> = (0..=255).flat_map(|i| [i, 255 - i, i / 2]).collect();
    let mut encoder = gif::Encoder::new(&mut gif, side, side, &palette).expect("a GIF");
    let indices: Vec<u8> = samples.chunks_exact(3).map(|pixel| pixel[0]).collect();
    let frame = gif::Frame::from_indexed_pixels(side, side, indices, None);
    encoder.write_frame(&frame).expect("a frame");
    drop(encoder);
    let mut tiff = Cursor::new(Vec::new());
    let mut encoder = tiff::encoder::TiffEncoder::new(&mut tiff).expect("a TIFF");
    let written = encoder.write_image::<tiff::encoder::colortype::RGB8>(SIDE, SIDE, samples);
    written.expect("a TIFF");
    let encoded = |raster, format, coding| common::encoded(raster, format, coding).expect("a file");
    vec![
        (
            "JPEG halved",
            encoded(raster, Format::Jpeg, Coding::Dial(90)),
        ),
        ("JPEG baseline", jpeg(samples, dialled())),
        (
            "JPEG full",
            jpeg(
                samples,
                Jpeg {
                    progressive: true,
                    ..dialled()
                },
            ),
        ),
        (
            "JPEG inks",
            jpeg(
                clear.samples(),
                Jpeg {
                    colours: Colours::Cmyk,
                    ..dialled()
                },
            ),
        ),
        ("PNG", encoded(clear, Format::Png, Coding::Lossless)),
        ("PNG interlaced", common::interlaced(raster, false)),
        ("PNG interlaced deep", common::interlaced(raster, true)),
        ("WebP", encoded(raster, Format::WebP, Coding::Dial(90))),
        (
            "WebP lossless",
            encoded(raster, Format::WebP, Coding::Lossless),
        ),
        ("WebP clear", encoded(clear, Format::WebP, Coding::Dial(90))),
        (
            "WebP clear lossless",
            encoded(clear, Format::WebP, Coding::Lossless),
        ),
        ("GIF", gif),
        ("TIFF", tiff.into_inner()),
    ]
}

/// A value in this process's status, in bytes.
fn status(name: &str) -> f64 {
    let status = fs::read_to_string("/proc/self/status").expect("a status");
    let line = status.lines().find(|line| line.starts_with(name));
    let digits = line.expect(name).split_whitespace().nth(1);
    digits
        .and_then(|digits| digits.parse::<f64>().ok())
        .expect("kilobytes")
        * 1024.0
}

fn job(file: &[u8], formats: &[Format]) -> Job {
    let original = Original::new("x".into(), "x".into(), file.len() as u64, probe(file));
    let wish = Wish {
        extent: Extent::Widths(vec![400, 900]),
        formats: formats.iter().map(|&format| format.into()).collect(),
        ..Wish::default()
    };
    Job::new(original, &wish)
}

const FIRED: [Format; 2] = [Format::Jpeg, Format::WebP];

/// What is foretold for a case, in bytes.
fn foretold(case: &str, file: &[u8]) -> u64 {
    let size = || raster_of(case, file).size();
    match case.split_once(' ') {
        Some(("decode", _)) => decode::memory(&probe(file)),
        Some(("encode", rest)) => encode::memory(size(), format_of(rest)),
        Some(("see", _)) => Eye::memory(size(), true),
        Some(("fire", _)) => pipeline::memory(&job(file, &FIRED), 1),
        _ => panic!("{case}"),
    }
}

fn format_of(name: &str) -> Format {
    let formats = [Format::Jpeg, Format::Png, Format::WebP, Format::Avif];
    let named = formats
        .into_iter()
        .find(|format| name.starts_with(&format.to_string()));
    named.expect(name)
}

/// Does what a case is about, in the process of its own.
fn work(case: &str, file: &[u8]) {
    match case.split_once(' ') {
        Some(("decode", _)) => {
            let probe = probe(file);
            let wanted = Wanted::all(&probe);
            let mut rows = decode::open(file, &probe, wanted, Allowance::default()).expect("rows");
            for _ in 0..rows.form().size.height() {
                rows.next_row().expect("a row");
            }
        }
        Some(("encode", rest)) => {
            let raster = raster_of(case, file);
            before();
            let chroma = match () {
                () if rest.contains("full") => Chroma::Full,
                () if rest.contains("counted") => Chroma::Counted,
                () => Chroma::Halved,
            };
            let lossless = rest.contains("lossless");
            let coding = match () {
                () if lossless => Coding::Lossless,
                () if rest.contains("counted") => Coding::Dial(80),
                () => Coding::Dial(85),
            };
            let pace = if rest.contains("quick") {
                Pace::Quick
            } else {
                Pace::Steady
            };
            let manner = Manner {
                coding,
                chroma,
                pace,
            };
            encode::encode(&raster, format_of(rest), manner).expect("a file");
        }
        Some(("see", _)) => {
            let raster = raster_of(case, file);
            let png = common::encoded(&raster, Format::WebP, Coding::Dial(60)).expect("a file");
            before();
            let eye = Eye::new(&raster, 1.0);
            eye.score(&raster, Format::WebP, &png).expect("a score");
        }
        Some(("fire", _)) => {
            let pool = rayon::ThreadPoolBuilder::new().num_threads(1).build();
            pool.expect("a thread").install(|| {
                let job = job(file, &FIRED);
                pipeline::fire(file, &job, Allowance::default(), |_, made| {
                    made.expect("a piece");
                    ControlFlow::Continue(())
                })
                .expect("pieces");
            });
        }
        _ => panic!("{case}"),
    }
}

/// From here on counts what is held beyond this.
fn before() {
    fs::write("/proc/self/clear_refs", "5").expect("a new peak");
    println!("before {}", status("VmRSS:"));
}

/// Run by the test below, in a process of its own; else it does nothing.
#[test]
fn a_case() {
    if let (Ok(case), Ok(path)) = (std::env::var(CASE), std::env::var(FILE)) {
        let file = fs::read(path).expect("a file");
        before();
        work(&case, &file);
        println!("peak {}", status("VmHWM:"));
    }
}

/// The most that a case held, in bytes.
fn measured(case: &str, file: &[u8]) -> f64 {
    let path = tempfile::NamedTempFile::new().expect("a file");
    fs::write(path.path(), file).expect("room");
    let done = Command::new(std::env::current_exe().expect("a path"))
        .args(["--exact", "memory::a_case", "--nocapture"])
        .env(CASE, case)
        .env(FILE, path.path())
        // What is freed goes back at once: what is counted is held.
        .env("MALLOC_MMAP_THRESHOLD_", "65536")
        .output()
        .expect("the same program");
    let told = String::from_utf8_lossy(&done.stdout).into_owned();
    let value = |name: &str| {
        let lines = told.lines().rev();
        let mut values = lines.filter_map(|line| line.strip_prefix(name)?.trim().parse().ok());
        values.next().unwrap_or_else(|| panic!("{case}: {told}"))
    };
    let (peak, before): (f64, f64) = (value("peak"), value("before"));
    peak - before
}

#[test]
fn no_more_and_not_much_less_is_held_than_foretold() {
    if fs::write("/proc/self/clear_refs", "5").is_err() {
        println!("this system does not tell peaks of memory");
        return;
    }
    let raster = busy_of(SIDE, SIDE, 3);
    let clear = with_alpha(&raster);
    let mut cases: Vec<(String, Vec<u8>)> = Vec::new();
    for (name, file) in files(&raster, &clear) {
        cases.push((format!("decode {name}"), file));
    }
    for kind in [
        "JPEG halved",
        "JPEG full",
        "PNG",
        "PNG lossless",
        "PNG clear",
        "PNG clear lossless",
        "WebP halved",
        "WebP full",
        "WebP lossless",
        "WebP clear",
        "WebP clear lossless",
        "WebP counted",
        "WebP clear counted",
    ] {
        let raster = if kind.contains("clear") {
            &clear
        } else {
            &raster
        };
        cases.push((format!("encode {kind}"), raster.samples().to_vec()));
    }
    // It takes its time.
    let small = busy_of(SIDE / 2, SIDE / 2, 3);
    for (kind, raster) in [
        ("halved", &small),
        ("full", &small),
        ("clear", &with_alpha(&small)),
    ] {
        cases.push((
            format!("encode AVIF {kind} quick"),
            raster.samples().to_vec(),
        ));
    }
    cases.push(("see opaque".into(), raster.samples().to_vec()));
    cases.push(("see clear".into(), clear.samples().to_vec()));
    for (name, raster) in [("opaque", &raster), ("clear", &clear)] {
        let png = common::encoded(raster, Format::Png, Coding::Lossless).expect("a PNG");
        cases.push((format!("fire {name}"), png));
    }
    // Of those for which the same is foretold the worst counts.
    let mut classes: BTreeMap<(String, u64), Vec<(f64, String)>> = BTreeMap::new();
    for (case, file) in &cases {
        let (foretold, real) = (foretold(case, file), measured(case, file));
        let line = format!(
            "{case:28} {:6.1} MB foretold {:6.1} MB held",
            foretold as f64 / 1e6,
            real / 1e6
        );
        println!("{line}");
        let words: Vec<&str> = case.split(' ').collect();
        let about = if words[0].ends_with("code") {
            words[1]
        } else {
            words[0]
        };
        let class = classes.entry((about.to_owned(), foretold)).or_default();
        class.push((real, line));
    }
    for ((about, foretold), held) in classes {
        let foretold = foretold as f64;
        let worst = held.iter().map(|(real, _)| *real).fold(0.0, f64::max);
        let fits = worst <= foretold * FACTOR + SLACK && foretold <= worst * FACTOR + SLACK;
        assert!(fits, "{about}: {held:#?}");
    }
}
