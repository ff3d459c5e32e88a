//! The label sheet: made, filled up, checked, and what it does to names and metadata.

use std::fs;
use std::io::Cursor;

use exif::{In, Tag};
use kiln_core::credits::Field;
use kiln_core::source;
use serde_json::Value;

use crate::support::{Scratch, common, photo};

fn site() -> Scratch {
    let scratch = Scratch::new();
    scratch.put("photos/IMG_2041.JPG", &photo(90, 60, 1));
    scratch.put("photos/rooms/Überfahrt, spät.jpg", &photo(90, 60, 2));
    scratch.put(
        "photos/mark.svg",
        b"<svg xmlns='http://www.w3.org/2000/svg' width='9' height='9'/>",
    );
    scratch.put("photos/broken.jpg", b"");
    scratch.put("photos/said.jpg", &tagged());
    scratch
}

fn text(scratch: &Scratch) -> String {
    String::from_utf8(fs::read(scratch.path("labels.csv")).expect("a sheet")).expect("UTF-8")
}

#[test]
fn a_sheet_is_made_and_filled_up_with_new_originals() {
    let scratch = site();
    let told = scratch.fires(&["label", "photos"]);
    insta::assert_snapshot!(told);
    assert_eq!(
        text(&scratch),
        "\u{FEFF}file,title,alternative text,caption,keywords,creator,credit,licence,decorative\r\n\
         IMG_2041.JPG,,,,,,,,no\r\n\
         mark.svg,,,,,,,,no\r\n\
         \"rooms/Überfahrt, spät.jpg\",,,,,,,,no\r\n\
         said.jpg,,,,,Camera,,,no\r\n"
    );
    let strict = scratch.kiln(&["label", "photos", "--strict"]);
    assert_eq!(strict.code, 1);
    assert!(
        strict.stdout.contains("4 rows, no new picture"),
        "{}",
        strict.stdout
    );
}

/// What a person wrote stays byte for byte, in whatever way a spreadsheet has saved it.
#[test]
fn sheets_of_every_dialect_are_read_and_what_is_in_them_stays() {
    let dialects: [(&str, Vec<u8>); 5] = [
        ("semicolons, CRLF, another order and a column of one's own", "Title;FILE;my notes;Alternative_Text;decorative\r\n\"Evening; late\";IMG_2041.JPG;\"keep\r\nthis\";Dusk;No\r\n;;;;\r\n".into()),
        ("tabs, a byte order mark, no line break at the end", "\u{FEFF}file\ttitle\talternative text\tdecorative\nIMG_2041.JPG\tEvening; late\tDusk\tno".into()),
        ("a separator line and backslashes", "sep=;\nfile;title;alternative text;decorative\n.\\IMG_2041.JPG;Evening; late;Dusk\n".replace("Evening; late", "\"Evening; late\"").into()),
        ("Windows-1252", b"file;title;alternative text;decorative\r\nIMG_2041.JPG;\"Evening; late\";Dusk;no\r\nk\xFChn.jpg;;;ja\r\n".to_vec()),
        ("UTF-16 with its mark", "\u{FEFF}file\ttitle\talternative text\tdecorative\r\nIMG_2041.JPG\tEvening; late\tDusk\tno\r\n".encode_utf16().flat_map(u16::to_le_bytes).collect()),
    ];
    for (name, bytes) in dialects {
        let scratch = site();
        scratch.put("labels.csv", &bytes);
        let report = scratch.fires(&["label", "photos", "--json"]);
        let report: Value = serde_json::from_str(&report).expect("JSON");
        assert_eq!(report["added"].as_array().map(Vec::len), Some(3), "{name}");
        let saved = fs::read(scratch.path("labels.csv")).expect("a sheet");
        match str::from_utf8(&bytes) {
            Ok(_) => assert!(saved.starts_with(&bytes), "{name}"),
            Err(_) => assert!(saved.starts_with("\u{FEFF}file".as_bytes()), "{name}"),
        }
        assert!(name != "Windows-1252" || text(&scratch).contains("kühn.jpg;;;ja\r\n"));
        // What was added is read again, and the title is where it belongs.
        let again = scratch.fires(&["label", "photos", "--json"]);
        let again: Value = serde_json::from_str(&again).expect("JSON");
        assert_eq!(again["added"].as_array().map(Vec::len), Some(0), "{name}");
        scratch.kiln(&["fire", "photos", "-w", "9", "--quiet"]);
        assert!(
            scratch.path("upload/evening-late-9.webp").exists(),
            "{name}"
        );
    }
}

/// Pieces in an out folder among the originals are no originals.
#[test]
fn pieces_need_no_labels() {
    let scratch = Scratch::new();
    scratch.put("kiln.toml", b"originals = '.'\n[every]\nwidth = 40\n");
    scratch.put("lamp.jpg", &photo(90, 60, 1));
    scratch.fires(&["fire", "--quiet"]);
    let told = scratch.fires(&["label"]);
    assert!(told.contains("1 row, 1 row added"), "{told}");
}

