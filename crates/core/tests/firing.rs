//! Whole jobs: bytes of an original in, finished files out, read back by other decoders.

use std::ops::ControlFlow;

use kiln_core::colour::ColourNote;
use kiln_core::credits::Field;
use kiln_core::decode::Allowance;
use kiln_core::encode::{Coding, Format};
use kiln_core::pipeline::{self, Piece};
use kiln_core::pixels::{Channels, ColourWish, Gamut, Raster, Size};
use kiln_core::plan::{CodingWish, Extent, Glob, Job, Original, Place, Plan, Site, Wish};

use crate::common::jpeg::icc_segment;
use crate::common::{self, colour, each_pixel, exif, jpeg_with, rgb};
use crate::other_eyes::read_back;

const ALL: [Format; 4] = [Format::Jpeg, Format::Png, Format::WebP, Format::Avif];

fn wish(widths: &[u32], formats: &[Format]) -> Wish {
    let extent = match widths {
        [] => Extent::Own,
        widths => Extent::Widths(widths.to_vec()),
    };
    Wish {
        extent,
        formats: formats.iter().map(|&format| format.into()).collect(),
        ..Wish::default()
    }
}

/// Its own pixels, as a PNG.
fn exact() -> Wish {
    Wish {
        coding: CodingWish::Exact,
        ..wish(&[], &[Format::Png])
    }
}

fn job(file: &[u8], wish: &Wish) -> Job {
    let weight = file.len() as u64;
    let original = Original::new("x".into(), "x".into(), weight, common::probe(file));
    Job::new(original, wish)
}

fn fired(file: &[u8], wish: &Wish) -> (Vec<(Format, Piece)>, Option<ColourNote>) {
    let job = job(file, wish);
    let mut pieces = Vec::new();
    let note = pipeline::fire(file, &job, Allowance::default(), |planned, piece| {
        let order = job.pieces().position(|(_, _, piece)| piece == planned);
        let piece = piece.expect("a piece");
        pieces.push((order, piece.format, piece));
        ControlFlow::Continue(())
    });
    // They come as they are finished.
    pieces.sort_by_key(|(order, ..)| *order);
    let pieces = pieces.into_iter().map(|(_, format, piece)| (format, piece));
    (pieces.collect(), note.expect("a sound original").colours)
}

#[test]
fn pieces_of_every_format_look_like_their_original() {
    let file = jpeg_with(&[]);
    for (format, piece) in fired(&file, &wish(&[], &ALL)).0 {
        let (width, height, channels, samples) = read_back(format, &piece.file);
        assert_eq!((width, height), (common::WIDTH, common::HEIGHT), "{format}");
        for (index, pixel) in samples.chunks_exact(channels).enumerate() {
            let (x, y) = (index as u32 % width, index as u32 / width);
            for (found, wanted) in pixel.iter().zip(colour(x, y)) {
                assert!(
                    found.abs_diff(wanted) < 24,
                    "{format} at {x},{y}: {pixel:?}"
                );
            }
        }
    }
}

#[test]
fn every_orientation_gives_the_same_upright_piece() {
    // The upright picture, stored as each orientation says, in PNG so that nothing is lost.
    for number in 1..=8u32 {
        let upright = |x: u32, y: u32| [(x * 40) as u8, (y * 60) as u8, 90];
        let (w, h) = (6, 4);
        let turned = number >= 5;
        let (sw, sh) = if turned { (h, w) } else { (w, h) };
        let mut samples = Vec::new();
        for y in 0..sh {
            for x in 0..sw {
                let (right, bottom) = (w - 1, h - 1);
                let (ux, uy) = match number {
                    1 => (x, y),
                    2 => (right - x, y),
                    3 => (right - x, bottom - y),
                    4 => (x, bottom - y),
                    5 => (y, x),
                    6 => (right - y, x),
                    7 => (right - y, bottom - x),
                    _ => (y, bottom - x),
                };
                samples.extend(upright(ux, uy));
            }
        }
        let mut file = Vec::new();
        let mut encoder = png::Encoder::new(&mut file, sw, sh);
        encoder.set_color(png::ColorType::Rgb);
        let mut writer = encoder.write_header().expect("a header");
        let chunk = png::chunk::ChunkType(*b"eXIf");
        writer
            .write_chunk(chunk, &exif(number as u16))
            .expect("a chunk");
        writer.write_image_data(&samples).expect("pixels");
        writer.finish().expect("a PNG");

        let (pieces, _) = fired(&file, &exact());
        let (width, height, _, found) = read_back(Format::Png, &pieces[0].1.file);
        assert_eq!((width, height), (w, h), "{number}");
        for (index, pixel) in found.chunks_exact(4).enumerate() {
            let (x, y) = (index as u32 % w, index as u32 / w);
            assert_eq!(pixel[..3], upright(x, y), "orientation {number} at {x},{y}");
        }
    }
}

