//! Pages in a real browser: they work from disk, by keyboard, and say nothing on its console. Needs the
//! browser named by `KILN_TEST_BROWSER` (Chromium) and the accessibility checker whose script is named by
//! `KILN_TEST_AXE`; `.ci/run` installs both.

use std::fs;
use std::path::Path;
use std::process::Command;

use serde_json::Value;

use crate::serve::Served;
use crate::support::{Scratch, common, photo};

/// Runs in the page once it is there: does what a person does, and leaves what was found in its title.
const PERSON: &str = r#"
addEventListener("load", async () => {
  const found = { errors: window.errors, requests: performance.getEntriesByType("resource").map(one => one.name).filter(name => !name.startsWith("data:")) };
  try {
    const image = node => getComputedStyle(node).backgroundImage;
    const range = document.querySelector("input[type=range]");
    if (range) {
      const [cell, original] = [document.querySelector(".cells .dialled"), document.querySelector(".cells .cell")];
      const seen = new Set(), told = new Set();
      for (let at = 0; at <= +range.max; at++) {
        range.value = at;
        range.dispatchEvent(new Event("input"));
        seen.add(image(cell));
        told.add(document.querySelector("output").textContent);
      }
      found.versions = +range.max + 1;
      found.seen = seen.size;
      found.told = told.size;
      found.together = image(cell) === image(document.querySelector(".stage"));
      range.value = 0;
      range.dispatchEvent(new Event("input"));
      const before = image(cell);
      document.body.dispatchEvent(new KeyboardEvent("keydown", { key: "o", bubbles: true }));
      found.held = image(cell) === image(original) && before !== image(original);
      document.body.dispatchEvent(new KeyboardEvent("keyup", { key: "o", bubbles: true }));
      found.released = image(cell) === before;
      for (const radio of document.querySelectorAll(".dial input[name^=format]")) { radio.checked = true; radio.dispatchEvent(new Event("change")); }
      found.last = document.querySelector("output").textContent;
      document.querySelector(".show-map").click();
      found.mapped = getComputedStyle(document.querySelector(".map")).display;
      document.querySelector(".tries summary").click();
      document.querySelector(".tries .copy").click();
      await new Promise(done => setTimeout(done, 50));
      found.copied = document.querySelector(".tries .copy").textContent;
    }
    found.wider = document.documentElement.scrollWidth > document.documentElement.clientWidth;
    const checked = await axe.run(document, { resultTypes: ["violations"] });
    found.violations = checked.violations.map(one => one.id + ": " + one.nodes.map(node => node.html.slice(0, 120)).join(" | "));
  } catch (error) { found.errors.push(String(error)); }
  document.title = "FOUND" + JSON.stringify(found) + "DNUOF";
});
"#;

/// What a person finds who opens a page in a window so many pixels wide.
fn visited(scratch: &Scratch, page: &str, width: u32) -> Value {
    let text = fs::read_to_string(scratch.path(page)).expect("a page");
    let axe = fs::read_to_string(named("KILN_TEST_AXE")).expect("the checker's script");
    let watch = "<script>window.errors = []; addEventListener('error', e => errors.push(e.message)); console.error = (...all) => errors.push(all.join(' '));</script>";
    let text = text.replacen("<style>", &format!("{watch}<style>"), 1);
    let text = text.replacen(
        "</body>",
        &format!("<script>{axe}</script><script>{PERSON}</script></body>"),
        1,
    );
    let visited = scratch.put("visited.html", text.as_bytes());
    let output = Command::new(named("KILN_TEST_BROWSER"))
        .args([
            "--headless",
            "--no-sandbox",
            "--disable-gpu",
            "--virtual-time-budget=20000",
            "--dump-dom",
        ])
        .arg(format!("--window-size={width},800"))
        .arg(format!(
            "--user-data-dir={}",
            scratch.path("profile").display()
        ))
        .arg(address(&visited))
        .output()
        .expect("the browser");
    let dom = String::from_utf8_lossy(&output.stdout).into_owned();
    let found = dom
        .split_once("FOUND")
        .and_then(|(_, rest)| rest.split_once("DNUOF"));
    let (found, _) = found.unwrap_or_else(|| panic!("{}", String::from_utf8_lossy(&output.stderr)));
    let found = found
        .replace("&lt;", "<")
        .replace("&gt;", ">")
        .replace("&quot;", "\"")
        .replace("&amp;", "&");
    serde_json::from_str(&found).expect("JSON")
}

