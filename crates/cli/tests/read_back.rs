//! Finished pieces, read back by general-purpose libraries of another language: their pixels by
//! one for images, their credits by one for metadata. Needs a Python with both, named by
//! `KILN_TEST_PYTHON`; `.ci/run` installs one.

use std::process::Command;

use serde_json::Value;

use crate::support::Scratch;

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

/// Prints every EXIF and XMP field of each piece.
const CREDITS_READER: &str = r#"
import json, sys, warnings
warnings.simplefilter("ignore")
import exiv2
exiv2.enableBMFF(True)
found = {}
for piece in json.load(sys.stdin):
    image = exiv2.ImageFactory.open(piece)
    image.readMetadata()
    fields = list(image.exifData()) + list(image.xmpData())
    found[piece] = {field.key(): field.print() for field in fields}
print(json.dumps(found))
"#;

/// Makes pictures with profiles, and measures pieces against another colour engine.
const COLOURS: &str = include_str!("scripts/colours.py");

/// What a script prints of some input.
fn asked(scratch: &Scratch, script: &str, input: &Value) -> Value {
    let python = std::env::var("KILN_TEST_PYTHON").expect("KILN_TEST_PYTHON names a Python");
    scratch.put("input.json", &serde_json::to_vec(input).expect("JSON"));
    let read = Command::new(python)
        .args(["-c", script])
        .current_dir(scratch.path(""))
        .stdin(std::fs::File::open(scratch.path("input.json")).expect("the input"))
        .output()
        .expect("Python");
    let complaint = String::from_utf8_lossy(&read.stderr);
    assert!(read.status.success(), "{complaint}");
    serde_json::from_slice(&read.stdout).expect("JSON")
}

const ALL_SAID: &str = r#"
[metadata]
keep = ["title", "caption", "alternative-text", "keywords", "creator", "position", "date"]
resolution = 144
write = { copyright = "© Tern Point Trust", credit = "Tern Point Light", licence = "https://tern-point.example/licence", position = "58.4417, -3.0928", date = "2026-06-20T21:14:05" }
"#;

#[test]
#[ignore = "needs a Python with exiv2 in KILN_TEST_PYTHON"]
fn every_format_says_to_others_what_it_was_given() {
    let scratch = Scratch::with_photos();
    scratch.put("kiln.toml", ALL_SAID.as_bytes());
    let label = "file,title,alternative text,caption,keywords,creator\n\
                 sea.JPG,Sea,\"Calm & \"\"grey\"\"\",Midsummer,\"sea, dusk\",Ines Vargå; Tom Ost\n";
    scratch.put("labels.csv", label.as_bytes());
    let formats = "jpeg,png,webp,avif";
    scratch.fires(&[
        "fire",
        "photos/sea.JPG",
        "photos/logo.png",
        "-w",
        "50",
        "-f",
        formats,
        "--keep-all",
    ]);
    let pieces =
        ["jpg", "png", "webp", "avif"].map(|extension| format!("upload/sea-50.{extension}"));
    let found = asked(&scratch, CREDITS_READER, &Value::from(pieces.to_vec()));
    for piece in &pieces {
        let mut told = String::new();
        for (key, value) in found[piece].as_object().expect("fields") {
            told += &format!("{key}: {}\n", value.as_str().expect("a text"));
        }
        insta::allow_duplicates! { insta::assert_snapshot!("credits", told) };
    }
    let clear = asked(
        &scratch,
        CREDITS_READER,
        &serde_json::json!(["upload/logo-50.avif"]),
    );
    let title = &clear["upload/logo-50.avif"]["Xmp.dc.rights"];
    assert_eq!(title, "lang=\"x-default\" © Tern Point Trust");
}

#[test]
#[ignore = "needs a Python with Pillow in KILN_TEST_PYTHON"]
fn every_piece_is_what_its_name_says_in_other_eyes() {
    let scratch = Scratch::with_photos();
    // Credits in the container must not come between a reader and the pixels.
    scratch.put("kiln.toml", ALL_SAID.as_bytes());
    let report = scratch.fires(&[
        "fire",
        "photos",
        "-w",
        "50,100",
        "-f",
        "jpeg,png,webp,avif",
        "--keep-all",
        "--json",
    ]);
    let report: Value = serde_json::from_str(&report).expect("JSON");
    let (mut pairs, mut sizes) = (Vec::new(), Vec::new());
    for original in report["originals"].as_array().expect("a list") {
        for piece in original["pieces"].as_array().expect("a list") {
            let path = format!("upload/{}", piece["name"].as_str().expect("a name"));
            pairs.push(serde_json::json!([original["path"], path]));
            sizes.push((path, piece["width"].clone(), piece["height"].clone()));
        }
    }
    assert_eq!(pairs.len(), 6 * 2 * 4);
    let found = asked(&scratch, READER, &Value::from(pairs));
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

/// Mean and worst difference (CIEDE2000) from what another colour engine makes of profiles with
/// primaries, tables, grey and inks; those that keep a wide gamut are taken back to sRGB by it.
#[test]
#[ignore = "needs a Python with Pillow in KILN_TEST_PYTHON"]
fn colours_are_those_of_another_engine() {
    let scratch = Scratch::new();
    asked(&scratch, COLOURS, &Value::from("make"));
    let exact = ["--format", "png", "--look", "exact", "--name", "{stem}"];
    scratch.fires(&[&["fire", "tagged"], &exact[..]].concat());
    let wide = [
        "fire",
        "tagged/wide.png",
        "tagged/huge.tif",
        "--colour",
        "keep",
        "--out",
        "kept",
    ];
    let formats = [
        "--quality",
        "90",
        "--format",
        "jpeg,webp",
        "--name",
        "{stem}",
    ];
    scratch.fires(&[&wide[..], &exact].concat());
    scratch.fires(&[&wide[..], &formats].concat());
    let originals = [
        ("wide.png", "wide"),
        ("huge.tif", "huge"),
        ("scanner.webp", "scanner"),
        ("grey.png", "grey"),
        ("inks.tif", "inks"),
        ("inks-coded.jpg", "inks-coded"),
    ];
    let pair = |(original, stem): &(&str, &str), piece: &str| {
        serde_json::json!([format!("tagged/{original}"), piece.replace('*', stem)])
    };
    let mut pairs: Vec<Value> = originals.iter().map(|o| pair(o, "upload/*.png")).collect();
    pairs.extend(originals[..2].iter().map(|o| pair(o, "kept/*.png")));
    let found = asked(&scratch, COLOURS, &Value::from(pairs.clone()));
    for pair in &pairs {
        let piece = pair[1].as_str().expect("a path");
        let [mean, worst] = [0, 1].map(|at| found[piece][at].as_f64().expect("a number"));
        assert!(
            mean <= 0.5 && worst <= 2.5,
            "{piece}: mean {mean}, worst {worst}"
        );
    }
    // Every format says what its samples stand for.
    for piece in ["kept/wide.jpg", "kept/wide.webp", "kept/wide.png"] {
        let file = std::fs::read(scratch.path(piece)).expect("a piece");
        let says = file
            .windows(4)
            .any(|four| four == b"acsp" || four == b"iCCP");
        assert!(says, "{piece}");
    }
}
