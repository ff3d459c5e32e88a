//! Finished files, decoded again and scored against the raster that they were made from.

use kiln_sight::{Picture, Primaries, Reference};

use crate::decode::{self, DecodeError, Form};
use crate::encode::Format;
use crate::pixels::{Channels, Gamut, Kernel, Raster, Size};
use crate::size;
use crate::source::Nature;

/// What is added to the score of a piece's own pixels where it is shown at a density above 1:
/// so much less than its look may it show to those who zoom in. Graphics none: specks beside flat
/// colours, thin lines and letters are seen even where the score of the displayed size is good.
const ZOOMED: f32 = 15.0;
const ZOOMED_GRAPHIC: f32 = 0.0;

/// A raster, ready to be compared with the files made from it.
pub struct Eye {
    own: Option<Reference>,
    /// The picture as it is displayed, where that is smaller.
    shown: Option<(Size, Option<Reference>)>,
    /// What is added to the score of its own pixels then.
    zoomed: f32,
}

impl Eye {
    /// Prepares for a raster that is shown at a device pixel ratio.
    pub fn new(raster: &Raster, density: f64) -> Eye {
        let side = |side: u32| ((f64::from(side) / density).round() as u32).max(1);
        let size = raster.size();
        let displayed = Size::new(side(size.width()), side(size.height()));
        let smaller = displayed.filter(|&displayed| density > 1.0 && displayed != size);
        let shown = smaller.map(|size| {
            (
                size,
                reduced(raster, size).and_then(|small| reference(&small)),
            )
        });
        let graphic = shown.is_some() && Nature::of(raster) == Nature::Graphic;
        Eye {
            own: reference(raster),
            shown,
            zoomed: if graphic { ZOOMED_GRAPHIC } else { ZOOMED },
        }
    }

    /// About how many bytes it holds, for a raster of a size that may be transparent or not, while files are compared
    /// with it.
    pub fn memory(size: Size, transparent: bool) -> u64 {
        // On black, and on white; the displayed copy is at most as large again.
        let grounds = if transparent { 2 } else { 1 };
        Reference::memory(size.pixels()) * grounds + size.pixels() * 4
    }

    /// The score of a file made from the raster. At density 1 it is that of its pixels. Above, the
    /// picture is seen reduced, so both sides are reduced alike; but its own pixels may not fall
    /// far below.
    pub fn score(&self, raster: &Raster, format: Format, file: &[u8]) -> Result<f32, DecodeError> {
        Ok(score(raster, &finished(raster, format, file)?, || self))
    }

    fn compare(&self, finished: &Raster) -> f32 {
        let own = compare(self.own.as_ref(), Some(finished));
        self.seen(own, finished)
    }

    /// The score of a finished picture whose pixels come to a score of their own.
    pub(super) fn seen(&self, own: f32, finished: &Raster) -> f32 {
        match &self.shown {
            None => own,
            Some((size, shown)) => {
                let small = reduced(finished, *size);
                compare(shown.as_ref(), small.as_ref()).min(own + self.zoomed)
            }
        }
    }
}

/// The score of a finished picture, by an eye that is prepared only where it is not the same.
pub(super) fn score<'a>(raster: &Raster, finished: &Raster, eye: impl FnOnce() -> &'a Eye) -> f32 {
    if finished == raster {
        100.0
    } else {
        eye().compare(finished)
    }
}

/// The pixels of a file that was made of a raster.
pub(super) fn finished(
    raster: &Raster,
    format: Format,
    file: &[u8],
) -> Result<Raster, DecodeError> {
    let finished = decode::finished(format.kind(), file, raster.size())?;
    Ok(finished.in_gamut(raster.gamut()))
}

/// The score of a raster of the reference's size: then there is one.
fn compare(reference: Option<&Reference>, raster: Option<&Raster>) -> f32 {
    let picture = raster.and_then(picture);
    let score = reference
        .zip(picture)
        .and_then(|(reference, picture)| reference.score(picture));
    score.unwrap_or(f32::MIN)
}

/// A raster as the score takes it.
pub(crate) fn picture(raster: &Raster) -> Option<Picture<'_>> {
    let (width, height) = (
        raster.size().width() as usize,
        raster.size().height() as usize,
    );
    let picture = match raster.channels() {
        Channels::Rgb => Picture::rgb(width, height, raster.samples()),
        Channels::Rgba => Picture::rgba(width, height, raster.samples()),
    };
    let primaries = match raster.gamut() {
        Gamut::Srgb => Primaries::Srgb,
        Gamut::DisplayP3 => Primaries::DisplayP3,
    };
    picture.map(|picture| picture.with_primaries(primaries))
}

fn reference(raster: &Raster) -> Option<Reference> {
    picture(raster).map(Reference::new)
}

/// A raster as large as it is displayed.
pub(crate) fn reduced(raster: &Raster, size: Size) -> Option<Raster> {
    let (form, gamut) = (Form::of(raster), raster.gamut());
    size::sized(&form, raster.samples(), gamut, size, Kernel::Even)
}
