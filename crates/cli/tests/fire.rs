//! `kiln fire`, driven on files in a temporary folder.
#![allow(missing_docs, clippy::expect_used, clippy::panic)]

mod support;

use std::fs;
use std::process::{Command, Stdio};
use std::thread;
use std::time::Duration;

use serde_json::Value;
use support::{Scratch, common, measured, photo};

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

/// How many pieces a ledger has as finished.
fn finished(ledger: &Value) -> usize {
    let originals = ledger["originals"].as_object().expect("a map").values();
    let pieces = originals.flat_map(|o| o["pieces"].as_object().expect("a map").values());
    pieces.filter(|piece| !piece["made"].is_null()).count()
}

#[test]
fn the_bytes_do_not_depend_on_the_number_of_jobs() {
    let scratch = Scratch::with_photos();
    let fire = |jobs: &str, out: &str| {
        let formats = "jpeg,png,webp,avif";
        scratch.fires(&[
            "fire", "photos", "-w", "30,60", "-f", formats, "-j", jobs, "-o", out, "--quiet",
        ]);
        scratch.files(out)
    };
    let (alone, together) = (fire("1", "a"), fire("4", "b"));
    assert_eq!(alone.len(), 6 * 2 * 4 + 1);
    assert_eq!(alone, together);
    assert_eq!(fire("3", "a"), alone, "a second run into the same folder");
}

