//! Sizing: rows of the working space in, a raster of the wanted size out; what happens to pixels
//! on the way there.

mod bodies;
pub mod focus;
mod kernel;
pub mod knock_out;
mod levels;
mod resample;
pub mod sharpen;
pub mod trim;

pub use resample::Sizer;

use crate::colour::Working;
use crate::decode::{Form, Row};
use crate::pixels::{Gamut, Kernel, Raster, Size};

/// Counts up whenever the same rows come to another raster: by sizing, sharpening, knocking out, or
/// by where a crop is laid.
pub(crate) const REVISION: u32 = 2;

/// A picture whose samples are in memory, in a gamut and at a size; `None` where rows are missing.
pub fn sized(
    form: &Form,
    samples: &[u8],
    gamut: Gamut,
    size: Size,
    kernel: Kernel,
) -> Option<Raster> {
    let (mut working, _) = Working::new(form, gamut);
    let mut sizer = Sizer::new(form.size, size, working.channels(), kernel);
    let mut light = Vec::new();
    for row in samples.chunks_exact(form.size.width() as usize * form.ink.count()) {
        working.row(Row::Eight(row), &mut light);
        sizer.push(&light, false);
    }
    sizer.finish().map(|raster| raster.in_gamut(gamut))
}
