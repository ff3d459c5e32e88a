//! The adapter to the JPEG encoder: the one place to change when the codec does.

use jpeg_encoder::{ColorType, Encoder, SamplingFactor};

use super::{Chroma, EncodeError, Format};
use crate::colour;
use crate::pixels::{Channels, Raster};

pub(super) fn encode(raster: &Raster, dial: u8, chroma: Chroma) -> Result<Vec<u8>, EncodeError> {
    if raster.channels() != Channels::Rgb {
        return Err(EncodeError::Impossible {
            format: Format::Jpeg,
            what: "it has no transparency",
        });
    }
    let side = |side: u32| {
        u16::try_from(side).map_err(|_| EncodeError::TooLarge {
            size: raster.size(),
            format: Format::Jpeg,
        })
    };
    let (width, height) = (side(raster.size().width())?, side(raster.size().height())?);
    let mut file = Vec::new();
    let mut encoder = Encoder::new(&mut file, dial.clamp(1, 100));
    encoder.set_progressive(true);
    encoder.set_optimized_huffman_tables(true);
    encoder.set_sampling_factor(match chroma {
        Chroma::Full => SamplingFactor::R_4_4_4,
        Chroma::Halved => SamplingFactor::R_4_2_0,
    });
    if let Some(profile) = colour::profile(raster.gamut()) {
        let added = encoder.add_icc_profile(&profile);
        added.map_err(|error| EncodeError::failed(Format::Jpeg, error))?;
    }
    encoder
        .encode(raster.samples(), width, height, ColorType::Rgb)
        .map_err(|error| EncodeError::failed(Format::Jpeg, error))?;
    Ok(file)
}
