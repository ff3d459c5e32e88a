//! What is said of an original beside what became of it.

use kiln_core::colour::ColourNote;
use kiln_core::decode::{JpegOddity, Oddity};
use kiln_core::draw::Remark;

use crate::wording;

pub(super) fn said_of_oddity(oddity: Oddity) -> String {
    let what = match oddity {
        Oddity::Drawing(remark) => return said_of_drawing(remark),
        Oddity::Jpeg(JpegOddity::Damaged { position }) => {
            return format!(
                "its data is damaged, found at byte {position}: parts of it may look wrong; look at \
                 it, or copy it again"
            );
        }
        Oddity::Jpeg(JpegOddity::Junk) => "bytes that belong to nothing stand between its parts",
        Oddity::Jpeg(JpegOddity::NoEnd) => "its end marker is missing",
        Oddity::Jpeg(JpegOddity::Restart) => "its restart markers are numbered wrongly",
        Oddity::Jpeg(JpegOddity::NoTable) => "a table is missing, and the usual one was taken",
    };
    format!("{what}; read as browsers do")
}

fn said_of_drawing(remark: Remark) -> String {
    match remark {
        Remark::Letters { asked, drawn } => {
            let drawn = match drawn {
                Some(drawn) => format!("letters are drawn in {drawn}"),
                None => "letters are missing".to_owned(),
            };
            format!(
                "its font {asked} is not installed, {drawn}; install it, or turn letters into outlines"
            )
        }
        Remark::Scripts(count) => {
            let scripts = wording::count(
                count,
                "script or event handler is",
                "scripts and event handlers are",
            );
            format!("{scripts} left out: in a picture they do nothing")
        }
        Remark::Links(count, first) => {
            let links = wording::count(
                count,
                "link that leads out of it is",
                "links that lead out of it are",
            );
            format!("{links} left out ({first})")
        }
        Remark::Foreign => "it holds content that is no drawing, which is left out".to_owned(),
    }
}

pub(super) fn said_of_colours(colours: ColourNote) -> &'static str {
    match colours {
        ColourNote::Converted => "its colours were converted from its profile to sRGB",
        ColourNote::Kept => "its colours go beyond sRGB and were kept, as Display P3",
        ColourNote::ProfileDropped => {
            "its colour profile is damaged or does not fit it; sRGB was assumed"
        }
    }
}
