//! No input kills the program, and nothing outside the out folder is touched.

use std::fs;
use std::process::{Child, Stdio};

use kiln_core::plan;
use serde_json::json;

#[cfg(feature = "faulty")]
use crate::support::common;
use crate::support::{Scratch, photo};

/// A box of the ISO base media format.
fn boxed(name: &[u8; 4], body: &[u8]) -> Vec<u8> {
    let length = (body.len() as u32 + 8).to_be_bytes();
    [&length, name.as_slice(), body].concat()
}

/// An AVIF file whose boxes lie so deep within each other.
fn nested(depth: usize) -> Vec<u8> {
    let mut file = boxed(b"ftyp", b"avif\0\0\0\0avif");
    let body = 8 * depth;
    let length = (body + 12) as u32;
    file.extend([&length.to_be_bytes(), &b"meta"[..], &[0; 4]].concat());
    file.extend((0..depth).flat_map(|level| {
        let length = (body - 8 * level) as u32;
        [length.to_be_bytes(), *b"iprp"].concat()
    }));
    file
}

#[test]
fn boxes_without_end_cost_their_picture_and_no_more() {
    let scratch = Scratch::with_photos();
    scratch.put("photos/deep.avif", &nested(400_000));
    let done = scratch.kiln(&["survey", "photos", "--headers-only"]);
    assert_eq!(done.code, 0, "{}", done.stderr);
    assert!(done.stdout.contains("deep"), "{}", done.stdout);
    let done = scratch.kiln(&["fire", "photos", "--width", "40"]);
    assert_eq!(done.code, 1, "{}", done.stderr);
    assert!(
        done.stderr
            .contains("its parts lie deeper than in any sound file")
    );
    assert!(scratch.path("upload/sea-40.webp").exists());
}

/// A picture whose decoder panics when its file says so.
#[cfg(feature = "faulty")]
fn panics(when: &[u8]) -> Vec<u8> {
    let length = (2 + when.len() as u16).to_be_bytes();
    let comment = [&[0xFF, 0xFE], &length[..], when].concat();
    let mut jpeg = common::jpeg();
    jpeg.splice(2..2, comment);
    jpeg
}

/// Every command that touches pictures goes on with the others.
#[test]
#[cfg(feature = "faulty")]
fn a_decoder_that_panics_costs_its_picture_only() {
    let stages: [(&[u8], &str); 3] = [
        (
            b"panic while headers are read",
            "could not be made sense of",
        ),
        (b"panic when it is opened", "decoder failed on it"),
        (b"panic while rows are decoded", "decoder failed on it"),
    ];
    for (when, says) in stages {
        let scratch = Scratch::new();
        scratch.put("photos/sea.jpg", &photo(120, 90, 1));
        // Two of a size: the survey looks for twins.
        scratch.put("photos/bad.jpg", &panics(when));
        scratch.put("photos/worse.jpg", &panics(when));
        for options in [
            &["fire", "photos", "--width", "40"][..],
            &[
                "fire", "photos", "--width", "40", "--trim", "--out", "trimmed",
            ],
            &[
                "fire", "photos", "--shape", "1:1", "--focus", "auto", "--out", "square",
            ],
            &["fire", "photos", "--knock-out", "auto", "--out", "cut"],
        ] {
            let done = scratch.kiln(options);
            assert_eq!(done.code, 1, "{options:?}: {}", done.stderr);
            for picture in ["photos/bad.jpg", "photos/worse.jpg"] {
                let lines = done.stderr.lines();
                let told: Vec<&str> = lines.filter(|line| line.contains(picture)).collect();
                assert!(
                    matches!(told[..], [line] if line.contains(says) && line.contains("report")),
                    "{options:?}: {}",
                    done.stderr
                );
            }
            assert!(!done.stderr.contains("panicked"), "{}", done.stderr);
        }
        assert_eq!(scratch.files("upload").len(), 2, "a piece and the ledger");
        let survey = scratch.kiln(&["survey", "photos", "--json"]);
        assert_eq!(survey.code, 0, "{}", survey.stderr);
        assert!(survey.stdout.contains(says) && survey.stdout.contains("sea.jpg"));
        let init = scratch.kiln(&["init", "photos", "--kiln", "new.toml"]);
        assert_eq!(init.code, 0, "{}", init.stderr);
    }
}

/// A ledger whose one piece has a name, and is said to be the file with these bytes.
fn ledger_naming(name: &str, bytes: &[u8]) -> Vec<u8> {
    let account = json!({
        "kiln": "0.1.0", "digest": plan::digest(bytes), "weight": bytes.len(),
        "coding": "lossless", "score": 100.0, "verdict": "met", "trail": [], "fits": true,
        "flattened": false, "shrunk": null,
    });
    let piece = json!({
        "place": null, "size": {"width": 4, "height": 3}, "format": "webp", "recipe": plan::digest(b"r"),
        "made": account,
    });
    let ledger = json!({
        "schema": 5, "kiln": "0.1.0",
        "originals": {"../gone.jpg": {"digest": plan::digest(b"d"), "pieces": {name: piece}}},
    });
    serde_json::to_vec(&ledger).expect("JSON")
}

