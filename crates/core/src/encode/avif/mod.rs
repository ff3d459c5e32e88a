//! The adapter to the AV1 encoder and the AVIF container.

mod curves;
pub(super) mod items;

use std::sync::OnceLock;

use avif_serialize::Aviffy;
use avif_serialize::constants::MatrixCoefficients;
use kiln_av1::{Coded, Colour, Depth, Picture, Plane};

use super::coder::{Abilities, Coder, Shown, TilesAbove, Ways};
use super::{Chroma, Coding, EncodeError, Format, Manner, Pace, Passes};
use crate::pixels::{self, Channels, Gamut, Meaning, Planes, Raster, Size};
use crate::source::Kind;

const ABILITIES: Abilities = Abilities {
    kind: Kind::Avif,
    extension: "avif",
    novelty: 2,
    alpha: true,
    lossless: true,
    light_lossless: false,
    longest_side: 65_535,
    dials: 5..=98,
    ways: Some(WAYS),
    slow: true,
    packs_alike: false,
    // What is coded, what is shown, filters tried on it, levels until they are written, and where it repeats.
    memory: 72,
    nanoseconds: 3000,
    scalable: false,
    least_look: 0.0,
    frame_bytes: 300,
    passes: false,
    revision: 7,
};

const WAYS: Ways = Ways {
    halved: &curves::HALVED_PHOTO,
    full: &curves::FULL_PHOTO,
    graphic: &curves::FULL_GRAPHIC,
    counted: None,
    near: None,
    full_from: 80.0,
    tiles_above: Some(TilesAbove {
        at_75: 0.15,
        below: -0.02,
    }),
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
            depth: depth(raster),
            halved: OnceLock::new(),
            exact: OnceLock::new(),
            full: OnceLock::new(),
            alpha: OnceLock::new(),
            exact_alpha: OnceLock::new(),
        }))
    }
}

/// What a file is made by.
#[derive(Clone, Copy)]
struct Settings {
    /// From 1 (best) to 255; 0 is without loss.
    quantiser: u8,
    pace: kiln_av1::Pace,
    colour: Colour,
}

impl Settings {
    fn of(manner: Manner, gamut: Gamut) -> Settings {
        Settings {
            quantiser: match manner.coding {
                Coding::Dial(dial) => quantiser(dial),
                Coding::Lossless => 0,
            },
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

    /// A picture as one key frame, its colours mixed by a matrix.
    fn coded(
        self,
        picture: Option<&kiln_av1::Prepared>,
        matrix: MatrixCoefficients,
    ) -> Result<Coded, EncodeError> {
        let colour = Colour {
            matrix: matrix as u8,
            ..self.colour
        };
        let coded =
            |picture: &kiln_av1::Prepared| picture.encode(colour, self.quantiser, self.pace);
        picture.and_then(coded).ok_or_else(|| {
            let what = "its planes do not fit one another".to_owned();
            EncodeError::failed(Format::Avif, what)
        })
    }
}

/// A raster as planes, each made when it is first needed.
struct Prepared<'a> {
    raster: &'a Raster,
    /// That of files with loss.
    depth: Depth,
    halved: OnceLock<Option<kiln_av1::Prepared>>,
    exact: OnceLock<Option<kiln_av1::Prepared>>,
    full: OnceLock<Option<kiln_av1::Prepared>>,
    alpha: OnceLock<Option<kiln_av1::Prepared>>,
    exact_alpha: OnceLock<Option<kiln_av1::Prepared>>,
}

/// A file, and what it was put together from.
struct Made {
    file: Vec<u8>,
    colour: Coded,
    alpha: Option<Coded>,
    matrix: MatrixCoefficients,
}

impl Made {
    /// The pixels that decoders show.
    fn pixels(&self, size: Size, gamut: Gamut) -> Option<Raster> {
        let values = |coded: &Coded, matrix: MatrixCoefficients| {
            let meaning = Meaning {
                primaries: 1,
                transfer: 13,
                matrix: matrix as u16,
                full: true,
            };
            planes_shown(&coded.shown, size)?.values(meaning).ok()
        };
        let mut colour = values(&self.colour, self.matrix)?;
        if let Some(alpha) = &self.alpha {
            colour.join(&values(alpha, MatrixCoefficients::Bt601)?, false);
        }
        colour.raster(gamut)
    }
}

/// Planes as they are shown.
fn planes_shown(picture: &Picture, size: Size) -> Option<Planes<'_>> {
    let (luma, chroma) = picture.planes().split_first()?;
    let is_halved = picture.chroma() == kiln_av1::Chroma::Halved;
    let chroma = match chroma {
        [blue, red] => Some([blue, red].map(|plane| plane_shown(plane, is_halved))),
        _ => None,
    };
    Some(Planes {
        size,
        bits: picture.depth().bits(),
        luma: plane_shown(luma, false),
        chroma,
    })
}

