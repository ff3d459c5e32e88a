//! Broken files of every format: an error or a picture, never a panic, a hang or a flood.

use std::io::Cursor;

use kiln_core::decode::{self, Allowance, Wanted};
use kiln_core::source::{self, ProbeError};

use crate::common::{self, Dice, HEIGHT, Tiff, WIDTH, one_of_each, samples};

#[test]
fn files_cut_off_anywhere_are_refused_or_whole() {
    for (name, file) in one_of_each() {
        let whole = samples(&file).expect(name).len();
        for length in 0..file.len() {
            // What is given must be whole; formats may end in bytes that no pixel needs.
            if let Ok(found) = samples(&file[..length]) {
                assert_eq!(found.len(), whole, "{name} cut at {length}");
                assert!(
                    length * 10 > file.len() * 4,
                    "{name} cut at {length} of {} was taken",
                    file.len()
                );
            }
        }
    }
}

#[test]
fn a_jpeg_without_its_second_half_is_said_to_be_cut_off() {
    for (name, file) in one_of_each()
        .into_iter()
        .filter(|(name, _)| name.contains("JPEG"))
    {
        let error = samples(&file[..file.len() * 6 / 10]).expect_err(name);
        assert!(error.to_string().contains("cut off"), "{name}: {error}");
    }
}

#[test]
fn damaged_bytes_never_panic() {
    let mut dice = Dice(7);
    for (_, file) in one_of_each() {
        for _ in 0..400 {
            let mut broken = file.clone();
            for _ in 0..1 + dice.roll(4) {
                let at = dice.roll(broken.len());
                broken[at] = dice.roll(256) as u8;
            }
            let _ = samples(&broken);
        }
    }
}

/// Tiles, planes and palettes have paths of their own.
#[test]
fn damaged_tiffs_never_panic() {
    let mut dice = Dice(11);
    let plain = Tiff::default();
    let tiles = Tiff {
        chunk: (16, 16),
        ..plain.clone()
    };
    let planes = Tiff {
        planar: true,
        big: true,
        ..tiles.clone()
    };
    let palette = Tiff {
        meaning: 3,
        count: 1,
        palette: vec![9; 768],
        ..plain.clone()
    };
    let few = Tiff {
        meaning: 0,
        count: 1,
        bits: 2,
        ..plain
    };
    for (tiff, count, most) in [
        (tiles, 3, 255),
        (planes, 3, 255),
        (palette, 1, 255),
        (few, 1, 3),
    ] {
        let samples_of = (0..WIDTH * HEIGHT * count).map(|at| (at % (most + 1)) as u16);
        let file = tiff.file(&samples_of.collect::<Vec<u16>>());
        assert!(samples(&file).is_ok());
        // What decides stands behind the samples: the directory and its values.
        let directory = (WIDTH * HEIGHT * count * u32::from(tiff.bits) / 8) as usize;
        for round in 0..3000 {
            let mut broken = file.clone();
            for _ in 0..1 + round % 3 {
                let at = directory + dice.roll(broken.len() - directory);
                broken[at] = [0, 1, 0xFF, dice.roll(256) as u8][dice.roll(4)];
            }
            let _ = samples(&broken);
        }
    }
}

#[test]
fn headers_that_promise_too_much_reserve_nothing() {
    // A PNG of a billion pixels in a few hundred bytes.
    let mut png = common::png();
    png[16..20].copy_from_slice(&40_000u32.to_be_bytes());
    png[20..24].copy_from_slice(&40_000u32.to_be_bytes());
    let mut crc = flate2::Crc::new();
    crc.update(&png[12..29]);
    let sum = crc.sum().to_be_bytes();
    png[29..33].copy_from_slice(&sum);
    let probe = common::probe(&png);
    assert!(decode::open(&png, &probe, Wanted::all(&probe), Allowance::default()).is_err());
    // A chunk longer than the file.
    let mut png = common::png();
    png.splice(33..33, [0x7F, 0xFF, 0xFF, 0xFF, b'e', b'X', b'I', b'f']);
    assert!(matches!(
        source::probe(Cursor::new(&png)),
        Err(ProbeError::CutOff { .. })
    ));
}

#[test]
fn errors_say_what_and_where() {
    let jpeg = common::jpeg();
    let png = common::png();
    let tiff = b"II*\0\x08\0\0\0".to_vec();
    let mut arithmetic = jpeg.clone();
    let frame = arithmetic
        .windows(2)
        .position(|m| m == [0xFF, 0xC0])
        .expect("a frame header");
    arithmetic[frame + 1] = 0xC9;
    let cases: [(&str, &[u8]); 9] = [
        ("nothing", b""),
        ("text", b"Opening hours"),
        ("a TIFF", &tiff),
        ("a JPEG's first bytes", &jpeg[..10]),
        ("half a JPEG", &jpeg[..jpeg.len() / 2]),
        ("an arithmetic JPEG", &arithmetic),
        ("a PNG's first bytes", &png[..20]),
        ("half a PNG", &png[..png.len() / 2]),
        (
            "a PNG without its header",
            &[&png[..8], &png[33..]].concat(),
        ),
    ];
    let lines = cases.map(|(name, file)| format!("{name}: {}", samples(file).expect_err(name)));
    insta::assert_snapshot!(lines.join("\n"));
}
