//! Every variant of every readable format gives the pixels that went in.

use kiln_core::decode::{self, Allowance, DecodeError, Wanted};
use kiln_core::pixels::Orientation;
use kiln_core::source::Delivery;
use png::BitDepth;

use crate::common::jpeg::{Colours, Jpeg, exif_segment};
use crate::common::{
    self, HEIGHT, Tiff, WIDTH, assert_near, colour, each_pixel, grey, probe, rgb, rgba, samples,
    wide,
};

fn written(jpeg: &Jpeg, samples: &[u8]) -> Vec<u8> {
    jpeg.file((WIDTH, HEIGHT), samples)
}

#[test]
fn every_kind_of_jpeg_is_read() {
    let greys = each_pixel(grey);
    for progressive in [false, true] {
        let plain = Jpeg {
            progressive,
            ..Jpeg::default()
        };
        for restart in [0, 3] {
            let file = written(
                &Jpeg {
                    restart,
                    ..plain.clone()
                },
                &rgb(),
            );
            let delivery = if progressive {
                Delivery::Passes
            } else {
                Delivery::Rows
            };
            assert_eq!(probe(&file).delivery, delivery);
            assert_near("colour", &file, &rgb(), 8);
        }
        let colours = Colours::Grey;
        let file = written(&Jpeg { colours, ..plain }, &greys);
        assert_near("grey", &file, &greys, 5);
    }
    for luma in [(2, 2), (2, 1), (1, 2), (4, 1)] {
        let jpeg = Jpeg {
            luma,
            ..Jpeg::default()
        };
        assert_near(&format!("{luma:?}"), &written(&jpeg, &rgb()), &rgb(), 14);
    }
}

/// Full ink is 255 on both sides; between them it is stored inverted, as Adobe does.
#[test]
fn four_inks_are_read_with_and_without_transform() {
    for colours in [Colours::Cmyk, Colours::Ycck] {
        let jpeg = Jpeg {
            colours,
            ..Jpeg::default()
        };
        assert_near(
            &format!("{colours:?}"),
            &written(&jpeg, &rgba()),
            &rgba(),
            8,
        );
    }
}

#[test]
fn every_depth_and_colour_type_of_png_is_read() {
    for (depth, bits) in [
        (BitDepth::One, 1),
        (BitDepth::Two, 2),
        (BitDepth::Four, 4),
        (BitDepth::Eight, 8),
    ] {
        let top = (1u32 << bits) - 1;
        let level = |x: u32, y: u32| (x * 3 + y) & top;
        let packed: Vec<u8> = (0..HEIGHT)
            .flat_map(|y| {
                let row: Vec<u32> = (0..WIDTH).map(|x| level(x, y)).collect();
                let bytes = row.chunks(8 / bits).map(|group| {
                    group
                        .iter()
                        .enumerate()
                        .fold(0, |byte, (i, v)| byte | (v << (8 - bits * (i + 1))) as u8)
                });
                bytes.collect::<Vec<u8>>()
            })
            .collect();
        let greys = each_pixel(|x, y| ((level(x, y) * 255 + top / 2) / top) as u8);
        assert_near(
            "grey",
            &common::png_with(png::ColorType::Grayscale, depth, &packed, |_| {}),
            &greys,
            0,
        );

        let entry = |i: u32| [i as u8, (255 - i) as u8, (i * 7) as u8];
        let palette: Vec<u8> = (0..=top).flat_map(entry).collect();
        let opaque = common::png_with(png::ColorType::Indexed, depth, &packed, |e| {
            e.set_palette(palette.clone())
        });
        let colours = each_pixel(|x, y| entry(level(x, y))).concat();
        assert_near("palette", &opaque, &colours, 0);

        let holed = common::png_with(png::ColorType::Indexed, depth, &packed, |e| {
            e.set_palette(palette);
            e.set_trns(vec![0, 99]);
        });
        let alpha = |i: u32| [0, 99].get(i as usize).copied().unwrap_or(255);
        let with_alpha =
            each_pixel(|x, y| [entry(level(x, y)).as_slice(), &[alpha(level(x, y))]].concat())
                .concat();
        assert!(probe(&holed).alpha);
        assert_near("palette with alpha", &holed, &with_alpha, 0);
    }
    let deep: Vec<u8> = rgba().iter().flat_map(|v| [*v, *v]).collect();
    assert_near(
        "16-bit",
        &common::png_with(png::ColorType::Rgba, BitDepth::Sixteen, &deep, |_| {}),
        &rgba(),
        0,
    );
    assert_near("interlaced", &common::interlaced_png(false), &rgb(), 0);
    assert_near(
        "interlaced 16-bit",
        &common::interlaced_png(true),
        &rgb(),
        0,
    );
}

