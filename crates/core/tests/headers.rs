//! What headers say, format by format.

use std::io::Cursor;

use kiln_core::colour;
use kiln_core::credits::{Credits, Field, Inscription};
use kiln_core::encode::{Coding, Format};
use kiln_core::pixels::{Channels, Raster, Size};
use kiln_core::source::{self, Delivery, Headers, Kind, Model, ProbeError};

use crate::common::jpeg::{Colours, Jpeg, exif_segment, icc_segment, segment};
use crate::common::{self, HEIGHT, WIDTH, exif, jpeg_with, png_chunk, rgb, rgba};

fn headers(file: &[u8]) -> Headers {
    source::headers(Cursor::new(file)).expect("readable headers")
}

#[test]
fn a_jpeg_tells_its_coding() {
    for quality in [30u8, 60, 80, 92, 100] {
        let jpeg = Jpeg {
            dial: quality,
            ..Jpeg::default()
        };
        let file = jpeg.file((WIDTH, HEIGHT), &rgb());
        let coding = headers(&file).jpeg.expect("a JPEG");
        let found = coding.quality.expect("tables");
        assert!(
            found.abs_diff(quality) <= 2,
            "{quality} was taken for {found}"
        );
    }
    let cases = [
        ((1, 1), "4:4:4"),
        ((2, 2), "4:2:0"),
        ((2, 1), "4:2:2"),
        ((4, 1), "4:1:1"),
        ((1, 2), "4:4:0"),
    ];
    for (luma, name) in cases {
        let jpeg = Jpeg {
            luma,
            progressive: true,
            ..Jpeg::default()
        };
        let file = jpeg.file((WIDTH, HEIGHT), &rgb());
        let coding = headers(&file).jpeg.expect("a JPEG");
        assert_eq!(
            (coding.subsampling.as_str(), coding.progressive),
            (name, true)
        );
    }
    let inks = Jpeg {
        colours: Colours::Cmyk,
        ..Jpeg::default()
    };
    let file = inks.file((WIDTH, HEIGHT), &rgba());
    assert_eq!(headers(&file).model, Model::Inks);
}

#[test]
fn ballast_is_counted_and_looked_through() {
    let xmp = b"http://ns.adobe.com/xap/1.0/\0<x:xmpmeta><dc:creator/><exif:GPSLatitude>58</exif:GPSLatitude>";
    let profile = moxcms::ColorProfile::new_display_p3()
        .encode()
        .expect("a profile");
    let file = jpeg_with(&[
        segment(0xE0, &[b"JFIF\0\x01\x02\x01\x01\x2C\x01\x2C\0\0"]),
        exif_segment(&exif(1)),
        segment(0xE1, &[xmp]),
        segment(0xEF, &[&[0; 50]]),
        icc_segment(&profile),
    ]);
    let found = headers(&file);
    let ballast = &found.ballast;
    assert!(ballast.position && ballast.person && !ballast.copyright);
    assert_eq!(ballast.exif, 6 + exif(1).len() as u64);
    assert_eq!(ballast.xmp, (xmp.len() - 29) as u64);
    assert_eq!(ballast.icc, profile.len() as u64);
    assert_eq!(found.dots_per_inch, Some(300.0));
    let profile = colour::describe(&found.icc.expect("a profile")).expect("a sound one");
    assert!(
        profile.wide && profile.description.contains("P3"),
        "{profile:?}"
    );
}

#[test]
fn a_png_tells_its_form_and_text() {
    let mut png = common::png();
    png.splice(33..33, png_chunk(b"tEXt", b"Comment\0made by hand"));
    png.splice(
        33..33,
        png_chunk(b"pHYs", &[0, 0, 0x0B, 0x13, 0, 0, 0x0B, 0x13, 1]),
    );
    let found = headers(&png);
    assert_eq!(
        (found.bits, found.model, found.alpha, found.lossless),
        (8, Model::Colour, true, true)
    );
    assert_eq!(found.ballast.comments, 20);
    assert!((found.dots_per_inch.expect("a tag") - 72.0).abs() < 0.1);
    assert!(headers(&common::interlaced_png(true)).interlaced);
}

#[test]
fn an_avif_of_ours_is_measured() {
    let size = Size::new(61, 47).expect("a size");
    for channels in [Channels::Rgb, Channels::Rgba] {
        let count = size.pixels() as usize * channels.count();
        let raster = Raster::new(size, channels, (0..count).map(|i| i as u8).collect());
        let raster = raster.expect("whole rows");
        let file = common::encoded(&raster, Format::Avif, Coding::Dial(50));
        let found = headers(&file.expect("an AVIF"));
        assert_eq!(
            (found.stored, found.alpha),
            (Some(size), channels == Channels::Rgba)
        );
        assert_eq!(found.probe().expect("it is read").kind, Kind::Avif);
    }
}

