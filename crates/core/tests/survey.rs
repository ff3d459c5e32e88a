//! The look at the pixels, the estimate, and the wording of every finding.

use std::io::Cursor;

use kiln_core::colour::ProfileFacts;
use kiln_core::decode::Allowance;
use kiln_core::encode::Format;
use kiln_core::pipeline;
use kiln_core::plan::{CodingWish, Extent, Job, LookWish, Original, Wish};
use kiln_core::source::{self, Headers};
use kiln_core::survey::{self, Asked, Glance, Limits, Motif, Subject, findings};
use png::{BitDepth, ColorType as PngColour};

use crate::common::jpeg::{Colours, Jpeg, exif_segment};
use crate::common::{self, Dice, WIDTH, each_pixel, probe};

fn look(file: &[u8], width: u32, format: Format) -> Glance {
    look_for(file, (width, width), format)
}

/// A look for a width in pixels, and in CSS pixels.
fn look_for(file: &[u8], (width, displayed): (u32, u32), format: Format) -> Glance {
    let wanted = Asked {
        width,
        displayed,
        format,
        coding: CodingWish::default(),
        thumbnail: 40,
    };
    survey::glance(file, &probe(file), Allowance::default(), wanted).expect("a sound picture")
}

/// Hills with grain, more of it towards the bottom.
fn landscape(width: u16, height: u16) -> Vec<u8> {
    let mut dice = Dice(3);
    let mut samples = Vec::new();
    for y in 0..u32::from(height) {
        for x in 0..u32::from(width) {
            let hill = ((f64::from(x) / 90.0).sin() * 30.0 + f64::from(y) / 8.0) as usize;
            let grain = dice.roll(4 + y as usize / 20);
            samples.extend(
                [60 + hill + grain, 70 + hill / 2 + grain, 110 + grain].map(|v| v.min(255) as u8),
            );
        }
    }
    Jpeg::default().file((width.into(), height.into()), &samples)
}

fn fired(file: &[u8], (width, displayed): (u32, u32), format: Format) -> u64 {
    let bytes = file.len() as u64;
    let original = Original::new(String::new(), String::new(), bytes, probe(file));
    let wish = Wish {
        extent: Extent::Widths(vec![displayed]),
        densities: vec![f64::from(width) / f64::from(displayed)],
        formats: vec![format.into()],
        ..Wish::default()
    };
    let job = Job::new(original, &wish);
    let mut weight = 0;
    pipeline::fire(file, &job, Allowance::default(), |_, piece| {
        weight = piece.expect("a piece").file.len() as u64;
        std::ops::ControlFlow::Continue(())
    })
    .expect("a sound picture");
    weight
}

#[test]
fn estimates_come_near_a_real_firing() {
    let file = landscape(1400, 1100);
    for format in [Format::Jpeg, Format::WebP] {
        for (width, displayed) in [
            (1400, 1400),
            (1000, 1000),
            (500, 500),
            (1400, 700),
            (1000, 500),
        ] {
            let estimate = look_for(&file, (width, displayed), format).estimate;
            let real = fired(&file, (width, displayed), format);
            let error = estimate.weight as f64 / real as f64 - 1.0;
            assert!(
                error.abs() < 0.25,
                "{format} at {width} for {displayed}: {} for {real}",
                estimate.weight
            );
            assert_eq!(estimate.size.width(), width);
        }
    }
}

/// What an estimate is for decides it: the better the look, the heavier; what is shown on a dense
/// screen may be lighter at the same pixels.
#[test]
fn estimates_follow_the_look_and_the_screen() {
    let file = landscape(1400, 1100);
    let weigh = |coding: CodingWish, displayed: u32| {
        let wanted = Asked {
            width: 1000,
            displayed,
            format: Format::WebP,
            coding,
            thumbnail: 0,
        };
        let glance = survey::glance(&file, &probe(&file), Allowance::default(), wanted);
        glance.expect("a sound picture").estimate.weight
    };
    let looks = [60.0, 75.0, 85.0].map(|look| CodingWish::Look(LookWish::of(look)));
    let [plain, fine, crisp] = looks.map(|look| weigh(look, 1000));
    assert!(plain < fine && fine < crisp, "{plain} {fine} {crisp}");
    assert!(crisp < weigh(CodingWish::Exact, 1000));
    assert!(weigh(looks[1], 500) < fine * 9 / 10);
    // A dial is taken as it is.
    assert_eq!(
        weigh(CodingWish::Dial(50), 500),
        weigh(CodingWish::Dial(50), 1000)
    );
}

#[test]
fn a_graphic_is_estimated_to_the_byte() {
    let bars = each_pixel(|x, y| {
        if (x / 7 + y / 9) % 2 == 0 {
            [200u8, 30, 30]
        } else {
            [20, 20, 90]
        }
    });
    let file = common::png_with(PngColour::Rgb, BitDepth::Eight, &bars.concat(), |_| {});
    let found = look(&file, 30, Format::WebP);
    assert_eq!(found.estimate.weight, fired(&file, (30, 30), Format::WebP));
    assert!(found.few_colours && matches!(found.motif, Motif::Flat | Motif::Text));
    let halves = each_pixel(|x, _| {
        if x < 26 {
            [200u8, 30, 30]
        } else {
            [20, 20, 90]
        }
    });
    let mark = common::png_with(PngColour::Rgb, BitDepth::Eight, &halves.concat(), |_| {});
    let traced = look(&mark, 30, Format::WebP).traced.expect("a mark");
    assert!((120..400).contains(&traced), "{traced}");
}

