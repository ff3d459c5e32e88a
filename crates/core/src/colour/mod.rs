//! As stored → working space and back. The working space is linear light with the primaries of
//! the gamut that is wanted, 32-bit floats, alpha premultiplied; the way back gives 8-bit levels.

mod curve;
mod difference;
mod icc;

pub(crate) use curve::LINEAR_OF_8;
pub use curve::{encoded, levels, linear, to_srgb};
pub use difference::{Lab, Tint, delta_e, lab, tint};
pub use icc::{ProfileFacts, describe, in_gamut, profile};

use std::borrow::Cow;

use crate::decode::{Form, Ink, Row};
use crate::pixels::{ColourWish, Gamut};
use curve::linear_of_16;
use icc::Conversion;

/// Counts up whenever the same samples come to mean other light, or light other levels.
pub(crate) const REVISION: u32 = 1;

/// A remark on the colours of a picture that its owner should hear.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum ColourNote {
    /// The profile was applied: the colours are now sRGB.
    Converted,
    /// The profile was applied: the colours are now Display P3, which holds more than sRGB.
    Kept,
    /// The profile could not be used; the samples were taken for sRGB.
    ProfileDropped,
}

/// The gamut that a wish comes to for a picture with a profile.
pub fn gamut(wish: ColourWish, profile: Option<&[u8]>) -> Gamut {
    let wide = || profile.and_then(describe).is_some_and(|facts| facts.wide);
    if wish == ColourWish::Keep && wide() {
        Gamut::DisplayP3
    } else {
        Gamut::Srgb
    }
}

/// Turns rows as stored into rows of the working space.
pub struct Working {
    ink: Ink,
    gamut: Gamut,
    conversion: Option<Conversion>,
    /// Linear light of each 16-bit value.
    table: Cow<'static, [f32]>,
    wide: Vec<u16>,
    converted: Vec<u16>,
}

impl Working {
    /// Prepares for pictures of a form. A profile that is damaged, or made for another kind of
    /// samples, is dropped with a note, and sRGB assumed.
    pub fn new(form: &Form, gamut: Gamut) -> (Self, Option<ColourNote>) {
        let converted = match gamut {
            Gamut::Srgb => ColourNote::Converted,
            Gamut::DisplayP3 => ColourNote::Kept,
        };
        let (conversion, note) = match &form.icc {
            None => (None, None),
            Some(profile) => match Conversion::new(profile, form.ink, gamut) {
                Ok(None) if gamut == Gamut::Srgb => (None, None),
                Ok(conversion) => (conversion, Some(converted)),
                Err(icc::Unusable) => (None, Some(ColourNote::ProfileDropped)),
            },
        };
        let black = conversion.as_ref().map_or(0.0, Conversion::black);
        let table = match black > 0.0 {
            false => Cow::Borrowed(linear_of_16().as_slice()),
            true => {
                let lowered = |light: &f32| (light - black).max(0.0) / (1.0 - black);
                Cow::Owned(linear_of_16().iter().map(lowered).collect())
            }
        };
        let dropped = note == Some(ColourNote::ProfileDropped);
        let working = Working {
            ink: form.ink,
            gamut: if dropped { Gamut::Srgb } else { gamut },
            conversion,
            table,
            wide: Vec::new(),
            converted: Vec::new(),
        };
        (working, note)
    }

    /// The gamut of the working space.
    pub fn gamut(&self) -> Gamut {
        self.gamut
    }

    /// Samples of a pixel in the working space: 3, or 4 with alpha.
    pub fn channels(&self) -> usize {
        if self.ink.has_alpha() { 4 } else { 3 }
    }

    /// One row into the working space; `into` is overwritten. Returns whether any sample says
    /// more than 8 bits can.
    pub fn row(&mut self, row: Row<'_>, into: &mut Vec<f32>) -> bool {
        into.clear();
        match &self.conversion {
            Some(conversion) => {
                widen(row, &mut self.wide);
                conversion.apply(&self.wide, &mut self.converted);
                let ink = conversion.delivers();
                linearise(&self.converted, ink, |v| self.table[usize::from(v)], into);
            }
            None => match row {
                Row::Eight(row) => linearise(row, self.ink, |v| LINEAR_OF_8[usize::from(v)], into),
                Row::Sixteen(row) => linearise(row, self.ink, |v| self.table[usize::from(v)], into),
            },
        }
        match row {
            Row::Eight(_) => false,
            Row::Sixteen(row) => row.iter().any(|&sample| sample % 257 != 0),
        }
    }
}

/// A sample of either depth.
trait Sample: Copy {
    /// As a share of full scale, from 0 to 1.
    fn share(self) -> f32;
}

impl Sample for u8 {
    fn share(self) -> f32 {
        f32::from(self) / 255.0
    }
}

impl Sample for u16 {
    fn share(self) -> f32 {
        f32::from(self) / 65_535.0
    }
}

fn linearise<S: Sample>(row: &[S], ink: Ink, light: impl Fn(S) -> f32, into: &mut Vec<f32>) {
    match ink {
        Ink::Grey => into.extend(row.iter().flat_map(|&grey| [light(grey); 3])),
        Ink::GreyAlpha => into.extend(row.chunks_exact(2).flat_map(|pixel| {
            let alpha = pixel[1].share();
            let grey = light(pixel[0]) * alpha;
            [grey, grey, grey, alpha]
        })),
        Ink::Rgb => into.extend(row.iter().map(|&sample| light(sample))),
        Ink::Rgba => into.extend(row.chunks_exact(4).flat_map(|pixel| {
            let alpha = pixel[3].share();
            let [r, g, b] = [pixel[0], pixel[1], pixel[2]].map(|s| light(s) * alpha);
            [r, g, b, alpha]
        })),
        // Without a profile: each ink takes its share of the light that black leaves.
        Ink::Cmyk => into.extend(row.chunks_exact(4).flat_map(|pixel| {
            let left = 1.0 - pixel[3].share();
            [pixel[0], pixel[1], pixel[2]].map(|ink| linear((1.0 - ink.share()) * left))
        })),
    }
}

fn widen(row: Row<'_>, into: &mut Vec<u16>) {
    into.clear();
    match row {
        Row::Eight(row) => into.extend(row.iter().map(|&v| u16::from(v) * 257)),
        Row::Sixteen(row) => into.extend_from_slice(row),
    }
}
