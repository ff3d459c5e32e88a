//! Originals of the formats that are met more rarely: BMP, ICO, PNM, QOI, and AVIF in all its layouts.

use kiln_core::encode::{Coding, Format};
use kiln_core::pixels::{Channels, Orientation, Raster, Size};

use crate::common::few::{self, Item, TEN_BITS, avif, boxed, extent};
use crate::common::{self, HEIGHT, WIDTH, assert_near, encoded, probe, rgb, rgba, samples, size};

#[test]
fn every_kind_of_bitmap_is_read() {
    for (name, file, shown) in few::bitmaps() {
        let tolerance = if name == "16 bits" { 8 } else { 0 };
        assert_near(name, &file, &shown, tolerance);
    }
}

#[test]
fn the_largest_picture_of_an_icon_is_read() {
    for kind in ["PNG", "32 bits", "24 bits"] {
        let (file, shown) = few::icon(kind);
        assert_eq!(probe(&file).stored, size(), "{kind}");
        assert_near(kind, &file, &shown, 0);
    }
}

#[test]
fn every_kind_of_any_map_is_read() {
    for (name, file, shown) in few::any_maps() {
        assert_near(name, &file, &shown, 0);
        // A number less, where they are written out.
        let short = &file[..file.len() - 6];
        assert!(samples(short).is_err(), "{name}");
    }
}

#[test]
fn quite_ok_files_are_read() {
    assert_near("QOI", &few::quite_ok(), &rgba(), 0);
}

/// The one frame of a file of ours.
fn frame(raster: &Raster) -> Vec<u8> {
    let file = encoded(raster, Format::Avif, Coding::Dial(95)).expect("an AVIF");
    let at = file
        .windows(4)
        .position(|name| name == b"mdat")
        .expect("data");
    file[at + 4..].to_vec()
}

fn item(body: Vec<u8>, properties: Vec<Vec<u8>>) -> Item {
    Item {
        kind: b"av01",
        properties,
        body,
    }
}

fn cicp(primaries: u16, transfer: u16, matrix: u16, full: bool) -> Vec<u8> {
    let codes = [primaries, transfer, matrix].map(u16::to_be_bytes).concat();
    boxed(b"colr", &[b"nclx", &codes, &[u8::from(full) << 7]])
}

/// Part of the picture of these tests.
fn part(left: u32, top: u32, width: u32, height: u32) -> Raster {
    let inside =
        |x: u32, y: u32| common::colour((left + x).min(WIDTH - 1), (top + y).min(HEIGHT - 1));
    let pixels = (0..height).flat_map(|y| (0..width).map(move |x| (x, y)));
    let samples = pixels.flat_map(|(x, y)| inside(x, y)).collect();
    let size = Size::new(width, height).expect("a size");
    Raster::new(size, Channels::Rgb, samples).expect("whole rows")
}

#[test]
fn avif_files_stand_as_their_properties_say() {
    let body = frame(&part(0, 0, WIDTH, HEIGHT));
    let turned = |properties: &[Vec<u8>]| {
        let properties = [&[extent(WIDTH, HEIGHT)], properties].concat();
        let file = avif(&[item(body.clone(), properties)], &[]);
        assert_near("turned", &file, &rgb(), 14);
        probe(&file).orientation
    };
    let turn = |quarters: u8| boxed(b"irot", &[&[quarters]]);
    let mirror = |axis: u8| boxed(b"imir", &[&[axis]]);
    assert_eq!(turned(&[]), Orientation::Upright);
    assert_eq!(turned(&[turn(1)]), Orientation::QuarterAnticlockwise);
    assert_eq!(turned(&[turn(3)]), Orientation::QuarterClockwise);
    assert_eq!(turned(&[mirror(0)]), Orientation::Flipped);
    assert_eq!(turned(&[mirror(1)]), Orientation::Mirrored);
    assert_eq!(turned(&[turn(2), mirror(0)]), Orientation::Mirrored);
    let cropped = item(
        body.clone(),
        vec![extent(WIDTH, HEIGHT), boxed(b"clap", &[&[0; 32]])],
    );
    let refused = samples(&avif(&[cropped], &[]))
        .expect_err("a crop")
        .to_string();
    assert_eq!(refused, "a AVIF with a crop of its own is not read");
}

#[test]
fn grids_are_put_together() {
    let grid = |width: u32, height: u32, tiles: u16| {
        let sides = [width as u16, height as u16].map(u16::to_be_bytes).concat();
        let mut items = vec![Item {
            kind: b"grid",
            properties: vec![extent(width, height)],
            body: [&[0, 0, 1, 1][..], &sides].concat(),
        }];
        for tile in 0..tiles {
            let (left, top) = (u32::from(tile % 2) * 32, u32::from(tile / 2) * 24);
            items.push(item(frame(&part(left, top, 32, 24)), vec![extent(32, 24)]));
        }
        let tiles: Vec<u16> = (2..2 + tiles).collect();
        avif(&items, &[(b"dimg", 1, &tiles)])
    };
    assert_near("a grid", &grid(WIDTH, HEIGHT, 4), &rgb(), 14);
    for (name, file) in [
        ("a tile less", grid(WIDTH, HEIGHT, 3)),
        ("too wide", grid(80, HEIGHT, 4)),
    ] {
        assert!(samples(&file).is_err(), "{name}");
    }
}

#[test]
fn deep_samples_and_alpha_of_avif_are_read() {
    let ten = item(TEN_BITS.to_vec(), vec![extent(WIDTH, HEIGHT)]);
    let file = avif(&[ten], &[]);
    assert_near("ten bits", &file, &rgb(), 4);
    assert!(
        samples(&file)
            .expect("sound")
            .iter()
            .any(|sample| sample % 257 != 0)
    );
    // What the container says goes before what the frame says.
    let (body, size) = (frame(&part(0, 0, WIDTH, HEIGHT)), extent(WIDTH, HEIGHT));
    let of = |colours: Vec<u8>| avif(&[item(body.clone(), vec![size.clone(), colours])], &[]);
    let other = samples(&of(cicp(1, 13, 1, true))).expect("another matrix");
    assert_ne!(other, samples(&of(cicp(1, 13, 6, true))).expect("its own"));
    let bright = samples(&of(cicp(9, 16, 6, true)))
        .expect_err("PQ")
        .to_string();
    assert!(bright.contains("beyond that of paper"), "{bright}");
    // A profile is made of code points that are not those of sRGB.
    let form = |file: &[u8]| {
        let probe = probe(file);
        let wanted = kiln_core::decode::Wanted::all(&probe);
        let rows = kiln_core::decode::open(file, &probe, wanted, Default::default());
        rows.expect("sound").form().clone()
    };
    let wide = form(&of(cicp(12, 13, 6, true))).icc.expect("a profile");
    assert!(kiln_core::colour::describe(&wide).expect("sound").wide);
    assert_eq!(form(&of(cicp(1, 1, 6, true))).icc, None);
    assert_near("alpha", &common::avif(), &rgba(), 30);
}
