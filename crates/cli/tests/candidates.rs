//! Pieces that may have any of several formats: the one that serves best is kept, under its name.

use std::collections::BTreeMap;

use serde_json::Value;

use crate::support::{Scratch, common, photo, pieces};

/// A photo, and a drawing with transparent pixels.
fn mixed() -> Scratch {
    let scratch = Scratch::new();
    scratch.put("in/gull.jpg", &photo(160, 120, 4));
    scratch.put("in/mark.png", &common::png());
    scratch
}

fn report(scratch: &Scratch, arguments: &[&str]) -> Value {
    let done = scratch.kiln(&[&["fire", "in", "--json"], arguments].concat());
    assert_eq!(done.code, 0, "{}", done.stderr);
    serde_json::from_str(&done.stdout).expect("JSON")
}

/// Weights by the stems of names.
fn weights(report: &Value) -> BTreeMap<String, u64> {
    let weight = |piece: &Value| {
        let name = piece["name"].as_str().expect("a name");
        let stem = name.split_once('.').expect("an extension").0;
        (stem.to_owned(), piece["weight"].as_u64().expect("bytes"))
    };
    pieces(report).iter().map(weight).collect()
}

/// The files of an out folder without its ledger.
fn names(scratch: &Scratch, out: &str) -> Vec<String> {
    let mut names = scratch.names(out);
    names.retain(|name| name != "kiln-ledger.json");
    names
}

#[test]
fn the_lightest_format_is_kept_and_kept_again() {
    let scratch = mixed();
    let auto = report(&scratch, &["-o", "out", "--format", "auto"]);
    let mut told: Vec<String> = pieces(&auto)
        .iter()
        .map(|piece| piece["name"].as_str().expect("a name").to_owned())
        .collect();
    told.sort();
    assert_eq!(names(&scratch, "out"), told, "one file a piece");
    let each: Vec<_> = ["webp", "jpeg", "png"]
        .iter()
        .map(|format| weights(&report(&scratch, &["-o", format, "--format", format])))
        .collect();
    for (stem, weight) in weights(&auto) {
        // JPEG cannot hold what the drawing is.
        let fit = each.iter().enumerate();
        let fit = fit.filter(|(index, _)| stem.starts_with("gull") || *index != 1);
        let lightest = fit.map(|(_, weights)| weights[&stem]).min();
        assert_eq!(Some(weight), lightest, "{stem}");
    }
    let again = report(&scratch, &["-o", "out", "--format", "auto"]);
    assert_eq!(again["totals"]["unchanged"], 2);
    assert_eq!(names(&scratch, "out"), told);
    let why = scratch.fires(&[
        "fire", "in", "-o", "out", "--format", "auto", "--why", "gull", "-v",
    ]);
    for said in ["Of WebP, JPEG or PNG, ", "WebP", "JPEG", "PNG"] {
        assert!(why.contains(said), "{said}: {why}");
    }
}

/// A piece that gets another format leaves no file behind, unless somebody changed that.
#[test]
fn another_format_takes_the_place_of_the_last() {
    // Sharpened: as it is it would stay a JPEG.
    let fire = ["-o", "out", "--sharpen", "soft", "--format", "auto,avif"];
    let light = [&fire[..], &["--look", "plain"]].concat();
    let exact = [&fire[..], &["--look", "exact"]].concat();
    for altered in [false, true] {
        let scratch = Scratch::new();
        scratch.put("in/gull.jpg", &photo(160, 120, 4));
        report(&scratch, &light);
        let first = names(&scratch, "out").concat();
        assert_ne!(first, "gull-160.png");
        if altered {
            scratch.put(&format!("out/{first}"), b"retouched by hand");
        }
        let told = report(&scratch, &exact);
        let name = pieces(&told)[0]["name"]
            .as_str()
            .expect("a name")
            .to_owned();
        assert_ne!(name, first);
        if altered {
            assert_eq!(names(&scratch, "out"), [first.clone(), name]);
            assert_eq!(told["strays"][0]["name"], *first);
            assert_eq!(told["strays"][0]["state"], "altered");
        } else {
            assert_eq!(names(&scratch, "out"), [name]);
            assert!(told["strays"].as_array().is_some_and(Vec::is_empty));
        }
    }
}

#[test]
fn all_names_that_a_piece_may_get_are_reserved() {
    let scratch = mixed();
    let planned = scratch.fires(&["fire", "in", "-o", "out", "--format", "auto", "--dry-run"]);
    assert!(planned.contains("gull-160.{webp|jpg|png}"), "{planned}");
    let planned = report(&scratch, &["-o", "out", "--format", "auto", "--dry-run"]);
    let gull = &pieces(&planned)[0];
    assert_eq!(gull["format"], Value::Null);
    let candidates = gull["candidates"].as_array().expect("a list").len();
    assert_eq!(
        (candidates, &gull["name"]),
        (3, &Value::from("gull-160.webp"))
    );

    scratch.put("out/gull-160.png", b"somebody else's");
    let done = scratch.kiln(&["fire", "in", "-o", "out", "--format", "auto"]);
    assert_eq!(done.code, 1, "{}", done.stdout);
    assert!(done.stderr.contains("out/gull-160.png"), "{}", done.stderr);
    assert_eq!(names(&scratch, "out"), ["gull-160.png"], "nothing was made");

    scratch.put("in/gull.png", &common::png());
    let wide = ["fire", "in", "-o", "other", "--width", "20", "--format"];
    let clash = scratch.kiln(&[&wide[..], &["auto"]].concat());
    assert!(
        clash
            .stderr
            .contains("would become gull-20.webp, as would in/gull.png"),
        "{}",
        clash.stderr
    );
    for refused in [["--quality", "70"], ["--backdrop", "transparent"]] {
        let with = [&wide[..], &["auto"], &refused].concat();
        let other = [&wide[..], &["jpeg"], &refused].concat();
        let (with, other) = (scratch.kiln(&with).stderr, scratch.kiln(&other).stderr);
        let quality = refused[0] == "--quality";
        assert_eq!(with.contains("auto searches"), quality, "{with}");
        assert_eq!(other.contains("no transparency"), !quality, "{other}");
    }
}

#[test]
fn a_total_is_shared_by_pieces_of_any_format() {
    let scratch = mixed();
    scratch.put("in/pier.jpg", &photo(200, 160, 5));
    let alone = report(&scratch, &["-o", "alone", "--format", "auto"]);
    let whole: u64 = weights(&alone).values().sum();
    let total = (whole * 3 / 4).to_string();
    let run = ["-o", "out", "--format", "auto", "--max-total", &total];
    let shared = report(&scratch, &run);
    let told = &shared["shared_totals"][0];
    assert_eq!(told["format"], Value::Null);
    assert_eq!(told["formats"], serde_json::json!(["webp", "jpeg", "png"]));
    let sum: u64 = weights(&shared).values().sum();
    assert_eq!(told["weight"], sum);
    assert!(sum <= whole * 3 / 4 && sum > whole / 2, "{sum} of {whole}");
    let made = names(&scratch, "out");
    assert_eq!(made.len(), 3, "{made:?}");
    let again = report(&scratch, &run);
    assert_eq!(again["totals"]["unchanged"], 3);
    assert_eq!(weights(&again), weights(&shared));
}
