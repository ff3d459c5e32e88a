//! What a ledger records, and whether the disk agrees.

use std::fs;

use serde_json::Value;

use crate::support::{Scratch, photo};

const FIRE: [&str; 8] = [
    "fire",
    "photos",
    "-w",
    "40",
    "-f",
    "webp",
    "--quiet",
    "--no-kiln",
];

/// A folder that was fired into: five pieces of one place, and what auto has chosen between.
fn fired() -> Scratch {
    let scratch = Scratch::with_photos();
    scratch.fires(&FIRE);
    scratch.put("more/lamp.jpg", &photo(120, 90, 5));
    scratch.fires(&[
        "fire",
        "more",
        "-w",
        "50",
        "-f",
        "auto",
        "--quiet",
        "--no-kiln",
    ]);
    scratch
}

#[test]
fn a_ledger_is_summed_up_and_exported() {
    let scratch = fired();
    let sums = scratch.json(&["ledger", "--json"]);
    let pieces = sums["pieces"].as_array().expect("a list");
    let count: u64 = pieces
        .iter()
        .map(|one| one["pieces"].as_u64().expect("a number"))
        .sum();
    assert_eq!(
        (count, &sums["originals"], &sums["planned"]),
        (7, &7.into(), &0.into())
    );
    let table = scratch.fires(&["ledger"]);
    assert!(table.contains("7 pieces of 7 originals"), "{table}");

    let rows = scratch.fires(&["ledger", "export"]);
    let mut rows = rows.lines();
    let head =
        "piece,original,place,format,width,height,state,weight,score,dial,encodes,digest,kiln";
    assert_eq!(rows.next(), Some(head));
    let states: Vec<&str> = rows.filter_map(|row| row.split(',').nth(6)).collect();
    let of = |state: &str| states.iter().filter(|known| **known == state).count();
    assert_eq!((of("made"), of("unused"), states.len()), (7, 2, 9));

    let document = fs::read_to_string(scratch.path("upload/kiln-ledger.json")).expect("a ledger");
    assert_eq!(scratch.fires(&["ledger", "export", "--json"]), document);
    let none = scratch.kiln(&["ledger", "--out", "photos"]);
    assert_eq!(none.code, 1);
    assert!(
        none.stderr.contains("no pieces are recorded there"),
        "{}",
        none.stderr
    );
}

#[test]
fn a_ledger_is_held_against_the_disk() {
    let scratch = fired();
    let sound = scratch.fires(&["ledger", "verify"]);
    assert!(sound.contains("7 pieces are as they were made"), "{sound}");
    scratch.put("upload/sea-40.webp", b"touched by someone");
    fs::remove_file(scratch.path("upload/rooms/stairs-40.webp")).expect("a piece");
    scratch.put("photos/fog.webp", b"another");
    fs::remove_file(scratch.path("photos/logo.png")).expect("an original");
    let told = scratch.kiln(&["ledger", "verify", "--json"]);
    assert_eq!(told.code, 1);
    let told: Value = serde_json::from_str(&told.stdout).expect("JSON");
    let wrong = told["disagreements"].as_array().expect("a list");
    let wrong: Vec<(&str, &str)> = wrong
        .iter()
        .map(|one| {
            (
                one["name"].as_str().expect("text"),
                one["state"].as_str().expect("text"),
            )
        })
        .collect();
    let wanted = [
        ("../photos/fog.webp", "changed"),
        ("rooms/stairs-40.webp", "missing"),
        ("sea-40.webp", "altered"),
    ];
    assert_eq!(wrong, wanted);
    assert_eq!(
        (&told["sound"], &told["originals_gone"]),
        (&5.into(), &1.into())
    );
}

/// What a killed run left in journals goes into the document, whatever program reads that.
#[test]
fn journals_go_into_the_document() {
    let scratch = Scratch::with_photos();
    for part in ["1/2", "2/2"] {
        scratch.fires(&[&FIRE[..], &["--part", part]].concat());
    }
    let sums = scratch.json(&["ledger", "--json"]);
    assert!(
        sums["journal"].as_u64() > Some(0) && sums["originals"] == 6,
        "{sums}"
    );
    let exported = scratch.fires(&["ledger", "export", "--json"]);
    scratch.fires(&["ledger", "compact"]);
    let document = fs::read_to_string(scratch.path("upload/kiln-ledger.json")).expect("a ledger");
    assert_eq!(document, exported);
    assert_eq!(scratch.json(&["ledger", "--json"])["journal"], 0);
    assert!(!scratch.path("upload/.kiln-parts").exists());
}
