//! A sized raster becomes finished files, each within its budgets.

use std::borrow::Cow;
use std::cell::RefCell;
use std::collections::HashMap;
use std::sync::OnceLock;

use super::account::{Account, Attempt, Order, Ordered, Piece, PieceError};
use super::candidates::best;
use super::canvas::Canvas;
use super::eye::{self, Eye};
use crate::budget::{self, Aim, Curve, Outcome, Trial, Verdict};
use crate::colour;
use crate::credits::{Blocks, Inscription};
use crate::encode::{self, Coding, Format, Manner, Pace, Prepared, Sought, Tried, Way};
use crate::pixels::{Backdrop, Channels, Raster, Size};
use crate::plan::{CodingWish, LookWish, Placement, PlannedSize};
use crate::source::Nature;

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
    Studio::new(Cow::Borrowed(raster), aims, density, blocks).make([format])
}

/// A sized raster, ready to be encoded in any format.
pub(super) struct Studio<'a> {
    canvas: Canvas<'a>,
    /// The raster on its backdrop, for formats that know no transparent pixels.
    opaque: OnceLock<Canvas<'static>>,
    density: f64,
    aims: Aims,
    /// What every file gets beside its pixels: it counts in its weight.
    blocks: Blocks,
}

/// A canvas that a format's coder has made ready.
struct Bench<'c> {
    canvas: &'c Canvas<'c>,
    format: Format,
    prepared: Box<dyn Prepared + 'c>,
}

impl<'a> Studio<'a> {
    pub(super) fn new(raster: Cow<'a, Raster>, aims: Aims, density: f64, blocks: Blocks) -> Self {
        let nature = Nature::of(&raster);
        Studio {
            opaque: OnceLock::new(),
            canvas: Canvas::new(raster, nature),
            density,
            aims,
            blocks,
        }
    }

