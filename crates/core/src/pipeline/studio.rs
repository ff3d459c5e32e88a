//! A sized raster becomes finished files, each within its budgets.

use std::borrow::Cow;
use std::sync::OnceLock;

use super::account::{Attempt, Order, Ordered, Piece, PieceError};
use super::bench::Bench;
use super::candidates::best;
use super::canvas::Canvas;
use super::eye::{self, Eye};
use super::own::Own;
use super::terms::Terms;
use crate::budget::{Aim, Verdict};
use crate::colour;
use crate::credits::{Blocks, Inscription};
use crate::encode::{self, Format, Pace, Passes, Repacked};
use crate::pixels::{Backdrop, Channels, Raster, Size};
use crate::plan::{CodingWish, LookWish, Placement, PlannedSize};
use crate::source::Nature;

/// So many trials a look is given where it shall only be come near.
const SKETCH_TRIALS: usize = 2;

/// What a piece's sides are multiplied by to make it fit its weight, again and again.
const SHRINK: f64 = 0.9;

/// A piece is not made smaller than this part of the size that was asked for.
const LEAST_PART: f64 = 0.3;

/// What is wanted of every piece made from a raster.
#[derive(Clone, Copy, Debug)]
pub struct Aims {
    /// How samples shall be coded.
    pub coding: CodingWish,
    /// The most that a piece may weigh, in bytes.
    pub max_weight: Option<u64>,
    /// How much time it may cost.
    pub pace: Pace,
    /// Whether files come in several passes, in formats that know both.
    pub passes: Passes,
    /// What stands behind transparent pixels in a format without transparency.
    pub backdrop: Backdrop,
}

impl Aims {
    pub(super) fn of(placement: &Placement) -> Aims {
        Aims {
            coding: placement.coding,
            max_weight: placement.max_weight,
            pace: placement.pace,
            passes: placement.passes,
            backdrop: placement.backdrop,
        }
    }
}

/// A piece from a raster that is there already, for a device pixel ratio.
pub fn piece(
    raster: &Raster,
    density: f64,
    format: Format,
    aims: Aims,
) -> Result<Piece, PieceError> {
    let blocks = Inscription::default().blocks();
    Studio::new(Cow::Borrowed(raster), aims, density, blocks).make([format])
}

/// The colour behind transparent pixels of a raster where a format has no transparency.
pub(crate) fn backdrop(raster: &Raster, wish: Backdrop) -> [u8; 3] {
    match wish {
        Backdrop::Colour(colour) => colour::in_gamut(colour, raster.gamut()),
        Backdrop::Transparent => [255; 3],
    }
}

/// A sized raster, ready to be encoded in any format.
pub(super) struct Studio<'a> {
    canvas: Canvas<'a>,
    /// The raster on its backdrop, for formats that know no transparent pixels.
    opaque: OnceLock<Canvas<'static>>,
    density: f64,
    aims: Aims,
    /// What it shows of its original as it is, and that as a file.
    own: Option<&'a Own>,
    repacked: OnceLock<Option<Repacked>>,
    /// What every file gets beside its pixels: it counts in its weight.
    blocks: Blocks,
}

impl<'a> Studio<'a> {
    pub(super) fn new(raster: Cow<'a, Raster>, aims: Aims, density: f64, blocks: Blocks) -> Self {
        let nature = Nature::of(&raster);
        Studio {
            opaque: OnceLock::new(),
            canvas: Canvas::new(raster, nature),
            density,
            aims,
            own: None,
            repacked: OnceLock::new(),
            blocks,
        }
    }

    /// The same, where the raster shows an original as it is.
    pub(super) fn showing(self, own: Option<&'a Own>) -> Self {
        Studio { own, ..self }
    }

    /// The samples of the original as a file of a format, where that can be.
    fn repacked(&self, format: Format) -> Option<&Repacked> {
        let own = self.own.filter(|own| own.kind == format.kind())?;
        let repacked = self
            .repacked
            .get_or_init(|| own.repacked(format, self.aims.passes));
        repacked.as_ref()
    }

    pub(super) fn raster(&self) -> &Raster {
        &self.canvas.raster
    }

    /// About how many bytes one holds while it makes the pieces of a size, beside its raster.
    pub(super) fn memory(size: &PlannedSize, transparent: bool) -> u64 {
        let formats = || size.pieces.iter().flat_map(|piece| piece.formats());
        let encoding = formats().map(|format| encode::memory(size.size, format));
        // A picture on its backdrop is prepared beside that without.
        let flat = transparent && formats().any(|format| !format.holds_alpha());
        let mut seeing = Eye::memory(size.size, transparent);
        if flat {
            seeing += size.size.pixels() * 3 + Eye::memory(size.size, false);
        }
        encoding.max().unwrap_or(0) + seeing
    }

    /// Makes a piece to order.
    pub(super) fn ordered(
        &self,
        formats: impl IntoIterator<Item = Format>,
        order: &Order,
    ) -> Result<Piece, PieceError> {
        let known = &order.known;
        let formats = self.suited(formats);
        let mut piece = match &order.what {
            Ordered::Same { attempt, verdict } => {
                let bench = self.bench(attempt.format, self.terms())?;
                let (file, score) = bench.attempt(attempt.manner())?;
                bench.piece(file, (attempt.manner(), score), *verdict, Vec::new())
            }
            Ordered::Within { max_weight } => {
                let narrow = Terms {
                    max_weight: Some(self.aims.max_weight.unwrap_or(u64::MAX).min(*max_weight)),
                    ..self.terms()
                };
                let mut piece = self.one(&formats, known, narrow)?;
                let account = &mut piece.account;
                account.fits = self.fits(account.weight);
                if account.fits && account.verdict != Some(Verdict::Met) {
                    account.verdict = Some(Verdict::Shared);
                }
                piece
            }
            Ordered::Sketch => {
                let hasty = Terms {
                    trials: SKETCH_TRIALS,
                    ..self.terms()
                };
                self.one(&formats, known, hasty)?
            }
            Ordered::Look { look } => {
                let wish = self.wish(*look);
                let formats = formats.iter().copied();
                best(formats, wish.aim, &self.canvas, |format, rival| {
                    self.bench(format, self.terms())?.within(wish, known, rival)
                })?
            }
        };
        let account = &mut piece.account;
        account.fits = self.fits(account.weight);
        account.flattened = self.flattens(piece.format);
        account.trail.retain(|attempt| !known.contains(attempt));
        account.trail.splice(0..0, known.iter().copied());
        Ok(piece)
    }

