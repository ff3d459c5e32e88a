//! Two pictures brought to one size.

use thiserror::Error;

use crate::pipeline;
use crate::pixels::{Raster, Size};

/// Why two pictures cannot be compared.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Error)]
pub enum NotAlike {
    /// Their sides have other proportions.
    #[error("{0} and {1} have other proportions; crop one of them to the shape of the other")]
    Proportions(Size, Size),
}

/// Two pictures at the size of the smaller one: the larger is reduced, in linear light.
pub fn alike(one: Raster, two: Raster) -> Result<(Raster, Raster), NotAlike> {
    let (a, b) = (one.size(), two.size());
    let differ = NotAlike::Proportions(a, b);
    if a == b {
        return Ok((one, two));
    }
    // Sizing rounds to whole pixels.
    let fits = |large: Size, small: Size| {
        large
            .at_width(small.width())
            .height()
            .abs_diff(small.height())
            <= 1
    };
    if a.pixels() > b.pixels() && fits(a, b) {
        let reduced = pipeline::reduced(&one, b).ok_or(differ)?;
        Ok((reduced, two))
    } else if b.pixels() > a.pixels() && fits(b, a) {
        let reduced = pipeline::reduced(&two, a).ok_or(differ)?;
        Ok((one, reduced))
    } else {
        Err(differ)
    }
}
