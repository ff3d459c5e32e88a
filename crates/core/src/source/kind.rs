//! Picture formats by their magic bytes.

use serde::{Deserialize, Serialize};

/// A picture format.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Kind {
    /// ITU-T T.81.
    Jpeg,
    /// W3C PNG.
    Png,
    /// RFC 9649.
    WebP,
    /// GIF 87a and 89a.
    Gif,
    /// AV1 still pictures.
    Avif,
    /// HEVC still pictures, as phones store them.
    Heic,
    /// ISO/IEC 18181.
    JpegXl,
    /// TIFF 6.0.
    Tiff,
    /// What a camera's sensor saw, in its maker's own form.
    CameraRaw,
    /// Windows bitmap.
    Bmp,
    /// Windows icon.
    Ico,
    /// Portable any-map: PBM, PGM, PPM, PAM.
    Pnm,
    /// The "quite OK" format.
    Qoi,
    /// Scalable vector drawing.
    Svg,
    /// Layered document of an image editor.
    Psd,
    /// Moving pictures, in whatever container.
    Film,
    /// A page of a document: PDF, PostScript.
    Document,
}

impl Kind {
    /// How many bytes of a file [`Kind::of`] wants to see.
    pub const HEAD: usize = 512;

    /// The format that the first bytes of a file belong to.
    pub fn of(head: &[u8]) -> Option<Kind> {
        let starts = |magic: &[u8]| head.starts_with(magic);
        if starts(&[0xFF, 0xD8, 0xFF]) {
            Some(Kind::Jpeg)
        } else if starts(b"\x89PNG\r\n\x1A\n") {
            Some(Kind::Png)
        } else if starts(b"RIFF") && head.get(8..12) == Some(b"WEBP") {
            Some(Kind::WebP)
        } else if starts(b"GIF87a") || starts(b"GIF89a") {
            Some(Kind::Gif)
        } else if head.get(4..8) == Some(b"ftyp") {
            base_media(head)
        } else if starts(&[0xFF, 0x0A]) || starts(b"\0\0\0\x0CJXL \r\n\x87\n") {
            Some(Kind::JpegXl)
        } else if starts(b"FUJIFILMCCD-RAW")
            || starts(b"IIU\0")
            || starts(b"IIRO")
            || starts(b"IIRS")
            || (starts(b"II*\0") && head.get(8..10) == Some(b"CR"))
        {
            Some(Kind::CameraRaw)
        } else if starts(b"II*\0") || starts(b"MM\0*") || starts(b"II+\0") || starts(b"MM\0+") {
            Some(Kind::Tiff)
        } else if starts(b"BM") && head.get(6..10) == Some(&[0; 4]) {
            Some(Kind::Bmp)
        } else if starts(&[0, 0, 1, 0]) && head.get(4..6).is_some_and(|count| count != [0, 0]) {
            Some(Kind::Ico)
        } else if is_any_map(head) {
            Some(Kind::Pnm)
        } else if starts(b"qoif") {
            Some(Kind::Qoi)
        } else if starts(b"8BPS") {
            Some(Kind::Psd)
        } else if starts(b"\x1A\x45\xDF\xA3")
            || (starts(b"RIFF") && head.get(8..12) == Some(b"AVI "))
            || head.get(4..8) == Some(b"moov")
        {
            Some(Kind::Film)
        } else if starts(b"%PDF-") || starts(b"%!PS") {
            Some(Kind::Document)
        } else {
            is_svg(head).then_some(Kind::Svg)
        }
    }

    /// Whether pieces can be made from it.
    pub fn is_read(self) -> bool {
        use Kind::*;
        matches!(
            self,
            Jpeg | Png | WebP | Gif | Avif | Tiff | Bmp | Ico | Pnm | Qoi | Svg
        )
    }

    /// The usual file name extensions, lower case, the commonest first.
    pub fn extensions(self) -> &'static [&'static str] {
        match self {
            Kind::Jpeg => &["jpg", "jpeg", "jpe", "jfif"],
            Kind::Png => &["png", "apng"],
            Kind::WebP => &["webp"],
            Kind::Gif => &["gif"],
            Kind::Avif => &["avif"],
            Kind::Heic => &["heic", "heif", "hif"],
            Kind::JpegXl => &["jxl"],
            Kind::Tiff => &["tif", "tiff"],
            Kind::CameraRaw => &[
                "dng", "nef", "cr2", "arw", "pef", "orf", "raf", "rw2", "srw",
            ],
            Kind::Bmp => &["bmp", "dib"],
            Kind::Ico => &["ico"],
            Kind::Pnm => &["pnm", "pbm", "pgm", "ppm", "pam"],
            Kind::Qoi => &["qoi"],
            Kind::Svg => &["svg"],
            Kind::Psd => &["psd", "psb"],
            Kind::Film => &["mp4", "mov", "m4v", "webm", "mkv", "avi"],
            Kind::Document => &["pdf", "eps", "ps", "ai"],
        }
    }

    /// Whether a file name extension is one that people give to pictures.
    pub fn is_picture_extension(extension: &str) -> bool {
        use Kind::*;
        [
            Jpeg, Png, WebP, Gif, Avif, Heic, JpegXl, Tiff, CameraRaw, Bmp, Ico, Pnm, Qoi, Svg, Psd,
        ]
        .iter()
        .any(|kind| kind.has_extension(extension))
    }

    /// Whether the extension belongs to this format, whatever its case.
    pub fn has_extension(self, extension: &str) -> bool {
        let known = self.extensions();
        known.iter().any(|e| e.eq_ignore_ascii_case(extension))
    }

    /// Whether it has no pieces to be missed: it is published as it is, or is no picture at all.
    pub fn is_left_out(self) -> bool {
        matches!(self, Kind::Film | Kind::Document)
    }

    /// What to do with a file of a format that is not read.
    pub fn advice(self) -> &'static str {
        match self {
            Kind::Svg => "it says nothing of its size: give it a viewBox, or width and height",
            Kind::Film => {
                "publish it as it is, and export a still of it as JPEG or PNG for its poster"
            }
            Kind::Document => "export its pictures as PNG or SVG",
            Kind::CameraRaw => "develop it and export it as JPEG of the highest quality",
            _ => "export it as PNG or as JPEG of the highest quality",
        }
    }
}

