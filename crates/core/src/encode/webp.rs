//! The adapter to the WebP encoder.

use webp::{Encoder, PixelLayout, WebPConfig};

use super::{Coding, EncodeError, Format, inscribe};
use crate::colour;
use crate::pixels::{Channels, Raster};
use crate::source::Nature;

/// The encoder's effort, 0 to 6: 4 is its own default; 5 and 6 cost half as much time again
/// for about 1% of the bytes.
const LOSSY_EFFORT: i32 = 4;

/// The effort of the lossless mode, on its own scale: how hard it looks for a better coding.
const LOSSLESS_EFFORT: f32 = 75.0;

pub(super) fn encode(
    raster: &Raster,
    coding: Coding,
    nature: Nature,
) -> Result<Vec<u8>, EncodeError> {
    let failed = |what: &str| EncodeError::failed(Format::WebP, what.to_owned());
    let mut config = WebPConfig::new().map_err(|()| failed("it refused its own defaults"))?;
    config.method = LOSSY_EFFORT;
    match coding {
        Coding::Lossless => {
            config.lossless = 1;
            config.quality = LOSSLESS_EFFORT;
        }
        Coding::Dial(dial) => {
            config.quality = f32::from(dial.min(100));
            // Halved chroma frays coloured edges; the slower conversion mends most of that.
            config.use_sharp_yuv = i32::from(nature == Nature::Graphic);
        }
    }
    let layout = match raster.channels() {
        Channels::Rgb => PixelLayout::Rgb,
        Channels::Rgba => PixelLayout::Rgba,
    };
    let size = raster.size();
    let encoder = Encoder::new(raster.samples(), layout, size.width(), size.height());
    let file = encoder.encode_advanced(&config);
    let file = file.map_err(|error| failed(&format!("{error:?}")))?;
    match colour::profile(raster.gamut()) {
        None => Ok(file.to_vec()),
        Some(profile) => inscribe::webp_with_profile(&file, &profile)
            .ok_or_else(|| failed("its container is not as expected")),
    }
}
