//! `kiln fire`, driven on files in a temporary folder.

use std::fs;

use serde_json::Value;

use crate::support::{Scratch, common, finished, measured, photo, turned};

/// Reports without what depends on the codecs or the clock: weights, changes, times, and whether
/// a lossless coding happened to be the lighter one.
fn settled(report: &str) -> String {
    let mut lines = Vec::new();
    for line in report.lines() {
        let mut words: Vec<String> = Vec::new();
        for word in line.split_whitespace() {
            let number = word
                .trim_start_matches(['−', '+', '±', '('])
                .trim_end_matches([',', '%', ')']);
            let unit = ["B", "KB", "MB", "s", "B,", "KB,", "MB,"].contains(&word);
            match words.last_mut() {
                Some(last) if unit && last == "#" => *last = "[#]".to_owned(),
                _ if number.parse::<f64>().is_ok() && word.contains('%') => {
                    words.push("[%]".to_owned())
                }
                _ if word.parse::<f64>().is_ok() => words.push("#".to_owned()),
                _ => words.push(word.to_owned()),
            }
        }
        let line = words.join(" ").replace('#', "n").replace("[n]", "[size]");
        lines.push(line.replace(" lossless ·", "").replace(" lossless", ""));
    }
    lines.join("\n")
}

#[test]
fn a_folder_becomes_pieces_and_a_report() {
    let scratch = Scratch::with_photos();
    let before = scratch.files("photos");
    let report = scratch.fires(&[
        "fire",
        "photos",
        "--width",
        "40",
        "--density",
        "1,2",
        "--format",
        "webp,jpeg",
        "--keep-all",
    ]);
    insta::assert_snapshot!(settled(&report));
    assert_eq!(
        scratch.files("photos"),
        before,
        "originals are as they were"
    );
    insta::assert_snapshot!(scratch.names("upload").join("\n"), @r"
    beacon-40.jpg
    beacon-40.webp
    beacon-53.jpg
    beacon-53.webp
    fog-40.jpg
    fog-40.webp
    fog-53.jpg
    fog-53.webp
    kiln-ledger.json
    logo-40.jpg
    logo-40.webp
    logo-53.jpg
    logo-53.webp
    rooms/lamp-room-u-40.jpg
    rooms/lamp-room-u-40.webp
    rooms/lamp-room-u-80.jpg
    rooms/lamp-room-u-80.webp
    rooms/stairs-40.jpg
    rooms/stairs-40.webp
    rooms/stairs-80.jpg
    rooms/stairs-80.webp
    sea-40.jpg
    sea-40.webp
    sea-80.jpg
    sea-80.webp
    ");
    assert_eq!(measured(&scratch.path("upload/sea-80.jpg")), (80, 53));
    assert_eq!(
        measured(&scratch.path("upload/rooms/stairs-40.webp")),
        (40, 53),
        "stands upright"
    );
}

#[test]
fn a_dry_run_shows_the_plan_and_writes_nothing() {
    let scratch = Scratch::with_photos();
    let report = scratch.fires(&["fire", "photos", "--width", "100", "--dry-run"]);
    insta::assert_snapshot!(settled(&report));
    assert!(!scratch.path("upload").exists());
}

#[test]
fn json_says_what_was_made() {
    let scratch = Scratch::with_photos();
    scratch.put("photos/broken.jpg", &photo(90, 90, 4)[..900]);
    let done = scratch.kiln(&[
        "fire",
        "photos",
        "--width",
        "40",
        "--format",
        "jpeg,webp",
        "--json",
        "--max-weight",
        "1KB",
    ]);
    let report: Value = serde_json::from_str(&done.stdout).expect("JSON");
    assert_eq!(
        (&report["schema"], &report["kind"]),
        (&2.into(), &"firing".into())
    );
    let originals = report["originals"].as_array().expect("a list");
    let pieces: Vec<&Value> = originals
        .iter()
        .flat_map(|o| o["pieces"].as_array().expect("a list"))
        .collect();
    for piece in &pieces {
        let name = piece["name"].as_str().expect("a name");
        if piece["state"] == "made" {
            let weight = fs::metadata(scratch.path("upload").join(name))
                .expect("a piece")
                .len();
            assert_eq!(piece["weight"], weight);
            assert_eq!(piece["over_budget"], weight > 1000, "{name}");
            assert!(
                piece["encodes"]
                    .as_array()
                    .expect("a list")
                    .iter()
                    .any(|e| e["weight"] == weight)
            );
        }
    }
    let broken: Vec<&&Value> = pieces.iter().filter(|p| p["state"] == "failed").collect();
    assert!(
        !broken.is_empty()
            && broken
                .iter()
                .all(|p| p["name"].as_str().is_some_and(|n| n.starts_with("broken")))
    );
    let made = pieces.len() - broken.len();
    assert_eq!(report["totals"]["pieces"], made);
    assert_eq!(done.code, 1, "a broken original");

    let ledger = fs::read(scratch.path("upload/kiln-ledger.json")).expect("a ledger");
    let ledger: Value = serde_json::from_slice(&ledger).expect("JSON");
    assert_eq!(finished(&ledger), made);
}

#[test]
fn the_bytes_do_not_depend_on_the_number_of_jobs() {
    let scratch = Scratch::with_photos();
    let fire = |jobs: &str, out: &str| {
        let formats = "jpeg,png,webp,avif";
        scratch.fires(&[
            "fire",
            "photos",
            "-w",
            "30,60",
            "-f",
            formats,
            "--keep-all",
            "-j",
            jobs,
            "-o",
            out,
            "--quiet",
        ]);
        scratch.files(out)
    };
    let (alone, together) = (fire("1", "a"), fire("4", "b"));
    assert_eq!(alone.len(), 6 * 2 * 4 + 1);
    assert_eq!(alone, together);
    assert_eq!(fire("3", "a"), alone, "a second run into the same folder");
}

#[test]
fn what_cannot_keep_its_weight_is_made_and_named() {
    let scratch = Scratch::new();
    scratch.put("sea.jpg", &photo(400, 300, 5));
    let done = scratch.kiln(&[
        "fire", "sea.jpg", "-w", "400", "-f", "jpeg,png", "-m", "300",
    ]);
    assert_eq!(done.code, 1);
    assert!(
        done.stderr.contains("kiln: sea-400.jpg: over budget: "),
        "{}",
        done.stderr
    );
    assert!(
        done.stderr.contains("kiln: sea-400.png: over budget: "),
        "{}",
        done.stderr
    );
    assert!(
        done.stdout.contains("2 pieces are over budget"),
        "{}",
        done.stdout
    );
    assert_eq!(
        scratch.names("upload"),
        ["kiln-ledger.json", "sea-400.jpg", "sea-400.png"]
    );
}

#[test]
fn searching_leaves_out_what_it_should() {
    let scratch = Scratch::new();
    scratch.put("site/a.jpg", &photo(60, 40, 1));
    scratch.put("site/.hidden.jpg", &photo(60, 40, 2));
    scratch.put("site/.cache/b.jpg", &photo(60, 40, 3));
    scratch.put("site/upload/old-40.webp", &common::webp(true, false));
    #[cfg(unix)]
    std::os::unix::fs::symlink(scratch.path("site"), scratch.path("site/loop")).expect("a link");
    let report = scratch.fires(&[
        "fire",
        "site",
        "site/a.jpg",
        "--out",
        "site/upload",
        "-w",
        "40",
    ]);
    assert!(report.contains("1 piece from 1 original"), "{report}");
    assert_eq!(
        scratch.names("site/upload"),
        ["a-40.webp", "kiln-ledger.json", "old-40.webp"]
    );
}

#[test]
fn a_wrong_extension_and_further_frames_are_said() {
    let scratch = Scratch::new();
    scratch.put("photos/lamp.png", &photo(60, 40, 1));
    scratch.put("photos/beacon.gif", &common::gif());
    let report = scratch.fires(&["fire", "photos"]);
    assert!(
        report.contains("lamp.png: is a JPEG picture, whatever its name says"),
        "{report}"
    );
    assert!(
        report.contains("beacon.gif: only the first frame is used; 1 other frame is left out"),
        "{report}"
    );
}

#[test]
fn sizes_are_given_as_widths_long_sides_or_parts() {
    let scratch = Scratch::new();
    scratch.put("photos/tall.jpg", &photo(60, 120, 1));
    scratch.put("photos/wide.jpg", &photo(120, 60, 2));
    let sizes = |arguments: &[&str]| {
        let all = [&["fire", "photos", "--dry-run", "--json"], arguments].concat();
        let plan: Value = serde_json::from_str(&scratch.fires(&all)).expect("JSON");
        let originals = plan["originals"].as_array().expect("a list").iter();
        let pieces = originals.flat_map(|o| o["pieces"].as_array().expect("a list").clone());
        let size = |piece: Value| {
            format!(
                "{}×{} {}",
                piece["width"], piece["height"], piece["density"]
            )
        };
        pieces.map(size).collect::<Vec<_>>().join(", ")
    };
    assert_eq!(sizes(&["--long-side", "80"]), "40×80 1.0, 80×40 1.0");
    assert_eq!(
        sizes(&["--scale", "25%", "-d", "1,2"]),
        "15×30 1.0, 30×60 2.0, 30×15 1.0, 60×30 2.0"
    );
    assert_eq!(sizes(&["-w", "58,60", "-d", "0.5"]), "30×60 0.5, 30×15 0.5");
    let both = scratch.kiln(&["fire", "photos", "--scale", "0.5", "--width", "9"]);
    assert_eq!(both.code, 2);
    assert!(
        both.stderr.contains("cannot be used with"),
        "{}",
        both.stderr
    );
}

#[test]
fn pictures_are_cropped_or_padded_to_a_shape_and_never_squashed() {
    let scratch = Scratch::new();
    scratch.put("photos/wide.jpg", &photo(120, 60, 1));
    scratch.put("photos/tall.jpg", &turned(120, 60, 2, 6));
    for fit in ["crop", "pad"] {
        scratch.fires(&[
            "fire",
            "photos",
            "-w",
            "40",
            "-s",
            "4:3",
            "--focus",
            "auto",
            "--fit",
            fit,
            "-o",
            fit,
            "-f",
            "jpeg,png",
            "--backdrop",
            "#102030",
            "--quiet",
        ]);
        for name in ["wide-40.jpg", "wide-40.png", "tall-40.jpg", "tall-40.png"] {
            assert_eq!(
                measured(&scratch.path(&format!("{fit}/{name}"))),
                (40, 30),
                "{fit} {name}"
            );
        }
    }
    assert_ne!(scratch.files("crop"), scratch.files("pad"));
    // Another focus makes another piece, and only of what is cropped.
    let again = scratch.fires(&[
        "fire",
        "photos",
        "-w",
        "40",
        "-s",
        "4:3",
        "--focus",
        "0,0",
        "-o",
        "crop",
        "-f",
        "jpeg,png",
        "--backdrop",
        "#102030",
    ]);
    assert!(!again.contains("unchanged"), "{again}");
}

/// A logo on white, with an O in it: 60 × 40 pixels in 120 × 80.
fn logo() -> Vec<u8> {
    let pixels = (0..80u32).flat_map(|y| (0..120u32).map(move |x| (x, y)));
    let samples = pixels.flat_map(|(x, y)| {
        let ink = (30..90).contains(&x) && (20..60).contains(&y);
        let hole = (50..70).contains(&x) && (30..50).contains(&y);
        if ink && !hole {
            [20, 60, 110]
        } else {
            [255; 3]
        }
    });
    let mut file = Vec::new();
    let mut encoder = png::Encoder::new(&mut file, 120, 80);
    encoder.set_color(png::ColorType::Rgb);
    let mut writer = encoder.write_header().expect("a header");
    let samples: Vec<u8> = samples.collect();
    writer.write_image_data(&samples).expect("pixels");
    writer.finish().expect("a PNG");
    file
}

/// Width, height and pixels with alpha of a PNG.
fn pixels(file: &[u8]) -> (u32, u32, Vec<[u8; 4]>) {
    let mut decoder = png::Decoder::new(std::io::Cursor::new(file));
    let whole = png::Transformations::EXPAND | png::Transformations::ALPHA;
    decoder.set_transformations(whole);
    let mut reader = decoder.read_info().expect("a header");
    let mut samples = vec![0; reader.output_buffer_size().expect("small")];
    let frame = reader.next_frame(&mut samples).expect("pixels");
    let pixels = samples[..frame.buffer_size()].as_chunks().0.to_vec();
    (frame.width, frame.height, pixels)
}

#[test]
fn logos_become_cut_outs_of_a_height() {
    let scratch = Scratch::new();
    scratch.put("logos/mark.png", &logo());
    let options = "fire logos --knock-out auto --trim --format png --name piece";
    let options: Vec<&str> = options.split(' ').collect();
    let made = |more: &[&str]| {
        scratch.fires(&[&options[..], more].concat());
        pixels(&scratch.files("upload")["piece.png"])
    };
    let at = |(width, _, pixels): &(u32, u32, Vec<[u8; 4]>), x: u32, y: u32| {
        pixels[(y * width + x) as usize]
    };
    let plain = made(&["--height", "20"]);
    assert_eq!((plain.0, plain.1), (30, 20));
    assert_eq!(at(&plain, 1, 1), [20, 60, 110, 255]);
    assert_eq!(
        at(&plain, 15, 10),
        [255; 4],
        "what does not touch the border stays"
    );
    let holed = made(&["--height", "21", "--knock-out-holes"]);
    assert_eq!(at(&holed, 16, 10), [0; 4]);
    let padded = made(&[
        "-w",
        "33",
        "-s",
        "1:1",
        "--fit",
        "pad",
        "--backdrop",
        "transparent",
    ]);
    assert_eq!((padded.0, padded.1, at(&padded, 0, 0)), (33, 33, [0; 4]));
    // Enlarged, and its pixels kept hard.
    let large = made(&["-w", "120", "--enlarge", "--sizing", "hard"]);
    assert_eq!((large.0, large.1), (120, 80));
    assert!(
        large
            .2
            .iter()
            .all(|p| [[20, 60, 110, 255], [255; 4]].contains(p))
    );
}

/// Borders are searched for once; the ledger remembers them.
#[test]
fn a_second_run_knows_what_borders_leave() {
    let scratch = Scratch::new();
    scratch.put("logos/mark.png", &logo());
    let fire = || scratch.fires(&["fire", "logos", "--trim", "-w", "40", "-f", "png"]);
    fire();
    let ledger = || {
        let text = std::fs::read(scratch.path("upload/kiln-ledger.json")).expect("a ledger");
        serde_json::from_slice::<serde_json::Value>(&text).expect("JSON")
    };
    let content = |ledger: &serde_json::Value| {
        let originals = ledger["originals"].as_object().expect("a map");
        originals.values().next().expect("an original")["content"].clone()
    };
    let found = content(&ledger());
    assert_eq!(found["area"]["x"], 30);
    assert_eq!(found["area"]["size"]["width"], 60);
    assert!(fire().contains("unchanged"));
    // What the ledger says is taken for the bytes that it says it of.
    let text = std::fs::read_to_string(scratch.path("upload/kiln-ledger.json")).expect("a ledger");
    let moved = text
        .replace("\"x\": 30", "\"x\": 31")
        .replace("\"width\": 60", "\"width\": 50");
    scratch.put("upload/kiln-ledger.json", moved.as_bytes());
    scratch.fires(&["fire", "logos", "--trim", "-w", "41", "-f", "png"]);
    assert_eq!(content(&ledger())["area"]["x"], 31);
    let mut other = logo();
    other.extend(b"more");
    scratch.put("logos/mark.png", &other);
    scratch.fires(&["fire", "logos", "--trim", "-w", "42", "-f", "png"]);
    assert_eq!(content(&ledger())["area"]["x"], 30);
}