#[test]
fn transparency_is_kept_or_flattened_with_a_word() {
    let (pieces, _) = fired(&common::png(), &wish(&[], &ALL));
    for (format, piece) in pieces {
        let (_, _, channels, samples) = read_back(format, &piece.file);
        assert_eq!(piece.account.flattened, format == Format::Jpeg, "{format}");
        assert_eq!(
            channels,
            if format == Format::Jpeg { 3 } else { 4 },
            "{format}"
        );
        if format == Format::Jpeg {
            assert!(
                samples[..3].iter().all(|v| *v > 240),
                "white behind nothing: {:?}",
                &samples[..3]
            );
        }
    }
}

#[test]
fn graphics_go_lossless_unless_that_breaks_the_weight() {
    let bars = common::each_pixel(|x, y| {
        if (x / 7 + y / 9) % 2 == 0 {
            [200u8, 30, 30]
        } else {
            [20, 20, 90]
        }
    })
    .concat();
    let file = common::png_with(png::ColorType::Rgb, png::BitDepth::Eight, &bars, |_| {});
    let piece = fired(&file, &wish(&[], &[Format::WebP])).0.remove(0).1;
    assert_eq!(
        (piece.account.coding, piece.account.score),
        (Coding::Lossless, 100.0)
    );
    let (_, _, _, samples) = read_back(Format::WebP, &piece.file);
    assert_eq!(samples, bars);
    let weight = piece.account.weight;
    let trail = &piece.account.trail;
    assert!(trail.iter().all(|attempt| attempt.weight >= weight));
    let bound = Wish {
        max_weight: Some(piece.file.len() as u64 - 1),
        ..wish(&[], &[Format::WebP])
    };
    let piece = fired(&file, &bound).0.remove(0).1;
    assert!(
        matches!(piece.account.coding, Coding::Dial(_)),
        "{:?}",
        piece.account
    );
}

#[test]
fn a_fixed_dial_is_used_once() {
    let file = common::jpeg();
    let fixed = Wish {
        coding: CodingWish::Dial(33),
        ..wish(&[40, 20], &[Format::WebP, Format::Jpeg])
    };
    let (pieces, _) = fired(&file, &fixed);
    for (_, Piece { account, .. }) in &pieces {
        let found = (account.coding, account.trail.len(), account.verdict);
        assert_eq!(found, (Coding::Dial(33), 1, None));
    }
    assert_eq!(pieces.len(), 4);
}

#[test]
fn profiles_are_applied_and_said() {
    let profile = moxcms::ColorProfile::new_display_p3()
        .encode()
        .expect("a profile");
    let p3 = jpeg_with(&[icc_segment(&profile)]);
    let (pieces, note) = fired(&p3, &exact());
    assert_eq!(note, Some(ColourNote::Converted));
    let (_, _, _, samples) = read_back(Format::Png, &pieces[0].1.file);
    // Reds grow stronger in the smaller space.
    let last = &samples[(common::WIDTH as usize - 1) * 4..][..3];
    let plain = colour(common::WIDTH - 1, 0);
    assert!(
        last[0] > plain[0] && last[1] < plain[1],
        "{last:?} from {plain:?}"
    );

    let broken = jpeg_with(&[icc_segment(&profile[..200])]);
    assert_eq!(fired(&broken, &exact()).1, Some(ColourNote::ProfileDropped));
}

