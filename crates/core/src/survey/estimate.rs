//! What a picture would weigh: a few bands of it are sized as the whole would be and encoded
//! together, and the result is scaled by height and by how busy the rest is. The dial that the
//! look needs is searched for on square tiles: in bands, which are low, a visual score sees seams
//! and no coarse scales.

use serde::Serialize;

use crate::colour::Working;
use crate::decode::{Form, Row};
use crate::encode::{self, EncodeError, Format, Manner, Pace, Passes};
use crate::pipeline::{self, Aims, Piece, PieceError};
use crate::pixels::{Area, Backdrop, Channels, Gamut, Kernel, Raster, Region, Size};
use crate::plan::{CodingWish, LookWish};
use crate::size::Sizer;

use super::activity;
use super::tiles::Tiles;

/// Bands of a picture: enough to meet sky, subject and foreground.
const BANDS: u32 = 5;

/// About so many pixels are encoded for an estimate.
const SAMPLED_PIXELS: u32 = 180_000;

/// Block codecs work in rows of blocks this high.
const BLOCK: u32 = 16;

/// Tiles that a look is searched for on, where bands do not show all of a picture.
const TILES: u32 = 3;

/// The side of a tile: the coarsest of the score's six scales needs so many pixels.
const TILE: u32 = 256;

/// What is wanted of a glance.
#[derive(Clone, Copy, Debug)]
pub struct Asked {
    /// The width that the picture would be made at, never above its own.
    pub width: u32,
    /// The width that it is displayed at, in CSS pixels: what is wider is for dense screens.
    pub displayed: u32,
    /// The format that it would be made in.
    pub format: Format,
    /// How good it shall look.
    pub coding: CodingWish,
    /// The width of the thumbnail, 0 for none.
    pub thumbnail: u32,
}

/// What a picture would weigh.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct Estimate {
    /// Width and height of the piece.
    pub size: Size,
    /// Its format.
    pub format: Format,
    /// Its estimated bytes.
    pub weight: u64,
}

/// The bands of one picture, while its rows go by.
pub(super) struct Sampler {
    working: Working,
    target: Size,
    bands: Vec<Part>,
    tiles: Vec<Part>,
    light: Vec<f32>,
    row: u32,
}

struct Part {
    /// The first source row, and the first behind.
    from: u32,
    to: u32,
    sizer: Sizer,
}

/// The sampled bands, stacked, and the tiles.
pub(super) struct Sample {
    raster: Raster,
    tiles: Option<Raster>,
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
        let band = |&(from, to, height): &(u32, u32, u32)| {
            let part = Size::new(source.width(), to - from)?;
            let target = Size::new(target.width(), height)?;
            let sizer = Sizer::new(part, target, channels, Kernel::Clear);
            Some(Part { from, to, sizer })
        };
        let tiles = if bands.len() > 1 { TILES } else { 0 };
        Sampler {
            working,
            target,
            tiles: (0..tiles)
                .filter_map(|index| tile(index, source, target, channels))
                .collect(),
            bands: bands.iter().filter_map(band).collect(),
            light: Vec::new(),
            row: 0,
        }
    }

    pub(super) fn push(&mut self, row: Row<'_>) {
        let line = self.row;
        self.row += 1;
        let parts = self.bands.iter_mut().chain(&mut self.tiles);
        let mut hit = parts
            .filter(|part| (part.from..part.to).contains(&line))
            .peekable();
        if hit.peek().is_some() {
            self.working.row(row, &mut self.light);
            hit.for_each(|part| part.sizer.push(&self.light, false));
        }
    }

    /// The bands as one raster, once every row was pushed.
    pub(super) fn finish(self) -> Option<Sample> {
        let rows = f64::from(self.row);
        let share = |band: &Part| (f64::from(band.from) / rows, f64::from(band.to) / rows);
        let shares = self.bands.iter().map(share).collect();
        let finished = |parts: Vec<Part>| -> Option<Vec<Raster>> {
            let parts = parts.into_iter().map(|part| part.sizer.finish());
            parts.collect()
        };
        Some(Sample {
            raster: stacked(&finished(self.bands)?)?,
            tiles: stacked(&finished(self.tiles)?),
            shares,
            target: self.target,
        })
    }
}

