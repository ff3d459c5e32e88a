//! The kiln file: places, layers, errors with their lines, and the plan.

use std::fs;

use serde_json::Value;

use crate::support::{self, Scratch, measured, photo};

const KILN_FILE: &str = r#"
originals = "originals"
out = "site/img"

[every]
formats = ["webp"]
densities = [1, 2]

[place.banner]
of = ["banners/**"]
width = [80, 160]
densities = [1]
formats = ["jpeg", "webp"]
max-weight = "4 KB"
min-size = [400, 225]

[place.crew]
of = ["people/*.jpg", "people/*.png"]
width = 30
name = "crew/{title}-{number}@{density}x"

[place.series]
of = ["people/**", "banners/*2*"]
long-side = 20
shape = "2:3"
focus = "0.5,0"
turn = 90
mirror = "vertical"
densities = 1
name = "series/{place}-{number:3}"
"#;

fn site() -> Scratch {
    let scratch = Scratch::new();
    scratch.put("web/kiln.toml", KILN_FILE.as_bytes());
    scratch.put("web/originals/banners/IMG_2041.JPG", &photo(300, 200, 1));
    scratch.put("web/originals/people/10 Jonah.jpg", &photo(90, 120, 2));
    scratch.put("web/originals/people/2 Marit.jpg", &photo(90, 120, 3));
    scratch.put("web/originals/loose.jpg", &photo(90, 60, 4));
    scratch.put("web/docs/readme.txt", b"far from the kiln file");
    scratch
}

#[test]
fn the_plan_is_a_tree_of_originals_places_and_pieces() {
    let scratch = site();
    let mut run = scratch.command(&[
        "fire",
        "--dry-run",
        "--verbose",
        "--place",
        "crew,banner,series",
        "--format",
        "png",
        "--max-weight",
        "1MB",
    ]);
    let done = run
        .current_dir(scratch.path("web/docs"))
        .output()
        .expect("the program");
    let plan = String::from_utf8(done.stdout).expect("text");
    insta::assert_snapshot!(scratch.weightless(&plan));
    assert!(!scratch.path("web/site").exists(), "nothing was written");

    let plan = scratch.fires(&["fire", "--kiln", "web/kiln.toml", "--dry-run", "--json"]);
    let plan: Value = serde_json::from_str(&plan).expect("JSON");
    let banner = &plan["originals"][0];
    assert_eq!(
        banner["notes"][0],
        "is smaller than the 400×225 that banner needs"
    );
    assert_eq!(banner["pieces"][0]["place"], "banner");
    assert_eq!(banner["pieces"][0]["max_weight"], 4000);
    assert_eq!(
        plan["left_out"][0]["why"],
        "no place shows it, and [every] says no width"
    );
}