impl std::fmt::Display for Kind {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(match self {
            Kind::Jpeg => "JPEG",
            Kind::Png => "PNG",
            Kind::WebP => "WebP",
            Kind::Gif => "GIF",
            Kind::Avif => "AVIF",
            Kind::Heic => "HEIC",
            Kind::JpegXl => "JPEG XL",
            Kind::Tiff => "TIFF",
            Kind::CameraRaw => "camera raw",
            Kind::Bmp => "BMP",
            Kind::Ico => "ICO",
            Kind::Pnm => "PNM",
            Kind::Qoi => "QOI",
            Kind::Svg => "SVG",
            Kind::Psd => "PSD",
            Kind::Film => "film",
            Kind::Document => "PDF or PostScript",
        })
    }
}

/// The brands of an ISO base media file (ISO/IEC 14496-12): the major one, then the compatible. What
/// has none of a still picture is a film.
fn base_media(head: &[u8]) -> Option<Kind> {
    let length = u32::from_be_bytes(head.get(..4)?.try_into().ok()?) as usize;
    let brands = head.get(8..length.min(head.len()))?;
    let still = brands.chunks_exact(4).find_map(|brand| match brand {
        b"avif" | b"avis" => Some(Kind::Avif),
        b"heic" | b"heix" | b"heim" | b"heis" | b"hevc" | b"hevx" => Some(Kind::Heic),
        _ => None,
    });
    let film = |brand: &[u8]| {
        let known: [&[u8]; 7] = [b"isom", b"iso", b"mp4", b"avc1", b"qt  ", b"M4V", b"3g"];
        known.iter().any(|known| brand.starts_with(known))
    };
    still.or_else(|| brands.chunks_exact(4).any(film).then_some(Kind::Film))
}

/// "P" and a digit, and behind white space or a comment a number, or for PAM a line of its header.
fn is_any_map(head: &[u8]) -> bool {
    let [b'P', digit @ b'1'..=b'7', blank, rest @ ..] = head else {
        return false;
    };
    let next = rest.iter().find(|byte| !byte.is_ascii_whitespace());
    blank.is_ascii_whitespace()
        && match digit {
            b'7' => *blank == b'\n' && next.is_some_and(|&b| b.is_ascii_uppercase() || b == b'#'),
            _ => next.is_some_and(|&b| b.is_ascii_digit() || b == b'#'),
        }
}

/// An `<svg` element at the start, behind nothing but a byte order mark, white space, an XML
/// declaration, comments or a document type.
fn is_svg(head: &[u8]) -> bool {
    let text = String::from_utf8_lossy(head);
    let mut rest = text.trim_start_matches('\u{FEFF}').trim_start();
    loop {
        if let Some(name) = rest.strip_prefix("<svg") {
            return name.starts_with(|c: char| c.is_whitespace() || c == '>' || c == '/');
        }
        let end = match rest {
            _ if rest.starts_with("<!--") => "-->",
            _ if rest.starts_with("<?") => "?>",
            _ if rest.starts_with("<!DOCTYPE svg") => return true,
            _ => return false,
        };
        let Some(after) = rest.find(end) else {
            // A long comment hides the element; what it begins with must do.
            return rest.contains("svg");
        };
        rest = rest[after + end.len()..].trim_start();
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn kinds_are_told_by_their_first_bytes() {
        let cases: [(&[u8], Option<Kind>); 22] = [
            (b"\xFF\xD8\xFF\xE1", Some(Kind::Jpeg)),
            (b"\x89PNG\r\n\x1A\n", Some(Kind::Png)),
            (b"RIFF\x10\0\0\0WEBPVP8 ", Some(Kind::WebP)),
            (b"RIFF\x10\0\0\0WAVEfmt ", None),
            (b"GIF89a", Some(Kind::Gif)),
            (b"\0\0\0\x1Cftypavif\0\0\0\0mif1miaf", Some(Kind::Avif)),
            (b"\0\0\0\x18ftypmif1\0\0\0\0mif1heic", Some(Kind::Heic)),
            (b"\0\0\0\x18ftypmp42\0\0\0\0mp41isom", Some(Kind::Film)),
            (b"\0\0\0\x14ftypcrx \0\0\0\0crx ", None),
            (b"%PDF-1.7", Some(Kind::Document)),
            (b"MM\0*\0\0\0\x08", Some(Kind::Tiff)),
            (b"8BPS\0\x01", Some(Kind::Psd)),
            (
                b"\xEF\xBB\xBF<?xml version='1.0'?>\n<!-- x -->\n<svg>",
                Some(Kind::Svg),
            ),
            (b"P6\n# by hand\n3 2\n255\n", Some(Kind::Pnm)),
            (b"P7\nWIDTH 3\n", Some(Kind::Pnm)),
            (b"P3 is the third page", None),
            (b"qoif\0\0\0\x03", Some(Kind::Qoi)),
            (b"<svgx>", None),
            (b"<html><svg>", None),
            (b"BMX", None),
            (b"Opening hours", None),
            (b"", None),
        ];
        for (head, kind) in cases {
            assert_eq!(Kind::of(head), kind, "{}", String::from_utf8_lossy(head));
        }
    }
}