/// A TIFF directory of numbers, in either byte order.
fn tiff(big: bool, entries: &[(u16, u16, u32)]) -> Vec<u8> {
    let short = |v: u16| {
        if big {
            v.to_be_bytes()
        } else {
            v.to_le_bytes()
        }
    };
    let long = |v: u32| {
        if big {
            v.to_be_bytes()
        } else {
            v.to_le_bytes()
        }
    };
    let mut file = if big { b"MM".to_vec() } else { b"II".to_vec() };
    file.extend(short(42));
    file.extend(long(8));
    file.extend(short(entries.len() as u16));
    for &(tag, kind, value) in entries {
        file.extend([short(tag), short(kind)].concat());
        file.extend(long(1));
        match kind {
            3 => file.extend([short(value as u16), [0, 0]].concat()),
            _ => file.extend(long(value)),
        }
    }
    file.extend(long(0));
    file
}

#[test]
fn tiff_bmp_ico_and_svg_are_measured() {
    for big in [false, true] {
        let file = tiff(
            big,
            &[
                (256, 4, 4000),
                (257, 3, 3000),
                (258, 3, 16),
                (262, 3, 1),
                (274, 3, 6),
            ],
        );
        let found = headers(&file);
        assert_eq!(found.upright(), Size::new(3000, 4000));
        assert_eq!((found.bits, found.model), (16, Model::Grey));
        let raw = tiff(big, &[(256, 4, 160), (257, 4, 120), (50_706, 4, 1)]);
        let raw = source::headers(Cursor::new(&raw));
        assert!(
            matches!(raw, Err(ProbeError::Unread(Kind::CameraRaw))),
            "{raw:?}"
        );
    }
    let mut bmp = b"BM\x36\0\0\0\0\0\0\0\x36\0\0\0\x28\0\0\0".to_vec();
    bmp.extend([640u32.to_le_bytes(), (-480i32).to_le_bytes()].concat());
    bmp.extend([1, 0, 24, 0, 0, 0, 0, 0]);
    assert_eq!(headers(&bmp).stored, Size::new(640, 480));
    let (icon, _) = common::few::icon("24 bits");
    assert_eq!(headers(&icon).stored, Some(common::size()));
    let drawings = [
        ("<svg width='3cm' height=\"40px\"/>", Size::new(113, 40)),
        ("<svg viewBox='0 0 240 120'/>", Size::new(240, 120)),
        (
            "<!-- mark --><svg width='100%' viewBox='0,0,24,12'/>",
            Size::new(24, 12),
        ),
        ("<svg/>", None),
    ];
    for (text, size) in drawings {
        assert_eq!(headers(text.as_bytes()).own_size(), size, "{text}");
    }
}

#[test]
fn formats_that_are_not_read_say_what_to_do() {
    let cases: [(&[u8], &str); 4] = [
        (
            b"\0\0\0\x18ftypheic\0\0\0\0mif1heic",
            "HEIC is not read; export it as PNG or as JPEG of the highest quality",
        ),
        (
            b"\xFF\x0A\xFA\x1F\x01",
            "JPEG XL is not read; export it as PNG or as JPEG of the highest quality",
        ),
        (
            b"8BPS\0\x01",
            "PSD is not read; export it as PNG or as JPEG of the highest quality",
        ),
        (
            b"FUJIFILMCCD-RAW 0201",
            "camera raw is not read; develop it and export it as JPEG of the highest quality",
        ),
    ];
    for (head, says) in cases {
        let error = source::headers(Cursor::new(head)).expect_err("not read");
        assert_eq!(error.to_string(), says);
    }
}

#[test]
fn hostile_headers_end_at_once() {
    // Ten thousand chunks, then the pixels.
    let mut png = common::png();
    let chunks = png_chunk(b"tEXt", b"a\0b").repeat(10_000);
    png.splice(33..33, chunks);
    assert_eq!(headers(&png).ballast.comments, 30_000);
    // An EXIF directory that points at itself.
    let looped = b"MM\0*\0\0\0\x08\0\x01\x87\x69\0\x04\0\0\0\x01\0\0\0\x08\0\0\0\x08".to_vec();
    let file = jpeg_with(&[exif_segment(&looped)]);
    assert_eq!(headers(&file).stored, Some(common::size()));
    // Boxes that hold themselves, or nothing.
    let avif = b"\0\0\0\x1Cftypavif\0\0\0\0mif1avifmiaf".to_vec();
    for tail in [
        &b"\0\0\0\x08free"[..],
        b"\0\0\0\x01meta\0\0\0\0\0\0\0\x04",
        b"\xFF\xFF\xFF\xFFmeta\0\0\0\0",
        b"\0\0\0\x00meta\0\0\0\0",
    ] {
        assert!(source::headers(Cursor::new([&avif[..], tail].concat())).is_err());
    }
}

