//! Finished pieces, read back by a general-purpose imaging library of another language. Needs a
//! Python with Pillow, named by `KILN_TEST_PYTHON`; `.ci/run` installs one.
#![allow(missing_docs, clippy::expect_used, clippy::panic)]

mod support;

use std::process::Command;

use serde_json::Value;
use support::Scratch;

/// Opens each original and piece, sizes the original with the library's own filter, and prints
/// the piece's size and its mean difference from that, in levels.
const READER: &str = r#"
import json, sys
from PIL import Image, ImageChops, ImageOps, ImageStat
found = {}
for original, piece in json.load(sys.stdin):
    made = Image.open(piece)
    made.load()
    source = ImageOps.exif_transpose(Image.open(original)).convert("RGBA")
    source = source.resize(made.size, Image.LANCZOS)
    def on_white(picture):
        white = Image.new("RGBA", picture.size, "white")
        white.alpha_composite(picture.convert("RGBA"))
        return white.convert("RGB")
    difference = ImageChops.difference(on_white(source), on_white(made))
    found[piece] = [made.width, made.height, max(ImageStat.Stat(difference).mean)]
print(json.dumps(found))
"#;

#[test]
#[ignore = "needs a Python with Pillow in KILN_TEST_PYTHON"]
fn every_piece_is_what_its_name_says_in_other_eyes() {
    let python =
        std::env::var("KILN_TEST_PYTHON").expect("KILN_TEST_PYTHON names a Python with Pillow");
    let scratch = Scratch::with_photos();
    let report = scratch.fires(&[
        "fire",
        "photos",
        "-w",
        "50,100",
        "-f",
        "jpeg,png,webp,avif",
        "--json",
    ]);
    let report: Value = serde_json::from_str(&report).expect("JSON");
    let (mut pairs, mut sizes) = (Vec::new(), Vec::new());
    for original in report["originals"].as_array().expect("a list") {
        for piece in original["pieces"].as_array().expect("a list") {
            let path = format!("upload/{}", piece["name"].as_str().expect("a name"));
            pairs.push((original["path"].clone(), path.clone()));
            sizes.push((path, piece["width"].clone(), piece["height"].clone()));
        }
    }
    assert_eq!(pairs.len(), 6 * 2 * 4);
    scratch.put("pairs.json", &serde_json::to_vec(&pairs).expect("JSON"));
    let read = Command::new(python)
        .args(["-c", READER])
        .current_dir(scratch.path(""))
        .stdin(std::fs::File::open(scratch.path("pairs.json")).expect("the pairs"))
        .output()
        .expect("Python");
    assert!(
        read.status.success(),
        "{}",
        String::from_utf8_lossy(&read.stderr)
    );
    let found: Value = serde_json::from_slice(&read.stdout).expect("JSON");
    for (piece, width, height) in sizes {
        let [w, h, difference] = [0, 1, 2].map(|index| found[&piece][index].clone());
        assert_eq!((w, h), (width, height), "{piece}");
        let difference = difference.as_f64().expect("a number");
        assert!(
            difference < 9.0,
            "{piece} differs by {difference} levels on average"
        );
    }
}
