//! What formats and looks cost on a picture, and how two files compare.

use std::fs;

use serde_json::Value;

use crate::support::{Scratch, common, photo};

fn number(value: &Value) -> f64 {
    value
        .as_f64()
        .unwrap_or_else(|| panic!("{value} is no number"))
}

#[test]
fn every_format_and_look_is_tried_and_the_lightest_that_serves_is_marked() {
    let scratch = Scratch::new();
    scratch.put("photos/sea.jpg", &photo(600, 400, 5));
    let before = scratch.files(".");
    let command = [
        "proof",
        "photos/sea.jpg",
        "--width",
        "240",
        "--density",
        "2",
    ];
    let report = scratch.json(&[&command, &["--json"][..]].concat());
    assert_eq!(
        (&report["schema"], &report["kind"]),
        (&1.into(), &"proof".into())
    );
    let picture = &report["pictures"][0];
    assert_eq!(
        (&picture["width"], &picture["look"]),
        (&480.into(), &75.0.into())
    );
    let versions = picture["versions"].as_array().expect("versions");
    let answers = |version: &Value| -> Vec<String> {
        let answers = version["answers"].as_array().expect("answers").iter();
        answers
            .map(|one| one["wish"].as_str().expect("a name").to_owned())
            .collect()
    };
    for (format, looks) in [("avif", 4), ("webp", 5), ("jpeg", 4), ("png", 5)] {
        let own = versions
            .iter()
            .filter(|version| version["format"] == format);
        let met: Vec<String> = own.flat_map(answers).collect();
        assert_eq!(met.len(), looks, "{format}: {met:?}");
    }
    for (look, least) in [
        ("plain", 60.0),
        ("fine", 75.0),
        ("crisp", 85.0),
        ("exact", 100.0),
    ] {
        let named = look.to_owned();
        let mut own = versions
            .iter()
            .filter(|version| answers(version).contains(&named));
        assert!(
            own.all(|version| number(&version["score"]) >= least),
            "{look}"
        );
    }
    let serving: Vec<&Value> = versions
        .iter()
        .filter(|version| version["serves"] == true)
        .collect();
    let [serving] = serving[..] else {
        panic!("{serving:?}");
    };
    let answering = versions
        .iter()
        .filter(|version| !answers(version).is_empty());
    let reaching = answering.filter(|version| number(&version["score"]) >= 75.0);
    let lightest = reaching
        .map(|version| number(&version["weight"]))
        .fold(f64::MAX, f64::min);
    assert_eq!(number(&serving["weight"]), lightest);
    let spots = picture["spots"].as_array().expect("spots");
    assert!(!spots.is_empty() && serving["spots"].as_array().map(Vec::len) == Some(spots.len()));
    // On the terminal: the same, with where to look; and nothing was written.
    let told = scratch.fires(&[&command, &["--format", "webp,jpeg"][..]].concat());
    for part in [
        "sea.jpg: 480×320, seen at density 2, a look of fine",
        "◂ the lightest that serves",
        "Score against weight",
        "Where the eye sees it first, at fine",
        " is the lightest at fine: ",
    ] {
        assert!(told.contains(part), "{part}: {told}");
    }
    assert!(
        told.lines().all(|line| line.chars().count() <= 130),
        "{told}"
    );
    assert_eq!(scratch.files("."), before);
}

