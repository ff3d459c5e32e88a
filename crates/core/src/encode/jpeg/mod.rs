//! The adapter to the JPEG encoder: the one place to change when the codec does.

mod curves;

use jpeg_encoder::{ColorType, Encoder, SamplingFactor};

use super::coder::{Abilities, Coder, Prepared, Ways};
use super::{Chroma, Coding, EncodeError, Format, Manner};
use crate::colour;
use crate::pixels::Raster;
use crate::source::Kind;

const ABILITIES: Abilities = Abilities {
    kind: Kind::Jpeg,
    extension: "jpg",
    alpha: false,
    lossless: false,
    longest_side: 65_535,
    dials: Some(8..=98),
    ways: Some(WAYS),
    slow: false,
    memory: 12,
    frame_bytes: 330,
    revision: 1,
};

/// At equal scores files are 5 to 10% lighter from here on than with halved chroma at a higher dial,
/// and below 20% heavier.
const WAYS: Ways = Ways {
    halved: &curves::HALVED_PHOTO,
    full: &curves::FULL_PHOTO,
    graphic: &curves::FULL_GRAPHIC,
    full_from: 80.0,
};

/// The coder.
pub(super) struct Jpeg;

impl Coder for Jpeg {
    fn abilities(&self) -> &'static Abilities {
        &ABILITIES
    }

    fn prepare<'a>(&self, raster: &'a Raster) -> Result<Box<dyn Prepared + 'a>, EncodeError> {
        Ok(Box::new(Samples { raster }))
    }
}

/// What a file is made by.
struct Settings {
    /// The dial of the Independent JPEG Group, 1 to 100: how its standard tables are scaled.
    quality: u8,
    sampling: SamplingFactor,
}

impl Settings {
    fn of(manner: Manner) -> Settings {
        let quality = match manner.coding {
            Coding::Dial(dial) => dial.clamp(1, 100),
            Coding::Lossless => 100,
        };
        let sampling = match manner.chroma {
            Chroma::Full => SamplingFactor::R_4_4_4,
            Chroma::Halved => SamplingFactor::R_4_2_0,
        };
        Settings { quality, sampling }
    }
}

/// The codec wants samples as they are.
struct Samples<'a> {
    raster: &'a Raster,
}

impl Prepared for Samples<'_> {
    fn encode(&self, manner: Manner) -> Result<Vec<u8>, EncodeError> {
        let (raster, settings) = (self.raster, Settings::of(manner));
        let side = |side: u32| {
            u16::try_from(side).map_err(|_| EncodeError::TooLarge {
                size: raster.size(),
                format: Format::Jpeg,
            })
        };
        let (width, height) = (side(raster.size().width())?, side(raster.size().height())?);
        let failed = |error| EncodeError::failed(Format::Jpeg, error);
        let mut file = Vec::new();
        let mut encoder = Encoder::new(&mut file, settings.quality);
        encoder.set_progressive(true);
        encoder.set_optimized_huffman_tables(true);
        encoder.set_sampling_factor(settings.sampling);
        if let Some(profile) = colour::profile(raster.gamut()) {
            encoder.add_icc_profile(&profile).map_err(failed)?;
        }
        encoder
            .encode(raster.samples(), width, height, ColorType::Rgb)
            .map_err(failed)?;
        Ok(file)
    }
}
