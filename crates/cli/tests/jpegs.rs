//! JPEG originals: those that stay what they are, and those that are odd or damaged.

use std::fs;

use crate::support::{Scratch, photo, turned};

/// What browsers show is made, and what is odd in it is told; what lacks rows is refused.
#[test]
fn odd_and_damaged_jpegs_are_read_on_and_told() {
    let scratch = Scratch::new();
    let sound = photo(160, 120, 5);
    let with = |at: usize, change: &[u8]| {
        let mut file = sound.clone();
        file.splice(at..at, change.iter().copied());
        file
    };
    let middle = sound.len() * 2 / 3;
    let mut damaged = sound.clone();
    damaged[middle..middle + 8].fill(0xFE);
    // Behind the first segment.
    let behind = 4 + usize::from(u16::from_be_bytes([sound[4], sound[5]]));
    scratch.put("in/junk.jpg", &with(behind, b"left over"));
    // An EXIF segment that says it is longer than it is.
    scratch.put("in/length.jpg", &with(2, b"\xFF\xE1\x7F\xFFExif"));
    scratch.put("in/damaged.jpg", &damaged);
    scratch.put("in/short.jpg", &sound[..middle]);
    let done = scratch.kiln(&["fire", "in", "-o", "out", "-w", "80", "-f", "jpeg"]);
    assert_eq!(done.code, 1, "{}", done.stderr);
    for said in [
        "junk.jpg, length.jpg: bytes that belong to nothing stand between its parts",
        "damaged.jpg: its data is damaged, found at byte",
    ] {
        assert!(done.stdout.contains(said), "{said}: {}", done.stdout);
    }
    assert!(
        done.stderr.contains("in/short.jpg: the JPEG is cut off"),
        "{}",
        done.stderr
    );
    let pieces = scratch.files("out");
    let piece = |name: &str| &pieces[name];
    assert_eq!(piece("junk-80.jpg"), piece("length-80.jpg"));
    assert!(piece("damaged-80.jpg") != piece("junk-80.jpg"));
    assert!(!pieces.contains_key("short-80.jpg"));
}

#[test]
fn a_jpeg_at_its_own_size_may_stay_what_it_is() {
    let scratch = Scratch::new();
    // A phone held upright, its sides whole blocks.
    scratch.put("in/stairs.jpg", &turned(96, 64, 3, 6));
    let fire = ["fire", "in", "-o", "out", "-f", "jpeg", "--look", "exact"];
    let told = scratch.fires(&fire);
    assert!(
        told.contains("repacked") && told.contains("64×96"),
        "{told}"
    );
    let why = scratch.fires(&[&fire[..], &["-v", "--why", "stairs"]].concat());
    assert!(why.contains("coded in fewer bytes"), "{why}");
    let frame = |marker: u8| {
        let file = fs::read(scratch.path("out/stairs-64.jpg")).expect("a piece");
        assert!(file.len() < turned(96, 64, 3, 6).len());
        file.windows(2).any(|pair| pair == [0xFF, marker])
    };
    for (passes, marker) in [("no", 0xC0), ("yes", 0xC2)] {
        let told = scratch.json(&[&fire[..], &["--json", "--progressive", passes]].concat());
        let piece = &told["originals"][0]["pieces"][0];
        assert_eq!(piece["repacked"], "anew");
        assert!(frame(marker), "{passes}");
    }
}
