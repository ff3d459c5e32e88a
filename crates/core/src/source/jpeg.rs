//! The JPEG marker segments up to the first scan (ITU-T T.81, annex B).

use std::io::{Read, Seek};

use kiln_jpeg::{Decoder, Limits};

use super::{Delivery, Headers, JpegCoding, Kind, Model, Stop, exif, metadata, size};
use crate::container::jpeg::{
    self, APP0, APP1, APP2, APP13, COMMENT, QUANTISATION_TABLES, START_OF_SCAN,
};
use crate::container::{Fault, Scan};

const ICC: &[u8] = b"ICC_PROFILE\0";

pub(super) fn read<R: Read + Seek>(scan: &mut Scan<R>) -> Result<Headers, Stop> {
    let mut headers = Headers::new(Kind::Jpeg, None);
    let walked = walk(scan, &mut headers);
    if let Err(Stop::Fault(Fault::Rule(_) | Fault::CutOff)) = walked {
        // Where the decoder finds its way browsers do, too; and where they do not, this is where.
        let at = scan.position();
        let found = as_decoded(scan, &mut headers);
        scan.go_to(at)?;
        return found.map_or(walked, Ok).map(|()| headers);
    }
    walked.map(|()| headers)
}

/// Up to so many bytes of a file are searched for headers that are not where they should be.
const SEARCHED: u64 = 64 << 20;

/// What the decoder finds in a file whose segments are not as they should be.
fn as_decoded<R: Read + Seek>(scan: &mut Scan<R>, headers: &mut Headers) -> Option<()> {
    scan.go_to(0).ok()?;
    let mut bytes = vec![0; scan.end().min(SEARCHED) as usize];
    scan.fill(&mut bytes).ok()?;
    let limits = Limits {
        // What is too large is found later, by the allowance.
        pixels: u64::MAX,
        ..Limits::default()
    };
    let decoder = Decoder::new(bytes, limits).ok()?;
    let found = decoder.header();
    let frame = &found.frame;
    headers.stored = Some(size(frame.width, frame.height).ok()?);
    headers.delivery = match (frame.progressive, decoder.streams()) {
        (true, _) => Delivery::Passes,
        (false, true) => Delivery::Rows,
        (false, false) => Delivery::Whole,
    };
    let factors = frame.components.iter().map(|one| one.sampling);
    let factors: Vec<(u8, u8)> = factors.map(|(h, v)| (h as u8, v as u8)).collect();
    describe(headers, &factors, frame.progressive);
    if let Some(profile) = &found.icc {
        headers.add_icc(profile.len() as u64, Some(profile.clone()));
    }
    Some(())
}

/// Reads the segments, one after the other.
fn walk<R: Read + Seek>(scan: &mut Scan<R>, headers: &mut Headers) -> Result<(), Stop> {
    scan.skip(2)?;
    let mut profile = Vec::new();
    let (mut quality, mut components) = (None, 0);
    while let Some(segment) = jpeg::next(scan)? {
        let length = segment.length;
        match segment.marker {
            START_OF_SCAN => {
                // All components in one sequential scan: they come side by side.
                let all = headers.jpeg.as_ref().map(|_| components);
                let together = all == Some(scan.byte()?);
                if together && headers.delivery == Delivery::Whole {
                    headers.delivery = Delivery::Rows;
                }
                break;
            }
            APP0 => density(&held(scan, length)?, headers),
            APP1 => {
                let body = held(scan, length)?;
                match body.strip_prefix(jpeg::XMP) {
                    Some(packet) => metadata::xmp(packet, headers),
                    None if body.starts_with(jpeg::EXIF) => exif::read(&body, headers),
                    None => headers.ballast.comments += length,
                }
            }
            APP2 => {
                let body = held(scan, length)?;
                // Behind the name stand the part's number and the number of parts.
                if let Some(part) = body.strip_prefix(ICC).and_then(|part| part.get(2..)) {
                    profile.extend_from_slice(part);
                }
            }
            APP13 => metadata::resource_blocks(&held(scan, length)?, headers),
            COMMENT => headers.ballast.comments += length,
            QUANTISATION_TABLES if quality.is_none() => quality = dial(&held(scan, length)?),
            0xC0..=0xCF if !matches!(segment.marker, 0xC4 | 0xC8 | 0xCC) => {
                components = frame_header(scan, segment.marker, headers)?;
            }
            _ => {}
        }
        scan.go_to(segment.end())?;
    }
    let coding = headers.jpeg.as_mut();
    coding
        .ok_or(Stop::rule("there is no frame header"))?
        .quality = quality;
    if !profile.is_empty() {
        headers.add_icc(profile.len() as u64, Some(profile));
    }
    Ok(())
}

