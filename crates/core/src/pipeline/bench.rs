//! A canvas in one format: files of it, each scored, and the search for the one that keeps its
//! budgets.

use std::cell::{Cell, RefCell};
use std::hash::{DefaultHasher, Hasher};

mod hunt;

use super::account::{Account, Attempt, Piece, PieceError};
use super::candidates::{keeps_all, serves_better};
use super::canvas::Canvas;
use super::eye;
use super::sampled;
use super::terms::Terms;
use super::versions::Version;
use crate::budget::{Aim, Verdict};
use crate::decode::DecodeError;
use crate::encode::{
    self, Coding, EncodeError, Format, Manner, Pace, Prepared, Repack, Repacked, Shown, Sought,
    Tried,
};
use crate::pixels::Raster;
use crate::plan::{CodingWish, LookWish};
use crate::source::Nature;

/// A file without loss that is packed loosely may come down to so much of its weight.
const TIGHTER: f64 = 0.8;

/// A canvas that a format's coder has made ready.
pub(super) struct Bench<'c> {
    canvas: &'c Canvas<'c>,
    format: Format,
    prepared: Box<dyn Prepared + 'c>,
    /// What its files are for.
    terms: Terms<'c>,
    /// The original as it is, where the canvas shows that.
    own: Option<&'c Repacked>,
    /// How that was coded again, once it turned out to be the lightest without loss.
    repacked: Cell<Option<Repack>>,
    /// Every file that was made, where they are kept.
    made: Option<RefCell<Vec<Version>>>,
}