fn address(path: &Path) -> String {
    format!("file://{}", path.display())
}

#[test]
#[ignore = "needs a browser"]
fn pages_work_from_disk_by_keyboard_and_for_all() {
    let scratch = Scratch::with_photos();
    scratch.put("photos/<b>\"sea\"</b>.jpg", &photo(500, 400, 5));
    scratch.put("photos/mark.webp", &common::webp(true, true));
    scratch.kiln(&["survey", "photos", "--html", "survey.html"]);
    let originals = [
        "photos/<b>\"sea\"</b>.jpg",
        "photos/mark.webp",
        "photos/fog.webp",
    ];
    let proof = [
        &["proof"],
        &originals[..],
        &["--width", "160", "--html", "proof.html"],
        // A palette shows the same in WebP as in PNG.
        &["--format", "avif,jpeg,png"],
    ]
    .concat();
    scratch.fires(&proof);
    let fire = [
        "fire",
        "photos",
        "--width",
        "160",
        "--shape",
        "1:1",
        "--max-total",
        "9KB",
    ];
    scratch.kiln(
        &[
            &fire[..],
            &["--no-kiln", "-f", "webp,jpeg", "--html", "firing.html"],
        ]
        .concat(),
    );
    let pages = ["survey.html", "proof.html", "firing.html"];
    for (page, width) in pages
        .into_iter()
        .flat_map(|page| [(page, 1280), (page, 500)])
    {
        let found = visited(&scratch, page, width);
        for nothing in ["errors", "requests", "violations"] {
            assert_eq!(
                found[nothing],
                Value::Array(Vec::new()),
                "{page} at {width}: {nothing}"
            );
        }
        assert_eq!(found["wider"], false, "{page} at {width} scrolls sideways");
        if page == "proof.html" {
            assert!(found["versions"].as_u64() > Some(3), "{found}");
            assert_eq!(
                (&found["seen"], &found["told"]),
                (&found["versions"], &found["versions"]),
                "{found}"
            );
            for done in ["together", "held", "released"] {
                assert_eq!(found[done], true, "{done}: {found}");
            }
            assert!(
                found["last"]
                    .as_str()
                    .is_some_and(|last| last.starts_with("PNG")),
                "{found}"
            );
            assert_eq!(found["mapped"], "block");
            assert!(
                ["Copied", "Selected"]
                    .iter()
                    .any(|says| found["copied"] == *says),
                "{found}"
            );
        }
    }
}

#[test]
#[ignore = "needs a browser"]
fn a_served_sheet_asks_for_a_version_and_shows_it() {
    let scratch = Scratch::new();
    scratch.put("sea.jpg", &photo(300, 200, 3));
    let served = Served::begin(&scratch, &["sea.jpg", "--width", "240", "-f", "jpeg"]);
    let output = Command::new(named("KILN_TEST_BROWSER"))
        .args(["--headless", "--no-sandbox", "--disable-gpu", "--dump-dom"])
        .arg("--virtual-time-budget=20000")
        .arg(format!(
            "--user-data-dir={}",
            scratch.path("profile").display()
        ))
        .arg(format!("http://127.0.0.1:{}/", served.port))
        .output()
        .expect("the browser");
    let dom = String::from_utf8_lossy(&output.stdout).into_owned();
    assert!(dom.contains("WebP, dial 75: "), "{dom}");
    assert!(
        dom.contains("class=\"answers\""),
        "it is no longer waited for"
    );
    served.end();
}

fn named(variable: &str) -> String {
    std::env::var(variable).unwrap_or_else(|_| panic!("{variable} names what this test needs"))
}

