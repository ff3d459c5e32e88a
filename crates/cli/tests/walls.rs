//! What somebody meets who uses the program for the first time.

use std::fs;

use serde_json::Value;

use crate::support::{Scratch, common, photo};

/// Pieces are no originals, from wherever they are looked at.
#[test]
fn folders_of_pieces_are_left_out_and_named() {
    let scratch = Scratch::new();
    scratch.put("site/gull.jpg", &photo(120, 80, 1));
    scratch.fires(&["fire", "site", "-o", "site/upload", "--width", "60"]);
    let report = scratch.json(&["fire", "site", "-o", "other", "--width", "30", "--json"]);
    assert_eq!(report["totals"]["originals"], 1, "{report}");
    assert_eq!(report["left_out"][0]["path"], "site/upload");
    assert_eq!(scratch.names("other").len(), 2, "a piece and the ledger");

    let mut inside = scratch.command(&["fire", "."]);
    let inside = inside.current_dir(scratch.path("site/upload")).output();
    let said = String::from_utf8(inside.expect("it starts").stderr).expect("text");
    assert!(
        said.contains("holds the pieces of a firing and no originals"),
        "{said}"
    );

    let survey = scratch.kiln(&["survey", "site", "--json"]);
    let found: Value = serde_json::from_str(&survey.stdout).expect("JSON");
    assert_eq!(found["files"].as_array().map(Vec::len), Some(1));
    assert!(
        survey.stderr.contains("site/upload: holds the pieces"),
        "{}",
        survey.stderr
    );
    // Asked for by name, pieces are surveyed: it may be what they weigh that one wants to see.
    let pieces = scratch.json(&["survey", "site/upload", "--json"]);
    assert_eq!(pieces["files"].as_array().map(Vec::len), Some(1));
}

#[cfg(unix)]
#[test]
fn links_that_lead_nowhere_and_films_are_named() {
    let scratch = Scratch::new();
    scratch.put("in/gull.jpg", &photo(60, 40, 1));
    for (name, film) in [
        ("tide.mp4", &b"\0\0\0\x18ftypmp42\0\0\0\0mp41isom"[..]),
        ("brochure.pdf", b"%PDF-1.7"),
    ] {
        scratch.put(&format!("in/{name}"), film);
    }
    for name in ["one", "two", "pier.jpg"] {
        std::os::unix::fs::symlink("nowhere", scratch.path("in").join(name)).expect("a link");
    }
    let done = scratch.kiln(&["fire", "in", "--width", "30"]);
    assert_eq!(done.code, 1, "a picture is missing");
    insta::assert_snapshot!(done.stderr, @"kiln: in/pier.jpg: a link that leads nowhere; mend or remove it");
    for said in [
        "in/one: a link that leads nowhere, as does another here",
        "in/tide.mp4: film is not read; publish it as it is",
        "in/brochure.pdf: PDF or PostScript is not read",
    ] {
        assert!(done.stdout.contains(said), "{said}: {}", done.stdout);
    }
}

