//! What a picture would weigh: a few bands of it are sized as the whole would be and encoded
//! together, and the result is scaled by height and by how busy the rest is.

use crate::colour::Working;
use crate::decode::{Form, Row};
use crate::encode::{Format, Pace};
use crate::pipeline::{self, Aims, PieceError};
use crate::pixels::{Backdrop, Channels, Gamut, Kernel, Raster, Size};
use crate::plan::CodingWish;
use crate::size::Sizer;

use super::activity;

/// Bands of a picture: enough to meet sky, subject and foreground.
const BANDS: u32 = 5;

/// About so many pixels are encoded for an estimate.
const SAMPLED_PIXELS: u32 = 180_000;

/// Block codecs work in rows of blocks this high.
const BLOCK: u32 = 16;

/// The bands of one picture, while its rows go by.
pub(super) struct Sampler {
    working: Working,
    target: Size,
    bands: Vec<Band>,
    light: Vec<f32>,
    row: u32,
}

struct Band {
    /// The first source row, and the first behind.
    from: u32,
    to: u32,
    sizer: Sizer,
}

/// The sampled bands, stacked.
pub(super) struct Sample {
    raster: Raster,
    /// The parts of the picture's height that they come from.
    shares: Vec<(f64, f64)>,
    target: Size,
}

impl Sampler {
    /// Prepares for a picture that becomes `target`, both as stored.
    pub(super) fn new(form: &Form, target: Size) -> Self {
        let working = Working::new(form, Gamut::Srgb).0;
        let (source, channels) = (form.size, working.channels());
        let wanted = SAMPLED_PIXELS / target.width() / BANDS;
        let height = ((wanted + BLOCK / 2) / BLOCK * BLOCK).max(BLOCK);
        // Where the bands would cover most of the picture, one band covers all of it.
        let bands = match u64::from(height * BANDS) * 10 > u64::from(target.height()) * 7 {
            true => vec![(0, source.height(), target.height())],
            false => (0..BANDS)
                .map(|band| {
                    let middle = u64::from(source.height()) * u64::from(2 * band + 1);
                    let middle = middle / u64::from(2 * BANDS);
                    let rows = u64::from(height) * u64::from(source.height());
                    let rows = (rows / u64::from(target.height())).max(1);
                    let from = middle.saturating_sub(rows / 2) as u32;
                    (from, from + rows as u32, height)
                })
                .collect(),
        };
        let band = |(from, to, height): (u32, u32, u32)| {
            let part = Size::new(source.width(), to - from)?;
            let target = Size::new(target.width(), height)?;
            Some(Band {
                from,
                to,
                sizer: Sizer::new(part, target, channels, Kernel::Clear),
            })
        };
        Sampler {
            working,
            target,
            bands: bands.into_iter().filter_map(band).collect(),
            light: Vec::new(),
            row: 0,
        }
    }

    pub(super) fn push(&mut self, row: Row<'_>) {
        let line = self.row;
        self.row += 1;
        let hit = self
            .bands
            .iter_mut()
            .find(|band| (band.from..band.to).contains(&line));
        if let Some(band) = hit {
            self.working.row(row, &mut self.light);
            band.sizer.push(&self.light, false);
        }
    }

    /// The bands as one raster, once every row was pushed.
    pub(super) fn finish(self) -> Option<Sample> {
        let rows = f64::from(self.row);
        let share = |band: &Band| (f64::from(band.from) / rows, f64::from(band.to) / rows);
        let shares = self.bands.iter().map(share).collect();
        let parts = self.bands.into_iter().map(|band| band.sizer.finish());
        let parts: Vec<Raster> = parts.collect::<Option<_>>()?;
        Some(Sample {
            raster: stacked(&parts)?,
            shares,
            target: self.target,
        })
    }
}

impl Sample {
    /// The estimated bytes of the whole; `rows` is the activity of each row of a small copy.
    pub(super) fn weigh(
        &self,
        format: Format,
        coding: CodingWish,
        rows: &[f64],
    ) -> Result<u64, PieceError> {
        let aims = Aims {
            coding,
            max_weight: None,
            pace: Pace::Steady,
            backdrop: Backdrop::WHITE,
        };
        let file = pipeline::piece(&self.raster, format, aims)?.file.len() as f64;
        let frame = f64::from(frame_bytes(format)).min(file);
        let taller = f64::from(self.target.height()) / f64::from(self.raster.size().height());
        let busier = match self.shares.len() {
            0 | 1 => 1.0,
            _ => activity::of_all_over(rows, &self.shares),
        };
        Ok((frame + (file - frame) * taller * busier).round() as u64)
    }
}

/// Bytes that do not grow with the picture: headers and tables, fitted on 19 photos.
fn frame_bytes(format: Format) -> u16 {
    match format {
        Format::Jpeg => 330,
        Format::Png => 70,
        // Most of it are the probabilities of its entropy coder.
        Format::WebP => 950,
        Format::Avif => 300,
    }
}

/// Rasters of one width, one below the other.
fn stacked(parts: &[Raster]) -> Option<Raster> {
    let clear = parts.iter().any(|part| part.channels() == Channels::Rgba);
    let width = parts.first()?.size().width();
    let height = parts.iter().map(|part| part.size().height()).sum();
    let mut samples = Vec::new();
    for part in parts {
        match (clear, part.channels()) {
            (true, Channels::Rgb) => {
                let pixels = part.samples().chunks_exact(3);
                samples.extend(pixels.flat_map(|p| [p[0], p[1], p[2], 255]));
            }
            _ => samples.extend_from_slice(part.samples()),
        }
    }
    let channels = if clear { Channels::Rgba } else { Channels::Rgb };
    Raster::new(Size::new(width, height)?, channels, samples)
}
