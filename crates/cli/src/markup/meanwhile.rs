//! What stands in the spot of a picture until it comes.

use std::fs;
use std::io::Cursor;
use std::path::Path;

use kiln_core::decode::Allowance;
use kiln_core::encode::{self, Chroma, Coding, Format, Manner, Pace};
use kiln_core::guard;
use kiln_core::pipeline::Rasters;
use kiln_core::pixels::{Kernel, Raster};
use kiln_core::plan::{Extent, Job, Original, Wish};
use kiln_core::source;
use kiln_site::offer::Offer;

use crate::given::Meanwhile;
use crate::mishap::Mishap;
use crate::pages;

/// The most that the address of a tiny picture takes, in bytes: it is in the page itself.
const TINY: usize = 200;

/// Its longer side, in pixels, and what it is reduced to where it weighs too much.
const SIDES: [u32; 4] = [16, 12, 8, 4];

/// Pixels of a piece that one is made of.
const PIXELS: u64 = 300_000_000;

/// A value of the property `background`; `None` where the picture is transparent, since it would show
/// through, or a drawing.
pub(super) fn of(offer: &Offer, out: &Path, kind: Meanwhile) -> Result<Option<String>, Mishap> {
    let Some(piece) = offer.pieces.iter().find(|piece| !piece.is_scalable()) else {
        return Ok(None);
    };
    let bytes = fs::read(out.join(&piece.name)).map_err(Mishap::unreadable)?;
    let sized = |side: u32| {
        let sized = guard::guarded(|| sized(&bytes, side));
        sized.unwrap_or_else(|_| Err(Mishap::new("its smallest piece cannot be decoded")))
    };
    let mean = sized(1)?;
    if mean.is_transparent() {
        return Ok(None);
    }
    let colour = match mean.samples() {
        [red, green, blue, ..] => format!("#{red:02x}{green:02x}{blue:02x}"),
        _ => return Ok(None),
    };
    if kind == Meanwhile::Colour {
        return Ok(Some(colour));
    }
    for side in SIDES {
        let raster = sized(side)?;
        for dial in [60, 40, 20, 5] {
            let manner = Manner {
                coding: Coding::Dial(dial),
                chroma: Chroma::Halved,
                pace: Pace::Steady,
            };
            let tiny = encode::encode(&raster, Format::WebP, manner);
            let address = tiny.ok().map(|tiny| pages::address("webp", &tiny));
            if let Some(address) = address.filter(|address| address.len() < TINY) {
                // Enlarged by a browser it is soft by itself.
                return Ok(Some(format!("{colour} url({address}) 0/cover")));
            }
        }
    }
    Ok(Some(colour))
}

/// A picture whose longer side is so long.
fn sized(bytes: &[u8], side: u32) -> Result<Raster, Mishap> {
    let probe = source::probe(Cursor::new(bytes))?;
    let original = Original::new(String::new(), String::new(), bytes.len() as u64, probe);
    let mut wish = Wish {
        extent: Extent::LongSide(vec![side]),
        ..Wish::default()
    };
    wish.rendering.kernel = Kernel::Even;
    let job = Job::new(original, &wish);
    let allowance = Allowance { pixels: PIXELS };
    let rasters = Rasters::new(bytes, &job, allowance)?;
    let (placement, size, _) = job
        .pieces()
        .next()
        .ok_or_else(|| Mishap::new("nothing of it is left"))?;
    let raster = rasters.sized(placement, size);
    raster
        .cloned()
        .ok_or_else(|| Mishap::new("nothing of it is left"))
}