#[test]
fn every_kind_of_webp_is_read() {
    assert_near("lossless", &common::webp(true, false), &rgb(), 0);
    assert_near("lossy", &common::webp(false, false), &rgb(), 14);
    let (file, wanted) = (common::webp(true, true), rgba());
    assert!(probe(&file).alpha);
    let found = samples(&file).expect("a WebP");
    for (found, wanted) in found
        .chunks_exact(4)
        .zip(wanted.chunks_exact(4))
        .filter(|(_, w)| w[3] > 0)
    {
        assert_eq!(found, [0, 1, 2, 3].map(|i| u16::from(wanted[i]) * 257));
    }
}

/// In either byte order, in strips and tiles, each kind of sample together or apart.
#[test]
fn every_layout_of_tiff_is_read() {
    for big in [false, true] {
        for chunk in [(WIDTH, 10), (WIDTH, HEIGHT), (16, 16)] {
            for planar in [false, true] {
                let tiff = Tiff {
                    big,
                    chunk,
                    planar,
                    ..Tiff::default()
                };
                let name = format!("{chunk:?} {big} {planar}");
                assert_near(&name, &tiff.file(&wide(&rgb())), &rgb(), 0);
                let deep = Tiff {
                    bits: 16,
                    ..tiff.clone()
                };
                let samples: Vec<u16> = rgb().iter().map(|&v| u16::from(v) * 257).collect();
                assert_near(&name, &deep.file(&samples), &rgb(), 0);
                let clear = Tiff {
                    count: 4,
                    extra: Some(2),
                    ..tiff
                };
                assert_near(&name, &clear.file(&wide(&rgba())), &rgba(), 0);
            }
        }
    }
}

