//! What a cut shows with the very samples of its original, where nothing has to be computed for it.

use std::sync::Arc;

use crate::encode::{self, Format, Passes, Repacked};
use crate::pixels::{Area, Orientation, Region, Size};
use crate::source::{Kind, Probe};

/// The samples of an original that a cut shows as they are.
#[derive(Clone)]
pub(super) struct Own {
    /// The original's file.
    pub bytes: Arc<[u8]>,
    pub kind: Kind,
    pub stored: Size,
    pub shown: Shown,
}

/// What is shown of an original as it is.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Shown {
    pub area: Area,
    pub orientation: Orientation,
    /// Whether the original's profile goes along.
    pub profile: bool,
}

impl Own {
    /// About how many bytes it takes to code the samples again, beside the original's file.
    pub fn memory(probe: &Probe) -> u64 {
        // Coefficients as they are held, laid open, and those of a part.
        probe.stored.pixels() * 12
    }

    pub fn repacked(&self, format: Format, passes: Passes) -> Option<Repacked> {
        let own = encode::Own {
            bytes: &self.bytes,
            kind: self.kind,
            stored: self.stored,
            area: self.shown.area,
            orientation: self.shown.orientation,
            profile: self.shown.profile,
        };
        encode::repack(&own, format, passes)
    }
}

/// A region of whole pixels.
pub(super) fn whole(region: Region) -> Option<Area> {
    let side = |value: f64| (value.fract() == 0.0 && value >= 0.0).then_some(value as u32);
    Some(Area {
        x: side(region.x)?,
        y: side(region.y)?,
        size: Size::new(side(region.width)?, side(region.height)?)?,
    })
}
