//! Totals that many pictures share: kept over the runs, and told.

use std::collections::BTreeMap;

use serde_json::Value;

use crate::support::{Scratch, photo, pieces};

/// Four pictures of unequal sizes, and so of unequal weights.
fn coast() -> Scratch {
    let scratch = Scratch::new();
    for (seed, (name, width)) in [("fog", 240), ("gull", 200), ("pier", 320), ("tide", 160)]
        .into_iter()
        .enumerate()
    {
        scratch.put(&format!("in/{name}.jpg"), &photo(width, 200, seed as u64));
    }
    scratch
}

fn json(scratch: &Scratch, arguments: &[&str]) -> Value {
    scratch.json(&[&["fire", "--json"], arguments].concat())
}

fn weights(report: &Value) -> BTreeMap<String, u64> {
    let weight = |piece: Value| {
        let name = piece["name"].as_str().expect("a name").to_owned();
        (name, piece["weight"].as_u64().expect("bytes"))
    };
    pieces(report).into_iter().map(weight).collect()
}

/// The pieces, without the ledger, which says more of their past.
fn files(scratch: &Scratch, out: &str) -> BTreeMap<String, Vec<u8>> {
    let mut files = scratch.files(out);
    files.remove("kiln-ledger.json");
    files
}

#[test]
fn a_total_presses_all_alike_and_a_second_run_does_nothing() {
    let scratch = coast();
    let alone = json(&scratch, &["in", "-o", "alone"]);
    let whole: u64 = weights(&alone).values().sum();
    let total = (whole * 3 / 4).to_string();
    let run = ["in", "-o", "out", "--max-total", &total];
    let shared = json(&scratch, &run);
    let sum: u64 = weights(&shared).values().sum();
    assert!(
        sum <= whole * 3 / 4 && sum > whole * 2 / 3,
        "{sum} of {whole}"
    );
    let told = &shared["shared_totals"][0];
    assert_eq!(
        (&told["weight"], &told["page"]),
        (&sum.into(), &Value::Null)
    );
    let scores = pieces(&shared).into_iter().map(|piece| {
        assert_eq!(piece["verdict"], "shared");
        piece["score"].as_f64().expect("a score")
    });
    let scores: Vec<f64> = scores.collect();
    let (worst, best) = (
        scores.iter().fold(99.0, |a, b| b.min(a)),
        scores.iter().fold(0.0, |a, b| b.max(a)),
    );
    assert!(worst > 55.0 && best - worst < 4.0, "{scores:?}");
    assert_eq!(told["worst_score"].as_f64(), Some(worst));
    // All as it was made, and the same bytes elsewhere by a single thread.
    let before = scratch.files("out");
    let again = json(&scratch, &run);
    assert_eq!(again["totals"]["unchanged"], 4);
    assert_eq!(scratch.files("out"), before);
    json(
        &scratch,
        &["in", "-o", "other", "--max-total", &total, "-j", "1"],
    );
    assert_eq!(files(&scratch, "other"), files(&scratch, "out"));
    // A new picture takes its part: as if all had been there from the start.
    scratch.put("in/wave.jpg", &photo(180, 200, 9));
    let more = json(&scratch, &run);
    assert!(weights(&more).values().sum::<u64>() <= whole * 3 / 4);
    json(&scratch, &["in", "-o", "fresh", "--max-total", &total]);
    assert_eq!(files(&scratch, "out"), files(&scratch, "fresh"));
    // Without a total, all are as good as for themselves again.
    json(&scratch, &["in", "-o", "out"]);
    let alone = files(&scratch, "alone");
    let out = files(&scratch, "out");
    assert!(alone.iter().all(|(name, file)| out.get(name) == Some(file)));
}

#[test]
fn a_visitor_loads_each_picture_once_in_one_format_and_size() {
    let scratch = coast();
    let run = [
        "in",
        "-o",
        "out",
        "-w",
        "80",
        "-d",
        "1,2",
        "-f",
        "webp,jpeg",
    ];
    let free = json(&scratch, &run);
    assert_eq!(free["shared_totals"].as_array().map(Vec::len), Some(0));
    let format = |report: &Value, name: &str| -> u64 {
        let all = weights(report).into_iter();
        all.filter(|(piece, _)| piece.ends_with(&format!("160.{name}")))
            .map(|(_, weight)| weight)
            .sum()
    };
    // The WebPs would fit by themselves, the JPEGs do not.
    let total = format(&free, "webp").max(format(&free, "jpg") * 2 / 3);
    let total_option = total.to_string();
    let shared = json(
        &scratch,
        &[&run[..], &["--max-total", &total_option]].concat(),
    );
    let told = shared["shared_totals"].as_array().expect("a list");
    let formats: Vec<&Value> = told.iter().map(|told| &told["format"]).collect();
    assert_eq!(formats, ["jpeg", "webp"]);
    assert!(
        told.iter()
            .all(|told| told["weight"].as_u64() <= Some(total)),
        "{told:?}"
    );
    assert_eq!(format(&shared, "webp"), format(&free, "webp"));
    let (all, mut pressed) = (weights(&shared), 0);
    for (name, weight) in &all {
        if let Some(small) = name.strip_suffix("80.jpg") {
            assert!(
                *weight <= all[&format!("{small}160.jpg")],
                "{name}: {all:?}"
            );
            pressed += 1;
        }
    }
    assert_eq!(pressed, 4);
}