#[test]
fn a_clash_stops_only_those_in_it_and_names_can_tell_them_apart() {
    let scratch = Scratch::new();
    scratch.put("in/gull.jpg", &photo(60, 40, 1));
    scratch.put("in/gull.png", &common::png());
    scratch.put("in/Räume/Pier No.1.jpg", &photo(60, 40, 2));
    let done = scratch.kiln(&["fire", "in", "-o", "out", "--width", "30"]);
    assert_eq!(done.code, 1);
    insta::assert_snapshot!(done.stderr, @r"
    kiln: in/gull.jpg: would become gull-30.webp, as would in/gull.png; rename one of them, give it a title, or put {suffix} into the name
    kiln: in/gull.png: would become gull-30.webp, as would in/gull.jpg; rename one of them, give it a title, or put {suffix} into the name
    ");
    assert_eq!(
        scratch.names("out"),
        ["kiln-ledger.json", "raume/pier-no-1-30.webp"]
    );
    scratch.fires(&[
        "fire",
        "in",
        "-o",
        "kept",
        "--width",
        "30",
        "--name",
        "{path}-{suffix}",
    ]);
    let kept = [
        "Räume/Pier No.1-jpg.webp",
        "gull-jpg.webp",
        "gull-png.webp",
        "kiln-ledger.json",
    ];
    assert_eq!(scratch.names("kept"), kept);
}

/// What gains nothing is said, and what a visitor loads is told by formats.
#[test]
fn losses_are_noted_and_sums_are_those_of_a_visitor() {
    let scratch = Scratch::new();
    scratch.put("in/mark.png", &common::png());
    scratch.put("in/gull.jpg", &photo(160, 120, 1));
    let run = [
        "fire",
        "in",
        "-o",
        "out",
        "--look",
        "faithful",
        "--format",
        "webp,jpeg,png",
        "--keep-all",
    ];
    let report = scratch.json(&[&run[..], &["--json"]].concat());
    let loads = report["totals"]["loads"].as_array().expect("a list");
    assert_eq!(loads.len(), 3);
    for load in loads {
        let format = &load["formats"][0];
        let originals = report["originals"].as_array().expect("a list").iter();
        let pieces = originals.flat_map(|one| one["pieces"].as_array().expect("a list"));
        let own = pieces.filter(|piece| piece["format"] == *format);
        let sum: u64 = own
            .map(|piece| piece["weight"].as_u64().expect("bytes"))
            .sum();
        assert_eq!(load["after"], sum, "{format}");
    }
    let told = scratch.fires(&run);
    assert!(
        told.contains("gull-160.png is heavier than its original at the same pixels"),
        "{told}"
    );
    assert!(told.contains("loads:\n  as WebP: "), "{told}");
    assert!(told.ends_with("pieces are in out\n"), "{told}");
    scratch.put("kiln.toml", b"originals = 'in'\nout = 'up'\n[place.x]\nof = ['*.gif']\nwidth = 9\n[every]\nwidth = 20\n");
    let done = scratch.kiln(&["fire"]);
    assert_eq!(done.code, 1, "a place shows nothing");
    assert!(
        done.stderr.contains("place x: shows none of the originals"),
        "{}",
        done.stderr
    );
    let last = done.stdout.lines().last().expect("a report");
    assert!(
        last.starts_with("pieces are in ") && last.ends_with("up, by kiln.toml"),
        "{last}"
    );
}

#[test]
fn reports_fit_into_the_columns_that_there_are() {
    let scratch = Scratch::new();
    scratch.put(
        "in/the-lighthouse-from-the-pier-at-dusk.jpg",
        &photo(160, 120, 1),
    );
    let run = [
        "fire", "in", "-o", "out", "--width", "120", "--format", "jpeg", "-v",
    ];
    let output = scratch
        .command(&run)
        .env("COLUMNS", "80")
        .output()
        .expect("it starts");
    let told = String::from_utf8(output.stdout).expect("text");
    let pieces = told.split("\n\n").next().expect("a table");
    assert!(
        pieces.lines().all(|line| line.chars().count() <= 80),
        "{pieces}"
    );
    let shortened = pieces.lines().filter(|line| line.contains('…'));
    assert_eq!(
        shortened.count(),
        2,
        "each name on a line of its own: {pieces}"
    );
}

#[test]
fn options_say_where_they_go_and_plain_words_are_taken() {
    let scratch = Scratch::new();
    scratch.put("in/gull.jpg", &photo(160, 120, 1));
    let mut told = String::new();
    for option in [
        "--copyright",
        "--of",
        "--densities",
        "--keep",
        "--originals",
        "--colur",
    ] {
        told += &scratch
            .kiln(&["fire", "in", option, "x"])
            .stderr
            .replace("\n\n", "\n");
    }
    insta::assert_snapshot!(told);
    let taken = [
        "fire",
        "in",
        "-o",
        "out",
        "--width",
        "60px",
        "--density",
        "1x,2x",
        "--focus",
        "center",
        "--shape",
        "1:1",
        "--fit",
        "pad",
        "--backdrop",
        "#fa0",
        "--turn",
        "90",
        "--mirror",
        "vertical",
        "--min-size",
        "900x600",
        "--resolution",
        "144",
        "--metadata-keep",
        "title",
        "--format",
        "jpg",
        "--metadata-write",
        "copyright=© Tern Point Trust",
        "--json",
    ];
    let report = scratch.json(&taken);
    let original = &report["originals"][0];
    assert_eq!(
        original["notes"][0],
        "is smaller than the 900×600 asked for"
    );
    let sizes = original["pieces"].as_array().expect("a list").iter();
    let sizes: Vec<_> = sizes
        .map(|piece| (piece["width"].as_u64(), piece["height"].as_u64()))
        .collect();
    assert_eq!(sizes, [(Some(60), Some(60)), (Some(120), Some(120))]);
    let file = fs::read(scratch.path("out/gull-60.jpg")).expect("a piece");
    let headers = kiln_core::source::headers(std::io::Cursor::new(file)).expect("a picture");
    assert_eq!(
        headers.credits.get(kiln_core::credits::Field::Copyright),
        Some("© Tern Point Trust")
    );
    assert_eq!(headers.dots_per_inch, Some(144.0));
}

#[test]
fn shells_and_readers_of_manuals_are_served() {
    let scratch = Scratch::new();
    for shell in ["bash", "elvish", "fish", "powershell", "zsh"] {
        let script = scratch.fires(&["completions", shell]);
        assert!(script.contains("remove-strays"), "{shell}");
    }
    assert_eq!(scratch.fires(&["man", "pages"]), "15 pages are in pages\n");
    let page = fs::read_to_string(scratch.path("pages/kiln-fire.1")).expect("a page");
    assert!(
        page.contains(r"\-\-max\-total") && page.contains("kiln fire photos"),
        "{page}"
    );
    scratch.put("in/gull.jpg", &photo(160, 120, 1));
    let found = scratch.json(&["init", "in", "--json"]);
    assert_eq!(
        (&found["kind"], &found["pictures"]),
        (&"init".into(), &1.into())
    );
    assert_eq!(found["places"][0]["pictures"], 1);
}

/// What another command or kiln file made is its own business, however long nothing else plans for it.
#[test]
fn strays_are_what_the_same_plan_made_before() {
    let scratch = Scratch::new();
    scratch.put("photos/gull.jpg", &photo(60, 40, 1));
    scratch.put("logos/mark.png", &common::png());
    let kiln = |name: &str| {
        format!("originals = 'photos'\nout = 'up'\n[every]\nwidth = 20\nname = '{name}'\n")
    };
    scratch.put("kiln.toml", kiln("{title}").as_bytes());
    scratch.fires(&["fire", "logos", "--no-kiln", "-o", "up", "--width", "30"]);
    scratch.put("other.toml", kiln("other/{title}").as_bytes());
    scratch.fires(&["fire", "-k", "other.toml"]);
    scratch.fires(&["fire"]);
    scratch.put("kiln.toml", kiln("{title}-{width}").as_bytes());
    let report = scratch.json(&["fire", "--json"]);
    let strays = |report: &Value| report["strays"].as_array().expect("a list").len();
    assert_eq!(strays(&report), 1, "{report}");
    assert_eq!(report["strays"][0]["name"], "gull.webp");
    // An original of another command is gone: that command will say it.
    fs::remove_file(scratch.path("logos/mark.png")).expect("a file");
    scratch.put("logos/new.png", &common::png());
    scratch.put("photos/tern.jpg", &photo(60, 40, 2));
    let photos = [
        "fire",
        "photos",
        "--no-kiln",
        "-o",
        "up",
        "--width",
        "30",
        "--json",
    ];
    assert_eq!(strays(&scratch.json(&photos)), 0);
    let logos = [
        "fire",
        "logos",
        "--no-kiln",
        "-o",
        "up",
        "--width",
        "30",
        "--json",
    ];
    assert_eq!(scratch.json(&logos)["strays"][0]["name"], "mark-30.webp");
    scratch.fires(&["fire", "--remove-strays"]);
    let left = scratch.names("up");
    for kept in ["other/gull.webp", "mark-30.webp", "gull-20.webp"] {
        assert!(left.iter().any(|name| name == kept), "{kept}: {left:?}");
    }
    assert!(!left.iter().any(|name| name == "gull.webp"), "{left:?}");
}

/// Settings that worked are kept in the kiln file, beside all that stands there.
#[test]
fn settings_that_worked_are_remembered() {
    let scratch = Scratch::new();
    scratch.put("web/photos/gull [1].jpg", &photo(160, 120, 1));
    scratch.put("web/photos/pier.jpg", &photo(160, 120, 2));
    let first = [
        "fire",
        "web/photos/gull [1].jpg",
        "-o",
        "web/up",
        "-k",
        "web/kiln.toml",
        "--width",
        "60,80",
        "--density",
        "1,1.5",
        "--shape",
        "1:1",
        "--enlarge",
        "--max-weight",
        "20KB",
        "--metadata-write",
        "copyright=© Tern Point Trust",
        "--remember",
        "card",
    ];
    // A kiln file that is named has to be there, but to be made.
    fs::create_dir_all(scratch.path("web")).expect("a folder");
    let done = scratch.kiln(&first);
    assert_eq!(done.code, 0, "{}", done.stderr);
    assert!(
        done.stderr
            .contains("the settings stand in web/kiln.toml as [place.card]"),
        "{}",
        done.stderr
    );
    let read = || fs::read_to_string(scratch.path("web/kiln.toml")).expect("a kiln file");
    insta::assert_snapshot!(read());
    let again = scratch.json(&["fire", "-k", "web/kiln.toml", "--json"]);
    assert_eq!(again["totals"]["pieces"], 4, "{again}");

    let commented = format!(
        "# Ours.\n{}quality = 70 # as before\n",
        read().replace("max-weight = \"20KB\"\n", "")
    );
    scratch.put("web/kiln.toml", commented.as_bytes());
    let inside = scratch.path("web");
    let run = |arguments: &[&str]| {
        let mut command = scratch.command(arguments);
        command.current_dir(&inside).output().expect("it starts")
    };
    let more = run(&["fire", "photos", "--width", "40", "--remember", "thumb"]);
    assert!(
        more.status.success(),
        "{}",
        String::from_utf8_lossy(&more.stderr)
    );
    let changed = run(&[
        "fire",
        "photos/pier.jpg",
        "--quality",
        "60",
        "--remember",
        "card",
    ]);
    assert!(
        changed.status.success(),
        "{}",
        String::from_utf8_lossy(&changed.stderr)
    );
    insta::assert_snapshot!(read());
    // What would spoil the file is not written.
    let before = read();
    let spoilt = run(&["fire", "photos", "--look", "crisp", "--remember", "card"]);
    assert_eq!(spoilt.status.code(), Some(2));
    assert_eq!(read(), before);
    scratch.put("elsewhere/a.jpg", &photo(30, 20, 3));
    let far = run(&["fire", "../elsewhere", "--remember", "card"]);
    let said = String::from_utf8_lossy(&far.stderr).into_owned();
    assert!(
        said.contains("is not below the originals of the kiln file"),
        "{said}"
    );

    // Where there is none yet, one is made beside what was named.
    let scratch = Scratch::new();
    scratch.put("photos/gull.jpg", &photo(160, 120, 1));
    let done = scratch.kiln(&["fire", "photos", "--width", "60", "--remember", "at dusk"]);
    assert!(
        done.stderr.contains("kiln fire --place 'at dusk'"),
        "{}",
        done.stderr
    );
    let made = fs::read_to_string(scratch.path("kiln.toml")).expect("a kiln file");
    assert!(made.starts_with("originals = \"photos\"\n"), "{made}");
    scratch.fires(&["fire", "--place", "at dusk"]);
}
