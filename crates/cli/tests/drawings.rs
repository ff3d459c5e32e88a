//! Drawings as originals, drawings as pieces, and marks that become drawings.

use kiln_core::draw::Drawing;
use kiln_core::encode::{Coding, Format};
use kiln_core::pixels::{Channels, Raster, Size};
use serde_json::Value;

use crate::support::{Scratch, common, measured, photo, pieces};

/// As an editor saves it, with what has no place on a page.
const SAVED: &str = r##"<?xml version="1.0" encoding="UTF-8"?>
<!-- Tern Point Light -->
<svg xmlns="http://www.w3.org/2000/svg" xmlns:e="urn:editor" width="40.00" height="30.00" viewBox="0 0 40 30" onload="go()">
  <metadata><e:page zoom="2"/></metadata><script>go()</script>
  <rect x="0.000" y="0.000" width="40" height="30" style="fill:#12324a;fill-opacity:1;stroke:none"/>
  <a href="https://example.org/"><path style="fill:#f4c95d" d="M 4.00000,26.00000 L 20.00000,4.00000 L 36.00000,26.00000 Z"/></a>
  <circle cx="20" cy="18" r="5.123456" style="fill:#c4412f"/>
</svg>"##;

/// The same as pixels, on nothing.
fn mark(width: u32, height: u32) -> Vec<u8> {
    let size = Size::new(width, height).expect("a size");
    let drawing = Drawing::read(
        &SAVED
            .replace("<rect", "<g")
            .replace("stroke:none\"/>", "\"/>"),
    );
    let pixels = drawing.expect("sound").pixels(size).expect("small");
    let raster = Raster::new(size, Channels::Rgba, pixels).expect("whole rows");
    common::encoded(&raster, Format::Png, Coding::Lossless).expect("a PNG")
}

fn states(report: &Value) -> Vec<(String, String)> {
    let text = |piece: &Value, key: &str| piece[key].as_str().unwrap_or_default().to_owned();
    let all = pieces(report);
    all.iter()
        .map(|piece| (text(piece, "name"), text(piece, "state")))
        .collect()
}

#[test]
fn a_drawing_is_drawn_at_every_size_and_what_runs_in_it_is_named() {
    let scratch = Scratch::new();
    scratch.put("in/größe 1.svg", SAVED.as_bytes());
    let report = scratch.json(&["fire", "in", "-w", "20,90", "--density", "1,2", "--json"]);
    let names: Vec<String> = states(&report).into_iter().map(|(name, _)| name).collect();
    for (name, size) in names.iter().zip([(20, 15), (40, 30), (90, 68), (180, 135)]) {
        assert_eq!(
            measured(&scratch.path(&format!("upload/{name}"))),
            size,
            "{name}"
        );
    }
    let notes = report["originals"][0]["notes"].to_string();
    assert!(
        notes.contains("2 scripts and event handlers are left out"),
        "{notes}"
    );
    assert!(
        notes.contains("1 link that leads out of it is left out (https://example.org/)"),
        "{notes}"
    );
    assert_eq!(report["originals"][0]["width"], 40);
}

