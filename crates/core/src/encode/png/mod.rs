//! PNG, written by ourselves: the leanest form of the same pixels, filters that fit, packed tightly.

mod curves;
mod filter;
mod form;
mod order;
mod own;
mod pack;

use super::coder::{Abilities, Coder, Prepared, Shown, Sought, Subject, Tried, Way};
use super::palette::{self, Palettes, Pixels};
use super::{Chroma, Coding, EncodeError, Format, Manner, Own, Pace, Passes, Repacked};
use std::sync::OnceLock;

use crate::colour;
use crate::container::png;
use crate::pixels::{Channels, Gamut, Raster, Size};
use crate::source::{Kind, Nature};
use form::Form;

const ABILITIES: Abilities = Abilities {
    kind: Kind::Png,
    extension: "png",
    novelty: 0,
    alpha: true,
    lossless: true,
    light_lossless: true,
    longest_side: Size::MAX_SIDE,
    dials: 1..=100,
    ways: None,
    slow: false,
    packs_alike: true,
    // Where every pixel has a colour of its own.
    memory: 44,
    nanoseconds: 7000,
    scalable: false,
    least_look: 0.0,
    frame_bytes: 70,
    passes: false,
    revision: 2,
};

/// The code points of Display P3 (ITU-T H.273): the primaries of SMPTE EG 432-1, the transfer
/// curve of sRGB, RGB without a matrix, full range.
const DISPLAY_P3: [u8; 4] = [12, 13, 0, 1];

/// The coder.
pub(super) struct Png;

impl Coder for Png {
    fn abilities(&self) -> &'static Abilities {
        &ABILITIES
    }

    fn prepare<'a>(
        &self,
        raster: &'a Raster,
        _: Passes,
    ) -> Result<Box<dyn Prepared + 'a>, EncodeError> {
        Ok(Box::new(Ready {
            raster,
            forms: OnceLock::new(),
            palettes: Palettes::of(raster),
        }))
    }

    fn way(&self, subject: &Subject, _: Sought, tried: &[Tried]) -> Option<Way> {
        tried.is_empty().then_some(Way {
            chroma: Chroma::Counted,
            prior: match subject.nature {
                Nature::Graphic => &curves::COUNTED_GRAPHIC,
                Nature::Photo => &curves::COUNTED_PHOTO,
            },
        })
    }

    // Of 31 photos and graphics like photos in the corpus none is at 600 and 1200 pixels, one at 250.
    fn may_be_lightest(&self, raster: &Raster, nature: Nature) -> bool {
        const SMALL: u64 = 1 << 17;
        let opaque = raster.channels() == Channels::Rgb;
        !(nature == Nature::Photo && opaque && raster.size().pixels() > SMALL)
    }

    fn repack(&self, own: &Own<'_>, _: Passes) -> Option<Repacked> {
        own::repack(own)
    }

    fn chroma(&self, _: Nature, _: Coding) -> Chroma {
        Chroma::Counted
    }
}

/// A raster and the forms that hold it without loss.
struct Ready<'a> {
    raster: &'a Raster,
    forms: OnceLock<Vec<Form>>,
    palettes: Palettes<'a>,
}

/// With fewer colours than a palette holds it never pays to hand on what they miss: at equal scores,
/// files are 6 to 60% heavier (22 graphics of the corpus). Behind a full palette the dial is how much is.
fn diffusion(dial: u8) -> f32 {
    /// More adds noise.
    const MOST: f32 = 0.65;
    let beyond = f32::from(dial.saturating_sub(palette::FULL));
    beyond / f32::from(100 - palette::FULL) * MOST
}

impl Prepared for Ready<'_> {
    fn encode(&self, manner: Manner) -> Result<Vec<u8>, EncodeError> {
        Ok(self.shown(manner)?.0)
    }

    fn shown(&self, manner: Manner) -> Result<Shown, EncodeError> {
        let pace = manner.pace;
        match manner.coding {
            Coding::Lossless => {
                let exact = || Form::exact(&Pixels::of(self.raster));
                let forms = self.forms.get_or_init(exact);
                Ok((written(self.raster, forms, pace)?, None))
            }
            Coding::Dial(dial) => {
                let dial = dial.clamp(1, 100);
                let few = self
                    .palettes
                    .few(palette::colours_at(dial), diffusion(dial));
                let file = written(self.raster, &Form::indexed(&few), pace)?;
                let shown = few.shown(self.raster);
                Ok((file, shown.map(Raster::without_idle_alpha)))
            }
        }
    }
}

/// The file of the lightest of some forms.
fn written(raster: &Raster, forms: &[Form], pace: Pace) -> Result<Vec<u8>, EncodeError> {
    let failed = |what: &str| EncodeError::failed(Format::Png, what.to_owned());
    let packed = pack::lightest(forms, pace).ok_or_else(|| failed("it could not be deflated"))?;
    let width = raster.size().width() as usize;
    // Grey is the same in every gamut, and takes no profile of colours.
    let gamut = if packed.form.is_grey() {
        Gamut::Srgb
    } else {
        raster.gamut()
    };
    let file = meaning(gamut).and_then(|meaning| pack::written(&packed, width, &meaning));
    file.ok_or_else(|| failed("it is too long for a chunk"))
}

/// Chunks that say what samples stand for: none in sRGB, which all take them for; else code points,
/// and a profile beside them, since not everything that reads the one reads the other.
fn meaning(gamut: Gamut) -> Option<Vec<u8>> {
    let Some(profile) = colour::profile(gamut) else {
        return Some(Vec::new());
    };
    let packed = pack::deflated(&profile, 12)?;
    let points = png::chunk(b"cICP", &[&DISPLAY_P3])?;
    // A name, its end, and the method: deflated.
    let profile = png::chunk(b"iCCP", &[b"Display P3\0\0", &packed])?;
    Some([points, profile].concat())
}

#[cfg(test)]
mod tests;
