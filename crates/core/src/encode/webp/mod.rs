//! The adapter to the WebP encoder.

mod curves;

use webp::{Encoder, PixelLayout, WebPConfig};

use super::coder::{Abilities, Coder, Prepared, Ways};
use super::{Chroma, Coding, EncodeError, Format, Manner, Pace, Passes, inscribe};
use crate::colour;
use crate::pixels::{Channels, Raster};
use crate::source::Kind;

const ABILITIES: Abilities = Abilities {
    kind: Kind::WebP,
    extension: "webp",
    alpha: true,
    lossless: true,
    longest_side: 16_383,
    dials: 1..=100,
    ways: Some(WAYS),
    slow: false,
    // Without loss, as transparent planes always are; a photo needs a third.
    memory: 40,
    // Most of it are the probabilities of its entropy coder.
    frame_bytes: 950,
    repacks: false,
    passes: false,
    revision: 1,
};

/// Chroma is always halved in the file; full here means that it is halved with care.
const WAYS: Ways = Ways {
    halved: &curves::HALVED_PHOTO,
    full: &curves::FULL_PHOTO,
    graphic: &curves::FULL_GRAPHIC,
    full_from: 80.0,
};

/// The encoder's effort, 0 to 6: 4 is its own default; 6 costs half as much time again for about
/// 1% of the bytes.
fn effort(pace: Pace) -> i32 {
    match pace {
        Pace::Quick => 2,
        Pace::Steady => 4,
        Pace::Patient => 6,
    }
}

/// The effort of the lossless mode, on its own scale: how hard it looks for a better coding.
fn lossless_effort(pace: Pace) -> f32 {
    match pace {
        Pace::Quick => 30.0,
        Pace::Steady => 75.0,
        Pace::Patient => 100.0,
    }
}

/// The coder.
pub(super) struct WebP;

impl Coder for WebP {
    fn abilities(&self) -> &'static Abilities {
        &ABILITIES
    }

    fn prepare<'a>(
        &self,
        raster: &'a Raster,
        _: Passes,
    ) -> Result<Box<dyn Prepared + 'a>, EncodeError> {
        Ok(Box::new(Samples { raster }))
    }
}

/// What a file is made by.
fn settings(manner: Manner) -> Result<WebPConfig, EncodeError> {
    let refused = |()| failed("it refused its own defaults");
    let mut config = WebPConfig::new().map_err(refused)?;
    config.method = effort(manner.pace);
    match manner.coding {
        Coding::Lossless => {
            config.lossless = 1;
            config.quality = lossless_effort(manner.pace);
        }
        Coding::Dial(dial) => {
            config.quality = f32::from(dial.min(100));
            // Halved chroma frays coloured edges; the slower conversion mends most of that.
            config.use_sharp_yuv = i32::from(manner.chroma == Chroma::Full);
        }
    }
    Ok(config)
}

fn failed(what: &str) -> EncodeError {
    EncodeError::failed(Format::WebP, what.to_owned())
}

/// The codec wants samples as they are.
struct Samples<'a> {
    raster: &'a Raster,
}

impl Prepared for Samples<'_> {
    fn encode(&self, manner: Manner) -> Result<Vec<u8>, EncodeError> {
        let raster = self.raster;
        let layout = match raster.channels() {
            Channels::Rgb => PixelLayout::Rgb,
            Channels::Rgba => PixelLayout::Rgba,
        };
        let size = raster.size();
        let encoder = Encoder::new(raster.samples(), layout, size.width(), size.height());
        let file = encoder.encode_advanced(&settings(manner)?);
        let file = file.map_err(|error| failed(&format!("{error:?}")))?;
        match colour::profile(raster.gamut()) {
            None => Ok(file.to_vec()),
            Some(profile) => inscribe::webp_with_profile(&file, &profile)
                .ok_or_else(|| failed("its container is not as expected")),
        }
    }
}