#[test]
fn a_second_run_makes_only_what_is_new() {
    let scratch = Scratch::with_photos();
    let fire = |arguments: &[&str]| -> Value {
        let all = [&["fire", "photos", "-w", "30,60", "--json"], arguments].concat();
        serde_json::from_str(&scratch.fires(&all)).expect("JSON")
    };
    let made = |report: &Value| -> Vec<String> {
        let originals = report["originals"].as_array().expect("a list");
        let pieces = originals
            .iter()
            .flat_map(|o| o["pieces"].as_array().expect("a list"));
        let new = pieces.filter(|piece| piece["state"] == "made");
        new.map(|piece| piece["name"].as_str().expect("a name").to_owned())
            .collect()
    };
    assert_eq!(made(&fire(&[])).len(), 12);
    let first = scratch.files("upload");
    let again = fire(&[]);
    assert_eq!(
        (made(&again).len(), &again["totals"]["unchanged"]),
        (0, &12.into())
    );
    assert_eq!(scratch.files("upload"), first);

    // An altered and a missing piece, and a changed original.
    scratch.put("upload/sea-30.webp", b"touched by someone");
    fs::remove_file(scratch.path("upload/fog-53.webp")).expect("a piece");
    scratch.put("photos/rooms/stairs.jpg", &photo(240, 180, 77));
    let redone = [
        "fog-53.webp",
        "rooms/stairs-30.webp",
        "rooms/stairs-60.webp",
        "sea-30.webp",
    ];
    assert_eq!(made(&fire(&[])), redone);
    let restored = scratch.files("upload");
    assert_eq!(restored["sea-30.webp"], first["sea-30.webp"]);

    // A changed setting redoes what it touches; a further format only that.
    assert_eq!(made(&fire(&["-f", "webp,jpeg"])).len(), 12);
    assert_eq!(made(&fire(&["-m", "900"])).len(), 12);
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
fn encodes_and_dials_are_shown_when_asked() {
    let scratch = Scratch::new();
    scratch.put("sea.jpg", &photo(400, 300, 5));
    let free = scratch.fires(&["fire", "sea.jpg", "-v"]);
    assert!(free.contains("dial 80 · 1 encode"), "{free}");
    let bound = scratch.fires(&["fire", "sea.jpg", "-v", "-m", "8KB"]);
    assert!(
        bound.contains(" encodes") && !bound.contains("dial 80"),
        "{bound}"
    );
    let fixed = scratch.fires(&["fire", "sea.jpg", "-v", "-q", "35"]);
    assert!(fixed.contains("dial 35 · 1 encode"), "{fixed}");
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
fn a_file_of_someone_else_is_never_overwritten() {
    let scratch = Scratch::new();
    scratch.put("photos/a.jpg", &photo(60, 40, 1));
    scratch.put("upload/a-40.webp", b"made by hand");
    let done = scratch.kiln(&["fire", "photos", "-w", "40"]);
    assert_eq!(done.code, 1);
    assert!(
        done.stderr.contains("a-40.webp: is there already"),
        "{}",
        done.stderr
    );
    assert_eq!(scratch.files("upload")["a-40.webp"], b"made by hand");
}

#[test]
fn a_damaged_ledger_is_set_aside_with_a_word() {
    let scratch = Scratch::new();
    scratch.put("photos/a.jpg", &photo(60, 40, 1));
    scratch.put("upload/kiln-ledger.json", b"{ half a");
    let done = scratch.kiln(&["fire", "photos", "-w", "40"]);
    assert_eq!(done.code, 0, "{}", done.stderr);
    assert!(
        done.stderr.contains("the ledger could not be read"),
        "{}",
        done.stderr
    );
    assert_eq!(
        scratch.files("upload")["kiln-ledger.json.unreadable"],
        b"{ half a"
    );
}

#[test]
fn two_firings_into_one_folder_do_not_meet() {
    let scratch = Scratch::new();
    scratch.put("photos/a.jpg", &photo(60, 40, 1));
    let lock = scratch.put("upload/.kiln-lock", b"");
    let held = fs::File::options()
        .write(true)
        .open(lock)
        .expect("the lock");
    held.lock().expect("nobody else holds it");
    let done = scratch.kiln(&["fire", "photos"]);
    assert_eq!(done.code, 1);
    assert!(
        done.stderr.contains("another firing is at work"),
        "{}",
        done.stderr
    );
}

/// Starts a long firing, waits for its first piece and sends it a signal.
#[cfg(unix)]
fn signalled(scratch: &Scratch, signal: &str) -> Option<i32> {
    for index in 0..60 {
        scratch.put(&format!("photos/{index}.jpg"), &photo(200, 150, index));
    }
    let mut run = scratch
        .command(&["fire", "photos", "-f", "avif", "-j", "2", "--quiet"])
        .stderr(Stdio::null())
        .spawn()
        .expect("the program");
    while !scratch
        .names("upload")
        .iter()
        .any(|name| name.ends_with(".avif") && !name.starts_with('.'))
    {
        thread::sleep(Duration::from_millis(5));
        assert!(
            run.try_wait().expect("a process").is_none(),
            "it ended before its first piece"
        );
    }
    let sent = Command::new("kill")
        .args([signal, &run.id().to_string()])
        .status();
    assert!(sent.expect("kill").success());
    run.wait().expect("a process").code()
}

/// Every piece that stands in the out folder is whole.
#[cfg(unix)]
fn assert_whole(scratch: &Scratch) -> usize {
    let files = scratch.files("upload");
    let pieces: Vec<_> = files
        .iter()
        .filter(|(name, _)| name.ends_with(".avif"))
        .collect();
    for (name, bytes) in &pieces {
        avif_parse::read_avif(&mut bytes.as_slice()).unwrap_or_else(|e| panic!("{name}: {e}"));
    }
    pieces.len()
}

#[cfg(unix)]
#[test]
fn an_interrupt_ends_the_run_with_whole_pieces_and_a_true_ledger() {
    let scratch = Scratch::new();
    assert_eq!(signalled(&scratch, "-INT"), Some(130));
    let pieces = assert_whole(&scratch);
    assert!((1..60).contains(&pieces), "{pieces}");
    let ledger: Value =
        serde_json::from_slice(&scratch.files("upload")["kiln-ledger.json"]).expect("JSON");
    assert_eq!(finished(&ledger), pieces);
    assert!(
        scratch
            .names("upload")
            .iter()
            .all(|name| !name.starts_with('.'))
    );
}

#[cfg(unix)]
#[test]
fn a_killed_run_leaves_no_half_piece_and_its_litter_is_swept() {
    let scratch = Scratch::new();
    assert_eq!(signalled(&scratch, "-KILL"), None);
    assert_whole(&scratch);
    scratch.put("upload/deep/.x-1.avif.kiln-part", b"half");
    scratch.fires(&["fire", "photos", "-f", "avif", "--quiet"]);
    assert_eq!(assert_whole(&scratch), 60);
    let hidden: Vec<String> = scratch
        .names("upload")
        .into_iter()
        .filter(|name| name.contains(".kiln-"))
        .collect();
    assert!(hidden.is_empty(), "{hidden:?}");
}