#[test]
fn what_is_used_is_told_from_what_is_only_there() {
    let deep =
        |samples: Vec<u8>| common::png_with(PngColour::Rgba, BitDepth::Sixteen, &samples, |_| {});
    let doubled: Vec<u8> = common::rgba().iter().flat_map(|v| [*v, *v]).collect();
    let found = look(&deep(doubled.clone()), 50, Format::WebP);
    assert!(found.alpha_used && !found.depth_used);
    let mut finer = doubled;
    finer[3] ^= 1;
    assert!(look(&deep(finer), 50, Format::WebP).depth_used);
    let opaque = each_pixel(|x, y| [x as u8, y as u8, 7, 255]).concat();
    let file = common::png_with(PngColour::Rgba, BitDepth::Eight, &opaque, |_| {});
    assert!(!look(&file, 50, Format::WebP).alpha_used);
}

#[test]
fn thumbnails_stand_upright() {
    let file = common::jpeg_with(&[exif_segment(&common::exif(6))]);
    let thumbnail = look(&file, 50, Format::WebP)
        .thumbnail
        .expect("a thumbnail");
    assert_eq!(
        (thumbnail.size().width(), thumbnail.size().height()),
        (38, 53)
    );
}

#[test]
fn twins_are_known_whatever_their_format() {
    let digest =
        |file: &[u8]| survey::digest(file, &probe(file), Allowance::default()).expect("sound");
    let png = common::png_with(PngColour::Rgb, BitDepth::Eight, &common::rgb(), |_| {});
    let deep: Vec<u8> = common::rgb().iter().flat_map(|v| [*v, *v]).collect();
    let opaque: Vec<u8> = common::rgb()
        .chunks(3)
        .flat_map(|p| [p[0], p[1], p[2], 255])
        .collect();
    let same = [
        common::webp(true, false),
        common::interlaced_png(false),
        common::png_with(PngColour::Rgb, BitDepth::Sixteen, &deep, |_| {}),
        common::png_with(PngColour::Rgba, BitDepth::Eight, &opaque, |_| {}),
    ];
    for file in same {
        assert_eq!(digest(&file), digest(&png));
    }
    let mut other = common::rgb();
    other[WIDTH as usize * 3 + 1] ^= 1;
    assert_ne!(
        digest(&common::png_with(
            PngColour::Rgb,
            BitDepth::Eight,
            &other,
            |_| {}
        )),
        digest(&png)
    );
}

/// A picture with everything wrong, in a few disguises, so that every sentence is printed.
#[test]
fn findings_and_their_wording() {
    let limits = Limits {
        widest: 40,
        max_weight: None,
    };
    let headers = |file: &[u8]| source::headers(Cursor::new(file)).expect("headers");
    let mut lines = Vec::new();
    let mut tell = |name: &str,
                    weight: u64,
                    headers: &Headers,
                    glance: Option<&Glance>,
                    twin: Option<&str>,
                    limits: &Limits| {
        let wide = ProfileFacts {
            description: "Display P3".to_owned(),
            wide: true,
        };
        let subject = Subject {
            name: "pier.jpg",
            weight,
            headers,
            profile: Some(&wide),
            glance,
            twin,
        };
        for finding in findings(&subject, limits) {
            let worth = finding
                .worth
                .map_or(String::new(), |worth| format!(" ({worth} bytes)"));
            lines.push(format!(
                "{name}: {}: {}{worth}",
                finding.name.as_str(),
                finding.says
            ));
        }
    };
    let mut photo = headers(&common::jpeg());
    photo.ballast.exif = 12_345;
    photo.ballast.position = true;
    let mut looked = look(&common::jpeg(), 40, Format::WebP);
    looked.estimate.weight = 3_000;
    tell(
        "photo",
        700_000,
        &photo,
        Some(&looked),
        Some("a/b.jpg"),
        &limits,
    );

    let mut stored = headers(&common::interlaced_png(true));
    stored.alpha = true;
    looked.motif = Motif::Photo;
    (looked.alpha_used, looked.depth_used) = (false, false);
    let bound = Limits {
        widest: 4000,
        max_weight: Some(50_000),
    };
    tell(
        "photo as PNG",
        240_000,
        &stored,
        Some(&looked),
        None,
        &bound,
    );

    let jpeg = Jpeg {
        colours: Colours::Cmyk,
        progressive: true,
        ..Jpeg::default()
    };
    let inks = headers(&jpeg.file((WIDTH, common::HEIGHT), &common::rgba()));
    (looked.motif, looked.traced) = (Motif::Flat, Some(2_340));
    let wide = Limits {
        widest: 4000,
        max_weight: None,
    };
    tell("chart as JPEG", 110_000, &inks, Some(&looked), None, &wide);
    looked.motif = Motif::Text;
    tell("poster as JPEG", 210_000, &inks, Some(&looked), None, &wide);
    tell(
        "animation",
        9_000,
        &headers(&common::gif()),
        None,
        None,
        &wide,
    );
    insta::assert_snapshot!(lines.join("\n"));
}