fn plane_shown(plane: &Plane, is_halved: bool) -> pixels::Plane<'_> {
    let (width, samples) = (plane.width(), plane.samples());
    let size = (width, plane.height());
    pixels::Plane::new(size, (is_halved, is_halved), move |y, into| {
        into.extend_from_slice(&samples[y * width..][..width]);
    })
}

impl super::Prepared for Prepared<'_> {
    fn encode(&self, manner: Manner) -> Result<Vec<u8>, EncodeError> {
        self.made(manner).map(|made| made.file)
    }

    fn shown(&self, manner: Manner) -> Result<Shown, EncodeError> {
        let made = self.made(manner)?;
        let pixels = made.pixels(self.raster.size(), self.raster.gamut());
        Ok((made.file, pixels))
    }
}

impl Prepared<'_> {
    fn made(&self, manner: Manner) -> Result<Made, EncodeError> {
        let (raster, gamut) = (self.raster, self.raster.gamut());
        let settings = Settings::of(manner, gamut);
        let is_exact = manner.coding == Coding::Lossless;
        let is_grey = is_exact && is_grey(raster);
        let is_halved = !is_exact && manner.chroma == Chroma::Halved;
        let depth = if is_exact { Depth::Eight } else { self.depth };
        let (planes, matrix) = match (is_exact, is_halved) {
            (true, _) if is_grey => (&self.exact, MatrixCoefficients::Bt601),
            (true, _) => (&self.exact, MatrixCoefficients::Rgb),
            (false, true) => (&self.halved, MatrixCoefficients::Bt601),
            (false, false) => (&self.full, MatrixCoefficients::Bt601),
        };
        let colour = planes.get_or_init(|| {
            let picture = match is_exact {
                true => exact_planes_of(raster, is_grey),
                false => planes_of(raster, is_halved, self.depth),
            };
            kiln_av1::Prepared::new(&picture?)
        });
        let colour = settings.coded(colour.as_ref(), matrix)?;
        let alpha = match raster.channels() {
            Channels::Rgb => None,
            Channels::Rgba => {
                let planes = if is_exact {
                    &self.exact_alpha
                } else {
                    &self.alpha
                };
                let alpha =
                    planes.get_or_init(|| kiln_av1::Prepared::new(&grey(raster, 3, depth)?));
                Some(settings.coded(alpha.as_ref(), MatrixCoefficients::Bt601)?)
            }
        };
        let is_coarse = is_halved || is_grey;
        let mut container = Aviffy::new();
        container
            .set_matrix_coefficients(matrix)
            .set_color_primaries(match gamut {
                Gamut::Srgb => avif_serialize::constants::ColorPrimaries::Bt709,
                Gamut::DisplayP3 => avif_serialize::constants::ColorPrimaries::DisplayP3,
            })
            .set_monochrome(is_grey)
            .set_chroma_subsampling((is_coarse, is_coarse))
            .set_seq_profile(if is_coarse { 0 } else { 1 });
        let size = raster.size();
        let (width, height) = (size.width(), size.height());
        let bits = depth.bits() as u8;
        let units = alpha.as_ref().map(|alpha| &alpha.units[..]);
        Ok(Made {
            file: container.to_vec(&colour.units, units, width, height, bits),
            colour,
            alpha,
            matrix,
        })
    }
}

