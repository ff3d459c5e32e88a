//! `kiln check`: a gate for a build.

use serde_json::Value;

use crate::support::{Scratch, common, photo, turned};

/// Rules that were broken, with file and line.
fn broken(report: &Value) -> Vec<String> {
    let flaws = report["flaws"].as_array().expect("a list").iter();
    let told = flaws.map(|flaw| {
        let line = flaw["line"]
            .as_u64()
            .map_or(String::new(), |line| format!(":{line}"));
        let text = |key: &str| flaw[key].as_str().expect("a text").to_owned();
        format!("{} {}{line}", text("rule"), text("file"))
    });
    told.collect()
}

/// A site with one fault of each kind.
fn site() -> Scratch {
    let scratch = Scratch::new();
    scratch.put(
        "site/index.html",
        b"<title>Home</title>\n<link rel=stylesheet href=css/gone.css>\n\
        <img src=img/wide.jpg alt='A photo of the sea' width=100 height=75>\n\
        <img src=img/lamp.jpg>\n<img src=img/gone.png alt='' width=1 height=1>\n\
        <img src=https://tern.example/far.jpg alt='' width=1 height=1>\n\
        <noscript><img src=img/lamp.jpg></noscript><a href=img/linked.png>all of it</a>\n",
    );
    scratch.put(
        "site/css/site.css",
        b".x{background:url(../img/logo.png)}\n.y{background:url(none.png)}",
    );
    scratch.put(
        "site/notes/a.md",
        b"![The lamp](../img/lamp.jpg)\n\n![](nowhere.jpg)\n",
    );
    scratch.put("site/img/wide.jpg", &photo(700, 525, 1));
    scratch.put("site/img/lamp.jpg", &turned(240, 180, 2, 6));
    scratch.put("site/img/logo.png", &common::png());
    scratch.put("site/img/linked.png", &common::png());
    scratch.put("site/img/idle.png", &common::png());
    scratch.put("site/img/cut.jpg", &photo(90, 60, 3)[..20]);
    scratch
}