impl Sample {
    /// The estimated bytes of the whole, shown at a device pixel ratio; `rows` is the activity of
    /// each row of a small copy.
    pub(super) fn weigh(
        &self,
        density: f64,
        wanted: &Asked,
        rows: &[f64],
    ) -> Result<u64, PieceError> {
        let format = wanted.format;
        let file = match self.manner(density, wanted)? {
            None => trial(&self.raster, density, wanted, Pace::Steady)?.file,
            Some(manner) => coded(&self.raster, format, manner)?,
        };
        let taller = f64::from(self.target.height()) / f64::from(self.raster.size().height());
        let busier = match self.shares.len() {
            0 | 1 => 1.0,
            _ => activity::of_all_over(rows, &self.shares),
        };
        Ok(scaled(&file, format, taller * busier))
    }

    /// How the bands are to be coded, where the tiles tell.
    fn manner(&self, density: f64, wanted: &Asked) -> Result<Option<Manner>, PieceError> {
        let (Some(tiles), CodingWish::Look(_)) = (&self.tiles, wanted.coding) else {
            return Ok(None);
        };
        // At a quick pace, where it is known by how much tiles score better then.
        let found = match (wanted.coding, wanted.format.tiles_above()) {
            (CodingWish::Look(wish), Some(above)) => {
                let look = (wish.look + above.at(wish.look)).min(100.0);
                let coding = CodingWish::Look(LookWish { look, ..wish });
                trial(tiles, density, &Asked { coding, ..*wanted }, Pace::Quick)?
            }
            _ => trial(tiles, density, wanted, Pace::Steady)?,
        };
        Ok(steady(&found, wanted.format))
    }
}

/// The estimated bytes of a graphic, from some of its tiles.
pub(super) fn of_tiles(tiles: &Tiles, density: f64, wanted: &Asked) -> Result<u64, PieceError> {
    let format = wanted.format;
    // How it is coded is found at a quick pace; what it weighs is told by the usual one.
    let quick = trial(&tiles.raster, density, wanted, Pace::Quick)?;
    let file = match steady(&quick, format) {
        Some(manner) => coded(&tiles.raster, format, manner)?,
        None => quick.file,
    };
    Ok(scaled(&file, format, tiles.times))
}

/// The bytes of a file in a format of which all but its frame grows so many times.
fn scaled(file: &[u8], format: Format, times: f64) -> u64 {
    let file = file.len() as f64;
    let frame = f64::from(format.coder().abilities().frame_bytes).min(file);
    (frame + (file - frame) * times).round() as u64
}

/// How a piece was made, but for its pace, which is the usual one.
fn steady(piece: &Piece, format: Format) -> Option<Manner> {
    let account = &piece.account;
    let manner = account.trail[account.kept(format)?].manner();
    let pace = Pace::Steady;
    Some(Manner { pace, ..manner })
}

/// A file made in a manner, on white where its format has no transparency.
fn coded(raster: &Raster, format: Format, manner: Manner) -> Result<Vec<u8>, EncodeError> {
    let clear = raster.channels() == Channels::Rgba && !format.holds_alpha();
    let opaque = clear.then(|| raster.over([255; 3]));
    encode::encode(opaque.as_ref().unwrap_or(raster), format, manner)
}

/// A piece as it is wanted.
fn trial(raster: &Raster, density: f64, wanted: &Asked, pace: Pace) -> Result<Piece, PieceError> {
    let aims = Aims {
        coding: wanted.coding,
        max_weight: None,
        pace,
        passes: Passes::default(),
        backdrop: Backdrop::WHITE,
    };
    pipeline::piece(raster, density, wanted.format, aims)
}

/// One of the tiles: each in a row and a column of its own.
fn tile(index: u32, source: Size, target: Size, channels: usize) -> Option<Part> {
    let side = TILE.min(target.width()).min(target.height());
    // Where its left or upper border is, in pixels of the target.
    let place = |index: u32, length: u32| {
        let middle = f64::from(length) * f64::from(2 * index + 1) / f64::from(2 * TILES);
        (middle - f64::from(side) / 2.0).clamp(0.0, f64::from(length - side))
    };
    let across = f64::from(source.width()) / f64::from(target.width());
    let down = f64::from(source.height()) / f64::from(target.height());
    let from = (place(index, target.height()) * down) as u32;
    let rows = (f64::from(side) * down).round().max(1.0) as u32;
    let to = (from + rows).min(source.height());
    let area = Area::whole(Size::new(source.width(), to - from)?);
    let region = Region {
        x: place((index + 1) % TILES, target.width()) * across,
        width: f64::from(side) * across,
        ..area.into()
    };
    let target = Size::new(side, side)?;
    let sizer = Sizer::of_region(area, region, target, channels, Kernel::Clear);
    Some(Part { from, to, sizer })
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