#[test]
fn every_meaning_of_tiff_samples_is_read() {
    let tiff = |meaning, bits, count| Tiff {
        meaning,
        bits,
        count,
        ..Tiff::default()
    };
    let greys = each_pixel(grey);
    let turned: Vec<u8> = greys.iter().map(|v| 255 - v).collect();
    assert_near("grey", &tiff(1, 8, 1).file(&wide(&greys)), &greys, 0);
    assert_near(
        "white is zero",
        &tiff(0, 8, 1).file(&wide(&greys)),
        &turned,
        0,
    );
    assert_near("four inks", &tiff(5, 8, 4).file(&wide(&rgba())), &rgba(), 0);
    for bits in 1..=7 {
        let top = (1u16 << bits) - 1;
        let level = |x: u32, y: u32| (x * 3 + y) as u16 & top;
        let levels = each_pixel(level);
        let spread = each_pixel(|x, y| ((level(x, y) * 255 + top / 2) / top) as u8);
        assert_near("few greys", &tiff(1, bits, 1).file(&levels), &spread, 0);
        let entry = |i: u16| [i * 9, 600 - i * 3, i * 5].map(|v| v as u8);
        for halves in [257, 256] {
            let column =
                |channel: usize| (0..=top).map(move |i| u16::from(entry(i)[channel]) * halves);
            let palette = (0..3).flat_map(column).collect();
            let indexed = Tiff {
                palette,
                ..tiff(3, bits, 1)
            };
            let colours = each_pixel(|x, y| entry(level(x, y))).concat();
            assert_near("palette", &indexed.file(&levels), &colours, 0);
        }
    }
    // What is not read is not called damaged.
    let deep = tiff(1, 12, 1).file(&wide(&greys));
    let refused = samples(&deep).expect_err("12 bits").to_string();
    assert_eq!(refused, "a TIFF with 12 bits a sample is not read");
    // Multiplied by alpha as it is stored; what is nearly transparent cannot be had back exactly.
    let straight = rgba();
    let multiplied = straight.chunks(4).flat_map(|p| {
        let by_alpha = |v: u8| (u16::from(v) * u16::from(p[3]) + 127) / 255;
        [by_alpha(p[0]), by_alpha(p[1]), by_alpha(p[2]), p[3].into()]
    });
    let multiplied: Vec<u16> = multiplied.collect();
    let file = Tiff {
        extra: Some(1),
        ..tiff(2, 8, 4)
    }
    .file(&multiplied);
    let found = samples(&file).expect("a TIFF");
    for (found, wanted) in found
        .chunks(4)
        .zip(rgba().chunks(4))
        .filter(|(_, w)| w[3] > 100)
    {
        for (found, wanted) in found.iter().zip(wanted) {
            assert!(
                (found / 257).abs_diff((*wanted).into()) <= 1,
                "{found} {wanted}"
            );
        }
    }
    // Luma and chroma of a plain grey and of the brightest red.
    let luma = each_pixel(|x, _| {
        if x < 20 {
            [120, 128, 128]
        } else {
            [76, 85, 255]
        }
    })
    .concat();
    let plain = each_pixel(|x, _| if x < 20 { [120; 3] } else { [254, 0, 0] }).concat();
    assert_near("luma and chroma", &tiff(6, 8, 3).file(&luma), &plain, 1);
    // Of an extra sample that says nothing of itself, nothing is made.
    let unsaid = Tiff {
        extra: Some(0),
        ..tiff(2, 8, 4)
    }
    .file(&wide(&rgba()));
    assert!(!probe(&unsaid).alpha);
    let colours: Vec<u8> = rgba().chunks(4).flat_map(|p| &p[..3]).copied().collect();
    assert_near("an unsaid extra", &unsaid, &colours, 0);
}

#[test]
fn a_gif_gives_its_first_frame_on_a_transparent_screen() {
    let file = common::gif();
    let probe = probe(&file);
    assert_eq!((probe.frames, probe.alpha), (2, true));
    let found = samples(&file).expect("a GIF");
    let pixel = |x: u32, y: u32| found[((y * WIDTH + x) * 4) as usize..][..4].to_vec();
    assert_eq!(pixel(0, 0), [0; 4], "outside the frame");
    assert_eq!(pixel(3, 2)[3], 0, "the transparent index");
    assert_eq!(
        pixel(4, 2),
        [5, 250, 2, 255].map(|v| v * 257),
        "the second pixel of the frame"
    );
}

#[test]
fn orientations_are_found_in_jpeg_png_and_webp() {
    for number in 1..=8u16 {
        let block = common::exif(number);
        let jpeg = common::jpeg_with(&[exif_segment(&block)]);
        let mut png = common::png();
        let chunk = common::png_chunk(b"eXIf", &block);
        png.splice(33..33, chunk);
        for (name, file) in [
            ("JPEG", jpeg),
            ("PNG", png),
            ("WebP", common::webp_with_exif(&block)),
        ] {
            assert_eq!(
                probe(&file).orientation,
                Orientation::from_exif(number.into()),
                "{name} {number}"
            );
        }
    }
}

#[test]
fn sizes_are_known_from_the_headers() {
    for (name, file) in common::one_of_each() {
        assert_eq!(probe(&file).stored, common::size(), "{name}");
    }
}

#[test]
fn a_picture_above_the_allowance_is_not_decoded() {
    let file = common::png();
    let allowance = Allowance {
        pixels: u64::from(WIDTH * HEIGHT) - 1,
    };
    let refused =
        decode::open(&file, &probe(&file), Wanted::all(&probe(&file)), allowance).map(|_| ());
    assert!(matches!(refused, Err(DecodeError::TooLarge { .. })));
}

#[test]
fn the_first_row_is_the_top_row() {
    let found = samples(&common::png()).expect("a PNG");
    let top_right = &found[(WIDTH as usize - 1) * 4..][..3];
    assert_eq!(top_right, colour(WIDTH - 1, 0).map(|v| u16::from(v) * 257));
}
