//! The adapter to the AV1 encoder and the AVIF container.

mod curves;
pub(super) mod items;

use std::sync::OnceLock;

use avif_serialize::Aviffy;
use avif_serialize::constants::MatrixCoefficients;
use rav1e::prelude::*;

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
    // Measured with rav1e 0.8: lookahead, reconstruction and search state.
    memory: 40,
    scalable: false,
    least_look: 0.0,
    frame_bytes: 300,
    repacks: false,
    passes: false,
    revision: 1,
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

/// The encoder's speed, 0 (slowest) to 10.
fn speed(pace: Pace) -> u8 {
    match pace {
        Pace::Quick => 10,
        Pace::Steady => 8,
        Pace::Patient => 6,
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
    /// The base quantiser index, 1 (best) to 255.
    quantizer: usize,
    /// The encoder's speed, 0 (slowest) to 10.
    speed: u8,
}

impl Settings {
    fn of(manner: Manner) -> Settings {
        let dial = match manner.coding {
            Coding::Dial(dial) => dial,
            Coding::Lossless => 100,
        };
        Settings {
            quantizer: quantizer(dial),
            speed: speed(manner.pace),
        }
    }
}

/// A raster as planes, each made when it is first needed.
struct Prepared<'a> {
    raster: &'a Raster,
    halved: OnceLock<Planes>,
    full: OnceLock<Planes>,
    alpha: OnceLock<Option<PlaneBytes>>,
}

impl super::Prepared for Prepared<'_> {
    fn encode(&self, manner: Manner) -> Result<Vec<u8>, EncodeError> {
        let (raster, settings) = (self.raster, Settings::of(manner));
        let planes = match manner.chroma {
            Chroma::Halved => self.halved.get_or_init(|| Planes::of(raster, true)),
            _ => self.full.get_or_init(|| Planes::of(raster, false)),
        };
        let sampling = if planes.halved {
            ChromaSampling::Cs420
        } else {
            ChromaSampling::Cs444
        };
        let (gamut, size) = (raster.gamut(), raster.size());
        let sides = (size.width() as usize, size.height() as usize);
        let colour = still(sides, sampling, settings, gamut, &planes.colour)?;
        let alpha = self.alpha.get_or_init(|| alpha(raster));
        let alpha = alpha.as_ref().map(|alpha| {
            let planes = std::slice::from_ref(alpha);
            still(sides, ChromaSampling::Cs400, settings, gamut, planes)
        });
        let alpha = alpha.transpose()?;
        let mut container = Aviffy::new();
        container
            .set_matrix_coefficients(MatrixCoefficients::Bt601)
            .set_color_primaries(match gamut {
                Gamut::Srgb => avif_serialize::constants::ColorPrimaries::Bt709,
                Gamut::DisplayP3 => avif_serialize::constants::ColorPrimaries::DisplayP3,
            })
            .set_chroma_subsampling((planes.halved, planes.halved))
            .set_seq_profile(if planes.halved { 0 } else { 1 });
        Ok(container.to_vec(&colour, alpha.as_deref(), size.width(), size.height(), 8))
    }
}

/// The alpha of a raster that has one.
fn alpha(raster: &Raster) -> Option<PlaneBytes> {
    let pitch = raster.size().width() as usize;
    let alphas = raster.samples().iter().skip(3).step_by(4).copied();
    (raster.channels() == Channels::Rgba).then(|| PlaneBytes {
        samples: alphas.collect(),
        pitch,
    })
}

/// One AV1 key frame.
fn still(
    (width, height): (usize, usize),
    sampling: ChromaSampling,
    settings: Settings,
    gamut: Gamut,
    planes: &[PlaneBytes],
) -> Result<Vec<u8>, EncodeError> {
    let failed = |error: String| EncodeError::failed(Format::Avif, error);
    let config = EncoderConfig {
        width,
        height,
        bit_depth: 8,
        chroma_sampling: sampling,
        chroma_sample_position: ChromaSamplePosition::Unknown,
        pixel_range: PixelRange::Full,
        color_description: Some(ColorDescription {
            color_primaries: match gamut {
                Gamut::Srgb => ColorPrimaries::BT709,
                Gamut::DisplayP3 => ColorPrimaries::SMPTE432,
            },
            transfer_characteristics: TransferCharacteristics::SRGB,
            matrix_coefficients: rav1e::prelude::MatrixCoefficients::BT601,
        }),
        still_picture: true,
        low_latency: true,
        quantizer: settings.quantizer,
        tune: Tune::Psychovisual,
        ..EncoderConfig::with_speed_preset(settings.speed)
    };
    // One thread: pictures are what runs in parallel, and tiles would cost bytes.
    let config = Config::new().with_encoder_config(config).with_threads(1);
    let mut context: Context<u8> = config.new_context().map_err(|e| failed(e.to_string()))?;
    let mut frame = context.new_frame();
    for (plane, bytes) in frame.planes.iter_mut().zip(planes) {
        plane.copy_from_raw_u8(&bytes.samples, bytes.pitch, 1);
    }
    context
        .send_frame(frame)
        .map_err(|e| failed(e.to_string()))?;
    context.flush();
    let mut coded = Vec::new();
    loop {
        match context.receive_packet() {
            Ok(packet) => coded.extend(packet.data),
            Err(EncoderStatus::Encoded) => {}
            Err(EncoderStatus::LimitReached) => return Ok(coded),
            Err(error) => return Err(failed(error.to_string())),
        }
    }
}

/// The base quantiser index of a dial, in equal steps from 255 (dial 0) to 1 (dial 100); index
/// 0 would switch to a lossless mode that the colour conversion has already defeated.
fn quantizer(dial: u8) -> usize {
    255 - usize::from(dial.min(100)) * 254 / 100
}

struct PlaneBytes {
    samples: Vec<u8>,
    pitch: usize,
}

/// Luma and chroma.
struct Planes {
    colour: [PlaneBytes; 3],
    halved: bool,
}

impl Planes {
    /// Luma and chroma in full range by the ITU-R BT.601 matrix; chroma halved both ways by the
    /// mean of each 2×2 block when asked.
    fn of(raster: &Raster, halved: bool) -> Planes {
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
                    luma.push((y + 0.5) as u8);
                    let sum = &mut sums[x / grid];
                    sum[0] += (b - y) / 1.772;
                    sum[1] += (r - y) / 1.402;
                    sum[2] += 1.0;
                }
            }
            for [blue, red, count] in sums {
                chroma[0].push((blue / count + 128.5) as u8);
                chroma[1].push((red / count + 128.5) as u8);
            }
        }
        let [blue, red] = chroma;
        let plane = |samples, pitch| PlaneBytes { samples, pitch };
        Planes {
            colour: [
                plane(luma, width),
                plane(blue, chroma_width),
                plane(red, chroma_width),
            ],
            halved,
        }
    }
}
