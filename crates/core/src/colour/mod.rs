//! As stored → working space and back. The working space is linear light with sRGB's
//! primaries, 32-bit floats, alpha premultiplied; the way back gives 8-bit sRGB.

mod curve;
mod icc;

pub use curve::to_srgb;
pub use icc::{ProfileFacts, describe};

use crate::decode::{Form, Ink, Row};
use curve::{LINEAR_OF_8, linear_of_16};
use icc::Conversion;

/// A remark on the colours of a picture that its owner should hear.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ColourNote {
    /// The profile was applied: the colours are now sRGB.
    Converted,
    /// The profile could not be used; the samples were taken for sRGB.
    ProfileDropped,
}

/// Turns rows as stored into rows of the working space.
pub struct Working {
    ink: Ink,
    conversion: Option<Conversion>,
    table: &'static [f32; 65_536],
    wide: Vec<u16>,
    converted: Vec<u16>,
}

impl Working {
    /// Prepares for pictures of a form. A profile that is damaged, or made for another kind of
    /// samples, is dropped with a note, and sRGB assumed.
    pub fn new(form: &Form) -> (Self, Option<ColourNote>) {
        let (conversion, note) = match &form.icc {
            None => (None, None),
            Some(profile) => match Conversion::to_srgb(profile, form.ink) {
                Ok(None) => (None, None),
                Ok(Some(conversion)) => (Some(conversion), Some(ColourNote::Converted)),
                Err(icc::Unusable) => (None, Some(ColourNote::ProfileDropped)),
            },
        };
        let working = Working {
            ink: form.ink,
            conversion,
            table: linear_of_16(),
            wide: Vec::new(),
            converted: Vec::new(),
        };
        (working, note)
    }

    /// Samples of a pixel in the working space: 3, or 4 with alpha.
    pub fn channels(&self) -> usize {
        match self.ink.has_alpha() {
            true => 4,
            false => 3,
        }
    }

    /// One row into the working space; `into` is overwritten.
    pub fn row(&mut self, row: Row<'_>, into: &mut Vec<f32>) {
        into.clear();
        if let Some(conversion) = &self.conversion {
            widen(row, &mut self.wide);
            conversion.apply(&self.wide, &mut self.converted);
            let ink = conversion.delivers();
            return linear(&self.converted, ink, |v| self.table[usize::from(v)], into);
        }
        match row {
            Row::Eight(row) => linear(row, self.ink, |v| LINEAR_OF_8[usize::from(v)], into),
            Row::Sixteen(row) => linear(row, self.ink, |v| self.table[usize::from(v)], into),
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

fn linear<S: Sample>(row: &[S], ink: Ink, light: impl Fn(S) -> f32, into: &mut Vec<f32>) {
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
            [pixel[0], pixel[1], pixel[2]].map(|ink| curve::linear((1.0 - ink.share()) * left))
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