#[test]
fn every_rule_finds_what_breaks_it() {
    let scratch = site();
    let limits = [
        "--max-weight=50KB",
        "--page-total=60KB",
        "--folder-total=90KB",
        "--max-total=90KB",
        "--max-width=600",
    ];
    let report = scratch.json(&[&["check", "site", "--json"], &limits[..]].concat());
    insta::assert_snapshot!(broken(&report).join("\n"), @r"
    total site
    dead-reference site/css/site.css:2
    folder-total site/img
    damaged site/img/cut.jpg
    unused site/img/cut.jpg
    unused site/img/idle.png
    passes site/img/lamp.jpg
    weight site/img/wide.jpg
    width site/img/wide.jpg
    passes site/img/wide.jpg
    page-total site/index.html
    dead-reference site/index.html:2
    alternative-text site/index.html:3
    alternative-text site/index.html:4
    sides site/index.html:4
    dead-reference site/index.html:5
    dead-reference site/notes/a.md:3
    ");
    let done = scratch.kiln(&["check", "site", "--max-weight", "50KB"]);
    assert_eq!(done.code, 1);
    let line = |rule: &str| {
        done.stdout
            .lines()
            .find(|line| line.contains(rule))
            .unwrap_or_else(|| panic!("{}", done.stdout))
            .to_owned()
    };
    assert!(line("error weight").ends_with("the limit is 50.0 KB; fire it with --max-weight"));
    assert!(
        line("index.html:3")
            .contains("its alternative text begins with \"a photo of\"; say what it shows instead")
    );
    assert!(
        done.stdout.contains("in 6 pictures and 3 files of a site"),
        "{}",
        done.stdout
    );
}

#[test]
fn levels_and_limits_stand_in_the_kiln_file_and_options_go_before_it() {
    let scratch = site();
    scratch.put("site/kiln.toml", b"originals = \"img\"\n[every]\nwidth = 300\ndensities = [1, 2]\n\
        [check]\nerror = \"unused\"\noff = [\"damaged\", \"weight\", \"alternative-text\", \"dead-reference\"]\npage-total = \"10 MB\"\n");
    let check = |more: &[&str]| {
        scratch.kiln(&[&["check", "site", "--kiln", "site/kiln.toml"], more].concat())
    };
    let done = check(&[]);
    assert_eq!(done.code, 1);
    assert!(
        done.stdout.contains("img/idle.png: error unused"),
        "{}",
        done.stdout
    );
    // The widest of any place, at its densest.
    assert!(
        done.stdout
            .contains("error width: 700 px wide, the limit is 600 px"),
        "{}",
        done.stdout
    );
    assert_eq!(check(&["--warning", "unused,width"]).code, 0);
    scratch.put(
        "site/kiln.toml",
        b"[check]\nmax-wieght = 5\nerror = [\"unusde\"]\n",
    );
    let wrong = check(&[]);
    assert_eq!(wrong.code, 2);
    assert!(
        wrong.stderr.contains("max-weight") && wrong.stderr.contains("did you mean unused?"),
        "{}",
        wrong.stderr
    );
    let wrong = scratch.kiln(&["check", "--no-kiln"]);
    assert_eq!(wrong.code, 2, "{}", wrong.stderr);
}

#[test]
fn a_baseline_lets_the_old_pass_and_nothing_new() {
    let scratch = site();
    assert_eq!(scratch.kiln(&["check", "site"]).code, 1);
    scratch.fires(&["check", "site", "--new-baseline", "old.json"]);
    let passed = scratch.fires(&["check", "site", "--baseline", "old.json"]);
    assert!(
        passed.contains("0 errors, 0 warnings") && passed.contains("pass"),
        "{passed}"
    );
    // Lines that move are no new faults; another of the same kind is one.
    let page = scratch.files("site")["index.html"].clone();
    let page = String::from_utf8(page).expect("text");
    scratch.put(
        "site/index.html",
        format!("\n\n{page}<img src=img/lamp.jpg width=1 height=1>").as_bytes(),
    );
    let done = scratch.kiln(&["check", "site", "--baseline", "old.json"]);
    assert_eq!(done.code, 1);
    assert!(
        done.stdout.contains("1 error, 0 warnings"),
        "{}",
        done.stdout
    );
    let sarif = scratch.json(&["check", "site", "--baseline", "old.json", "--sarif"]);
    assert_eq!(sarif["version"], "2.1.0");
    let results = sarif["runs"][0]["results"].as_array().expect("a list");
    let new: Vec<&Value> = results
        .iter()
        .filter(|one| one["baselineState"] == "new")
        .collect();
    assert_eq!(new.len(), 1);
    assert_eq!(new[0]["ruleId"], "alternative-text");
    let place = &new[0]["locations"][0]["physicalLocation"];
    assert_eq!(place["artifactLocation"]["uri"], "site/index.html");
    let rules = sarif["runs"][0]["tool"]["driver"]["rules"]
        .as_array()
        .expect("a list");
    let index = new[0]["ruleIndex"].as_u64().expect("a number") as usize;
    assert_eq!(rules[index]["id"], "alternative-text");
    // A file that is no baseline is neither read as one nor written over.
    let mine = scratch.kiln(&["check", "site", "--new-baseline", "site/index.html"]);
    assert!(
        mine.code == 1 && mine.stderr.contains("is no baseline"),
        "{}",
        mine.stderr
    );
}

#[test]
fn pieces_are_held_to_their_ledger_their_places_and_their_looks() {
    let scratch = Scratch::new();
    scratch.put("originals/sea.jpg", &photo(400, 300, 1));
    scratch.put("originals/lamp.jpg", &photo(300, 200, 2));
    scratch.put("originals/new.jpg", &photo(200, 100, 3));
    scratch.put("kiln.toml", b"originals = \"originals\"\n[place.room]\nof = [\"*\"]\nwidth = 160\nformats = [\"webp\"]\nlook = 60\n");
    scratch.put(
        "labels.csv",
        b"file,title,alternative text\nsea.jpg,Sea,The sea at dusk\nlamp.jpg,Lamp,photo.jpg\n",
    );
    scratch.fires(&["fire"]);
    let told = scratch.kiln(&["check"]);
    assert!(
        told.stdout
            .contains("labels.csv: error alternative-text: new.jpg has no row"),
        "{}",
        told.stdout
    );
    assert!(
        told.stdout
            .contains("lamp.jpg: its alternative text is a file name"),
        "{}",
        told.stdout
    );
    scratch.fires(&["check", "--off", "alternative-text"]);
    scratch.fires(&["check", "--off", "alternative-text", "--look", "55"]);
    let low = scratch.kiln(&["check", "--off", "alternative-text", "--look", "95"]);
    assert!(
        low.code == 1 && low.stdout.matches("error look: scores ").count() == 3,
        "{}",
        low.stdout
    );
    let kiln = scratch.files(".")["kiln.toml"].clone();
    let kiln = String::from_utf8(kiln).expect("text") + "max-weight = \"50 B\"\n";
    scratch.put("kiln.toml", kiln.as_bytes());
    scratch.put("originals/lamp.jpg", &photo(300, 200, 9));
    scratch.put("upload/sea-160.webp", b"mine");
    std::fs::remove_file(scratch.path("upload/new-160.webp")).expect("a piece");
    let report = scratch.json(&["check", "--json", "--off", "alternative-text,damaged"]);
    assert_eq!(
        broken(&report),
        [
            "place-weight upload/lamp-160.webp",
            "outdated-piece upload/lamp-160.webp",
            "missing-piece upload/new-160.webp",
            "altered-piece upload/sea-160.webp",
        ]
    );
    // It only reads.
    assert_eq!(scratch.files("upload")["sea-160.webp"], b"mine");
    scratch.put("upload/kiln-ledger.json", b"{");
    let done = scratch.kiln(&["check"]);
    assert!(
        done.stdout
            .contains("the ledger cannot be read; run kiln fire again"),
        "{}",
        done.stdout
    );
    assert_eq!(scratch.files("upload")["kiln-ledger.json"], b"{");
}