/// What a segment holds; nothing once the allowance is used up.
fn held<R: Read + Seek>(scan: &mut Scan<R>, length: u64) -> Result<Vec<u8>, Stop> {
    Ok(scan.block(length)?.unwrap_or_default())
}

/// The density of a JFIF segment, unless EXIF has given one.
fn density(body: &[u8], headers: &mut Headers) {
    if let [b'J', b'F', b'I', b'F', 0, _, _, unit @ 1..=2, high, low, ..] = *body {
        let dots = f64::from(u16::from_be_bytes([high, low]));
        let dots = if unit == 2 { dots * 2.54 } else { dots };
        headers.dots_per_inch.get_or_insert(dots);
    }
}

/// Reads the frame header; tells how many components there are.
fn frame_header<R: Read + Seek>(
    scan: &mut Scan<R>,
    marker: u8,
    headers: &mut Headers,
) -> Result<u8, Stop> {
    if matches!(marker, 0xC3 | 0xC5..=0xC7 | 0xC9..=0xCF) {
        return Err(Stop::rule(
            "it is coded losslessly, hierarchically or arithmetically, which no browser shows",
        ));
    }
    if scan.byte()? != 8 {
        return Err(Stop::rule("it has more than 8 bits per sample"));
    }
    let (height, width) = (scan.u16_big()?, scan.u16_big()?);
    headers.stored = Some(size(width.into(), height.into())?);
    let progressive = marker == 0xC2;
    if progressive {
        headers.delivery = Delivery::Passes;
    }
    let components = scan.byte()?;
    let mut factors = Vec::new();
    for _ in 0..components {
        let [_, factor, _] = scan.bytes()?;
        factors.push((factor >> 4, factor & 15));
    }
    describe(headers, &factors, progressive);
    Ok(components)
}

/// What the sampling factors of components tell.
fn describe(headers: &mut Headers, factors: &[(u8, u8)], progressive: bool) {
    headers.model = match factors.len() {
        1 => Model::Grey,
        4 => Model::Inks,
        _ => Model::Colour,
    };
    headers.jpeg = Some(JpegCoding {
        progressive,
        subsampling: subsampling(factors),
        quality: None,
    });
}

/// The subsampling of the second component against the first, as people write it.
fn subsampling(factors: &[(u8, u8)]) -> String {
    let [(h0, v0), (h1, v1), ..] = *factors else {
        return String::new();
    };
    if h1 == 0 || v1 == 0 {
        return String::new();
    }
    match (h0 / h1, v0 / v1) {
        (1, 1) => "4:4:4".to_owned(),
        (2, 1) => "4:2:2".to_owned(),
        (2, 2) => "4:2:0".to_owned(),
        (1, 2) => "4:4:0".to_owned(),
        (4, 1) => "4:1:1".to_owned(),
        (4, 2) => "4:1:0".to_owned(),
        (h, v) => format!("{h}×{v}"),
    }
}

/// Sum of the luma table of ITU-T T.81, annex K.1, which the Independent JPEG Group scales.
const STANDARD_SUM: f64 = 3688.0;

/// The dial that a luma table comes from: its sum against the standard's gives the scale.
fn dial(tables: &[u8]) -> Option<u8> {
    let (&about, entries) = tables.split_first()?;
    if about & 15 != 0 {
        return None;
    }
    let sum: u32 = match about >> 4 {
        0 => entries.get(..64)?.iter().map(|&v| u32::from(v)).sum(),
        _ => {
            let pairs = entries.get(..128)?.chunks_exact(2);
            pairs
                .map(|pair| u32::from(u16::from_be_bytes([pair[0], pair[1]])))
                .sum()
        }
    };
    let scale = f64::from(sum) / STANDARD_SUM * 100.0;
    let dial = match scale {
        // A table of ones.
        _ if sum <= 64 => 100.0,
        s if s <= 100.0 => (200.0 - s) / 2.0,
        s => 5000.0 / s,
    };
    Some(dial.round().clamp(1.0, 100.0) as u8)
}