#[test]
fn the_smallest_and_the_longest_pictures_are_encoded() {
    for (width, height) in [
        (1, 1),
        (1, 7),
        (3, 1),
        (2, 2),
        (15, 17),
        (1, 5000),
        (5000, 1),
    ] {
        let size = Size::new(width, height).expect("a size");
        for channels in [Channels::Rgb, Channels::Rgba] {
            let count = size.pixels() as usize * channels.count();
            let samples = (0..count).map(|i| (i * 37) as u8).collect();
            let raster = Raster::new(size, channels, samples).expect("whole rows");
            for format in ALL
                .into_iter()
                .filter(|f| f.holds_alpha() || channels == Channels::Rgb)
            {
                let coding = Coding::Dial(60);
                let file = common::encoded(&raster, format, coding).expect("a file");
                let (w, h, _, _) = read_back(format, &file);
                assert_eq!((w, h), (width, height), "{format} {channels:?}");
            }
        }
    }
}

#[test]
fn what_a_format_cannot_hold_is_refused_with_its_name() {
    let raster = |width, height, channels: Channels| {
        let size = Size::new(width, height).expect("a size");
        Raster::new(
            size,
            channels,
            vec![9; size.pixels() as usize * channels.count()],
        )
        .expect("whole rows")
    };
    let long = raster(16_384, 1, Channels::Rgb);
    let clear = raster(2, 2, Channels::Rgba);
    let cases = [
        common::encoded(&long, Format::WebP, Coding::Dial(50)),
        common::encoded(&clear, Format::Jpeg, Coding::Dial(50)),
        common::encoded(&clear, Format::Svg, Coding::Lossless),
    ];
    let lines = cases.map(|made| made.expect_err("refused").to_string());
    insta::assert_snapshot!(lines.join("\n"), @r"
    16384×1 is too large for WebP, whose sides end at 16383 pixels
    JPEG cannot hold this: it has no transparency
    SVG cannot hold this: without loss it can only be an original of the same format, at its own size and in its own colours; name another format, or a look below exact
    ");
}

#[test]
fn what_is_written_beside_the_pixels_counts_in_the_weight() {
    let file = common::jpeg();
    let mut wish = wish(&[], &[Format::Jpeg]);
    let plain = fired(&file, &wish).0.remove(0).1;
    wish.credits
        .write
        .set(Field::Copyright, "© Tern Point Trust");
    let inscribed = fired(&file, &wish).0.remove(0).1.file.len();
    assert!(inscribed > plain.file.len() + 300);
    wish.max_weight = Some(inscribed as u64 - 1);
    let piece = fired(&file, &wish).0.remove(0).1;
    assert!(piece.account.fits && piece.file.len() < inscribed);
    assert_ne!(
        piece.account.coding, plain.account.coding,
        "it had to give way"
    );
}

/// Places that want the same size of an original share one raster, and each gets its own file.
#[test]
fn one_decode_serves_several_places() {
    let file = common::jpeg();
    let alone = fired(&file, &wish(&[40], &[Format::Jpeg])).0.remove(0).1;
    let budget = alone.file.len() as u64 - 1;
    let place = |name: &str, widths: &[u32], most: Option<u64>| Place {
        name: name.to_owned(),
        of: vec![Glob::new("**").expect("a glob")],
        wish: Wish {
            max_weight: most,
            name: format!("{name}-{{width}}").parse().expect("a pattern"),
            ..wish(widths, &[Format::Jpeg])
        },
    };
    let site = Site {
        places: vec![
            place("card", &[20, 40], None),
            place("light", &[40], Some(budget)),
        ],
        every: None,
        totals: Vec::new(),
    };
    let original = Original::new("x".into(), "x".into(), 9, common::probe(&file));
    let (plan, _) = Plan::new(&[original], &site);
    let mut made = Vec::new();
    pipeline::fire(
        &file,
        &plan.jobs[0],
        Allowance::default(),
        |planned, piece| {
            made.push((planned.key().to_owned(), piece.expect("a piece").file));
            ControlFlow::Continue(())
        },
    )
    .expect("a sound original");
    made.sort();
    let names: Vec<&str> = made.iter().map(|(name, _)| name.as_str()).collect();
    assert_eq!(names, ["card-20.jpg", "card-40.jpg", "light-40.jpg"]);
    assert_eq!(made[1].1, alone.file);
    assert!(
        made[2].1.len() as u64 <= budget,
        "each keeps its own budget"
    );
}

/// A picture in Display P3, in every format: kept with its name, or brought to sRGB.
#[test]
fn wide_colours_are_kept_where_asked() {
    let size = common::size();
    let raster = Raster::new(size, Channels::Rgb, rgb()).expect("whole rows");
    let raster = raster.in_gamut(Gamut::DisplayP3);
    let file = common::encoded(&raster, Format::Png, Coding::Lossless);
    let file = file.expect("a PNG");
    let mut wish = wish(&[], &ALL);
    wish.rendering.colour = ColourWish::Keep;
    let (kept, note) = fired(&file, &wish);
    assert_eq!(note, Some(ColourNote::Kept));
    let holds = |file: &[u8], mark: &[u8]| file.windows(mark.len()).any(|part| part == mark);
    for (format, piece) in &kept {
        let marks: &[&[u8]] = match format {
            Format::Jpeg => &[b"ICC_PROFILE\0", b"acsp"],
            // Primaries of SMPTE EG 432-1, the curve of sRGB (ITU-T H.273).
            Format::Png => &[b"iCCP", b"cICP\x0C\x0D\0\x01"],
            Format::WebP => &[b"VP8X", b"ICCP", b"acsp"],
            Format::Avif => &[b"colrnclx\0\x0C\0\x0D"],
            Format::Svg => &[],
        };
        assert!(
            marks.iter().all(|mark| holds(&piece.file, mark)),
            "{format}"
        );
    }
    let png = |pieces: &[(Format, Piece)]| {
        let png = pieces.iter().find(|(format, _)| *format == Format::Png);
        read_back(Format::Png, &png.expect("a PNG").1.file).3
    };
    let opaque: Vec<u8> = png(&kept).chunks(4).flat_map(|p| p[..3].to_vec()).collect();
    assert_eq!(opaque, rgb());
    wish.rendering.colour = ColourWish::Srgb;
    let (converted, note) = fired(&file, &wish);
    assert_eq!(note, Some(ColourNote::Converted));
    assert!(
        converted
            .iter()
            .all(|(_, piece)| !holds(&piece.file, b"acsp"))
    );
    assert_ne!(png(&converted), png(&kept));
    // What is sRGB already has nothing to keep.
    wish.rendering.colour = ColourWish::Keep;
    let (_, note) = fired(&common::png(), &wish);
    assert_eq!(note, None);
}

/// A slope of 16 bits that spans eight levels of 8: its bands would be a fifth of it wide.
#[test]
fn deep_slopes_are_dithered_and_shallow_ones_are_not() {
    let slope = |deep: bool| {
        let samples = each_pixel(|x, y| {
            let level = 100.0 + f64::from(x) / 8.0 + f64::from(y) / 90.0;
            if deep {
                ((level * 257.0) as u16).to_be_bytes().to_vec()
            } else {
                vec![level as u8]
            }
        });
        let depth = if deep {
            png::BitDepth::Sixteen
        } else {
            png::BitDepth::Eight
        };
        let file = common::png_with(png::ColorType::Grayscale, depth, &samples.concat(), |_| {});
        let (_, _, _, samples) = read_back(Format::Png, &fired(&file, &exact()).0[0].1.file);
        let row: Vec<u8> = samples
            .iter()
            .step_by(4)
            .take(common::WIDTH as usize)
            .copied()
            .collect();
        row.windows(2).filter(|pair| pair[0] != pair[1]).count()
    };
    assert!(slope(false) <= 7, "one step a level");
    assert!(slope(true) > 14, "{}", slope(true));
}
