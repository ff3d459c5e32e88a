//! `kiln survey`, driven on files in a temporary folder.

use std::fs;

use serde_json::Value;

use crate::support::{Scratch, common, photo};

fn surveyed(scratch: &Scratch, arguments: &[&str]) -> Value {
    let all = [&["survey"], arguments, &["--json"]].concat();
    serde_json::from_str(&scratch.fires(&all)).expect("JSON")
}

fn file<'a>(survey: &'a Value, name: &str) -> &'a Value {
    let files = survey["files"].as_array().expect("a list");
    files
        .iter()
        .find(|file| file["name"] == name)
        .unwrap_or_else(|| panic!("{name} is missing"))
}

fn findings(file: &Value) -> Vec<&str> {
    let findings = file["findings"].as_array().expect("a list");
    findings
        .iter()
        .map(|finding| finding["name"].as_str().expect("a name"))
        .collect()
}

/// A tree with something wrong in every file.
fn tree() -> Scratch {
    let scratch = Scratch::with_photos();
    scratch.put(
        "photos/copy of sea.jpg",
        &fs::read(scratch.path("photos/sea.JPG")).expect("a photo"),
    );
    scratch.put("photos/half.jpg", &photo(120, 80, 1)[..900]);
    scratch.put("photos/phone.heic", b"\0\0\0\x18ftypheic\0\0\0\0mif1heic");
    scratch.put("photos/empty.png", b"");
    scratch.put("photos/mark.svg", b"<svg viewBox='0 0 24 24'/>");
    scratch.put("photos/a\nb.jpg", &photo(90, 60, 8));
    scratch
}

#[test]
fn a_tree_is_surveyed_and_nothing_is_touched() {
    let scratch = tree();
    let before = scratch.files("");
    let survey = surveyed(&scratch, &["photos", "--shown", "100", "--density", "2"]);
    assert_eq!(scratch.files(""), before);
    assert_eq!(
        (&survey["schema"], &survey["kind"]),
        (&1.into(), &"survey".into())
    );
    assert_eq!(findings(file(&survey, "half.jpg"))[0], "damaged");
    assert_eq!(findings(file(&survey, "empty.png")), ["damaged"]);
    assert_eq!(findings(file(&survey, "phone.heic")), ["not-read"]);
    assert_eq!(findings(file(&survey, "beacon.gif")), ["moving"]);
    assert!(findings(file(&survey, "sea.JPG")).contains(&"surplus-pixels"));
    assert!(
        findings(file(&survey, "sea.JPG")).contains(&"twin"),
        "the copy comes first by path"
    );
    assert!(findings(file(&survey, "mark.svg")).is_empty());
    let sea = file(&survey, "sea.JPG");
    assert_eq!(
        (&sea["width"], &sea["content"]),
        (&300.into(), &"photo".into())
    );
    assert_eq!(sea["estimate"]["width"], 200);
    assert_eq!(file(&survey, "rooms/stairs.jpg")["width"], 180, "upright");
    let files = survey["files"].as_array().expect("a list");
    let sum = |key: &str| {
        files
            .iter()
            .map(|f| f[key].as_u64().expect("bytes"))
            .sum::<u64>()
    };
    assert_eq!(survey["totals"]["weight"], sum("weight"));
    assert_eq!(survey["totals"]["remains"], sum("weight") - sum("waste"));
}

#[test]
fn the_table_is_sorted_cut_and_safe() {
    let scratch = tree();
    let names = |arguments: &[&str]| -> Vec<String> {
        let report = scratch.fires(&[&["survey", "photos"], arguments].concat());
        assert!(!report.contains('\u{1b}'), "{report}");
        let rows = report.lines().skip(3).take_while(|line| !line.is_empty());
        rows.filter_map(|row| row.split("  ").next().map(str::to_owned))
            .collect()
    };
    let by_name = names(&["--sort", "name"]);
    assert!(
        by_name.is_sorted() && by_name.contains(&"a\\u{a}b.jpg".to_owned()),
        "{by_name:?}"
    );
    let by_weight = names(&[]);
    assert_eq!(names(&["--top", "2"]), by_weight[..2]);
    let weight = |name: &String| {
        fs::metadata(scratch.path(&format!("photos/{name}"))).map_or(0, |m| m.len())
    };
    assert!(
        by_weight.is_sorted_by_key(|name| std::cmp::Reverse(weight(&name.replace("\\u{a}", "\n"))))
    );
    let report = scratch.fires(&["survey", "photos", "--over", "20KB"]);
    assert!(
        report.contains("more\n") && report.contains("make 80% of it"),
        "{report}"
    );
    assert!(report.contains("slow phone"), "{report}");
}

