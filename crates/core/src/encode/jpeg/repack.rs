//! A JPEG original written again without loss: its coefficients as they are, coded in fewer bytes.

use std::borrow::Cow;

use kiln_jpeg::{Coefficients, Colours, Decoder, Header, Layout, Limits, Options, Turning};

use super::jfif;
use crate::container::{Scan, jpeg};
use crate::encode::{Own, Passes, Repack, Repacked};
use crate::pixels::{Area, Orientation};

/// The most that a segment of a profile holds, beside what it begins with.
const PROFILE_PART: usize = 65_519;

pub(super) fn repack(own: &Own<'_>, passes: Passes) -> Option<Repacked> {
    let limits = Limits {
        pixels: own.stored.pixels(),
        ..Limits::default()
    };
    let decoder = Decoder::new(own.bytes, limits).ok()?;
    let header = decoder.header().clone();
    let segments = segments(&header, own.profile)?;
    let (all, _) = decoder.coefficients().ok()?;
    let is_whole = own.area == Area::whole(own.stored);
    let is_upright = own.orientation == Orientation::Upright;
    let mut shown = Cow::Borrowed(&all);
    if !is_whole {
        let Area { x, y, size } = own.area;
        shown = Cow::Owned(shown.part((x, y), (size.width(), size.height()))?);
    }
    if !is_upright {
        shown = Cow::Owned(shown.turned(turning(own.orientation))?);
    }
    let file = shown.write(Options {
        layout: match passes {
            Passes::Lightest => Layout::Smallest,
            Passes::Several => Layout::Searched,
            Passes::One => Layout::Sequential,
        },
        restart: 0,
        segments: &segments,
    });
    let suits = match passes {
        Passes::Lightest => true,
        Passes::Several => header.frame.progressive,
        Passes::One => !header.frame.progressive,
    };
    // Its own coding may be the lighter one, where its encoder did all that can be done.
    if is_whole
        && is_upright
        && suits
        && let Some(kept) = stripped(own.bytes, &segments)
        && kept.len() < file.len()
        && shows(&kept, &all, limits)
    {
        return Some(Repacked {
            file: kept,
            how: Repack::AsItCame,
        });
    }
    Some(Repacked {
        file,
        how: Repack::Anew,
    })
}

/// How coefficients are turned for an orientation.
fn turning(orientation: Orientation) -> Turning {
    use Orientation::*;
    let (mirrored, flipped, transposed) = match orientation {
        Upright => (false, false, false),
        Mirrored => (true, false, false),
        UpsideDown => (true, true, false),
        Flipped => (false, true, false),
        Transposed => (false, false, true),
        QuarterClockwise => (false, true, true),
        Transversed => (true, true, true),
        QuarterAnticlockwise => (true, false, true),
    };
    Turning {
        mirrored,
        flipped,
        transposed,
    }
}

/// What tells the colours of its samples; `None` for inks, which no page shows as they are.
fn segments(header: &Header, profile: bool) -> Option<Vec<u8>> {
    let mut segments = match header.colours {
        Colours::Grey | Colours::YCbCr if header.jfif => jfif()?,
        // So does no segment, and it is not made heavier.
        Colours::Grey | Colours::YCbCr => Vec::new(),
        // The segment of Adobe (technical note 5116): no transform.
        Colours::Rgb => jpeg::segment(jpeg::APP14, &[b"Adobe", &[0, 100, 0, 0, 0, 0, 0]])?,
        Colours::Cmyk | Colours::Ycck => return None,
    };
    if let Some(profile) = header.icc.as_ref().filter(|_| profile) {
        let parts = profile.chunks(PROFILE_PART);
        let count = u8::try_from(parts.len()).ok()?;
        for (number, part) in (1u8..).zip(parts) {
            segments.extend(jpeg::segment(
                jpeg::APP2,
                &[b"ICC_PROFILE\0", &[number, count], part],
            )?);
        }
    }
    Some(segments)
}

/// A file without its application segments and comments, but for those given; `None` where its
/// segments are not as the standard has them.
fn stripped(bytes: &[u8], segments: &[u8]) -> Option<Vec<u8>> {
    let mut kept = [&bytes[..2], segments].concat();
    let mut scan = Scan::of(bytes);
    scan.skip(2).ok()?;
    while let Some(segment) = jpeg::next(&mut scan).ok()? {
        let end = usize::try_from(segment.end()).ok()?;
        let mut next = end;
        if segment.marker == jpeg::START_OF_SCAN {
            let data = bytes.get(end..)?;
            let ends = |&at: &usize| !matches!(data.get(at + 1), Some(0 | 0xD0..=0xD7 | 0xFF));
            next += memchr::memchr_iter(0xFF, data).find(ends)?;
        }
        if !matches!(segment.marker, jpeg::APP0..=jpeg::APP15 | jpeg::COMMENT) {
            kept.extend_from_slice(bytes.get(segment.start as usize..next)?);
        }
        scan.go_to(next as u64).ok()?;
    }
    kept.extend([0xFF, jpeg::END_OF_IMAGE]);
    Some(kept)
}

fn shows(file: &[u8], all: &Coefficients, limits: Limits) -> bool {
    let decoder = Decoder::new(file, limits).ok();
    let read = decoder.and_then(|decoder| decoder.coefficients().ok());
    read.is_some_and(|(read, odd)| odd.is_empty() && read.shows_the_same(all))
}
