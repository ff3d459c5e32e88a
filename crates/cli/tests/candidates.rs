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

/// What a list leaves out is what a run that keeps all shows to be heavier than a format that more browsers
/// show; it stays out without being made again, and comes back when it is asked for.
#[test]
fn a_list_leaves_out_what_gains_nothing() {
    let scratch = Scratch::new();
    for seed in 1..5 {
        scratch.put(&format!("in/gull-{seed}.jpg"), &photo(230, 170, seed));
    }
    scratch.put("in/mark.png", &common::png());
    let list = [
        "-o",
        "out",
        "-w",
        "60,120",
        "--format",
        "avif,webp,jpeg,png",
    ];
    let all = report(
        &scratch,
        &[
            "-o",
            "all",
            "-w",
            "60,120",
            "--format",
            "avif,webp,jpeg,png",
            "--keep-all",
        ],
    );
    let some = report(&scratch, &list);
    let novelty = |format: &str| {
        ["png jpeg", "webp", "avif"]
            .iter()
            .position(|of| of.contains(format))
    };
    let mut left_out = 0;
    let originals = |report: &Value| report["originals"].as_array().expect("a list").clone();
    for (all, some) in originals(&all).iter().zip(&originals(&some)) {
        let pieces = |report: &Value| report["pieces"].as_array().expect("a list").clone();
        let mut sums: BTreeMap<String, (u64, bool, bool)> = BTreeMap::new();
        for piece in pieces(all) {
            let sum = sums.entry(piece["format"].as_str().expect("a format").to_owned());
            let sum = sum.or_insert((0, true, false));
            sum.0 += piece["weight"].as_u64().expect("bytes");
            sum.1 &= piece["verdict"] == "met" || piece["verdict"] == "lightest";
            sum.2 |= !piece["backdrop"].is_null();
        }
        for piece in pieces(some) {
            let format = piece["format"].as_str().expect("a format");
            let (own, met, flat) = sums[format];
            let outdone = met
                && sums.iter().any(|(other, (weight, met, on))| {
                    novelty(other) < novelty(format) && *met && *weight < own && *on == flat
                });
            let state = if outdone { "left_out" } else { "made" };
            assert_eq!(piece["state"], state, "{piece}: {sums:?}");
            let name = piece["name"].as_str().expect("a name");
            assert_eq!(
                scratch.path(&format!("out/{name}")).exists(),
                !outdone,
                "{name}"
            );
            left_out += usize::from(outdone);
        }
    }
    assert!(left_out > 0, "{all}");
    let states = |report: &Value, state: &str| {
        pieces(report)
            .iter()
            .filter(|piece| piece["state"] == state)
            .count()
    };
    let again = report(&scratch, &list);
    assert_eq!(
        (states(&again, "made"), states(&again, "left_out")),
        (0, left_out)
    );
    let kept = report(&scratch, &[&list[..], &["--keep-all"]].concat());
    assert_eq!(
        (states(&kept, "made"), states(&kept, "left_out")),
        (left_out, 0)
    );
    assert_eq!(names(&scratch, "out"), names(&scratch, "all"));
    // Without the format that outdid it, a piece is wanted again.
    report(&scratch, &list);
    let fewer = report(
        &scratch,
        &["-o", "out", "-w", "60,120", "--format", "avif,webp"],
    );
    for piece in pieces(&fewer)
        .iter()
        .filter(|piece| piece["state"] != "left_out")
    {
        let name = piece["name"].as_str().expect("a name");
        assert!(scratch.path(&format!("out/{name}")).exists(), "{name}");
    }
}
