//! The adapter to the AV1 encoder and the AVIF container.

use avif_serialize::Aviffy;
use avif_serialize::constants::MatrixCoefficients;
use rav1e::prelude::*;

use super::{Chroma, EncodeError, Format, Pace};
use crate::pixels::{Channels, Gamut, Raster};

/// The encoder's speed, 0 (slowest) to 10.
fn speed(pace: Pace) -> u8 {
    match pace {
        Pace::Quick => 10,
        Pace::Steady => 8,
        Pace::Patient => 6,
    }
}

pub(super) fn encode(
    raster: &Raster,
    dial: u8,
    chroma: Chroma,
    pace: Pace,
) -> Result<Vec<u8>, EncodeError> {
    let (width, height) = (
        raster.size().width() as usize,
        raster.size().height() as usize,
    );
    let planes = Planes::of(raster, chroma == Chroma::Halved);
    let sampling = match planes.halved {
        true => ChromaSampling::Cs420,
        false => ChromaSampling::Cs444,
    };
    let gamut = raster.gamut();
    let colour = still(
        (width, height),
        sampling,
        (dial, pace),
        gamut,
        &planes.colour,
    )?;
    let alpha = match &planes.alpha {
        Some(alpha) => {
            let planes = std::slice::from_ref(alpha);
            let sampling = ChromaSampling::Cs400;
            Some(still(
                (width, height),
                sampling,
                (dial, pace),
                gamut,
                planes,
            )?)
        }
        None => None,
    };
    let mut container = Aviffy::new();
    container
        .set_matrix_coefficients(MatrixCoefficients::Bt601)
        .set_color_primaries(match gamut {
            Gamut::Srgb => avif_serialize::constants::ColorPrimaries::Bt709,
            Gamut::DisplayP3 => avif_serialize::constants::ColorPrimaries::DisplayP3,
        })
        .set_chroma_subsampling((planes.halved, planes.halved))
        .set_seq_profile(if planes.halved { 0 } else { 1 });
    let (width, height) = (raster.size().width(), raster.size().height());
    Ok(container.to_vec(&colour, alpha.as_deref(), width, height, 8))
}

/// One AV1 key frame.
fn still(
    (width, height): (usize, usize),
    sampling: ChromaSampling,
    (dial, pace): (u8, Pace),
    gamut: Gamut,
    planes: &[PlaneBytes],
) -> Result<Vec<u8>, EncodeError> {
    let failed = |error: String| EncodeError::failed(Format::Avif, error);
    let settings = EncoderConfig {
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
        quantizer: quantizer(dial),
        tune: Tune::Psychovisual,
        ..EncoderConfig::with_speed_preset(speed(pace))
    };
    // One thread: pictures are what runs in parallel, and tiles would cost bytes.
    let config = Config::new().with_encoder_config(settings).with_threads(1);
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

struct Planes {
    colour: [PlaneBytes; 3],
    alpha: Option<PlaneBytes>,
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
        let grid = match halved {
            true => 2,
            false => 1,
        };
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
        let alpha = (raster.channels() == Channels::Rgba).then(|| {
            let alphas = samples.iter().skip(3).step_by(4).copied().collect();
            plane(alphas, width)
        });
        Planes {
            colour: [
                plane(luma, width),
                plane(blue, chroma_width),
                plane(red, chroma_width),
            ],
            alpha,
            halved,
        }
    }
}