#[test]
fn a_total_that_cannot_be_met_is_told_with_its_heaviest_pictures() {
    let scratch = coast();
    let done = scratch.kiln(&[
        "fire",
        "in",
        "--max-total",
        "2KB",
        "--format",
        "webp",
        "--least-look",
        "70",
        "--why",
        "pier",
    ]);
    assert_eq!(done.code, 1);
    let line = done.stderr.lines().next().expect("a line");
    assert!(
        line.starts_with("kiln: all together: over its total: "),
        "{line}"
    );
    assert!(
        line.contains(
            "above 2.00 KB, though all are as light as they may be; the heaviest are pier-320.webp"
        ),
        "{line}"
    );
    assert!(
        done.stdout.contains("share its total keep it"),
        "{}",
        done.stdout
    );
    // The sharpest that a total allows needs no weight for each.
    let sharp = json(
        &scratch,
        &[
            "in",
            "-o",
            "sharp",
            "--max-total",
            "60KB",
            "--aim",
            "sharpest",
        ],
    );
    let told = &sharp["shared_totals"][0];
    assert!(
        told["weight"]
            .as_u64()
            .is_some_and(|w| (50_000..=60_000).contains(&w)),
        "{told}"
    );
    assert!(told["worst_score"].as_f64() > Some(76.0), "{told}");
}

#[test]
fn pages_of_the_kiln_file_share_what_they_say() {
    let scratch = coast();
    let kiln = |page: &str| {
        let file = format!(
            "originals = \"in\"\n[place.sea]\nof = [\"fog*\", \"gull*\"]\nwidth = 150\n[place.shore]\nof = [\"pier*\", \"tide*\"]\nwidth = 150\n{page}"
        );
        scratch.put("kiln.toml", file.as_bytes());
    };
    kiln("");
    let whole: u64 = weights(&json(&scratch, &[]))
        .into_iter()
        .take(2)
        .map(|(_, weight)| weight)
        .sum();
    kiln(&format!(
        "[page.home]\nplaces = [\"sea\"]\nmax-total = {}\n[page.all]\nof = [\"*\"]\nmax-total = \"1MB\"\n",
        whole * 4 / 5
    ));
    let planned = scratch.fires(&["fire", "--dry-run"]);
    assert!(
        planned.contains("page all: 4 pictures would share 1.00 MB as WebP"),
        "{planned}"
    );
    let told = scratch.fires(&["fire", "-v"]);
    assert!(told.contains("page home: 2 pictures weigh "), "{told}");
    assert!(
        told.contains("Settings of page home\n  max-total "),
        "{told}"
    );
    assert_eq!(told.matches("pressed by its total").count(), 2, "{told}");
    // A page is shared only where all its places are fired; what stands, stays.
    let some = scratch.kiln(&["fire", "--place", "sea"]);
    assert!(
        some.stdout.contains("page home: 2 pictures") && !some.stdout.contains("page all"),
        "{}",
        some.stdout
    );
    assert!(some.stdout.contains("unchanged"), "{}", some.stdout);
    let none = scratch.kiln(&["fire", "in/fog.jpg"]);
    assert!(
        none.stderr.contains("is not shared in this run") && none.stdout.contains("unchanged"),
        "{}{}",
        none.stdout,
        none.stderr
    );
    for (page, says) in [
        (
            "[page.home]\nplaces = [\"see\"]\nmax-total = 9\n",
            "there is no place \"see\"; the places are sea, shore",
        ),
        ("[page.home]\nof = [\"*\"]\n", "add max-total"),
        (
            "[page.home]\nmax-total = \"much\"\n",
            "a weight is a number",
        ),
        (
            "[page.home]\nmax-totl = 9\nmax-total = 9\n",
            "did you mean \"max-total\"?",
        ),
        ("[page]\nhome = 3\n", "a page is a table"),
        (
            "[every]\naim = \"sharpest\"\n[page.home]\nplaces = [\"sea\"]\nmax-total = 9\n",
            "shore: the sharpest",
        ),
    ] {
        kiln(page);
        let done = scratch.kiln(&["fire", "-n", "x"]);
        assert_eq!(done.code, 2, "{page}");
        assert!(done.stderr.contains(says), "{page}: {}", done.stderr);
    }
}