/// Whatever stands in a ledger, `--remove-strays` removes nothing outside the out folder.
#[test]
fn no_ledger_reaches_out_of_its_folder() {
    let scratch = Scratch::new();
    scratch.put("photos/sea.jpg", &photo(120, 90, 1));
    let treasure = scratch.put("treasure/keep.webp", b"mine");
    let absolute = treasure.to_string_lossy().into_owned();
    for name in [
        "../treasure/keep.webp",
        "a/../../treasure/keep.webp",
        &absolute,
        "linked/keep.webp",
    ] {
        let _ = fs::remove_dir_all(scratch.path("upload"));
        scratch.put("upload/kiln-ledger.json", &ledger_naming(name, b"mine"));
        #[cfg(unix)]
        let _ = std::os::unix::fs::symlink(scratch.path("treasure"), scratch.path("upload/linked"));
        let done = scratch.kiln(&["fire", "photos", "--width", "40", "--remove-strays"]);
        assert_eq!(done.code, 0, "{name}: {}", done.stderr);
        assert_eq!(fs::read(&treasure).expect("it stays"), b"mine", "{name}");
        let ledger = fs::read_to_string(scratch.path("upload/kiln-ledger.json")).expect("a ledger");
        assert!(!ledger.contains("keep.webp"), "{name}");
    }
    // The same file as a true stray goes.
    fs::remove_dir_all(scratch.path("upload")).expect("it is there");
    scratch.put("upload/old/keep.webp", b"mine");
    scratch.put(
        "upload/kiln-ledger.json",
        &ledger_naming("old/keep.webp", b"mine"),
    );
    scratch.fires(&["fire", "photos", "--width", "40", "--remove-strays"]);
    assert!(!scratch.path("upload/old").exists());
}

/// Nor does a pattern, a title or a folder's name, nor a link in the out folder.
#[test]
fn no_name_leads_out_of_the_out_folder() {
    let scratch = Scratch::new();
    scratch.put("photos/sea.jpg", &photo(60, 40, 1));
    scratch.put(
        "kiln.toml",
        b"originals = \"photos\"\n[every]\nwidth = 40\n",
    );
    scratch.put("labels.csv", b"file,title\nsea.jpg,../../../etc/passwd\n");
    for pattern in [
        "../x",
        "/x",
        "a/../../x",
        "{folders}../x",
        "{folders}../../x-{width}",
    ] {
        let done = scratch.kiln(&["fire", "--name", pattern]);
        assert_ne!(done.code, 0, "{pattern}");
        assert!(
            done.stderr.lines().count() <= 3,
            "{pattern}: {}",
            done.stderr
        );
        assert!(!scratch.path("x.webp").exists() && !scratch.path("../x.webp").exists());
    }
    scratch.fires(&["fire"]);
    assert!(
        scratch.path("upload/etc-passwd-40.webp").exists(),
        "{:?}",
        scratch.names("upload")
    );
    #[cfg(unix)]
    {
        fs::create_dir(scratch.path("other")).expect("room");
        let link = scratch.path("upload/rooms");
        std::os::unix::fs::symlink(scratch.path("other"), link).expect("a link");
        let done = scratch.kiln(&["fire", "--name", "rooms/{stem}"]);
        assert_eq!(done.code, 1, "{}", done.stderr);
        assert!(
            done.stderr.contains("outside the out folder"),
            "{}",
            done.stderr
        );
        assert!(scratch.names("other").is_empty());
    }
}

fn begun(scratch: &Scratch) -> Child {
    let arguments = ["fire", "photos", "--width", "40", "--quiet"];
    let mut command = scratch.command(&arguments);
    command.stderr(Stdio::piped()).spawn().expect("the program")
}

/// Of firings that begin together each works alone, or says that another is at work.
#[test]
fn two_firings_never_work_in_one_folder() {
    let scratch = Scratch::new();
    for index in 0..4 {
        scratch.put(&format!("photos/{index}.jpg"), &photo(50, 40, index));
    }
    let mut worked = 0;
    for _ in 0..40 {
        let both = [begun(&scratch), begun(&scratch)];
        for child in both {
            let done = child.wait_with_output().expect("it ends");
            let says = String::from_utf8_lossy(&done.stderr).into_owned();
            match done.status.code() {
                Some(0) => worked += 1,
                Some(1) => assert!(says.contains("another firing is at work"), "{says}"),
                other => panic!("{other:?}: {says}"),
            }
        }
    }
    assert!(worked >= 40, "one of two always works");
    let left = scratch.names("upload");
    assert_eq!(left.len(), 5, "no lock and no part is left: {left:?}");
}

#[test]
fn what_cannot_be_looked_at_is_not_called_missing() {
    let scratch = Scratch::with_photos();
    let done = scratch.kiln(&["fire", "photos/readme.txt/deeper"]);
    assert_eq!(done.code, 2, "{}", done.stderr);
    assert!(
        done.stderr.contains("cannot be read (Not a directory"),
        "{}",
        done.stderr
    );
    let done = scratch.kiln(&["fire", "nowhere"]);
    assert!(
        done.stderr.contains("no such file or folder"),
        "{}",
        done.stderr
    );
}

#[test]
#[cfg(target_os = "linux")]
fn what_needs_more_memory_than_there_may_be_is_named_and_the_rest_made() {
    let scratch = Scratch::new();
    let mut large = crate::support::common::gif();
    large[6..8].copy_from_slice(&9000_u16.to_le_bytes());
    large[8..10].copy_from_slice(&9000_u16.to_le_bytes());
    scratch.put("in/large.gif", &large);
    scratch.put("in/sea.jpg", &photo(200, 150, 1));
    let line = format!(
        "ulimit -v 600000; exec {} fire in --width 60 --density 1 --jobs 2 --quiet",
        env!("CARGO_BIN_EXE_kiln")
    );
    let limited = std::process::Command::new("sh")
        .args(["-c", &line])
        .current_dir(scratch.path(""))
        .output()
        .expect("a shell");
    let said = String::from_utf8_lossy(&limited.stderr);
    assert_eq!(limited.status.code(), Some(1), "{said}");
    assert!(
        said.contains("large.gif: needs about 650 MB of memory") && said.lines().count() == 1,
        "{said}"
    );
    assert_eq!(scratch.names("upload"), ["kiln-ledger.json", "sea-60.webp"]);
}
