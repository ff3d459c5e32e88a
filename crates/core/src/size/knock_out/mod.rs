//! A plain background made transparent, from the border inwards.
//!
//! The background B is the colour that most of the border shows. What is like it and touches the
//! border is outside, and becomes transparent. What fades from there by small steps towards black
//! (from a dark background: towards white) is a soft shadow (a glow), and becomes black (white)
//! with as much opacity as it takes.
//!
//! A pixel beside all that may be a mixture C = αF + (1 − α)G, mixed in the samples themselves as
//! browsers and drawing programs do; G is what lies beside it, F what lies behind. F is found by
//! walking from the pixel away from G, as long as the colour moves on along the same line and by
//! more than noise: where the walk ends, nothing of the background is left in. α is then how far
//! C lies along the line from G to F, and F is the colour that is kept, so that no fringe of the
//! old background remains.

mod field;
mod ground;

use thiserror::Error;

use crate::pixels::{Channels, KnockOut, Raster};
use field::Field;
use ground::Ground;

/// Why a background could not be made transparent.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Error)]
pub enum NotPlain {
    /// The border shows many colours.
    #[error(
        "its background is not plain: no more than {0}% of its border is of one colour; name the \
         colour with knock-out, or take knock-out off"
    )]
    Border(u8),
    /// The colour that was named is not at the border.
    #[error("the colour of knock-out is not at its border; name another, or auto")]
    Elsewhere,
}

/// The raster without its background. One that is partly transparent already stays as it is.
/// `colour` is that of the wish in the raster's own gamut.
pub fn knock_out(raster: Raster, wish: KnockOut) -> Result<Raster, NotPlain> {
    if raster.channels() == Channels::Rgba {
        return Ok(raster);
    }
    let field = Field::of(&raster, Ground::find(&raster, wish)?);
    let mut behind = field.outside(wish.holes);
    field.shade(&mut behind, wish.holes);
    let mixed = field.mixed(&behind);
    let mut samples = Vec::with_capacity(field.pixels.len() * 4);
    for (at, &[r, g, b]) in field.pixels.iter().enumerate() {
        samples.extend(match (behind[at], mixed[at]) {
            (Some(opacity), _) => field.shadow(opacity),
            (None, Some(ground)) => field.unmixed(at, ground, &behind),
            (None, None) => [r, g, b, 255],
        });
    }
    let gamut = raster.gamut();
    let cut_out = Raster::new(raster.size(), Channels::Rgba, samples);
    Ok(cut_out.map_or(raster, |cut_out| cut_out.in_gamut(gamut)))
}

#[cfg(test)]
mod tests;