#[test]
fn every_place_is_made_and_budgets_of_places_are_kept() {
    let scratch = site();
    let report = scratch.fires(&["fire", "--kiln", "web/kiln.toml"]);
    assert!(
        report.contains("web/originals/loose.jpg: no place shows it"),
        "{report}"
    );
    insta::assert_snapshot!(scratch.names("web/site/img").join("\n"), @r"
    banners/img-2041-160.jpg
    banners/img-2041-160.webp
    banners/img-2041-80.jpg
    banners/img-2041-80.webp
    crew/10-jonah-2@1x.webp
    crew/10-jonah-2@2x.webp
    crew/2-marit-1@1x.webp
    crew/2-marit-1@2x.webp
    kiln-ledger.json
    series/series-001.webp
    series/series-002.webp
    series/series-003.webp
    ");
    assert_eq!(
        measured(&scratch.path("web/site/img/series/series-003.webp")),
        (13, 20)
    );
    for (name, bytes) in scratch.files("web/site/img") {
        assert!(
            !name.starts_with("banners") || bytes.len() <= 4000,
            "{name}"
        );
    }
    // A width on the command line holds for what no place shows as well.
    let report = scratch.fires(&[
        "fire",
        "-k",
        "web/kiln.toml",
        "-w",
        "40",
        "-d",
        "1",
        "-o",
        "b",
        "--quiet",
    ]);
    assert!(report.is_empty() && scratch.names("b").contains(&"loose-40.webp".to_owned()));
    // What was named and is shown nowhere is not passed over in silence.
    let told = scratch.fires(&[
        "fire",
        "-k",
        "web/kiln.toml",
        "web/originals/loose.jpg",
        "-o",
        "d",
    ]);
    assert!(told.contains("loose.jpg: no place shows it"), "{told}");
    // A part of the originals keeps its names below them, and its number in the part.
    scratch.fires(&[
        "fire",
        "-k",
        "web/kiln.toml",
        "web/originals/people",
        "-o",
        "c",
        "--quiet",
    ]);
    assert!(
        scratch
            .names("c")
            .contains(&"crew/10-jonah-2@1x.webp".to_owned())
    );
}

#[test]
fn everything_wrong_in_a_kiln_file_is_told_with_its_line() {
    let scratch = Scratch::new();
    scratch.put("photos/a.jpg", &photo(60, 40, 1));
    let text = r#"
originals = 5
outt = "x"
[every]
formats = ["webp", "jpg2"]
densites = [1, 2]
look = "fien"
least-look = "exact"
quality = 50
max-weight = "1KB"
[place.banner]
of = ["banners/[**"]
width = 12.5
scale = "150%"
shape = "16x9"
fit = "pad"
min-size = [3]
name = "{tilte}"
"turn\u001b[2J" = 90
[place.Banner]
of = ["x"]
long-side = 5
width = 5
[place.crew]
width = 300
[metadata]
keep = ["creators"]
write = { copyrigth = "x", credit = 7, position = "here" }
resolution = -3
"#;
    scratch.put("kiln.toml", text.as_bytes());
    let done = scratch.kiln(&["fire"]);
    assert_eq!(done.code, 2);
    insta::assert_snapshot!(done.stderr);
    for (text, says) in [
        ("originals = \"x", "kiln.toml:1: this is no sound TOML"),
        (
            "[place.x]\nof = 'a'",
            "kiln.toml: does not say where the originals are",
        ),
        ("place = 3", "\"place\" cannot be 3"),
        (
            "originals = 'photos'\n[every]\nlook = 'fine'\nleast-look = 'crisp'\nformats = 'avif'\nwidth = 9",
            "[every]: the least-look lies above the look",
        ),
    ] {
        scratch.put("kiln.toml", text.as_bytes());
        let done = scratch.kiln(&["fire"]);
        assert!(
            done.code == 2 && done.stderr.contains(says),
            "{}",
            done.stderr
        );
    }
}

/// Every key of how pictures are sized, cut and coloured, as it is told with its line.
#[test]
fn settings_of_sizing_are_told_with_their_lines() {
    let scratch = Scratch::new();
    scratch.put("photos/a.jpg", &photo(60, 40, 1));
    let text = r#"originals = "photos"
[every]
height = [20, 30]
enlarge = true
sizing = "gentle"
sharpen = "soft"
colour = "keep"
[place.mark]
of = ["a*"]
knock-out = "white"
knock-out-holes = true
trim = true
shape = "1:1"
fit = "pad"
backdrop = "transparent"
sharpen = "none"
"#;
    scratch.put("kiln.toml", text.as_bytes());
    let told = scratch.fires(&["fire", "--dry-run", "-v"]);
    let told: Vec<&str> = told
        .lines()
        .filter(|line| line.contains("kiln.toml:"))
        .collect();
    insta::assert_snapshot!(told.join("\n"), @r"
      height           20, 30                     kiln.toml:3
      enlarge          true                       kiln.toml:4
      trim             true                       kiln.toml:12
      shape            1:1                        kiln.toml:13
      fit              pad                        kiln.toml:14
      knock-out        white                      kiln.toml:10
      knock-out-holes  true                       kiln.toml:11
      sizing           gentle                     kiln.toml:5
      colour           keep                       kiln.toml:7
      backdrop         transparent                kiln.toml:15
      height      20, 30                     kiln.toml:3
      enlarge     true                       kiln.toml:4
      sizing      gentle                     kiln.toml:5
      sharpen     soft                       kiln.toml:6
      colour      keep                       kiln.toml:7
    ");
    for (line, says) in [
        ("height = 0", "a width is a whole number of pixels"),
        (
            "height = 5\nwidth = 5",
            "only one of width, height, long-side and scale",
        ),
        ("enlarge = 2", "it is true or false"),
        ("trim = 'yes'", "it is true or false"),
        ("sizing = 'sharp'", "a sizing is clear, gentle"),
        ("sharpen = 3", "sharpening is none, soft or crisp"),
        ("colour = 'p3'", "a colour is srgb, or keep"),
        (
            "knock-out = true",
            "knock-out is auto (what the border shows)",
        ),
        (
            "knock-out-holes = true",
            "knock-out-holes goes with knock-out",
        ),
        (
            "backdrop = 'clear'",
            "a backdrop is white, black, transparent",
        ),
        (
            "backdrop = 'transparent'\nformats = 'jpeg'",
            "JPEG has no transparency",
        ),
    ] {
        let text = format!("originals = 'photos'\n[place.mark]\nof = '*'\n{line}\n");
        scratch.put("kiln.toml", text.as_bytes());
        let done = scratch.kiln(&["fire"]);
        assert_eq!(done.code, 2, "{line}");
        assert!(done.stderr.contains(says), "{line}: {}", done.stderr);
    }
}

#[test]
fn names_that_cannot_be_stop_the_run_before_any_work() {
    let scratch = site();
    scratch.put("web/originals/aux/a.jpg", &photo(60, 40, 1));
    let done = scratch.kiln(&[
        "fire",
        "-k",
        "web/kiln.toml",
        "-w",
        "40,50",
        "-n",
        "{folders}/{place}",
    ]);
    assert_eq!(done.code, 1);
    let lines: Vec<&str> = done.stderr.lines().collect();
    assert_eq!(lines.len(), 5, "{}", done.stderr);
    assert!(
        lines
            .iter()
            .any(|line| line.contains("\"aux\" cannot be a name")),
        "{}",
        done.stderr
    );
    assert!(
        lines.iter().any(|line| line.contains("two sizes of")),
        "{}",
        done.stderr
    );
    assert!(!scratch.path("web/site").exists());
}

#[test]
fn init_writes_a_kiln_file_that_fires_and_never_overwrites() {
    let scratch = Scratch::new();
    scratch.put("originals/banners/IMG_1.jpg", &photo(900, 500, 1));
    scratch.put("originals/Über uns/b \"x\".jpg", &photo(300, 400, 2));
    scratch.put("originals/logo.png", &support::common::png());
    let told = scratch.fires(&["init"]);
    insta::assert_snapshot!(told);
    insta::assert_snapshot!(fs::read_to_string(scratch.path("kiln.toml")).expect("a kiln file"));
    let report = scratch.fires(&["fire"]);
    assert!(report.contains("from 3 originals"), "{report}");
    let again = scratch.kiln(&["init"]);
    assert_eq!(again.code, 1);
    assert!(
        again.stderr.contains("kiln.toml: is there already"),
        "{}",
        again.stderr
    );
}

#[test]
fn a_changed_setting_redoes_only_what_it_touches_and_strays_are_told() {
    let scratch = site();
    let fire = |arguments: &[&str]| {
        let all = [&["fire", "-k", "web/kiln.toml", "--json"], arguments].concat();
        let done = scratch.kiln(&all);
        // A place that shows nothing any more is no success.
        let idle = done.stderr.contains("shows none");
        assert_eq!(done.code, i32::from(idle), "{}", done.stderr);
        let report: Value = serde_json::from_str(&done.stdout).expect("JSON");
        let originals = report["originals"].as_array().expect("a list");
        let pieces = originals
            .iter()
            .flat_map(|o| o["pieces"].as_array().expect("a list"));
        let new = pieces.filter(|piece| piece["state"] == "made");
        let names: Vec<String> = new
            .map(|p| p["name"].as_str().expect("a name").to_owned())
            .collect();
        (names, report["strays"].clone())
    };
    assert_eq!(fire(&[]).0.len(), 11);
    let edit = |from: &str, to: &str| {
        let text = fs::read_to_string(scratch.path("web/kiln.toml")).expect("the file");
        scratch.put("web/kiln.toml", text.replace(from, to).as_bytes());
    };
    edit("4 KB", "5 KB");
    assert_eq!(fire(&[]).0.len(), 4, "one place");
    edit(
        "[place.crew]",
        "[metadata]\nwrite = { credit = \"Tern Point\" }\n[place.crew]",
    );
    assert_eq!(fire(&[]).0.len(), 11, "what is written into all");

    // An original and a place go; a piece of theirs is touched by someone.
    fs::remove_file(scratch.path("web/originals/people/2 Marit.jpg")).expect("an original");
    edit(
        "[place.banner]\nof = [\"banners/**\"]",
        "[place.banner]\nof = [\"nothing/**\"]",
    );
    scratch.put("web/site/img/banners/img-2041-80.jpg", b"touched");
    let (made, strays) = fire(&[]);
    // The series is numbered anew.
    assert_eq!(
        made,
        [
            "crew/10-jonah-1@1x.webp",
            "crew/10-jonah-1@2x.webp",
            "series/series-002.webp"
        ]
    );
    let names: Vec<&str> = strays
        .as_array()
        .expect("a list")
        .iter()
        .map(|s| s["name"].as_str().expect("a name"))
        .collect();
    assert_eq!(names.len(), 4 + 2 + 2 + 1, "{names:?}");
    assert_eq!(
        scratch.names("web/site/img").len(),
        4 + names.len() + 1,
        "nothing goes unasked"
    );
    // A run over a part of the site says nothing of what it did not look at.
    assert_eq!(
        fire(&["--place", "series"]).1.as_array().map(Vec::len),
        Some(2),
        "an original is gone"
    );
    let (_, strays) = fire(&["--remove-strays"]);
    let kept = strays
        .as_array()
        .expect("a list")
        .iter()
        .filter(|s| s["state"] == "altered");
    assert_eq!(kept.count(), 1);
    insta::assert_snapshot!(scratch.names("web/site/img").join("\n"), @r"
    banners/img-2041-80.jpg
    crew/10-jonah-1@1x.webp
    crew/10-jonah-1@2x.webp
    kiln-ledger.json
    series/series-001.webp
    series/series-002.webp
    ");
}

#[test]
fn strays_are_listed_removed_and_told_apart() {
    let scratch = Scratch::new();
    scratch.put("photos/a.jpg", &photo(90, 60, 1));
    scratch.put("photos/deep/b.jpg", &photo(90, 60, 2));
    scratch.fires(&["fire", "photos", "-w", "40", "--quiet"]);
    fs::remove_file(scratch.path("photos/deep/b.jpg")).expect("an original");
    let listed = scratch.fires(&["fire", "photos", "-w", "40"]);
    assert!(
        listed.contains("--remove-strays removes them\n  deep/b-40.webp\n"),
        "{listed}"
    );
    let removed = scratch.fires(&["fire", "photos", "-w", "40", "--remove-strays"]);
    assert!(
        removed.contains("Strays, removed\n  deep/b-40.webp\n"),
        "{removed}"
    );
    assert_eq!(scratch.names("upload"), ["a-40.webp", "kiln-ledger.json"]);
    assert!(
        !scratch.path("upload/deep").exists(),
        "an empty folder goes too"
    );
    let again = scratch.fires(&["fire", "photos", "-w", "40"]);
    assert!(!again.contains("Strays"), "{again}");
}

#[test]
fn the_nearest_kiln_file_holds_unless_it_is_declined() {
    let scratch = Scratch::new();
    let kiln = |photos: &str, width: u32| {
        format!("originals = '{photos}'\n[every]\nwidth = {width}\nformats = ['webp']\n")
    };
    scratch.put("kiln.toml", kiln("photos", 40).as_bytes());
    scratch.put("deep/kiln.toml", kiln("../photos", 30).as_bytes());
    scratch.put("photos/a.jpg", &photo(90, 60, 1));
    fs::create_dir_all(scratch.path("deep/down")).expect("a folder");
    let mut run = scratch.command(&["fire", "--quiet"]);
    assert!(
        run.current_dir(scratch.path("deep/down"))
            .status()
            .expect("the program")
            .success()
    );
    assert!(
        scratch.path("deep/upload/a-30.webp").exists(),
        "its out folder is beside it"
    );
    scratch.fires(&["fire", "--quiet"]);
    assert!(scratch.path("upload/a-40.webp").exists());
    scratch.fires(&["fire", "photos", "--no-kiln", "-fwebp", "-o", "own"]);
    assert!(scratch.path("own/a-90.webp").exists());
    let declined = scratch.kiln(&["fire", "--no-kiln"]);
    assert_eq!(declined.code, 2);
}