/// Whether all pixels are grey.
fn is_grey(raster: &Raster) -> bool {
    let mut pixels = raster.samples().chunks_exact(raster.channels().count());
    pixels.all(|pixel| pixel[0] == pixel[1] && pixel[1] == pixel[2])
}

/// The samples of a channel, by its number.
fn plane(raster: &Raster, channel: usize, depth: Depth) -> Option<Plane> {
    let samples = raster.samples().iter().skip(channel);
    let samples = samples.step_by(raster.channels().count());
    let width = raster.size().width() as usize;
    let wide = |sample: u8| match depth {
        Depth::Eight => sample.into(),
        Depth::Ten => ((u32::from(sample) * 1023 + 127) / 255) as u16,
    };
    Plane::new(width, samples.map(|&sample| wide(sample)).collect())
}

/// A channel as a picture in grey.
fn grey(raster: &Raster, channel: usize, depth: Depth) -> Option<Picture> {
    let planes = vec![plane(raster, channel, depth)?];
    Picture::new(kiln_av1::Chroma::None, depth, planes)
}

/// The depth at which files with loss are lightest: what is rounded on the way weighs more than the bits that it
/// leaves, unless letters and signs are told by their few colours.
fn depth(raster: &Raster) -> Depth {
    let luma = raster.samples().chunks_exact(raster.channels().count());
    let luma = luma.map(|pixel| {
        let [r, g, b] = [pixel[0], pixel[1], pixel[2]].map(u32::from);
        ((r * 299 + g * 587 + b * 114 + 500) / 1000) as u16
    });
    let plane = Plane::new(raster.size().width() as usize, luma.collect());
    let picture =
        plane.and_then(|plane| Picture::new(kiln_av1::Chroma::None, Depth::Eight, vec![plane]));
    match picture.is_some_and(|picture| kiln_av1::is_drawn(&picture)) {
        true => Depth::Eight,
        false => Depth::Ten,
    }
}

/// Colours as they are, in the order of the identity matrix of ITU-T H.273: green, blue and red; grey as one plane.
fn exact_planes_of(raster: &Raster, is_grey: bool) -> Option<Picture> {
    if is_grey {
        return grey(raster, 0, Depth::Eight);
    }
    let [green, blue, red] = [1, 2, 0].map(|channel| plane(raster, channel, Depth::Eight));
    let planes = vec![green?, blue?, red?];
    Picture::new(kiln_av1::Chroma::Full, Depth::Eight, planes)
}

/// The quantiser of a dial, in equal steps from 255 (dial 0) to 1 (dial 100): 0 would be without loss, which the
/// conversion of colours has already defeated.
fn quantiser(dial: u8) -> u8 {
    (255 - u16::from(dial.min(100)) * 254 / 100) as u8
}

/// Luma and chroma in full range by the ITU-R BT.601 matrix; chroma halved both ways by the mean of each 2 × 2 block
/// when asked.
fn planes_of(raster: &Raster, halved: bool, depth: Depth) -> Option<Picture> {
    let most = ((1 << depth.bits()) - 1) as f32;
    let (scale, middle) = (most / 255.0, (1 << (depth.bits() - 1)) as f32);
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
                luma.push((y * scale + 0.5).min(most) as u16);
                let sum = &mut sums[x / grid];
                sum[0] += (b - y) / 1.772;
                sum[1] += (r - y) / 1.402;
                sum[2] += 1.0;
            }
        }
        for [blue, red, count] in sums {
            let rounded = |sum: f32| (sum / count * scale + middle + 0.5).min(most) as u16;
            chroma[0].push(rounded(blue));
            chroma[1].push(rounded(red));
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
    Picture::new(chroma, depth, planes)
}