#[test]
fn what_is_odd_in_a_sheet_is_told() {
    let scratch = site();
    let sheet = "file,title,alternative text,decorative\n\
                 IMG_2041.JPG,IMG_2041,IMG_2041.JPG,perhaps\n\
                 IMG_2041.JPG,Second,,\n\
                 gone.jpg,Gone,Nothing,no\n\
                 mark.svg,Mark,,yes\n\
                 said.jpg,Said,One, two and three,no\n";
    scratch.put("labels.csv", sheet.as_bytes());
    insta::assert_snapshot!(scratch.fires(&["label", "photos"]));
    let headless = "name,title\na,b\n";
    scratch.put("labels.csv", headless.as_bytes());
    for command in ["label", "fire"] {
        let done = scratch.kiln(&[command, "photos"]);
        let says = "labels.csv: has no column \"file\"";
        assert!(
            done.code == 1 && done.stderr.contains(says),
            "{}",
            done.stderr
        );
        assert_eq!(text(&scratch), headless);
    }
    scratch.put("labels.csv", b"\r\n");
    assert!(scratch.fires(&["label", "photos"]).contains("4 rows added"));
}

/// A camera's photo with a position, a creator and a copyright.
fn tagged() -> Vec<u8> {
    let mut credits = kiln_core::credits::Credits::default();
    for (field, text) in [
        (Field::Creator, "Camera"),
        (Field::Copyright, "© Camera"),
        (Field::Position, "58.441700, 3.092800"),
        (Field::Camera, "Tern Mk II"),
        (Field::Date, "2026-06-20T21:14:05"),
    ] {
        credits.set(field, text);
    }
    let inscription = kiln_core::credits::Inscription {
        credits,
        dots_per_inch: Some(300),
    };
    let format = kiln_core::encode::Format::Jpeg;
    kiln_core::encode::inscribe(photo(90, 60, 3), format, &inscription.blocks()).expect("a JPEG")
}

#[test]
fn pieces_lose_all_but_their_rights_and_gain_what_is_written() {
    let scratch = Scratch::new();
    scratch.put("photos/a.jpg", &tagged());
    let formats = "jpeg,png,webp,avif";
    let report = scratch.fires(&["fire", "photos", "-f", formats, "--keep-all"]);
    assert!(report.contains("1 position among it"), "{report}");
    let said = |folder: &str, extension: &str| {
        let file = fs::read(scratch.path(&format!("{folder}/a-90.{extension}"))).expect("a piece");
        let read = exif::Reader::new().read_from_container(&mut Cursor::new(&file));
        let read = read.expect("EXIF");
        let tag = |tag| {
            read.get_field(tag, In::PRIMARY)
                .map(|f| f.display_value().to_string().replace("\\xc2\\xa9", "©"))
        };
        let tags = [
            Tag::Artist,
            Tag::Copyright,
            Tag::Model,
            Tag::GPSLatitude,
            Tag::XResolution,
        ]
        .map(tag);
        let credits = source::headers(Cursor::new(&file))
            .expect("headers")
            .credits;
        (tags.map(Option::unwrap_or_default), credits)
    };
    for extension in ["jpg", "png", "webp", "avif"] {
        let (tags, _) = said("upload", extension);
        assert_eq!(
            tags,
            ["\"Camera\"", "\"© Camera\"", "", "", ""],
            "{extension}"
        );
    }
    scratch.put("kiln.toml", b"[metadata]\nkeep = ['creator', 'alternative-text', 'position']\nresolution = 96\n\
        write = { copyright = '\xC2\xA9 Tern Point Trust', licence = 'https://tern-point.example/licence' }");
    scratch.put("labels.csv", "file,alternative text,creator,caption\na.jpg,\"Dusk & \"\"calm\"\"\",Ines Varga,Left out\n".as_bytes());
    scratch.fires(&[
        "fire",
        "photos",
        "-f",
        formats,
        "--keep-all",
        "-w",
        "90",
        "-o",
        "b",
    ]);
    for extension in ["jpg", "png", "webp"] {
        let (tags, credits) = said("b", extension);
        assert_eq!(
            tags,
            [
                "\"Ines Varga\"",
                "\"© Tern Point Trust\"",
                "",
                "58 deg 26 min 30.12 sec",
                "96"
            ],
            "{extension}"
        );
        let found = Field::ALL.map(|field| credits.get(field).unwrap_or("-"));
        assert_eq!(
            found,
            [
                "-",
                "-",
                "Dusk & \"calm\"",
                "-",
                "Ines Varga",
                "© Tern Point Trust",
                "-",
                "https://tern-point.example/licence",
                "-",
                "-",
                "58.441700, 3.092800"
            ]
        );
    }
    // Nothing to say, nothing written.
    scratch.put("kiln.toml", b"[metadata]\nkeep = []");
    let plain = ["fire", "photos", "-w", "90", "-f", "webp", "--name", "x"];
    scratch.fires(&[&plain[..], &["-o", "c", "--no-kiln"]].concat());
    scratch.fires(&[&plain[..], &["-o", "d"]].concat());
    let weight = |path: &str| fs::read(scratch.path(path)).expect("a piece").len();
    assert!(weight("c/x.webp") > weight("d/x.webp") + 400);
    let bare = common::probe(&fs::read(scratch.path("d/x.webp")).expect("a piece"));
    assert_eq!(bare.upright().width(), 90);
}
