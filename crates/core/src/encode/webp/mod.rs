//! The adapter to the WebP codec.

mod codec;
mod curves;
mod planes;

use std::sync::OnceLock;

use super::coder::{Abilities, Coder, Prepared, Shown, TilesAbove, Ways};
use super::palette::{self, Palettes};
use super::{Chroma, Coding, EncodeError, Format, Manner, Pace, Passes, inscribe};
use crate::colour;
use crate::pixels::Raster;
use crate::source::{Kind, Nature};
use codec::{Config, Planes};

const ABILITIES: Abilities = Abilities {
    kind: Kind::WebP,
    extension: "webp",
    novelty: 1,
    alpha: true,
    lossless: true,
    light_lossless: true,
    longest_side: 16_383,
    dials: 1..=100,
    ways: Some(WAYS),
    slow: false,
    packs_alike: false,
    // Without loss, as transparent planes always are; a photo needs a third.
    memory: 40,
    nanoseconds: 900,
    // Most of it are the probabilities of its entropy coder.
    scalable: false,
    least_look: 0.0,
    frame_bytes: 950,
    passes: false,
    revision: 2,
};

/// Chroma is always halved in the file; full here means that it is halved with care for coloured edges.
const WAYS: Ways = Ways {
    halved: &curves::HALVED_PHOTO,
    full: &curves::FULL_PHOTO,
    graphic: &curves::FULL_GRAPHIC,
    counted: Some(&curves::COUNTED_GRAPHIC),
    near: Some(&curves::NEAR_GRAPHIC),
    full_from: 86.0,
    tiles_above: Some(TilesAbove {
        at_75: 0.75,
        below: 0.12,
    }),
};

/// The encoder's effort, 0 to 6. At equal scores 5 is 1 to 2% lighter than 4 and takes hardly longer;
/// 6 is another 2% lighter and takes twice as long.
fn effort(pace: Pace) -> i32 {
    match pace {
        Pace::Quick => 2,
        Pace::Steady => 5,
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

/// How much more finely smooth areas are coded than busy ones, 0 to 100.
fn shaping(dial: u8, nature: Nature) -> i32 {
    match (nature, dial) {
        // Their flat areas cost nothing, however finely they are coded.
        (Nature::Graphic, _) => 0,
        (Nature::Photo, ..80) => 50,
        (Nature::Photo, 80..88) => 30,
        (Nature::Photo, _) => 15,
    }
}

/// How well edges are kept by the filter that hides the borders of blocks, 0 to 7.
const KEPT_EDGES: i32 = 7;

/// How finely transparency is coded, 0 to 100, by positions of the dial. Up to 70 there are so many fifths of
/// levels, from there on eight more each time, up to 256: so colours and edges are about as good as
/// each other (12 graphics of the corpus).
fn alpha_quality(dial: u8) -> i32 {
    const KNOTS: [(i32, i32); 9] = [
        (0, 20),
        (20, 60),
        (40, 70),
        (60, 72),
        (75, 74),
        (85, 76),
        (92, 80),
        (97, 86),
        (100, 100),
    ];
    let dial = i32::from(dial);
    let next = KNOTS
        .iter()
        .position(|knot| knot.0 >= dial)
        .unwrap_or(KNOTS.len() - 1)
        .max(1);
    let ((from, low), (to, high)) = (KNOTS[next - 1], KNOTS[next]);
    low + (high - low) * (dial - from) / (to - from)
}

/// How much of colours is kept, 0 to 100, by positions of the dial from 1 to 4: from four bits less to one.
fn nearness(dial: u8) -> i32 {
    i32::from(dial.clamp(1, 4)) * 20
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
        Ok(Box::new(Ready {
            raster,
            nature: Nature::of(raster),
            halved: OnceLock::new(),
            full: OnceLock::new(),
            palettes: Palettes::of(raster),
        }))
    }
}

fn config(pace: Pace) -> Option<Config> {
    let mut config = codec::config()?;
    config.method = effort(pace);
    Some(config)
}

fn lossless(config: Config, pace: Pace) -> Config {
    Config {
        lossless: 1,
        quality: lossless_effort(pace),
        ..config
    }
}

fn failed(what: &str) -> EncodeError {
    EncodeError::failed(Format::WebP, what.to_owned())
}

/// A raster, and what files with loss are made of.
struct Ready<'a> {
    raster: &'a Raster,
    nature: Nature,
    halved: OnceLock<Planes>,
    full: OnceLock<Option<Planes>>,
    palettes: Palettes<'a>,
}

impl Ready<'_> {
    /// A file without a profile.
    fn file(&self, manner: Manner) -> Option<Vec<u8>> {
        let config = config(manner.pace)?;
        let Coding::Dial(dial) = manner.coding else {
            return codec::lossless(self.raster, &lossless(config, manner.pace));
        };
        match manner.chroma {
            Chroma::Halved => {
                let planes = self.halved.get_or_init(|| planes::plain(self.raster));
                codec::lossy(planes, &self.lossy(config, dial, manner.pace))
            }
            Chroma::Full => {
                let planes = self.full.get_or_init(|| codec::careful(self.raster));
                codec::lossy(planes.as_ref()?, &self.lossy(config, dial, manner.pace))
            }
            Chroma::Counted => {
                let few = self.palettes.few(palette::colours_at(dial), 0.0);
                let shown = few.shown(self.raster)?;
                codec::lossless(&shown, &lossless(config, manner.pace))
            }
            Chroma::Near => {
                let config = Config {
                    near_lossless: nearness(dial),
                    ..lossless(config, manner.pace)
                };
                codec::lossless(self.raster, &config)
            }
        }
    }

    fn lossy(&self, config: Config, dial: u8, pace: Pace) -> Config {
        let dial = dial.min(100);
        Config {
            quality: f32::from(dial),
            sns_strength: shaping(dial, self.nature),
            filter_sharpness: KEPT_EDGES,
            alpha_quality: alpha_quality(dial),
            // It tries strengths of the filter, which takes three times as long.
            autofilter: i32::from(pace == Pace::Patient),
            ..config
        }
    }

    /// With the profile that its colours need.
    fn profiled(&self, file: Vec<u8>) -> Result<Vec<u8>, EncodeError> {
        match colour::profile(self.raster.gamut()) {
            None => Ok(file),
            Some(profile) => inscribe::webp_with_profile(&file, &profile)
                .ok_or_else(|| failed("its container is not as expected")),
        }
    }
}

impl Prepared for Ready<'_> {
    fn encode(&self, manner: Manner) -> Result<Vec<u8>, EncodeError> {
        let file = self.file(manner);
        self.profiled(file.ok_or_else(|| failed("the codec gave up on it"))?)
    }

    fn shown(&self, manner: Manner) -> Result<Shown, EncodeError> {
        let file = self.encode(manner)?;
        let shown = codec::shown(&file, self.raster.size());
        let shown = shown.map(|shown| shown.in_gamut(self.raster.gamut()));
        Ok((file, shown))
    }
}

#[cfg(test)]
mod tests;
