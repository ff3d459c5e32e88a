//! A sized raster becomes finished files, each within its budgets.

use std::borrow::Cow;
use std::collections::HashMap;
use std::sync::OnceLock;

use super::account::{Account, Attempt, Order, Piece, PieceError};
use super::eye::{self, Eye};
use super::guess;
use crate::budget::{self, Curve, Outcome, Trial, Verdict};
use crate::colour;
use crate::credits::{Blocks, Inscription};
use crate::encode::{self, Chroma, Coding, Format, Manner, Pace};
use crate::pixels::{Backdrop, Channels, Raster, Size};
use crate::plan::{CodingWish, LookWish, Placement};
use crate::source::Nature;

/// From this look on, photos keep their chroma: at equal scores files are then 5 to 10% lighter
/// than with halved chroma at a higher dial, and below 20% heavier.
const FULL_CHROMA: f32 = 80.0;

/// So many trials a slow coder is given to find a look, at the pace that is asked for.
const SLOW_TRIALS: usize = 3;

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
    /// What stands behind transparent pixels in a format without transparency.
    pub backdrop: Backdrop,
}

impl Aims {
    pub(super) fn of(placement: &Placement) -> Aims {
        Aims {
            coding: placement.coding,
            max_weight: placement.max_weight,
            pace: placement.pace,
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
    Studio::new(Cow::Borrowed(raster), aims, density, blocks).make(format)
}

/// A sized raster, ready to be encoded in any format.
pub(super) struct Studio<'a> {
    canvas: Canvas<'a>,
    /// The raster on its backdrop, for formats that know no transparent pixels.
    opaque: OnceLock<Canvas<'static>>,
    nature: Nature,
    density: f64,
    aims: Aims,
    /// What every file gets beside its pixels: it counts in its weight.
    blocks: Blocks,
}

/// A raster, and what is prepared of it once it is needed.
struct Canvas<'a> {
    raster: Cow<'a, Raster>,
    eye: OnceLock<Eye>,
    features: OnceLock<[f64; guess::FEATURES]>,
}

impl<'a> Canvas<'a> {
    fn new(raster: Cow<'a, Raster>) -> Canvas<'a> {
        Canvas {
            raster,
            eye: OnceLock::new(),
            features: OnceLock::new(),
        }
    }
}

impl<'a> Studio<'a> {
    pub(super) fn new(raster: Cow<'a, Raster>, aims: Aims, density: f64, blocks: Blocks) -> Self {
        Studio {
            nature: Nature::of(&raster),
            opaque: OnceLock::new(),
            canvas: Canvas::new(raster),
            density,
            aims,
            blocks,
        }
    }

    /// Makes a piece to order.
    pub(super) fn ordered(&self, format: Format, order: &Order) -> Result<Piece, PieceError> {
        let canvas = self.canvas(format);
        let (mut piece, known) = match order {
            Order::Same {
                attempt,
                verdict,
                known,
            } => {
                let (file, score) = self.attempt(canvas, format, attempt.manner())?;
                let piece = self.piece(file, attempt.coding, score, *verdict, Vec::new());
                (piece, known)
            }
            Order::Within { max_weight, known } => {
                let max_weight = Some(self.aims.max_weight.unwrap_or(u64::MAX).min(*max_weight));
                let aims = Aims {
                    max_weight,
                    ..self.aims
                };
                let raster = Cow::Borrowed(&*self.canvas.raster);
                let narrow = Studio::new(raster, aims, self.density, self.blocks.clone());
                let mut piece = narrow.one(format, known)?;
                let account = &mut piece.account;
                account.fits = self.fits(account.weight);
                if account.fits && account.verdict != Some(Verdict::Met) {
                    account.verdict = Some(Verdict::Shared);
                }
                (piece, known)
            }
            Order::Look { look, known } => {
                let wish = self.wish(*look);
                (self.within(canvas, format, wish, known)?, known)
            }
        };
        piece.account.flattened = self.flattens(format);
        piece.account.trail.splice(0..0, known.iter().copied());
        Ok(piece)
    }

    /// The plan's wish, at a lower look.
    fn wish(&self, look: f32) -> LookWish {
        match self.aims.coding {
            CodingWish::Look(wish) => LookWish {
                look,
                least: wish.least.min(look),
                sharpest: false,
                ..wish
            },
            CodingWish::Exact | CodingWish::Dial(_) => LookWish::of(look),
        }
    }