#[test]
fn a_drawing_stays_one_where_that_is_asked_for() {
    let scratch = Scratch::new();
    scratch.put("in/light.svg", SAVED.as_bytes());
    let fire = [
        "fire",
        "in",
        "-f",
        "svg",
        "-w",
        "20,90",
        "--metadata-write",
        "copyright=Tern Point Trust",
        "--json",
    ];
    let report = scratch.json(&fire);
    assert_eq!(
        states(&report),
        [("light.svg".to_owned(), "made".to_owned())]
    );
    let piece = &pieces(&report)[0];
    assert_eq!(
        (&piece["repacked"], &piece["lossless"]),
        (&Value::from("anew"), &Value::from(true))
    );
    let file = scratch
        .files("upload")
        .remove("light.svg")
        .expect("a piece");
    let text = String::from_utf8(file).expect("a text");
    assert!(text.len() < SAVED.len() + 400, "{text}");
    assert!(
        text.contains("<metadata>") && text.contains("Tern Point Trust"),
        "{text}"
    );
    for gone in [
        "<script",
        "onload",
        "example.org",
        "urn:editor",
        "<!--",
        "5.123456",
    ] {
        assert!(!text.contains(gone), "{gone} in {text}");
    }
    let size = Size::new(160, 120).expect("a size");
    let [before, after] = [SAVED, &text].map(|text| {
        Drawing::read(text)
            .expect("sound")
            .pixels(size)
            .expect("small")
    });
    let most = before.iter().zip(&after).map(|(a, b)| a.abs_diff(*b)).max();
    assert!(most < Some(24), "{most:?}");
    let again = scratch.json(&fire);
    assert_eq!(
        states(&again),
        [("light.svg".to_owned(), "unchanged".to_owned())]
    );
    // A crop of it is a mark, and traced.
    let cropped = scratch.kiln(&["fire", "in", "-f", "svg", "--shape", "1:1", "-o", "square"]);
    assert_eq!(cropped.code, 0, "{}", cropped.stderr);
}

#[test]
fn a_flat_mark_is_traced_where_that_is_lighter_than_all_else() {
    let scratch = Scratch::new();
    scratch.put("in/mark.png", &mark(400, 300));
    let fire = [
        "fire",
        "in",
        "-f",
        "auto,svg",
        "-w",
        "120",
        "--density",
        "1,2",
        "--json",
    ];
    let report = scratch.json(&fire);
    let left_out = ("mark-120.webp".to_owned(), "left_out".to_owned());
    assert_eq!(
        states(&report),
        [left_out, ("mark.svg".to_owned(), "made".to_owned())]
    );
    assert_eq!(scratch.names("upload"), ["kiln-ledger.json", "mark.svg"]);
    let piece = &pieces(&report)[1];
    assert!(piece["score"].as_f64() >= Some(85.0), "{piece}");
    let others = piece["others"].as_array().expect("a list");
    assert!(
        others
            .iter()
            .all(|other| other["weight"].as_u64() > piece["weight"].as_u64()),
        "{piece}"
    );
    assert!(
        states(&scratch.json(&fire))
            .iter()
            .any(|(_, state)| state == "unchanged")
    );
    let kept = scratch.json(&[&fire[..], &["-o", "kept", "--keep-all"]].concat());
    assert!(
        states(&kept).iter().all(|(_, state)| state == "made"),
        "{kept}"
    );
}

#[test]
fn what_is_no_mark_comes_in_another_format_or_is_refused() {
    let scratch = Scratch::new();
    scratch.put("in/sea.jpg", &photo(120, 80, 1));
    scratch.put("in/fog.webp", &common::webp(true, false));
    let report = scratch.json(&["fire", "in", "-f", "auto,svg", "-w", "50", "--json"]);
    assert!(
        states(&report)
            .iter()
            .all(|(name, state)| state == "made" && !name.ends_with("svg"))
    );
    let refused = scratch.kiln(&["fire", "in", "-f", "svg", "-w", "50", "-o", "none"]);
    assert_eq!(refused.code, 1);
    assert!(
        refused
            .stdout
            .contains("SVG cannot hold this: it has no flat areas"),
        "{}",
        refused.stdout
    );
    scratch.put(
        "odd/deep.svg",
        [
            "<svg xmlns='http://www.w3.org/2000/svg' width='9' height='9'>",
            &"<g>".repeat(120),
            &"</g>".repeat(120),
            "</svg>",
        ]
        .concat()
        .as_bytes(),
    );
    let odd = scratch.kiln(&["fire", "odd", "-w", "9"]);
    assert_eq!(odd.code, 1);
    assert!(
        odd.stderr
            .contains("odd/deep.svg: the SVG cannot be drawn: its shapes lie more than 96 deep"),
        "{}",
        odd.stderr
    );
}
