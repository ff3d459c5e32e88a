//! The adapter to the JPEG decoder.

use zune_core::bytestream::ZCursor;
use zune_core::colorspace::ColorSpace;
use zune_core::options::DecoderOptions;
use zune_jpeg::JpegDecoder;
use zune_jpeg::errors::DecodeErrors;

use super::whole::{Samples, Whole};
use super::{DecodeError, Form, Ink};
use crate::container::{Scan, jpeg};
use crate::pixels::Size;
use crate::source::Kind;

/// See [`super::revision`].
pub(super) const REVISION: u32 = 1;

pub(super) fn open(bytes: &[u8], size: Size) -> Result<Whole, DecodeError> {
    // Strict: the decoder else paints what is missing grey and says nothing.
    let options = DecoderOptions::default()
        .set_strict_mode(true)
        .set_max_width(size.width() as usize)
        .set_max_height(size.height() as usize);
    let mut decoder = JpegDecoder::new_with_options(ZCursor::new(bytes), options);
    let damaged = |error| damaged(error, bytes);
    decoder.decode_headers().map_err(damaged)?;
    let stored = decoder.input_colorspace().unwrap_or(ColorSpace::YCbCr);
    let (wanted, ink) = match stored {
        ColorSpace::Luma => (ColorSpace::Luma, Ink::Grey),
        // Four inks are asked for as stored: what they mean is decided here, not there.
        ColorSpace::CMYK | ColorSpace::YCCK => (stored, Ink::Cmyk),
        _ => (ColorSpace::RGB, Ink::Rgb),
    };
    decoder.set_options(options.jpeg_set_out_colorspace(wanted));
    let mut samples = decoder.decode().map_err(damaged)?;
    let (width, height) = decoder
        .info()
        .map_or((0, 0), |info| (info.width.into(), info.height.into()));
    let size = Size::new(width, height).ok_or(DecodeError::CutOff(Kind::Jpeg))?;
    match stored {
        ColorSpace::YCCK => inks_from_ycck(&mut samples),
        ColorSpace::CMYK if has_adobe_marker(bytes) => samples.iter_mut().for_each(|s| *s = !*s),
        _ => {}
    }
    let form = Form {
        size,
        ink,
        icc: decoder.icc_profile(),
    };
    Ok(Whole::new(Kind::Jpeg, form, Samples::Eight(samples)))
}

fn damaged(error: DecodeErrors, bytes: &[u8]) -> DecodeError {
    // A decoder that runs out of bits blames the code in hand; a file without its end marker
    // tells the true reason.
    let end = bytes
        .iter()
        .rposition(|&byte| byte != 0)
        .map_or(0, |last| last + 1);
    if !bytes[..end].ends_with(&[0xFF, 0xD9]) {
        return DecodeError::CutOff(Kind::Jpeg);
    }
    let said = match error {
        DecodeErrors::ExhaustedData | DecodeErrors::IoErrors(_) => {
            return DecodeError::CutOff(Kind::Jpeg);
        }
        DecodeErrors::FormatStatic(text) if text.contains("Premature") => {
            return DecodeError::CutOff(Kind::Jpeg);
        }
        DecodeErrors::FormatStatic(text) => text.to_owned(),
        DecodeErrors::Format(text)
        | DecodeErrors::HuffmanDecode(text)
        | DecodeErrors::DqtError(text)
        | DecodeErrors::SosError(text)
        | DecodeErrors::SofError(text)
        | DecodeErrors::MCUError(text) => text,
        other => format!("{other:?}"),
    };
    DecodeError::damaged(Kind::Jpeg, said)
}

/// A progressive file without the scans that only refine AC coefficients (successive
/// approximation, ITU-T T.81, G.1.2.3), or `None` where it has none or is not whole: what is
/// damaged shall be found by the decoder.
pub(super) fn without_refinements(bytes: &[u8]) -> Option<Vec<u8>> {
    let mut scan = Scan::of(bytes);
    let (mut kept, mut copied) = (Vec::new(), 0);
    while let Some(segment) = jpeg::next(&mut scan).ok()? {
        let mut end = segment.end();
        let is_scan = segment.marker == jpeg::START_OF_SCAN;
        let header = bytes.get(segment.body as usize..end as usize)?;
        if is_scan {
            end = jpeg::coded_end(bytes, end)?;
        }
        // The last three bytes: first and last coefficient, then the two bit positions.
        let refines = matches!(header, [.., first, _, bits] if *first > 0 && bits >> 4 > 0);
        if is_scan && refines {
            kept.extend_from_slice(&bytes[copied..segment.start as usize]);
            copied = end as usize;
        }
        scan.go_to(end).ok()?;
    }
    let end = scan.position() as usize;
    kept.extend_from_slice(&bytes[copied..end]);
    (kept.len() < end).then_some(kept)
}

/// YCCK as Adobe stores it: the YCbCr of cyan, magenta and yellow as if they were red, green
/// and blue, full ink 255, beside an inverted black (Adobe Technical Note 5116). The conversion
/// is JFIF's (ITU-T T.871) in 16-bit fixed point.
fn inks_from_ycck(samples: &mut [u8]) {
    for pixel in samples.chunks_exact_mut(4) {
        let [y, cb, cr, k] = [pixel[0], pixel[1], pixel[2], pixel[3]].map(i32::from);
        let (cb, cr) = (cb - 128, cr - 128);
        let scaled = |delta: i32| (y + ((delta + (1 << 15)) >> 16)).clamp(0, 255) as u8;
        pixel[0] = scaled(91_881 * cr);
        pixel[1] = scaled(-22_554 * cb - 46_802 * cr);
        pixel[2] = scaled(116_130 * cb);
        pixel[3] = 255 - k as u8;
    }
}

/// Whether an Adobe APP14 segment stands before the first scan: then full ink is stored as 0.
fn has_adobe_marker(bytes: &[u8]) -> bool {
    let mut scan = Scan::of(bytes);
    while let Ok(Some(segment)) = jpeg::next(&mut scan) {
        let body = bytes.get(segment.body as usize..).unwrap_or_default();
        match segment.marker {
            jpeg::START_OF_SCAN => return false,
            jpeg::APP14 if body.starts_with(b"Adobe") => return true,
            _ if scan.go_to(segment.end()).is_err() => return false,
            _ => {}
        }
    }
    false
}