#[test]
fn headers_alone_are_enough_where_time_is_short() {
    let scratch = tree();
    let survey = surveyed(&scratch, &["photos", "--headers-only"]);
    assert!(survey["totals"]["remains"].is_null());
    let half = file(&survey, "half.jpg");
    assert!(half["estimate"].is_null() && half["content"].is_null());
    assert_eq!(half["jpeg"]["progressive"], false);
    assert!(!findings(half).contains(&"damaged"), "only a look can tell");
}

#[test]
fn the_page_is_complete_in_one_file_and_escapes_names() {
    let scratch = tree();
    scratch.put("photos/<script>alert(1)</script>.jpg", &photo(300, 200, 9));
    scratch.fires(&["survey", "photos", "--html", "out/survey.html"]);
    // An earlier page may be written over, an original may not.
    scratch.fires(&["survey", "photos", "--html", "out/survey.html"]);
    let done = scratch.kiln(&["survey", "photos", "--html", "photos/sea.JPG"]);
    assert_eq!(done.code, 1);
    assert!(
        done.stderr
            .contains("sea.JPG: is there already and is not a page"),
        "{}",
        done.stderr
    );
    let page = fs::read_to_string(scratch.path("out/survey.html")).expect("a page");
    assert!(!page.contains("<script>alert"), "a name was not escaped");
    assert!(page.contains("&lt;script&gt;alert(1)&lt;&#x2f;script&gt;.jpg"));
    assert_eq!(
        page.matches("<img alt=\"\" src=\"data:image/webp;base64,")
            .count(),
        9
    );
    assert!(!page.contains("http"), "nothing is fetched");
    for finding in ["twin", "damaged", "not-read", "moving"] {
        assert!(
            page.contains(&format!("<code>{finding}</code>")),
            "{finding}"
        );
    }
}

#[test]
fn odd_files_cost_one_line_each() {
    let scratch = Scratch::new();
    scratch.put("site/a.jpg", &photo(60, 40, 1));
    scratch.put("site/gif.gif", &common::gif()[..40]);
    let mut giant = common::png();
    giant[16..20].copy_from_slice(&60_000u32.to_be_bytes());
    giant[20..24].copy_from_slice(&60_000u32.to_be_bytes());
    scratch.put("site/big.png", &giant);
    #[cfg(unix)]
    {
        std::os::unix::fs::symlink(scratch.path("site"), scratch.path("site/loop"))
            .expect("a link");
        std::os::unix::fs::symlink(scratch.path("nowhere"), scratch.path("site/gone.jpg"))
            .expect("a link");
    }
    let done = scratch.kiln(&["survey", "site", "--json"]);
    assert_eq!(done.code, 1, "a link to nowhere cannot be read");
    assert_eq!(done.stderr.lines().count(), 1, "{}", done.stderr);
    assert!(
        done.stderr.starts_with("kiln: site/gone.jpg: "),
        "{}",
        done.stderr
    );
    let survey: Value = serde_json::from_str(&done.stdout).expect("JSON");
    assert_eq!(survey["files"].as_array().expect("a list").len(), 3);
    assert_eq!(
        findings(file(&survey, "big.png"))[0],
        "not-read",
        "above the allowance"
    );
    assert_eq!(findings(file(&survey, "gif.gif"))[0], "damaged");
}

#[test]
fn refusals_are_those_of_a_firing() {
    let scratch = Scratch::new();
    fs::create_dir(scratch.path("void")).expect("a folder");
    let done = scratch.kiln(&["survey", "void"]);
    assert_eq!(
        (done.code, done.stderr.as_str()),
        (
            1,
            "kiln: void: no pictures found (JPEG, PNG, WebP, AVIF, SVG, GIF, TIFF, BMP, ICO, PNM or QOI); name another folder\n"
        )
    );
    assert_eq!(scratch.kiln(&["survey", "nowhere"]).code, 2);
    let done = scratch.kiln(&["survey", "void", "--sort", "size"]);
    assert!(
        done.stderr
            .contains("the orders are weight, waste and name"),
        "{}",
        done.stderr
    );
    let help = scratch.fires(&["survey", "--help"]);
    insta::assert_snapshot!(help);
}
