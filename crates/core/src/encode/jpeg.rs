//! The adapter to the JPEG encoder: the one place to change when the codec does.

use jpeg_encoder::{ColorType, Encoder, SamplingFactor};

use super::{EncodeError, Format};
use crate::colour;
use crate::pixels::{Channels, Raster};
use crate::source::Nature;

/// From this dial on, chroma keeps its full resolution: below, halving it saves a fifth of the
/// file and is not seen in photos.
const FULL_CHROMA_DIAL: u8 = 90;

pub(super) fn encode(raster: &Raster, dial: u8, nature: Nature) -> Result<Vec<u8>, EncodeError> {
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
    // Halved chroma smears coloured text and lines.
    let full = dial >= FULL_CHROMA_DIAL || nature == Nature::Graphic;
    encoder.set_sampling_factor(match full {
        true => SamplingFactor::R_4_4_4,
        false => SamplingFactor::R_4_2_0,
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