#[test]
#[ignore = "needs a browser and its driver"]
fn pages_are_measured_as_they_are_shown() {
    let scratch = Scratch::new();
    let page = "<!doctype html><meta name=viewport content='width=device-width'><title>Rooms</title>\
        <link rel=stylesheet href=/css/a.css><div class=hero></div>\
        <div style='width:50%'><img src=/img/half.jpg style='width:100%'></div>\
        <img src=/img/lead.jpg width=80 height=60 loading=lazy>\
        <img srcset='/img/s.jpg 200w, /img/l.jpg 800w' sizes=200px width=200 height=150>\
        <div style='height:3000px'></div>\
        <img src=/img/low.jpg width=100 height=75><img src=/img/lazy.jpg width=100 height=75 loading=lazy>\
        <script>let i = new Image(120, 90); i.src = '/img/by-script.jpg'; document.body.append(i)</script>";
    scratch.put("site/deep/index.html", page.as_bytes());
    let css = ".hero{width:200px;height:200px;background:url(../img/wide.jpg) center/cover} .no{background:url(../img/no.jpg)}";
    scratch.put("site/css/a.css", css.as_bytes());
    for (seed, name) in ["half", "lead", "s", "low", "lazy", "by-script", "no"]
        .iter()
        .enumerate()
    {
        scratch.put(
            &format!("site/img/{name}.jpg"),
            &photo(200, 150, seed as u64),
        );
    }
    scratch.put("site/img/l.jpg", &photo(800, 600, 20));
    scratch.put("site/img/wide.jpg", &photo(800, 200, 21));
    let arguments = [
        "page",
        "site",
        "--browser",
        "--viewport=400x600@2",
        "--html",
        "page.html",
    ];
    let report = scratch.json(&[&arguments[..], &["--json"]].concat());
    assert_eq!(report["measured"], true, "{report}");
    let shown = |name: &str| {
        let pictures = report["pictures"].as_array().expect("a list").iter();
        let picture = pictures
            .clone()
            .find(|one| one["name"] == format!("img/{name}.jpg"));
        picture.unwrap_or_else(|| panic!("{name}: {report}"))["shown"][0].clone()
    };
    // The body has a margin of 8 pixels on each side.
    let wanted = [
        ("half", 192.0, 192.0, false, true),
        ("lead", 80.0, 80.0, false, false),
        ("wide", 200.0, 800.0, false, false),
        ("low", 100.0, 100.0, true, false),
        ("lazy", 100.0, 100.0, true, false),
        ("by-script", 120.0, 120.0, true, false),
        ("l", 200.0, 200.0, false, false),
    ];
    for (name, width, whole, below, unsized_) in wanted {
        let shown = shown(name);
        assert_eq!(shown["width"], width, "{name}");
        assert_eq!(shown["whole_width"], whole, "{name}");
        assert_eq!(shown["below_first_screen"], below, "{name}");
        assert_eq!(shown["without_size"], unsized_, "{name}");
    }
    for idle in ["s", "no"] {
        assert_eq!(shown(idle)["loaded"], false, "{idle}");
    }
    let notes = report["notes"].to_string();
    for said in [
        "img/half.jpg",
        "yet lazy",
        "img/lead.jpg",
        "loaded at once",
        "img/low.jpg",
    ] {
        assert!(notes.contains(said), "{said}: {notes}");
    }
    assert!(!notes.contains("img/lazy.jpg"), "{notes}");
    let found = visited(&scratch, "page.html", 1280);
    assert_eq!(found["errors"], serde_json::json!([]));
    assert_eq!(found["requests"], serde_json::json!([]));
    assert_eq!(found["violations"], serde_json::json!([]), "{found}");
    let nobody = scratch.kiln(&["page", "site", "--browser=http://127.0.0.1:1"]);
    assert!(
        nobody.code == 1 && nobody.stderr.contains("no driver answers there"),
        "{}",
        nobody.stderr
    );
}