/// XMP goes before IPTC and that before EXIF, in whatever order they stand in the file.
#[test]
fn of_what_a_picture_says_twice_the_newer_standard_holds() {
    let mut exif = Credits::default();
    for field in [
        Field::Creator,
        Field::Copyright,
        Field::Caption,
        Field::Date,
    ] {
        exif.set(field, "2026-06-20T21:14:05");
    }
    let exif = Inscription {
        credits: exif,
        dots_per_inch: None,
    };
    let exif = exif.blocks().exif.expect("an EXIF block");
    let exif = (0xE1, [b"Exif\0\0", exif.as_slice()].concat());
    let xmp = "http://ns.adobe.com/xap/1.0/\0<?xpacket?><x:xmpmeta xmlns:x='adobe:ns:meta/'>\
        <rdf:RDF xmlns:rdf='http://www.w3.org/1999/02/22-rdf-syntax-ns#'>\
        <rdf:Description xmlns:dc='http://purl.org/dc/elements/1.1/' \
        xmlns:photoshop='http://ns.adobe.com/photoshop/1.0/' photoshop:Credit='as attribute'>\
        <dc:creator><rdf:Seq><rdf:li>One</rdf:li><rdf:li>Two &amp; Co</rdf:li></rdf:Seq></dc:creator>\
        </rdf:Description></rdf:RDF></x:xmpmeta>   <?xpacket end='w'?>";
    let xmp = (0xE1, xmp.as_bytes().to_vec());
    let dataset = |number: u8, text: &str| {
        [&[0x1C, 2, number, 0, text.len() as u8], text.as_bytes()].concat()
    };
    let iim = [
        dataset(80, "iptc"),
        dataset(110, "iptc"),
        dataset(116, "iptc"),
    ]
    .concat();
    let mut block = [
        b"Photoshop 3.0\08BIM\x04\x04\0\0".as_slice(),
        &(iim.len() as u32).to_be_bytes(),
        &iim,
    ]
    .concat();
    block.resize(block.len().next_multiple_of(2), 0);
    let iptc = (0xED, block);
    let orders = [
        [&exif, &iptc, &xmp],
        [&exif, &xmp, &iptc],
        [&iptc, &exif, &xmp],
        [&iptc, &xmp, &exif],
        [&xmp, &iptc, &exif],
    ];
    for order in orders {
        let mut file = vec![0xFF, 0xD8];
        for (marker, body) in order {
            file.extend([0xFF, *marker]);
            file.extend((body.len() as u16 + 2).to_be_bytes());
            file.extend(body);
        }
        file.extend(&common::jpeg()[2..]);
        let said = headers(&file).credits;
        let markers: Vec<u8> = order
            .iter()
            .map(|(marker, body)| marker ^ body[0])
            .collect();
        assert_eq!(
            said.get(Field::Creator),
            Some("One; Two & Co"),
            "{markers:?}"
        );
        assert_eq!(said.get(Field::Credit), Some("as attribute"), "{markers:?}");
        assert_eq!(said.get(Field::Copyright), Some("iptc"), "{markers:?}");
        assert_eq!(
            said.get(Field::Date),
            Some("2026-06-20T21:14:05"),
            "{markers:?}"
        );
    }
}

#[test]
fn a_tiff_tells_its_pages_its_alpha_and_how_it_comes() {
    let entries = |strip: u32, extra: u32| {
        [
            (256, 4, 4000),
            (257, 4, 3000),
            (258, 3, 8),
            (262, 3, 2),
            (278, 4, strip),
            (338, 3, extra),
        ]
    };
    for big in [false, true] {
        let rows = headers(&tiff(big, &entries(16, 2)));
        assert_eq!((rows.delivery, rows.alpha), (Delivery::Rows, true));
        let whole = headers(&tiff(big, &entries(3000, 0)));
        assert_eq!((whole.delivery, whole.alpha), (Delivery::Whole, false));
        // Behind the first page: a smaller copy, which is none, and another page.
        let mut file = tiff(big, &entries(16, 1));
        for subfile in [1, 0] {
            let next = file.len() as u32;
            let end = file.len() - 4;
            let bytes = if big {
                next.to_be_bytes()
            } else {
                next.to_le_bytes()
            };
            file[end..].copy_from_slice(&bytes);
            let page = tiff(big, &[(254, 4, subfile), (256, 4, 40), (257, 4, 30)]);
            file.extend(&page[8..]);
        }
        assert_eq!(headers(&file).frames, 2);
        // A chain that runs back into itself, or out of the file, ends there.
        for next in [8u32, 1 << 30] {
            let mut round = tiff(big, &entries(16, 1));
            let end = round.len() - 4;
            let bytes = if big {
                next.to_be_bytes()
            } else {
                next.to_le_bytes()
            };
            round[end..].copy_from_slice(&bytes);
            assert_eq!(headers(&round).frames, 1);
        }
    }
}
