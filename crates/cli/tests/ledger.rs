//! The ledger, a second run, and runs that are interrupted.

use std::fs;
use std::process::{Command, Stdio};
use std::thread;
use std::time::Duration;

use serde_json::Value;

use crate::support::{Scratch, finished, photo};

#[test]
fn a_second_run_makes_only_what_is_new() {
    let scratch = Scratch::with_photos();
    let fire = |arguments: &[&str]| -> Value {
        let all = [
            &["fire", "photos", "-w", "30,60", "--json", "--keep-all"],
            arguments,
        ]
        .concat();
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
    let webp = ["-f", "webp"];
    assert_eq!(made(&fire(&webp)).len(), 12);
    let first = scratch.files("upload");
    let again = fire(&webp);
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
    assert_eq!(made(&fire(&webp)), redone);
    let restored = scratch.files("upload");
    assert_eq!(restored["sea-30.webp"], first["sea-30.webp"]);

    // A changed setting redoes what it touches; a further format only that.
    assert_eq!(made(&fire(&["-f", "webp,jpeg"])).len(), 12);
    assert_eq!(made(&fire(&["-f", "webp", "-l", "plain"])).len(), 12);
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

#[test]
fn names_with_a_digest_change_with_the_original_and_its_settings() {
    let scratch = Scratch::new();
    scratch.put("photos/a.jpg", &photo(60, 40, 1));
    let fire = |arguments: &[&str]| {
        let name = [
            "fire",
            "photos",
            "-n",
            "{title}.{digest:6}",
            "-f",
            "webp",
            "--json",
        ];
        let report = scratch.fires(&[&name, arguments].concat());
        let report: Value = serde_json::from_str(&report).expect("JSON");
        let name = report["originals"][0]["pieces"][0]["name"].clone();
        name.as_str().expect("a name").to_owned()
    };
    let first = fire(&[]);
    assert_eq!(
        (first.len(), fire(&[])),
        ("a.123456.webp".len(), first.clone())
    );
    let lighter = fire(&["-l", "plain"]);
    scratch.put("photos/a.jpg", &photo(60, 40, 2));
    let changed = fire(&[]);
    assert!(first != lighter && first != changed && lighter != changed);
    // Their original is there, and settings may come back: they are no strays of this run.
    assert_eq!(scratch.names("upload").len(), 3 + 1);
}

/// A ledger of an older form is carried over, and holds from wherever the program is run.
#[test]
fn a_ledger_holds_from_wherever_the_program_is_run() {
    let scratch = Scratch::with_photos();
    let old = br#"{"schema":1,"kiln":"0.1.0","pieces":{}}"#;
    scratch.put("upload/kiln-ledger.json", old);
    let done = scratch.kiln(&["fire", "photos", "-w", "40"]);
    let said = "(schema 1) and is carried over";
    assert!(done.stderr.contains(said), "{}", done.stderr);
    let mut elsewhere = scratch.command(&["fire", "..", "-w", "40", "-o", "../../upload"]);
    let elsewhere = elsewhere.current_dir(scratch.path("photos/rooms")).output();
    let told = String::from_utf8(elsewhere.expect("the program").stdout).expect("text");
    let unchanged = "all were made before and are unchanged";
    assert!(told.contains(unchanged), "{told}");
    // The whole site is moved.
    fs::create_dir(scratch.path("moved")).expect("a folder");
    for folder in ["photos", "upload"] {
        let moved = scratch.path(&format!("moved/{folder}"));
        fs::rename(scratch.path(folder), moved).expect("a folder");
    }
    let told = scratch.fires(&["fire", "moved/photos", "-w", "40", "-o", "moved/upload"]);
    assert!(told.contains(unchanged), "{told}");
}
