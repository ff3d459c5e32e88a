//! Ledgers of earlier programs, of newer ones, and damaged ones: what a user has is never stranded.

use std::fs;
use std::path::Path;

use serde_json::Value;

use crate::support::{self, Scratch, finished};

const FIRE: [&str; 7] = [
    "fire",
    "originals",
    "--width=40",
    "--density=1,2",
    "--format=webp,jpeg",
    "--out=upload",
    "--no-kiln",
];

/// An out folder as a program of an earlier form of the ledger has left it: two originals, and
/// one that is gone since.
fn left_by(schema: u32) -> Scratch {
    let ledgers = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/ledgers");
    let scratch = Scratch::new();
    copy(&scratch, &ledgers.join("originals"), "originals");
    copy(
        &scratch,
        &ledgers.join(format!("schema-{schema}")),
        "upload",
    );
    scratch
}

fn copy(scratch: &Scratch, from: &Path, to: &str) {
    for entry in fs::read_dir(from).expect("a fixture") {
        let path = entry.expect("an entry").path();
        let name = path
            .file_name()
            .expect("a name")
            .to_string_lossy()
            .into_owned();
        match path.is_dir() {
            true => copy(scratch, &path, &format!("{to}/{name}")),
            false => drop(scratch.put(&format!("{to}/{name}"), &fs::read(&path).expect("a file"))),
        }
    }
}

fn ledger(scratch: &Scratch) -> Value {
    let text = fs::read(scratch.path("upload/kiln-ledger.json")).expect("a ledger");
    serde_json::from_slice(&text).expect("JSON")
}

fn fired(scratch: &Scratch, more: &[&str]) -> support::Done {
    scratch.kiln(&[&FIRE[..], more].concat())
}

#[test]
fn ledgers_of_every_earlier_form_are_carried_over() {
    for schema in 1..=4 {
        let scratch = left_by(schema);
        let before = scratch.names("upload");
        assert_eq!(before.len(), 13, "{before:?}");
        let done = fired(&scratch, &[]);
        assert_eq!(done.code, 0, "schema {schema}: {}", done.stderr);
        assert!(
            done.stderr
                .contains(&format!("(schema {schema}) and is carried over")),
            "{}",
            done.stderr
        );
        // No piece is foreign, and those whose original is gone are known as strays.
        assert_eq!(scratch.names("upload"), before, "schema {schema}");
        let strays = done.stdout.lines().filter(|line| line.contains("gone-"));
        assert_eq!(strays.count(), 4, "schema {schema}: {}", done.stdout);
        assert_eq!(
            (
                ledger(&scratch)["schema"].as_u64(),
                finished(&ledger(&scratch))
            ),
            (Some(5), 8)
        );
        // They are told by their digests from what somebody has put in their place.
        scratch.put("upload/gone-40.jpg", b"somebody's own");
        let done = fired(&scratch, &["--remove-strays"]);
        assert_eq!(done.code, 0, "schema {schema}: {}", done.stderr);
        assert!(
            !done.stderr.contains("carried over"),
            "once is enough: {}",
            done.stderr
        );
        let left = scratch.names("upload");
        let gone: Vec<&String> = left.iter().filter(|name| name.contains("gone")).collect();
        assert_eq!(gone, ["gone-40.jpg"], "schema {schema}");
        let again = fired(&scratch, &["--json"]);
        let report: Value = serde_json::from_str(&again.stdout).expect("JSON");
        assert_eq!(
            report["totals"]["unchanged"].as_u64(),
            Some(8),
            "schema {schema}"
        );
    }
}

#[test]
fn a_newer_ledger_is_left_alone() {
    let scratch = left_by(4);
    let newer = b"{\"schema\": 77, \"kiln\": \"9.1.2\", \"shelves\": {}}";
    scratch.put("upload/kiln-ledger.json", newer);
    let before = scratch.files("upload");
    let done = fired(&scratch, &[]);
    assert_eq!(done.code, 1);
    let says =
        "kiln: upload/kiln-ledger.json: was written by Mellow Kiln 9.1.2 and is of a newer form";
    assert!(done.stderr.starts_with(says), "{}", done.stderr);
    assert!(scratch.files("upload") == before, "nothing was written");
}

/// A ledger that was cut off in the middle still tells which files are ours, by their digests.
#[test]
fn pieces_of_a_damaged_ledger_are_known_by_their_digests() {
    let scratch = left_by(4);
    fired(&scratch, &[]);
    let text = fs::read(scratch.path("upload/kiln-ledger.json")).expect("a ledger");
    let pieces = scratch.names("upload");
    scratch.put("upload/kiln-ledger.json", &text[..text.len() - 40]);
    let done = fired(&scratch, &[]);
    assert_eq!(done.code, 0, "{}", done.stderr);
    assert!(
        done.stderr
            .contains("set aside as upload/kiln-ledger.json.unreadable"),
        "{}",
        done.stderr
    );
    assert_eq!(finished(&ledger(&scratch)), 8);
    let now = scratch.names("upload");
    assert_eq!(now.len(), pieces.len() + 1);
    // A second one that is damaged stands beside the first.
    scratch.put("upload/kiln-ledger.json", b"{");
    fired(&scratch, &[]);
    assert!(
        scratch
            .path("upload/kiln-ledger.json.unreadable-2")
            .exists()
    );
}

/// Files that nothing tells of are never replaced but by one word, and what the run had to say
/// until then is said.
#[test]
fn files_that_are_not_ours_stop_the_run_until_they_are_adopted() {
    let scratch = left_by(4);
    scratch.put("upload/kiln-ledger.json", b"not JSON at all");
    scratch.put("originals/broken.jpg", b"\xFF\xD8\xFF\xE0 broken");
    let before = scratch.files("upload/rooms");
    let done = fired(&scratch, &[]);
    assert_eq!(done.code, 1);
    let said = [
        "kiln: the ledger could not be read; it is set aside as upload/kiln-ledger.json.unreadable",
        "kiln: originals/broken.jpg: the JPEG headers",
        "kiln: upload/fog-40.webp: is there already and is not a piece of an earlier firing",
        "kiln: move them away, choose another --out, or say --adopt to let pieces replace them",
    ];
    for line in said {
        let told = done.stderr.lines().any(|told| told.starts_with(line));
        assert!(told, "{line}: {}", done.stderr);
    }
    assert!(scratch.files("upload/rooms") == before);
    let done = fired(&scratch, &["--adopt"]);
    assert!(done.stderr.contains("broken.jpg"), "{}", done.stderr);
    assert_eq!(finished(&ledger(&scratch)), 8);
    assert!(
        scratch.path("upload/gone-40.jpg").exists(),
        "nothing wants its place"
    );
    // From now on they are ours.
    let done = fired(&scratch, &["--width=41"]);
    assert!(!done.stderr.contains("not a piece"), "{}", done.stderr);
}