    /// About how many bytes one holds while it makes the pieces of a size, beside its raster.
    pub(super) fn memory(size: &PlannedSize) -> u64 {
        let formats = || size.pieces.iter().flat_map(|piece| piece.formats());
        let encoding = formats().map(|format| encode::memory(size.size, format));
        // A picture on its backdrop is prepared beside that without.
        let flat = formats().any(|format| !format.holds_alpha());
        let seeing = Eye::memory(size.size) + if flat { size.size.pixels() * 3 } else { 0 };
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
                let bench = self.bench(attempt.format)?;
                let (file, score) = self.attempt(&bench, attempt.manner())?;
                self.piece(
                    &bench,
                    file,
                    (attempt.manner(), score),
                    *verdict,
                    Vec::new(),
                )
            }
            Ordered::Within { max_weight } => {
                let max_weight = Some(self.aims.max_weight.unwrap_or(u64::MAX).min(*max_weight));
                let aims = Aims {
                    max_weight,
                    ..self.aims
                };
                let raster = Cow::Borrowed(&*self.canvas.raster);
                let narrow = Studio::new(raster, aims, self.density, self.blocks.clone());
                let mut piece = narrow.one(&formats, known)?;
                let account = &mut piece.account;
                account.fits = self.fits(account.weight);
                if account.fits && account.verdict != Some(Verdict::Met) {
                    account.verdict = Some(Verdict::Shared);
                }
                piece
            }
            Ordered::Look { look } => {
                let wish = self.wish(*look);
                let dialled = formats.iter().copied();
                let dialled = dialled.filter(|format| format.dials().is_some());
                best(dialled, wish.aim, |format| {
                    self.within(&self.bench(format)?, wish, known)
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
        let suits =
            |format: &Format| (opaque || format.holds_alpha()) && (!exact || format.is_exact());
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
        let mut piece = self.one(&formats, &[])?;
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
            piece = piece.or(studio.one(&formats, &[])?, |_, _| true);
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

    fn bench(&self, format: Format) -> Result<Bench<'_>, PieceError> {
        let canvas = self.canvas(format);
        Ok(Bench {
            canvas,
            format,
            prepared: encode::prepare(&canvas.raster, format)?,
        })
    }

    /// Makes a piece in one size, in the format that serves best.
    fn one(&self, formats: &[Format], known: &[Attempt]) -> Result<Piece, PieceError> {
        let aim = match self.aims.coding {
            CodingWish::Look(wish) => wish.aim,
            CodingWish::Exact | CodingWish::Dial(_) => Aim::Lightest,
        };
        best(formats.iter().copied(), aim, |format| {
            self.in_format(format, known)
        })
    }

    /// Makes a piece in one size and format; its trail begins after what is known.
    fn in_format(&self, format: Format, known: &[Attempt]) -> Result<Piece, PieceError> {
        let bench = self.bench(format)?;
        let mut piece = match (self.aims.coding, format.dials()) {
            (_, None) | (CodingWish::Exact, _) => self.lossless(&bench)?,
            (CodingWish::Dial(dial), Some(_)) => self.single(&bench, Coding::Dial(dial))?,
            (CodingWish::Look(wish), Some(_)) => self.within(&bench, wish, known)?,
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
        bench: &Bench<'_>,
        wish: LookWish,
        known: &[Attempt],
    ) -> Result<Piece, PieceError> {
        let (coder, nature) = (bench.format.coder(), bench.canvas.nature);
        let mut best: Option<Piece> = None;
        let mut tried = Vec::new();
        let sought = Sought {
            look: wish.look,
            aim: wish.aim,
        };
        while let Some(way) = coder.way(bench.canvas.subject(), sought, &tried) {
            let found = self.search(bench, way, wish, known)?;
            tried.push(Tried {
                chroma: way.chroma,
                verdict: found.account.verdict,
                score: found.account.score,
            });
            let rank = |account: &Account| (account.fits, account.score);
            best = Some(match best {
                Some(best) => best.or(found, |old, new| rank(new) > rank(old)),
                None => found,
            });
        }
        let Some(lossy) = best else {
            return self.lossless(bench);
        };
        let missed = !lossy.account.verdict.is_some_and(Verdict::reaches);
        let worth = nature == Nature::Graphic || lossy.account.verdict == Some(Verdict::Short);
        let lossless = (bench.format, Coding::Lossless);
        let is_known = known
            .iter()
            .any(|known| (known.format, known.coding) == lossless);
        if !bench.format.is_exact() || !(worth || wish.aim == Aim::Sharpest) || is_known {
            return Ok(lossy);
        }
        let lossless = self.lossless(bench)?;
        Ok(lossy.or(lossless, |lossy, lossless| {
            let lighter = lossless.weight <= lossy.weight;
            lossless.fits && (lighter || missed || wish.aim == Aim::Sharpest)
        }))
    }

    fn search(
        &self,
        bench: &Bench<'_>,
        way: Way,
        wish: LookWish,
        known: &[Attempt],
    ) -> Result<Piece, PieceError> {
        let abilities = bench.format.coder().abilities();
        let mut curve = way.prior.curve(&bench.canvas.subject().features);
        let light = budget::Goal {
            look: wish.look,
            least: wish.least,
            max_weight: None,
            aim: Aim::Lightest,
            trials: if abilities.slow {
                SLOW_TRIALS
            } else {
                usize::MAX
            },
        };
        let manner = |dial: u8, pace: Pace| Manner {
            coding: Coding::Dial(dial),
            chroma: way.chroma,
            pace,
        };
        let known: Vec<Trial> = known
            .iter()
            .filter(|known| (known.format, known.width) == (bench.format, bench.canvas.width()))
            .filter_map(|known| known.trial(|dial| manner(dial, self.aims.pace)))
            .collect();
        let (mut trail, files) = (Vec::new(), RefCell::new(HashMap::new()));
        let mut run = |wish: budget::Goal, curve: &Curve, pace: Pace, known: Vec<Trial>| {
            files.borrow_mut().clear();
            let dials = abilities.dials.clone().unwrap_or(0..=100);
            budget::search(
                wish,
                dials,
                curve,
                known,
                |dial| -> Result<Trial, PieceError> {
                    let (file, score) = self.attempt(bench, manner(dial, pace))?;
                    let weight = file.len() as u64;
                    trail.push(bench.tried(manner(dial, pace), weight, score));
                    files.borrow_mut().insert(dial, file);
                    Ok(Trial {
                        dial,
                        weight,
                        score,
                    })
                },
            )
        };
        if abilities.slow && self.aims.pace == Pace::Patient && known.is_empty() {
            // The dial is found at a quick setting, and only confirmed at the slow one.
            let Outcome { kept, .. } = run(light, &curve, Pace::Quick, Vec::new())?;
            curve = curve.seen(kept.dial, kept.score);
        }
        let budgets = budget::Goal {
            max_weight: self.aims.max_weight,
            aim: wish.aim,
            ..light
        };
        let mut outcome = run(budgets, &curve, self.aims.pace, known)?;
        if !files.borrow().contains_key(&outcome.kept.dial) {
            // Known, but made elsewhere: it has to be made here before it counts.
            let manner = manner(outcome.kept.dial, self.aims.pace);
            let (file, score) = self.attempt(bench, manner)?;
            let remade = (file.len() as u64, score);
            if remade == (outcome.kept.weight, outcome.kept.score) {
                return Ok(self.piece(bench, file, (manner, score), Some(outcome.verdict), trail));
            }
            // What was known is not so: nothing of it is believed.
            outcome = run(budgets, &curve, self.aims.pace, Vec::new())?;
        }
        let Outcome { kept, verdict } = outcome;
        let file = files.take().remove(&kept.dial).unwrap_or_default();
        let manner = manner(kept.dial, self.aims.pace);
        Ok(self.piece(bench, file, (manner, kept.score), Some(verdict), trail))
    }

    fn fits(&self, weight: u64) -> bool {
        self.aims.max_weight.is_none_or(|most| weight <= most)
    }

    fn piece(
        &self,
        bench: &Bench<'_>,
        file: Vec<u8>,
        (manner, score): (Manner, f32),
        verdict: Option<Verdict>,
        trail: Vec<Attempt>,
    ) -> Piece {
        let weight = file.len() as u64;
        let account = Account {
            weight,
            coding: manner.coding,
            score,
            verdict,
            trail,
            fits: self.fits(weight),
            flattened: false,
            shrunk: None,
        };
        Piece {
            file,
            format: bench.format,
            account,
        }
    }

    fn lossless(&self, bench: &Bench<'_>) -> Result<Piece, PieceError> {
        let mut piece = self.single(bench, Coding::Lossless)?;
        piece.account.verdict = Some(if piece.account.fits {
            Verdict::Met
        } else {
            Verdict::Over
        });
        Ok(piece)
    }

    /// A piece of a single encode.
    fn single(&self, bench: &Bench<'_>, coding: Coding) -> Result<Piece, PieceError> {
        let manner = Manner {
            coding,
            chroma: bench.format.coder().chroma(bench.canvas.nature, coding),
            pace: self.aims.pace,
        };
        let (file, score) = self.attempt(bench, manner)?;
        let trail = vec![bench.tried(manner, file.len() as u64, score)];
        Ok(self.piece(bench, file, (manner, score), None, trail))
    }

    /// A file, and its score.
    fn attempt(&self, bench: &Bench<'_>, manner: Manner) -> Result<(Vec<u8>, f32), PieceError> {
        let Bench { canvas, format, .. } = *bench;
        let file = bench.prepared.encode(manner)?;
        let file = encode::inscribe(file, format, &self.blocks)?;
        let eye = || canvas.eye(self.density);
        let score = eye::score(&canvas.raster, format, &file, eye);
        let score = score.map_err(|source| PieceError::Unreadable { format, source })?;
        Ok((file, score))
    }
}

impl Bench<'_> {
    fn tried(&self, manner: Manner, weight: u64, score: f32) -> Attempt {
        let Manner {
            coding,
            chroma,
            pace,
        } = manner;
        Attempt {
            format: self.format,
            coding,
            chroma,
            pace,
            weight,
            score,
            width: self.canvas.width(),
        }
    }
}
