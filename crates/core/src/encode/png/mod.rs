//! PNG, written by ourselves: the leanest form of the same pixels, filters that fit, packed tightly.

mod colours;
mod curves;
mod cut;
mod filter;
mod form;
mod gather;
mod lay;
mod order;
mod own;
mod pack;

use super::coder::{Abilities, Coder, Prepared, Sought, Subject, Tried, Way};
use super::{Chroma, Coding, EncodeError, Format, Manner, Own, Pace, Passes, Repacked};
use std::sync::OnceLock;

use crate::colour;
use crate::container::png;
use crate::pixels::{Gamut, Raster, Size};
use crate::source::{Kind, Nature};
use form::{Form, Indexed, Pixels};
use gather::Gathered;

const ABILITIES: Abilities = Abilities {
    kind: Kind::Png,
    extension: "png",
    alpha: true,
    lossless: true,
    longest_side: Size::MAX_SIDE,
    dials: 1..=100,
    ways: None,
    slow: false,
    // Where every pixel has a colour of its own.
    memory: 44,
    frame_bytes: 70,
    repacks: true,
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
            gathered: OnceLock::new(),
        }))
    }

    fn way(&self, subject: &Subject, _: Sought, tried: &[Tried]) -> Option<Way> {
        tried.is_empty().then_some(Way {
            chroma: Chroma::Full,
            prior: match subject.nature {
                Nature::Graphic => &curves::FULL_GRAPHIC,
                Nature::Photo => &curves::FULL_PHOTO,
            },
        })
    }

    fn repack(&self, own: &Own<'_>, _: Passes) -> Option<Repacked> {
        own::repack(own)
    }

    // It shares none.
    fn chroma(&self, _: Nature, _: Coding) -> Chroma {
        Chroma::Full
    }
}

fn pixels(raster: &Raster) -> Pixels<'_> {
    Pixels {
        width: raster.size().width() as usize,
        height: raster.size().height() as usize,
        channels: raster.channels().count(),
        samples: raster.samples(),
    }
}

/// A raster and the forms that hold it without loss.
struct Ready<'a> {
    raster: &'a Raster,
    forms: OnceLock<Vec<Form>>,
    /// Its colours, for palettes with loss.
    gathered: OnceLock<Gathered>,
}

/// A position of the dial.
#[derive(Clone, Copy, Debug, PartialEq)]
struct Position {
    /// The colours of a palette.
    colours: usize,
    /// How strongly what they miss is handed on.
    diffusion: f32,
}

impl Position {
    /// From 2 colours to 256, each eleventh or so position twice as many; from there on more and
    /// more of what they miss is handed on. With fewer colours that never pays: at equal scores,
    /// files are 6 to 60% heavier (22 graphics of the corpus).
    fn at(dial: u8) -> Position {
        /// Here a palette is full.
        const FULL: u8 = 80;
        /// More adds noise.
        const MOST: f32 = 0.65;
        let dial = dial.clamp(1, 100);
        let doublings = f64::from(dial.min(FULL) - 1) / f64::from(FULL - 1) * 7.0;
        let beyond = f32::from(dial.saturating_sub(FULL)) / f32::from(100 - FULL);
        Position {
            colours: libm::exp2(1.0 + doublings).round() as usize,
            diffusion: beyond * MOST,
        }
    }
}

impl Ready<'_> {
    /// With a palette that may miss colours.
    fn few(&self, position: Position) -> Vec<Form> {
        let pixels = pixels(self.raster);
        let gathered = self.gathered.get_or_init(|| Gathered::of(&pixels));
        let palette = cut::palette(&gathered.samples, position.colours);
        Form::indexed(&Indexed {
            width: pixels.width,
            indices: lay::lay(&pixels, gathered, &palette, position.diffusion),
            palette,
        })
    }
}

impl Prepared for Ready<'_> {
    fn encode(&self, manner: Manner) -> Result<Vec<u8>, EncodeError> {
        let pace = manner.pace;
        match manner.coding {
            Coding::Lossless => {
                let forms = self.forms.get_or_init(|| Form::exact(&pixels(self.raster)));
                written(self.raster, forms, pace)
            }
            Coding::Dial(dial) => written(self.raster, &self.few(Position::at(dial)), pace),
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
