//! The adapter to the AV1 encoder and the AVIF container.

mod curves;
pub(super) mod items;

use std::sync::OnceLock;

use avif_serialize::Aviffy;
use avif_serialize::constants::MatrixCoefficients;
use kiln_av1::{Colour, Depth, Picture, Plane};

use super::coder::{Abilities, Coder, Ways};
use super::{Chroma, Coding, EncodeError, Format, Manner, Pace, Passes};
use crate::pixels::{Channels, Gamut, Raster};
use crate::source::Kind;

const ABILITIES: Abilities = Abilities {
    kind: Kind::Avif,
    extension: "avif",
    novelty: 2,
    alpha: true,
    lossless: false,
    longest_side: 65_535,
    dials: 5..=98,
    ways: Some(WAYS),
    slow: true,
    packs_alike: false,
    // What is coded, what is shown, filters tried on it, and levels until they are written.
    memory: 60,
    scalable: false,
    least_look: 0.0,
    frame_bytes: 300,
    repacks: false,
    passes: false,
    revision: 3,
};

const WAYS: Ways = Ways {
    halved: &curves::HALVED_PHOTO,
    full: &curves::FULL_PHOTO,
    graphic: &curves::FULL_GRAPHIC,
    counted: None,
    near: None,
    full_from: 80.0,
    tiles_above: None,
};

/// How much time the encoder takes.
fn pace(pace: Pace) -> kiln_av1::Pace {
    match pace {
        Pace::Quick => kiln_av1::Pace::Quick,
        Pace::Steady => kiln_av1::Pace::Steady,
        Pace::Patient => kiln_av1::Pace::Patient,
    }
}

/// The coder.
pub(super) struct Avif;

impl Coder for Avif {
    fn abilities(&self) -> &'static Abilities {
        &ABILITIES
    }

    fn prepare<'a>(
        &self,
        raster: &'a Raster,
        _: Passes,
    ) -> Result<Box<dyn super::Prepared + 'a>, EncodeError> {
        Ok(Box::new(Prepared {
            raster,
            halved: OnceLock::new(),
            full: OnceLock::new(),
            alpha: OnceLock::new(),
        }))
    }
}

/// What a file is made by.
#[derive(Clone, Copy)]
struct Settings {
    /// From 1 (best) to 255.
    quantiser: u8,
    pace: kiln_av1::Pace,
    colour: Colour,
}

impl Settings {
    fn of(manner: Manner, gamut: Gamut) -> Settings {
        let dial = match manner.coding {
            Coding::Dial(dial) => dial,
            Coding::Lossless => 100,
        };
        Settings {
            quantiser: quantiser(dial),
            pace: pace(manner.pace),
            colour: Colour {
                primaries: match gamut {
                    Gamut::Srgb => 1,
                    Gamut::DisplayP3 => 12,
                },
                ..Colour::default()
            },
        }
    }

    /// A picture as one key frame.
    fn coded(self, picture: Option<&kiln_av1::Prepared>) -> Result<Vec<u8>, EncodeError> {
        let coded =
            |picture: &kiln_av1::Prepared| picture.encode(self.colour, self.quantiser, self.pace);
        let coded = picture.and_then(coded).map(|coded| coded.units);
        coded.ok_or_else(|| {
            let what = "its planes do not fit one another".to_owned();
            EncodeError::failed(Format::Avif, what)
        })
    }
}

/// A raster as planes, each made when it is first needed.
struct Prepared<'a> {
    raster: &'a Raster,
    halved: OnceLock<Option<kiln_av1::Prepared>>,
    full: OnceLock<Option<kiln_av1::Prepared>>,
    alpha: OnceLock<Option<kiln_av1::Prepared>>,
}

