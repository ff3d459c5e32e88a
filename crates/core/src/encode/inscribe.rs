//! Credits put into a finished file, where its container has a place for them.

use super::{EncodeError, Format};
use crate::container::{Scan, jpeg, png, riff};
use crate::credits::Blocks;

/// The file with its blocks. Its pixels are not touched.
pub fn inscribe(file: Vec<u8>, format: Format, blocks: &Blocks) -> Result<Vec<u8>, EncodeError> {
    if *blocks == Blocks::default() {
        return Ok(file);
    }
    let inscribed = match format {
        Format::Jpeg => jpeg(&file, blocks),
        Format::Png => png(&file, blocks),
        Format::WebP => webp(&file, blocks),
        Format::Avif => super::avif::items::inscribe(&file, blocks),
        Format::Svg => svg(&file, blocks),
    };
    inscribed.ok_or_else(|| EncodeError::failed(format, "its container is not as expected"))
}

/// Application segments behind JFIF's own, where there is one (ITU-T T.81, B.2.4.6; CIPA DC-008,
/// 4.7.2; XMP part 3).
fn jpeg(file: &[u8], blocks: &Blocks) -> Option<Vec<u8>> {
    /// The marker that starts the image.
    const START: usize = 2;
    let mut scan = Scan::of(file);
    let first = jpeg::next(&mut scan).ok()??;
    let body = file.get(first.body as usize..first.end() as usize)?;
    let is_jfif = first.marker == jpeg::APP0 && body.starts_with(b"JFIF\0") && body.len() >= 14;
    let head = if is_jfif { first.end() as usize } else { START };
    let mut inscribed = file.get(..head)?.to_vec();
    if let Some(dots) = blocks.dots_per_inch.filter(|_| is_jfif) {
        let [high, low] = dots.to_be_bytes();
        let at = first.body as usize + 7;
        // The unit, 1 for inches, and both densities.
        inscribed[at..at + 5].copy_from_slice(&[1, high, low, high, low]);
    }
    if let Some(exif) = &blocks.exif {
        inscribed.extend(jpeg::segment(jpeg::APP1, &[jpeg::EXIF, exif])?);
    }
    if let Some(xmp) = &blocks.xmp {
        inscribed.extend(jpeg::segment(jpeg::APP1, &[jpeg::XMP, xmp.as_bytes()])?);
    }
    inscribed.extend(&file[head..]);
    Some(inscribed)
}

/// Metadata at the start of a drawing (SVG 2, section 19; XMP part 3, 2.3.1): the packet without its
/// wrapping, which only matters where nobody knows what a file is.
fn svg(file: &[u8], blocks: &Blocks) -> Option<Vec<u8>> {
    let Some(xmp) = &blocks.xmp else {
        return Some(file.to_vec());
    };
    let start = xmp.find("<x:xmpmeta").or_else(|| xmp.find("<rdf:RDF"))?;
    let end = xmp.rfind("<?xpacket").filter(|&end| end > start);
    let packet = xmp.get(start..end.unwrap_or(xmp.len()))?.trim();
    let text = str::from_utf8(file).ok()?;
    let open = text.find('>')?;
    let described = match text[..open].strip_suffix('/') {
        // It holds nothing, and so ends where it begins.
        Some(bare) => format!("{bare}><metadata>{packet}</metadata></svg>"),
        None => {
            let (head, rest) = text.split_at(open + 1);
            format!("{head}<metadata>{packet}</metadata>{rest}")
        }
    };
    Some(described.into_bytes())
}

/// Chunks behind the header (W3C PNG, third edition, 11.3).
fn png(file: &[u8], blocks: &Blocks) -> Option<Vec<u8>> {
    let mut chunks = Vec::new();
    if let Some(dots) = blocks.dots_per_inch {
        let per_metre = (f64::from(dots) / 0.0254).round() as u32;
        let per_metre = per_metre.to_be_bytes();
        chunks.extend(png::chunk(b"pHYs", &[&per_metre, &per_metre, &[1]])?);
    }
    if let Some(exif) = &blocks.exif {
        chunks.extend(png::chunk(b"eXIf", &[exif])?);
    }
    if let Some(xmp) = &blocks.xmp {
        // No compression, no language, no translated keyword.
        let parts: [&[u8]; 3] = [png::XMP, &[0; 4], xmp.as_bytes()];
        chunks.extend(png::chunk(b"iTXt", &parts)?);
    }
    behind_header(file, &chunks)
}

fn behind_header(file: &[u8], chunks: &[u8]) -> Option<Vec<u8>> {
    let (head, rest) = file.split_at_checked(png::HEAD)?;
    Some([head, chunks, rest].concat())
}

/// Chunks behind the picture, and the extended header that they need (RFC 9649, 2.7).
fn webp(file: &[u8], blocks: &Blocks) -> Option<Vec<u8>> {
    const EXIF: u8 = 0x08;
    const XMP: u8 = 0x04;
    let mut flags = if blocks.exif.is_some() { EXIF } else { 0 };
    flags |= if blocks.xmp.is_some() { XMP } else { 0 };
    let exif = blocks.exif.as_ref().map(|exif| riff::chunk(b"EXIF", exif));
    let xmp = blocks.xmp.as_ref();
    let xmp = xmp.map(|xmp| riff::chunk(b"XMP ", xmp.as_bytes()));
    let behind = [exif.unwrap_or_default(), xmp.unwrap_or_default()].concat();
    extended_webp(file, flags, &[], &behind)
}

/// A WebP file with a colour profile, which stands before the picture.
pub(super) fn webp_with_profile(file: &[u8], profile: &[u8]) -> Option<Vec<u8>> {
    const PROFILE: u8 = 0x20;
    extended_webp(file, PROFILE, &riff::chunk(b"ICCP", profile), &[])
}

/// A WebP file with an extended header, more flags in it, and chunks before and behind its
/// picture.
fn extended_webp(file: &[u8], more: u8, before: &[u8], behind: &[u8]) -> Option<Vec<u8>> {
    const ALPHA: u8 = 0x10;
    let body = file
        .strip_prefix(b"RIFF")?
        .get(4..)?
        .strip_prefix(b"WEBP")?;
    let (flags, size, picture) = match body.get(..4)? {
        b"VP8X" => (body[8], body.get(12..18)?.to_vec(), body.get(18..)?),
        b"VP8L" => {
            let bits = u32::from_le_bytes(body.get(9..13)?.try_into().ok()?);
            let alpha = if bits >> 28 & 1 == 1 { ALPHA } else { 0 };
            (alpha, canvas(bits & 0x3FFF, bits >> 14 & 0x3FFF), body)
        }
        b"VP8 " => {
            let side = |at: usize| {
                let bytes = body.get(at..at + 2)?.try_into().ok()?;
                Some(u32::from(u16::from_le_bytes(bytes) & 0x3FFF))
            };
            (0, canvas(side(14)? - 1, side(16)? - 1), body)
        }
        _ => return None,
    };
    let head = [&[flags | more, 0, 0, 0], size.as_slice()].concat();
    let head = riff::chunk(b"VP8X", &head);
    let body = [b"WEBP", head.as_slice(), before, picture, behind].concat();
    let length = u32::try_from(body.len()).ok()?.to_le_bytes();
    Some([b"RIFF", length.as_slice(), &body].concat())
}

/// Width and height less one, in 24 bits each.
fn canvas(width: u32, height: u32) -> Vec<u8> {
    [&width.to_le_bytes()[..3], &height.to_le_bytes()[..3]].concat()
}
