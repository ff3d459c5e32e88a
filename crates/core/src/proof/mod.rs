//! What a version of a picture has lost, and where: the map of local scores, the kind of damage, the
//! change of colour, and the spots that are worth a look.

use std::borrow::Cow;

mod alike;
mod damage;
mod patch;
mod prove;
mod review;
mod sitting;
mod spots;

pub use alike::{NotAlike, alike};
pub use damage::{Damage, damage};
pub use kiln_sight::Map;
use kiln_sight::Reference;
pub use prove::{Judged, Proof, Proven, prove};
pub use review::{Sight, sights, small, small_piece, within};
use serde::Serialize;
pub use sitting::{Shown, Sitting};
pub use spots::{CELL, Shows, Spot, spots};

use crate::colour::{self, Tint};
use crate::decode::{self, DecodeError};
use crate::encode::Format;
use crate::pipeline;
use crate::pixels::{Area, Backdrop, Raster};

/// Damage at a local score of this or more is not seen side by side.
pub const UNSEEN: f32 = 90.0;

/// A picture, ready to be compared with versions of it of the same size.
pub struct Judge<'a> {
    raster: Cow<'a, Raster>,
    reference: Option<Reference>,
}

/// What a version has lost.
#[derive(Clone, Debug, PartialEq)]
pub struct Judgement {
    /// The score of each cell; `None` where the sizes differ.
    pub map: Option<Map>,
    /// What became of the colours.
    pub tint: Tint,
}

/// What a spot of a version has lost.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct Loss {
    /// The mean score of its cells.
    pub score: f32,
    /// The kind of damage; `None` where it is not seen.
    pub damage: Option<Damage>,
}

impl<'a> Judge<'a> {
    /// Prepares for a picture.
    pub fn new(raster: Cow<'a, Raster>) -> Judge<'a> {
        Judge {
            reference: pipeline::picture(&raster).map(Reference::new),
            raster,
        }
    }

    /// A finished file as a raster, in the gamut of the picture.
    pub fn open(&self, format: Format, file: &[u8]) -> Result<Raster, DecodeError> {
        let finished = decode::finished(format.kind(), file, self.raster.size())?;
        Ok(finished.in_gamut(self.raster.gamut()))
    }

    /// The score of another raster of the same size; `None` where the sizes differ.
    pub fn score(&self, other: &Raster) -> Option<f32> {
        if *other == *self.raster {
            return Some(100.0);
        }
        self.reference.as_ref()?.score(pipeline::picture(other)?)
    }

    /// What a version has lost.
    pub fn judge(&self, version: &Raster) -> Judgement {
        let reference = self.reference.as_ref();
        let picture = pipeline::picture(version);
        let (map, tint) = rayon::join(
            || reference.zip(picture).and_then(|(one, two)| one.map(two)),
            || colour::tint(&self.raster, version),
        );
        Judgement { map, tint }
    }

    /// What a part of a version has lost.
    pub fn loss(&self, version: &Raster, map: &Map, area: Area) -> Loss {
        let (width, height) = (area.size.width(), area.size.height());
        let score = map.mean(area.x, area.y, width, height).unwrap_or(100.0);
        let seen = score < UNSEEN;
        let damage = seen.then(|| damage(&self.raster, version, area)).flatten();
        Loss { score, damage }
    }
}

/// The judges of one picture in any format: files without transparency are made of the picture on its
/// backdrop, and judged on that.
struct Judges<'a> {
    own: Judge<'a>,
    flat: Option<Judge<'a>>,
}

impl<'a> Judges<'a> {
    fn new(raster: Cow<'a, Raster>, backdrop: Backdrop) -> Judges<'a> {
        let over = |raster: &Raster| raster.over(pipeline::backdrop(raster, backdrop));
        let flat = (!raster.is_opaque()).then(|| Judge::new(Cow::Owned(over(&raster))));
        Judges {
            own: Judge::new(raster),
            flat,
        }
    }

    fn of(&self, format: Format) -> &Judge<'a> {
        let flat = self.flat.as_ref().filter(|_| !format.holds_alpha());
        flat.unwrap_or(&self.own)
    }
}

#[cfg(test)]
mod tests;