impl super::Prepared for Prepared<'_> {
    fn encode(&self, manner: Manner) -> Result<Vec<u8>, EncodeError> {
        let (raster, gamut) = (self.raster, self.raster.gamut());
        let settings = Settings::of(manner, gamut);
        let is_halved = manner.chroma == Chroma::Halved;
        let planes = if is_halved { &self.halved } else { &self.full };
        let colour = planes.get_or_init(|| kiln_av1::Prepared::new(&planes_of(raster, is_halved)?));
        let colour = settings.coded(colour.as_ref())?;
        let alpha = match raster.channels() {
            Channels::Rgb => None,
            Channels::Rgba => {
                let alpha = self
                    .alpha
                    .get_or_init(|| kiln_av1::Prepared::new(&alpha(raster)?));
                Some(settings.coded(alpha.as_ref())?)
            }
        };
        let mut container = Aviffy::new();
        container
            .set_matrix_coefficients(MatrixCoefficients::Bt601)
            .set_color_primaries(match gamut {
                Gamut::Srgb => avif_serialize::constants::ColorPrimaries::Bt709,
                Gamut::DisplayP3 => avif_serialize::constants::ColorPrimaries::DisplayP3,
            })
            .set_chroma_subsampling((is_halved, is_halved))
            .set_seq_profile(if is_halved { 0 } else { 1 });
        let size = raster.size();
        Ok(container.to_vec(&colour, alpha.as_deref(), size.width(), size.height(), 8))
    }
}

/// The alpha of a raster that has one.
fn alpha(raster: &Raster) -> Option<Picture> {
    let alphas = raster.samples().iter().skip(3).step_by(4);
    let plane = Plane::new(
        raster.size().width() as usize,
        alphas.map(|&alpha| alpha.into()).collect(),
    )?;
    Picture::new(kiln_av1::Chroma::None, Depth::Eight, vec![plane])
}

/// The quantiser of a dial, in equal steps from 255 (dial 0) to 1 (dial 100): 0 would be a lossless mode that the
/// conversion of colours has already defeated.
fn quantiser(dial: u8) -> u8 {
    (255 - u16::from(dial.min(100)) * 254 / 100) as u8
}

/// Luma and chroma in full range by the ITU-R BT.601 matrix; chroma halved both ways by the mean of each 2 × 2 block
/// when asked.
fn planes_of(raster: &Raster, halved: bool) -> Option<Picture> {
    let (width, height) = (
        raster.size().width() as usize,
        raster.size().height() as usize,
    );
    let step = raster.channels().count();
    let grid = if halved { 2 } else { 1 };
    let chroma_width = width.div_ceil(grid);
    let mut luma = Vec::with_capacity(width * height);
    let mut chroma = [Vec::new(), Vec::new()];
    let samples = raster.samples();
    let pitch = width * step;
    for rows in samples.chunks(pitch * grid) {
        let mut sums = vec![[0.0f32; 3]; chroma_width];
        for row in rows.chunks_exact(pitch) {
            for (x, pixel) in row.chunks_exact(step).enumerate() {
                let [r, g, b] = [pixel[0], pixel[1], pixel[2]].map(f32::from);
                let y = 0.299 * r + 0.587 * g + 0.114 * b;
                luma.push((y + 0.5).min(255.0) as u16);
                let sum = &mut sums[x / grid];
                sum[0] += (b - y) / 1.772;
                sum[1] += (r - y) / 1.402;
                sum[2] += 1.0;
            }
        }
        for [blue, red, count] in sums {
            chroma[0].push((blue / count + 128.5).min(255.0) as u16);
            chroma[1].push((red / count + 128.5).min(255.0) as u16);
        }
    }
    let [blue, red] = chroma;
    let planes = vec![
        Plane::new(width, luma)?,
        Plane::new(chroma_width, blue)?,
        Plane::new(chroma_width, red)?,
    ];
    let chroma = match halved {
        true => kiln_av1::Chroma::Halved,
        false => kiln_av1::Chroma::Full,
    };
    Picture::new(chroma, Depth::Eight, planes)
}