impl<'c> Bench<'c> {
    /// Makes a canvas ready for a format.
    pub(super) fn new(
        canvas: &'c Canvas<'c>,
        format: Format,
        terms: Terms<'c>,
    ) -> Result<Bench<'c>, PieceError> {
        Ok(Bench {
            canvas,
            format,
            prepared: encode::prepare(&canvas.raster, format, terms.passes)?,
            terms,
            own: None,
            repacked: Cell::new(None),
            made: None,
        })
    }

    /// The same, where the canvas shows an original as it is.
    pub(super) fn showing(self, own: Option<&'c Repacked>) -> Bench<'c> {
        Bench { own, ..self }
    }

    /// From now on every file is kept, and none is made twice, nor any of those that were made before.
    pub(super) fn keeping(self, made: Vec<Version>) -> Bench<'c> {
        Bench {
            made: Some(RefCell::new(made)),
            ..self
        }
    }

    /// What is known of its dials by now.
    pub(super) fn known(&self) -> Vec<Attempt> {
        let made = self.made.as_ref().map(RefCell::borrow);
        let attempts = made.iter().flat_map(|made| made.iter());
        let attempts = attempts.map(|version| version.attempt);
        attempts
            .filter(|attempt| attempt.coding != Coding::Lossless)
            .collect()
    }

    /// The files that were kept.
    pub(super) fn into_made(self) -> Vec<Version> {
        self.made.map_or(Vec::new(), RefCell::into_inner)
    }

    /// Meets a wish; the trail begins after what is known. With a rival, the weight of a piece in another
    /// format that would do, a heavier one is not looked for.
    pub(super) fn meet(
        &self,
        wish: CodingWish,
        known: &[Attempt],
        rival: Option<u64>,
    ) -> Result<Piece, PieceError> {
        if self.format.is_scalable() {
            return self.drawn(wish, known, rival);
        }
        match wish {
            CodingWish::Exact => self.lossless(self.terms.pace),
            CodingWish::Dial(dial) => {
                let lossy = self.single(Coding::Dial(dial))?;
                let gives_way = |own: &Repacked| own.file.len() <= lossy.file.len();
                if !self.own.is_some_and(gives_way) {
                    return Ok(lossy);
                }
                let own = self.single(Coding::Lossless)?;
                Ok(lossy.or(own, |lossy, own| own.weight <= lossy.weight))
            }
            CodingWish::Look(wish) => self.within(wish, known, rival),
        }
    }

    /// A drawing stays one; of anything else a trace is made, which has to come as near as its format wants
    /// at least.
    fn drawn(
        &self,
        wish: CodingWish,
        known: &[Attempt],
        rival: Option<u64>,
    ) -> Result<Piece, PieceError> {
        let wish = match wish {
            _ if self.own.is_some() => return self.lossless(self.terms.pace),
            CodingWish::Exact => return self.lossless(self.terms.pace),
            CodingWish::Dial(_) => LookWish::of(self.format.least_look()),
            CodingWish::Look(wish) => wish,
        };
        let least = self.format.least_look();
        let wish = LookWish {
            look: wish.look.max(least),
            least: wish.least.max(least),
            ..wish
        };
        let piece = self.within(wish, known, rival)?;
        if piece.account.score < least {
            let what = "its shapes cannot be traced closely enough";
            let format = self.format;
            return Err(PieceError::Encode(EncodeError::Impossible { format, what }));
        }
        Ok(piece)
    }

    /// The lossy file that the search finds, or the lossless one where it serves better: where it
    /// keeps the weight and is no heavier, or where loss would miss the look.
    pub(super) fn within(
        &self,
        wish: LookWish,
        known: &[Attempt],
        outside: Option<u64>,
    ) -> Result<Piece, PieceError> {
        let (coder, nature) = (self.format.coder(), self.canvas.nature);
        let exact = (self.format, Coding::Lossless);
        let mut known_ways = known.iter().map(|known| (known.format, known.coding));
        let own = self.own.is_some();
        let may_be_exact =
            (own || self.format.is_light_exactly()) && !known_ways.any(|way| way == exact);
        // Made first where it often wins: then no loss is searched for that would weigh more.
        let worth = own || nature == Nature::Graphic || wish.aim == Aim::Sharpest;
        // Packed loosely, where that tells enough.
        let is_loose = self.packs_loosely(wish.aim, known) && !own;
        let pace = if is_loose {
            Pace::Quick
        } else {
            self.terms.pace
        };
        let first = (may_be_exact && worth).then(|| self.lossless(pace));
        let lossless = match first.transpose()? {
            Some(best) if wish.aim == Aim::Sharpest && best.account.fits => return Ok(best),
            lossless => lossless,
        };
        let fitting = lossless.as_ref().filter(|lossless| lossless.account.fits);
        let exactly = fitting.map(|lossless| lossless.account.weight);
        let mut rival = exactly.into_iter().chain(outside).min();
        let mut best: Option<Piece> = None;
        let mut tried = Vec::new();
        let sought = Sought {
            look: wish.look,
            aim: wish.aim,
        };
        while let Some(way) = coder.way(self.canvas.subject(), sought, &tried) {
            let found = self.search(way, wish, (rival, known))?;
            tried.push(Tried {
                chroma: way.chroma,
                verdict: found.account.verdict,
                outdone: rival.is_some() && is_short(&found.account) && {
                    // At the end of the dial there would be nothing left to try.
                    let last = Coding::Dial(*way.dials(self.format).end());
                    let mut trail = found.account.trail.iter();
                    trail.all(|attempt| attempt.coding != last)
                },
                score: found.account.score,
            });
            if keeps_all(&found.account) {
                let least = rival.unwrap_or(u64::MAX);
                rival = Some(found.account.weight.min(least));
            }
            best = Some(match best {
                Some(best) => best.or(found, |old, new| serves_better(wish.aim, old, new)),
                None => found,
            });
        }
        if let (Some(found), Some(lighter)) = (&best, self.lightest_known(wish, known))
            && lighter.weight < found.account.weight
        {
            let mut again = self.alone(lighter.manner())?;
            again.account.verdict = Some(Verdict::Met);
            best = best.map(|best| best.or(again, |_, again| again.score >= wish.look));
        }
        let surely = |lossy: &Piece, loose: &Piece| {
            let (lossy, loose) = (&lossy.account, &loose.account);
            reaches(lossy) && lossy.weight as f64 <= loose.weight as f64 * TIGHTER
        };
        let lossless = match (lossless, &best) {
            (Some(loose), Some(lossy)) if is_loose && surely(lossy, &loose) => Some(loose),
            (Some(loose), _) if is_loose => {
                let tight = self.lossless(self.terms.pace)?;
                Some(loose.or(tight, |_, _| true))
            }
            (lossless, _) => lossless,
        };
        let Some(lossy) = best else {
            return lossless.map_or_else(|| self.lossless(self.terms.pace), Ok);
        };
        match lossless {
            Some(lossless) => Ok(lossless.or(lossy, |lossless, lossy| {
                let lighter = lossy.weight < lossless.weight;
                !lossless.fits || (lighter && reaches(lossy))
            })),
            None if may_be_exact && outside.is_none() && is_short(&lossy.account) => {
                let lossless = self.lossless(self.terms.pace)?;
                Ok(lossy.or(lossless, |_, lossless| lossless.fits))
            }
            None => Ok(lossy),
        }
    }

    /// Of what is known the lightest that reaches a look, by whatever way: it need not be searched for.
    fn lightest_known<'k>(&self, wish: LookWish, known: &'k [Attempt]) -> Option<&'k Attempt> {
        let here = (self.format, self.canvas.width(), self.terms.pace);
        let reaching = known.iter().filter(|known| {
            let is_lossy = known.coding != Coding::Lossless && !known.sampled;
            is_lossy && (known.format, known.width, known.pace) == here && known.score >= wish.look
        });
        let lightest = reaching.min_by_key(|known| known.weight);
        lightest.filter(|_| wish.aim == Aim::Lightest)
    }

    fn fits(&self, weight: u64) -> bool {
        self.terms.max_weight.is_none_or(|most| weight <= most)
    }

    pub(super) fn piece(
        &self,
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
            repacked: match manner.coding {
                Coding::Lossless => self.repacked.get(),
                Coding::Dial(_) => None,
            },
        };
        Piece {
            file,
            format: self.format,
            account,
        }
    }

    /// Whether what shows the same at any pace may be looked for among files that are packed loosely.
    fn packs_loosely(&self, aim: Aim, known: &[Attempt]) -> bool {
        let packs = self.format.coder().abilities().packs_alike && self.terms.pace != Pace::Quick;
        packs && known.is_empty() && self.made.is_none() && aim == Aim::Lightest
    }

    fn lossless(&self, pace: Pace) -> Result<Piece, PieceError> {
        let manner = Manner {
            pace,
            ..self.manner(Coding::Lossless)
        };
        let mut piece = self.alone(manner)?;
        piece.account.verdict = Some(if piece.account.fits {
            Verdict::Met
        } else {
            Verdict::Over
        });
        Ok(piece)
    }

    /// How a single encode is made.
    pub(super) fn manner(&self, coding: Coding) -> Manner {
        Manner {
            coding,
            chroma: self.format.coder().chroma(self.canvas.nature, coding),
            pace: self.terms.pace,
        }
    }

    /// A piece of a single encode.
    pub(super) fn single(&self, coding: Coding) -> Result<Piece, PieceError> {
        self.alone(self.manner(coding))
    }

    fn alone(&self, manner: Manner) -> Result<Piece, PieceError> {
        let (file, score) = self.attempt(manner)?;
        let trail = vec![self.tried(manner, file.len() as u64, score)];
        Ok(self.piece(file, (manner, score), None, trail))
    }

    /// A file, and its score.
    pub(super) fn attempt(&self, manner: Manner) -> Result<(Vec<u8>, f32), PieceError> {
        let (proof, score) = self.trial(manner)?;
        Ok((self.proven(proof)?, score))
    }

    /// A file whose pixels may be known without decoding it, and its score.
    fn trial(&self, manner: Manner) -> Result<(Proof, f32), PieceError> {
        let Bench { canvas, format, .. } = *self;
        if let Some(made) = &self.made {
            let made = made.borrow();
            let known = made.iter().find(|made| made.attempt.manner() == manner);
            if let Some(Version { attempt, file }) = known {
                let file = file.clone();
                return Ok((Proof { file, shows: None }, attempt.score));
            }
        }
        let (file, shown) = match (manner.coding, self.own) {
            (Coding::Lossless, Some(own)) => self.without_loss(manner, own)?,
            _ => self.prepared.shown(manner)?,
        };
        let file = encode::inscribe(file, format, self.terms.blocks)?;
        let shows = shown.as_ref().map(digest);
        let finished = match shown {
            Some(shown) => shown,
            None => self.finished(&file)?,
        };
        let score = match self.glances(manner) {
            true => sampled::score(canvas, &finished, self.terms.density),
            false => None,
        };
        let score = score.unwrap_or_else(|| {
            eye::score(&canvas.raster, &finished, || canvas.eye(self.terms.density))
        });
        if let Some(made) = &self.made {
            let attempt = self.tried(manner, file.len() as u64, score);
            let file = self.proven(Proof {
                file: file.clone(),
                shows,
            })?;
            made.borrow_mut().push(Version { attempt, file });
        }
        Ok((Proof { file, shows }, score))
    }

    /// Whether a file is scored by its tiles alone.
    fn glances(&self, manner: Manner) -> bool {
        let is_lossy = matches!(manner.coding, Coding::Dial(_));
        is_lossy && self.terms.glances && self.made.is_none() && self.canvas.tiles().is_some()
    }

    /// A file without loss: the original's own samples, unless coding them anew is lighter still.
    fn without_loss(&self, manner: Manner, own: &Repacked) -> Result<Shown, PieceError> {
        if self.format.is_exact() {
            let coded = self.prepared.shown(manner)?;
            let lighter = own.file.len() < coded.0.len();
            // What cannot be told from the raster alone: deeper samples are lost in that.
            let same = || {
                self.finished(&own.file)
                    .is_ok_and(|own| own == *self.canvas.raster)
            };
            if !lighter || !same() {
                return Ok(coded);
            }
        }
        self.repacked.set(Some(own.how));
        Ok((own.file.clone(), None))
    }

    /// A file that is to be kept: it is decoded, where that was not done yet.
    fn proven(&self, Proof { file, shows }: Proof) -> Result<Vec<u8>, PieceError> {
        match shows {
            Some(shows) if digest(&self.finished(&file)?) != shows => {
                let format = self.format;
                let what = "it shows other pixels than its coder said";
                let source = DecodeError::damaged(format.kind(), what);
                Err(PieceError::Unreadable { format, source })
            }
            _ => Ok(file),
        }
    }

    fn finished(&self, file: &[u8]) -> Result<Raster, PieceError> {
        let format = self.format;
        eye::finished(&self.canvas.raster, format, file)
            .map_err(|source| PieceError::Unreadable { format, source })
    }

    /// A file, unseen.
    pub(super) fn file(&self, manner: Manner) -> Result<Vec<u8>, PieceError> {
        let file = self.prepared.encode(manner)?;
        Ok(encode::inscribe(file, self.format, self.terms.blocks)?)
    }

    pub(super) fn tried(&self, manner: Manner, weight: u64, score: f32) -> Attempt {
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
            sampled: self.glances(manner),
            width: self.canvas.width(),
        }
    }
}

/// A file, and the digest of what it shows, where that is known without decoding it.
#[derive(Default)]
struct Proof {
    file: Vec<u8>,
    shows: Option<u64>,
}

/// A digest of pixels, for this run alone.
fn digest(raster: &Raster) -> u64 {
    let mut hasher = DefaultHasher::new();
    hasher.write(raster.samples());
    hasher.finish()
}

fn is_short(account: &Account) -> bool {
    account.verdict == Some(Verdict::Short)
}

fn reaches(account: &Account) -> bool {
    account.verdict.is_some_and(Verdict::reaches)
}