#[test]
fn places_dials_and_weights_of_the_kiln_file_count() {
    let scratch = Scratch::new();
    scratch.put("originals/sea <a> \"b\".jpg", &photo(500, 400, 5));
    scratch.put("originals/broken.jpg", &photo(300, 200, 1)[..2000]);
    scratch.put(
        "kiln.toml",
        b"originals = \"originals\"\n[place.card]\nof = [\"sea*\"]\nwidth = 200\nshape = \"1:1\"\nmax-weight = \"3 KB\"\nlook = \"crisp\"\n",
    );
    let done = scratch.kiln(&[
        "proof",
        "originals",
        "--format",
        "jpeg",
        "--quality",
        "20,60",
    ]);
    assert_eq!(done.code, 1, "{}", done.stderr);
    assert!(
        done.stderr.contains("broken.jpg: no place shows it"),
        "{}",
        done.stderr
    );
    for part in [
        "sea <a> \"b\".jpg for card: 200×200, a look of crisp, at most 3.00 KB",
        "dial 20",
        "dial 60",
        "over the weight",
        "Nothing that was tried reaches crisp within the weight.",
    ] {
        assert!(done.stdout.contains(part), "{part}: {}", done.stdout);
    }
    // The proof sheet: complete in one file, whatever names are like; an original is not written over.
    let sheet = ["proof", "originals", "--format", "webp,jpeg,png", "--html"];
    let done = scratch.kiln(&[&sheet[..], &["proof.html"]].concat());
    assert!(done.stdout.contains("for card"), "{}", done.stderr);
    let page = fs::read_to_string(scratch.path("proof.html")).expect("a page");
    assert!(page.contains("sea &lt;a&gt; &quot;b&quot;.jpg") && !page.contains("sea <a>"));
    assert!(
        !page.contains("://") && !page.contains("src="),
        "nothing is fetched"
    );
    for (part, least) in [
        ("background-image: url(data:image/webp;base64,", 5),
        ("background-image: url(data:image/jpeg;base64,", 4),
        ("<tr style=\"--x:", 1),
        ("local score ", 2),
        ("class=\"mark\"", 10),
        ("look = &quot;fine&quot;", 2),
    ] {
        assert!(page.matches(part).count() >= least, "{part}");
    }
    let done = scratch.kiln(&[&sheet[..], &["originals/broken.jpg"]].concat());
    assert_eq!(done.code, 1);
    assert!(done.stderr.contains("is not a page"), "{}", done.stderr);
    let done = scratch.kiln(&["proof", "originals/broken.jpg", "--width", "100"]);
    assert_eq!(done.code, 1);
    assert!(
        done.stderr.contains("the JPEG is cut off"),
        "{}",
        done.stderr
    );
    let done = scratch.kiln(&["proof", "originals", "--max-weight", "3KB"]);
    assert_eq!(done.code, 2);
    assert!(
        done.stderr
            .contains("--max-weight is an option of kiln fire"),
        "{}",
        done.stderr
    );
    scratch.put("speck.jpg", &photo(1, 1, 1));
    scratch.put("vast.jpg", &photo(1100, 1000, 1));
    let small = ["--width", "300", "--allowance", "1", "-f", "png,webp"];
    let done = scratch.kiln(&[&["proof", "speck.jpg", "vast.jpg"], &small[..]].concat());
    assert!(done.stdout.contains("speck.jpg: 1×1"), "{}", done.stdout);
    assert!(
        done.code == 1 && done.stderr.contains("vast.jpg") && done.stderr.contains("allowance"),
        "{}",
        done.stderr
    );
    let done = scratch.kiln(&["proof", "originals", "--place", "crad"]);
    assert_eq!(done.code, 2);
    assert!(
        done.stderr.contains("did you mean \"card\"?"),
        "{}",
        done.stderr
    );
}

#[test]
fn two_files_are_compared_whatever_their_formats_and_sizes() {
    let scratch = Scratch::new();
    scratch.put("sea.jpg", &photo(480, 320, 5));
    for format in ["webp", "avif"] {
        scratch.fires(&[
            "fire",
            "sea.jpg",
            "--width",
            "240",
            "--density",
            "1,2",
            "-f",
            format,
        ]);
    }
    let pair =
        |one: &str, two: &str, more: &[&str]| scratch.kiln(&[&["proof", one, two], more].concat());
    for two in [
        "upload/sea-480.webp",
        "upload/sea-480.avif",
        "upload/sea-240.webp",
    ] {
        let done = pair("sea.jpg", two, &["--look", "60"]);
        assert_eq!(done.code, 0, "{two}: {}", done.stderr);
        assert!(done.stdout.contains("60 is wanted"), "{}", done.stdout);
        assert_eq!(
            done.stdout.contains("both seen at 240×160"),
            two.contains("240")
        );
    }
    let done = pair("sea.jpg", "upload/sea-480.webp", &["--look", "faithful"]);
    assert_eq!(done.code, 1);
    assert!(
        done.stderr.contains("below the look of 90"),
        "{}",
        done.stderr
    );
    let same = scratch.json(&["proof", "sea.jpg", "sea.jpg", "--json"]);
    assert_eq!(
        (&same["kind"], number(&same["score"])),
        (&"comparison".into(), 100.0)
    );
    assert_eq!(
        (number(&same["tint"]["mean"]), &same["spots"]),
        (0.0, &Value::Array(Vec::new()))
    );
    let done = pair("sea.jpg", "sea.jpg", &["--html", "page.html"]);
    assert_eq!(done.code, 2);
    assert!(
        done.stderr.contains("go with originals; say a --width"),
        "{}",
        done.stderr
    );
    // What cannot be compared is said.
    scratch.put("tall.png", &common::png());
    scratch.put("half.jpg", &photo(480, 320, 5)[..3000]);
    scratch.put("words.txt", b"no picture");
    for (two, says) in [
        ("tall.png", "have other proportions; crop one"),
        ("half.jpg", "the JPEG is cut off"),
        ("words.txt", "not a picture"),
    ] {
        let done = pair("sea.jpg", two, &[]);
        assert_eq!((done.code, done.stdout.as_str()), (1, ""), "{two}");
        assert!(
            done.stderr.contains(says) && done.stderr.lines().count() == 1,
            "{}",
            done.stderr
        );
    }
}
