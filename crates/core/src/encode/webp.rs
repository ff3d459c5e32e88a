//! The adapter to the WebP encoder.

use webp::{Encoder, PixelLayout, WebPConfig};

use super::{Chroma, Coding, EncodeError, Format, Pace, inscribe};
use crate::colour;
use crate::pixels::{Channels, Raster};

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

pub(super) fn encode(
    raster: &Raster,
    coding: Coding,
    chroma: Chroma,
    pace: Pace,
) -> Result<Vec<u8>, EncodeError> {
    let failed = |what: &str| EncodeError::failed(Format::WebP, what.to_owned());
    let mut config = WebPConfig::new().map_err(|()| failed("it refused its own defaults"))?;
    config.method = effort(pace);
    match coding {
        Coding::Lossless => {
            config.lossless = 1;
            config.quality = lossless_effort(pace);
        }
        Coding::Dial(dial) => {
            config.quality = f32::from(dial.min(100));
            // Halved chroma frays coloured edges; the slower conversion mends most of that.
            config.use_sharp_yuv = i32::from(chroma == Chroma::Full);
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
