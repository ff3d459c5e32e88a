//! The adapter to the JPEG encoder.

mod curves;
mod repack;

use kiln_jpeg::{Coefficients, Colours, Effort, Layout, Options, Refusal, Sampling};

use super::coder::{Abilities, Coder, Prepared, Shown, TilesAbove, Ways};
use super::{Chroma, Coding, EncodeError, Format, Manner, Own, Pace, Passes, Repacked};
use crate::colour;
use crate::container::jpeg;
use crate::pixels::{Channels, Raster};
use crate::source::Kind;

const ABILITIES: Abilities = Abilities {
    kind: Kind::Jpeg,
    extension: "jpg",
    novelty: 0,
    alpha: false,
    lossless: false,
    light_lossless: false,
    longest_side: 65_535,
    dials: 8..=98,
    ways: Some(WAYS),
    slow: false,
    packs_alike: false,
    memory: 24,
    nanoseconds: 500,
    scalable: false,
    least_look: 0.0,
    frame_bytes: 330,
    passes: true,
    revision: 3,
};

/// Halved chroma is moved to where its enlargement serves best: up to a score of 90 it is lighter at equal
/// scores than full chroma for photos.
const WAYS: Ways = Ways {
    halved: &curves::HALVED_PHOTO,
    full: &curves::FULL_PHOTO,
    graphic: &curves::FULL_GRAPHIC,
    counted: None,
    near: None,
    full_from: 92.0,
    tiles_above: Some(TilesAbove {
        at_75: 3.3,
        below: 0.135,
    }),
};

/// The coder.
pub(super) struct Jpeg;

impl Coder for Jpeg {
    fn abilities(&self) -> &'static Abilities {
        &ABILITIES
    }

    fn prepare<'a>(
        &self,
        raster: &'a Raster,
        passes: Passes,
    ) -> Result<Box<dyn Prepared + 'a>, EncodeError> {
        let size = (raster.size().width(), raster.size().height());
        let picture = kiln_jpeg::Prepared::new(size, raster.samples());
        let picture = picture.map_err(|why| match why {
            Refusal::Size { .. } => EncodeError::TooLarge {
                size: raster.size(),
                format: Format::Jpeg,
            },
            why => EncodeError::failed(Format::Jpeg, why),
        })?;
        Ok(Box::new(Ready {
            raster,
            picture,
            passes,
        }))
    }

    fn repack(&self, own: &Own<'_>, passes: Passes) -> Option<Repacked> {
        repack::repack(own, passes)
    }
}

/// A picture that the codec has made ready.
struct Ready<'a> {
    raster: &'a Raster,
    picture: kiln_jpeg::Prepared<'a>,
    passes: Passes,
}

impl Ready<'_> {
    fn coefficients(&self, manner: Manner) -> Coefficients {
        let dial = match manner.coding {
            Coding::Dial(dial) => dial.clamp(1, 100),
            Coding::Lossless => 100,
        };
        let sampling = match manner.chroma {
            Chroma::Halved => Sampling::Halved,
            _ => Sampling::Full,
        };
        let effort = match manner.pace {
            Pace::Quick => Effort::Quick,
            Pace::Steady => Effort::Steady,
            Pace::Patient => Effort::Patient,
        };
        self.picture.coefficients(dial, sampling, effort)
    }

    fn written(&self, coefficients: &Coefficients, pace: Pace) -> Result<Vec<u8>, EncodeError> {
        let segments = segments(self.raster).ok_or_else(|| {
            EncodeError::failed(
                Format::Jpeg,
                "its profile is too long for a segment".to_owned(),
            )
        })?;
        let layout = match (self.passes, pace) {
            (Passes::One, _) => Layout::Sequential,
            (_, Pace::Quick) => Layout::Progressive,
            (Passes::Lightest, Pace::Patient) => Layout::Smallest,
            _ => Layout::Searched,
        };
        Ok(coefficients.write(Options {
            layout,
            restart: 0,
            segments: &segments,
        }))
    }

    /// The pixels that coefficients show.
    fn pixels(&self, coefficients: &Coefficients) -> Option<Raster> {
        let size = self.raster.size();
        let is_grey = coefficients.planes.len() == 1;
        let colours = if is_grey {
            Colours::Grey
        } else {
            Colours::YCbCr
        };
        let mut rows = coefficients.rows(colours);
        let mut samples = Vec::with_capacity(size.pixels() as usize * 3);
        for _ in 0..size.height() {
            let row = rows.next_row().ok()?;
            if is_grey {
                samples.extend(row.iter().flat_map(|&grey| [grey; 3]));
            } else {
                samples.extend_from_slice(row);
            }
        }
        let raster = Raster::new(size, Channels::Rgb, samples)?;
        Some(raster.in_gamut(self.raster.gamut()))
    }
}

impl Prepared for Ready<'_> {
    fn encode(&self, manner: Manner) -> Result<Vec<u8>, EncodeError> {
        self.written(&self.coefficients(manner), manner.pace)
    }

    fn shown(&self, manner: Manner) -> Result<Shown, EncodeError> {
        let coefficients = self.coefficients(manner);
        let file = self.written(&coefficients, manner.pace)?;
        Ok((file, self.pixels(&coefficients)))
    }
}

/// A JFIF segment (ITU-T T.871, without a density).
fn jfif() -> Option<Vec<u8>> {
    jpeg::segment(jpeg::APP0, &[b"JFIF\0", &[1, 2, 0, 0, 1, 0, 1, 0, 0]])
}

/// That, and the profile of the raster's gamut.
fn segments(raster: &Raster) -> Option<Vec<u8>> {
    let mut segments = jfif()?;
    if let Some(profile) = colour::profile(raster.gamut()) {
        // The first part of one.
        segments.extend(jpeg::segment(
            jpeg::APP2,
            &[b"ICC_PROFILE\0", &[1, 1], &profile],
        )?);
    }
    Some(segments)
}