/// The weights of pieces that a total cannot press count as they are, and the others make room.
#[test]
fn what_cannot_be_lowered_keeps_its_part() {
    let scratch = coast();
    scratch.put("in/half.jpg", &photo(300, 200, 8)[..2000]);
    let kiln = |lines: &str| {
        let file = format!(
            "originals = \"in\"\n{lines}\n[place.dial]\nof = [\"fog*\"]\nquality = 60\n[place.exact]\nof = [\"tide*\"]\nwidth = 40\nlook = \"exact\"\nformats = [\"webp\"]\n[place.drawn]\nof = [\"gull*\"]\nwidth = 30\nformats = [\"png\"]\nlook = \"exact\"\n[place.fine]\nof = [\"pier*\", \"half*\"]\nformats = [\"webp\"]\n"
        );
        scratch.put("kiln.toml", file.as_bytes());
    };
    kiln("");
    let free = weights_of_made(&json(&scratch, &[]));
    assert_eq!(free.len(), 4, "the broken one gives none: {free:?}");
    let pier = free["pier-320.webp"];
    let whole: u64 = free.values().sum();
    kiln(&format!("max-total = {}", whole - pier / 5));
    let done = scratch.kiln(&["fire", "--json"]);
    let report: Value = serde_json::from_str(&done.stdout).expect("JSON");
    let pressed = weights_of_made(&report);
    assert!(pressed["pier-320.webp"] <= pier * 4 / 5);
    for (name, weight) in free.iter().filter(|(name, _)| !name.starts_with("pier")) {
        assert_eq!(pressed.get(name), Some(weight), "{name}");
    }
    assert_eq!(done.code, 1);
    assert_eq!(
        done.stderr.lines().count(),
        1,
        "only the broken one: {}",
        done.stderr
    );
    // As PNG a visitor loads other files of the same pictures: that is a total of its own.
    let told = report["shared_totals"].as_array().expect("a list");
    let pictures: Vec<&Value> = told.iter().map(|told| &told["pictures"]).collect();
    assert_eq!(pictures, [4], "{told:?}");
}

fn weights_of_made(report: &Value) -> BTreeMap<String, u64> {
    let made = pieces(report).into_iter().filter_map(|piece| {
        let name = piece["name"].as_str().expect("a name").to_owned();
        Some((name, piece["weight"].as_u64()?))
    });
    made.collect()
}

/// A total goes together with a weight for each, and with pieces that are made smaller for it.
#[test]
fn weights_and_totals_are_both_kept() {
    let scratch = coast();
    let run = [
        "in",
        "-f",
        "jpeg",
        "-m",
        "4KB",
        "--least-look",
        "60",
        "--shrink-to-fit",
        "-o",
    ];
    let alone = json(&scratch, &[&run[..], &["alone"]].concat());
    let free = weights(&alone);
    let shrunk = |report: &Value| -> Vec<String> {
        let all = pieces(report)
            .into_iter()
            .filter(|piece| !piece["shrunk"].is_null());
        all.map(|piece| piece["name"].as_str().expect("a name").to_owned())
            .collect()
    };
    assert!(!shrunk(&alone).is_empty(), "{free:?}");
    let total = free.values().sum::<u64>() * 9 / 10;
    let option = total.to_string();
    let both = json(
        &scratch,
        &[&run[..], &["both", "--max-total", &option]].concat(),
    );
    let pressed = weights(&both);
    assert!(pressed.values().all(|weight| *weight <= 7000));
    assert_eq!(shrunk(&both), shrunk(&alone));
    for name in shrunk(&both) {
        assert_eq!(pressed[&name], free[&name], "{name}");
    }
    let told = &both["shared_totals"][0];
    let sum: u64 = pressed.values().sum();
    assert_eq!(told["weight"], sum);
    // Kept, or said: what was shrunk can give nothing.
    let said = scratch.kiln(&[&["fire"], &run[..], &["both", "--max-total", &option]].concat());
    assert_eq!(
        said.stderr.contains("over its total"),
        sum > total,
        "{}",
        said.stderr
    );
    assert!(said.stdout.contains("4 were made before") || said.stdout.contains("unchanged"));
}