    /// Of the formats that a piece may have those that can hold what it is, where any can: pixels that
    /// show something behind them, and every sample where it shall be coded without loss.
    fn suited(&self, formats: impl IntoIterator<Item = Format>) -> Vec<Format> {
        let all: Vec<Format> = formats.into_iter().collect();
        if all.len() < 2 {
            return all;
        }
        let exact = self.aims.coding == CodingWish::Exact;
        let opaque = self.canvas.raster.is_opaque();
        let is_exact =
            |format: Format| format.is_light_exactly() || self.repacked(format).is_some();
        let suits =
            |format: &Format| (opaque || format.holds_alpha()) && (!exact || is_exact(*format));
        let suited: Vec<Format> = all.iter().copied().filter(suits).collect();
        if suited.is_empty() { all } else { suited }
    }

    /// The plan's wish, at a lower look.
    fn wish(&self, look: f32) -> LookWish {
        match self.aims.coding {
            CodingWish::Look(wish) => LookWish {
                look,
                least: wish.least.min(look),
                aim: Aim::Lightest,
                ..wish
            },
            CodingWish::Exact | CodingWish::Dial(_) => LookWish::of(look),
        }
    }

    /// Makes a piece in the format that serves best: where it may be made smaller to keep its weight,
    /// the largest that does.
    pub(super) fn make(
        &self,
        formats: impl IntoIterator<Item = Format>,
    ) -> Result<Piece, PieceError> {
        let formats = self.suited(formats);
        let mut piece = self.one(&formats, &[], self.terms())?;
        let may_shrink = matches!(self.aims.coding, CodingWish::Look(look) if look.shrink_to_fit);
        let asked = self.canvas.raster.size();
        let mut part = SHRINK;
        while may_shrink && piece.account.verdict == Some(Verdict::Over) && part >= LEAST_PART {
            let side = |side: u32| ((f64::from(side) * part).round() as u32).max(1);
            let size = Size::new(side(asked.width()), side(asked.height()));
            let Some(smaller) = size.and_then(|size| eye::reduced(&self.canvas.raster, size))
            else {
                break;
            };
            let studio = Studio::new(
                Cow::Owned(smaller),
                self.aims,
                self.density,
                self.blocks.clone(),
            );
            piece = piece.or(studio.one(&formats, &[], studio.terms())?, |_, _| true);
            piece.account.shrunk = size;
            part *= SHRINK;
        }
        Ok(piece)
    }

    fn flattens(&self, format: Format) -> bool {
        self.canvas.raster.channels() == Channels::Rgba && !format.holds_alpha()
    }

    fn canvas(&self, format: Format) -> &Canvas<'_> {
        let flat = || Canvas::new(Cow::Owned(self.flat()), self.canvas.nature);
        if self.flattens(format) {
            self.opaque.get_or_init(flat)
        } else {
            &self.canvas
        }
    }

    /// What holds for every piece, where nothing else is ordered.
    pub(super) fn terms(&self) -> Terms<'_> {
        Terms {
            density: self.density,
            max_weight: self.aims.max_weight,
            pace: self.aims.pace,
            passes: self.aims.passes,
            trials: usize::MAX,
            glances: matches!(self.aims.coding, CodingWish::Dial(_)),
            blocks: &self.blocks,
        }
    }

    /// The score of a file in a format whose pixels come to a score of their own.
    pub(super) fn seen(&self, format: Format, own: f32, finished: &Raster) -> f32 {
        if self.density > 1.0 {
            self.canvas(format).eye(self.density).seen(own, finished)
        } else {
            own
        }
    }

    pub(super) fn bench<'b>(
        &'b self,
        format: Format,
        terms: Terms<'b>,
    ) -> Result<Bench<'b>, PieceError> {
        let bench = Bench::new(self.canvas(format), format, terms)?;
        Ok(bench.showing(self.repacked(format)))
    }

    /// Makes a piece in one size, in the format that serves best; its trail begins after what is known.
    fn one(
        &self,
        formats: &[Format],
        known: &[Attempt],
        terms: Terms<'_>,
    ) -> Result<Piece, PieceError> {
        let aim = match self.aims.coding {
            CodingWish::Look(wish) => wish.aim,
            CodingWish::Exact | CodingWish::Dial(_) => Aim::Lightest,
        };
        let formats = formats.iter().copied();
        best(formats, aim, &self.canvas, |format, rival| {
            let bench = self.bench(format, terms)?;
            let mut piece = bench.meet(self.aims.coding, known, rival)?;
            piece.account.flattened = self.flattens(format);
            Ok(piece)
        })
    }

    /// The raster on its backdrop.
    fn flat(&self) -> Raster {
        let raster = &self.canvas.raster;
        raster.over(backdrop(raster, self.aims.backdrop))
    }

    fn fits(&self, weight: u64) -> bool {
        self.aims.max_weight.is_none_or(|most| weight <= most)
    }
}