    /// Makes a piece: where it may be made smaller to keep its weight, the largest that does.
    pub(super) fn make(&self, format: Format) -> Result<Piece, PieceError> {
        let mut piece = self.one(format, &[])?;
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
            piece = piece.or(studio.one(format, &[])?, |_, _| true);
            piece.account.shrunk = size;
            part *= SHRINK;
        }
        Ok(piece)
    }

    fn flattens(&self, format: Format) -> bool {
        self.canvas.raster.channels() == Channels::Rgba && !format.holds_alpha()
    }

    fn canvas(&self, format: Format) -> &Canvas<'_> {
        let flat = || Canvas::new(Cow::Owned(self.flat()));
        match self.flattens(format) {
            true => self.opaque.get_or_init(flat),
            false => &self.canvas,
        }
    }

    /// Makes a piece in one size; its trail begins after what is known.
    fn one(&self, format: Format, known: &[Attempt]) -> Result<Piece, PieceError> {
        let canvas = self.canvas(format);
        let mut piece = match (self.aims.coding, format.dials()) {
            (_, None) | (CodingWish::Exact, _) => self.lossless(canvas, format)?,
            (CodingWish::Dial(dial), Some(_)) => self.single(canvas, format, Coding::Dial(dial))?,
            (CodingWish::Look(wish), Some(_)) => self.within(canvas, format, wish, known)?,
        };
        piece.account.flattened = self.flattens(format);
        Ok(piece)
    }

    /// The raster on its backdrop.
    fn flat(&self) -> Raster {
        let raster = &self.canvas.raster;
        raster.over(match self.aims.backdrop {
            Backdrop::Colour(colour) => colour::in_gamut(colour, raster.gamut()),
            Backdrop::Transparent => [255; 3],
        })
    }

    /// The lossy file that the search finds, or the lossless one where it serves better: where it
    /// keeps the weight and is no heavier, or where loss would miss the look.
    fn within(
        &self,
        canvas: &Canvas<'_>,
        format: Format,
        wish: LookWish,
        known: &[Attempt],
    ) -> Result<Piece, PieceError> {
        let chroma = match self.nature == Nature::Graphic || wish.look >= FULL_CHROMA {
            true => Chroma::Full,
            false => Chroma::Halved,
        };
        let mut lossy = self.search(canvas, format, (chroma, wish), known)?;
        let other = match (chroma, lossy.account.verdict) {
            _ if self.nature == Nature::Graphic => None,
            // Coloured details that no dial can keep in halved chroma.
            (Chroma::Halved, Some(Verdict::Short | Verdict::Over)) => Some(Chroma::Full),
            // The weight keeps it from its look: halved, it looks better for these bytes.
            (Chroma::Full, _) if lossy.account.score < FULL_CHROMA => Some(Chroma::Halved),
            _ => None,
        };
        if let Some(chroma) = other {
            let other = self.search(canvas, format, (chroma, wish), known)?;
            let rank = |account: &Account| (account.fits, account.score);
            lossy = lossy.or(other, |old, new| rank(new) > rank(old));
        }
        let missed = !matches!(
            lossy.account.verdict,
            Some(Verdict::Met | Verdict::Lightest)
        );
        let worth = self.nature == Nature::Graphic || lossy.account.verdict == Some(Verdict::Short);
        let tried = known.iter().any(|known| known.coding == Coding::Lossless);
        if !format.has_lossless_mode() || !(worth || wish.sharpest) || tried {
            return Ok(lossy);
        }
        let lossless = self.lossless(canvas, format)?;
        Ok(lossy.or(lossless, |lossy, lossless| {
            let lighter = lossless.weight <= lossy.weight;
            lossless.fits && (lighter || missed || wish.sharpest)
        }))
    }

    fn search(
        &self,
        canvas: &Canvas<'_>,
        format: Format,
        (chroma, wish): (Chroma, LookWish),
        known: &[Attempt],
    ) -> Result<Piece, PieceError> {
        let features = canvas
            .features
            .get_or_init(|| guess::features(&canvas.raster));
        let mut curve = guess::curve(format, chroma, self.nature, features);
        let slow = format == Format::Avif;
        let light = budget::Wish {
            look: wish.look,
            least: wish.least,
            max_weight: None,
            sharpest: false,
            trials: if slow { SLOW_TRIALS } else { usize::MAX },
        };
        let manner = |dial: u8, pace: Pace| Manner {
            coding: Coding::Dial(dial),
            chroma,
            pace,
        };
        let known: Vec<Trial> = known
            .iter()
            .filter(|known| known.width == canvas.raster.size().width())
            .filter_map(|known| known.trial(|dial| manner(dial, self.aims.pace)))
            .collect();
        let (mut trail, mut files) = (Vec::new(), HashMap::new());
        let mut run = |wish: budget::Wish, curve: &Curve, pace: Pace, known: Vec<Trial>| {
            files.clear();
            let dials = format.dials().unwrap_or(0..=100);
            budget::search(
                wish,
                dials,
                curve,
                known,
                |dial| -> Result<Trial, PieceError> {
                    let (file, score) = self.attempt(canvas, format, manner(dial, pace))?;
                    let weight = file.len() as u64;
                    trail.push(self.tried(canvas, manner(dial, pace), weight, score));
                    files.insert(dial, file);
                    Ok(Trial {
                        dial,
                        weight,
                        score,
                    })
                },
            )
        };
        if slow && self.aims.pace == Pace::Patient && known.is_empty() {
            // The dial is found at a quick setting, and only confirmed at the slow one.
            let Outcome { kept, .. } = run(light, &curve, Pace::Quick, Vec::new())?;
            curve = curve.seen(kept.dial, kept.score);
        }
        let budgets = budget::Wish {
            max_weight: self.aims.max_weight,
            sharpest: wish.sharpest,
            ..light
        };
        let Outcome { kept, verdict } = run(budgets, &curve, self.aims.pace, known)?;
        let file = match files.remove(&kept.dial) {
            Some(file) => file,
            // Known, but made elsewhere.
            None => {
                self.attempt(canvas, format, manner(kept.dial, self.aims.pace))?
                    .0
            }
        };
        let coding = Coding::Dial(kept.dial);
        Ok(self.piece(file, coding, kept.score, Some(verdict), trail))
    }

    fn fits(&self, weight: u64) -> bool {
        self.aims.max_weight.is_none_or(|most| weight <= most)
    }

    fn piece(
        &self,
        file: Vec<u8>,
        coding: Coding,
        score: f32,
        verdict: Option<Verdict>,
        trail: Vec<Attempt>,
    ) -> Piece {
        let weight = file.len() as u64;
        let account = Account {
            weight,
            coding,
            score,
            verdict,
            trail,
            fits: self.fits(weight),
            flattened: false,
            shrunk: None,
        };
        Piece { file, account }
    }

    fn lossless(&self, canvas: &Canvas<'_>, format: Format) -> Result<Piece, PieceError> {
        let mut piece = self.single(canvas, format, Coding::Lossless)?;
        piece.account.verdict = Some(match piece.account.fits {
            true => Verdict::Met,
            false => Verdict::Over,
        });
        Ok(piece)
    }

    /// A piece of a single encode.
    fn single(
        &self,
        canvas: &Canvas<'_>,
        format: Format,
        coding: Coding,
    ) -> Result<Piece, PieceError> {
        // Above this dial halved chroma would be what is seen first.
        let fine = matches!(coding, Coding::Dial(90..));
        let chroma = match fine || self.nature == Nature::Graphic {
            true => Chroma::Full,
            false => Chroma::Halved,
        };
        let manner = Manner {
            coding,
            chroma,
            pace: self.aims.pace,
        };
        let (file, score) = self.attempt(canvas, format, manner)?;
        let trail = vec![self.tried(canvas, manner, file.len() as u64, score)];
        Ok(self.piece(file, coding, score, None, trail))
    }

    /// A file, and its score.
    fn attempt(
        &self,
        canvas: &Canvas<'_>,
        format: Format,
        manner: Manner,
    ) -> Result<(Vec<u8>, f32), PieceError> {
        let file = encode::encode(&canvas.raster, format, manner)?;
        let file = encode::inscribe(file, format, &self.blocks)?;
        let eye = || {
            canvas
                .eye
                .get_or_init(|| Eye::new(&canvas.raster, self.density))
        };
        let score = eye::score(&canvas.raster, format, &file, eye);
        let score = score.map_err(|source| PieceError::Unreadable { format, source })?;
        Ok((file, score))
    }

    fn tried(&self, canvas: &Canvas<'_>, manner: Manner, weight: u64, score: f32) -> Attempt {
        let Manner {
            coding,
            chroma,
            pace,
        } = manner;
        let width = canvas.raster.size().width();
        Attempt {
            coding,
            chroma,
            pace,
            weight,
            score,
            width,
        }
    }
}
