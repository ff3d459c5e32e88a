//! A sized picture that stands ready: versions of it are made one after the other, as somebody asks.

use std::borrow::Cow;
use std::collections::VecDeque;
use std::sync::{Mutex, MutexGuard, PoisonError};

use super::account::{Attempt, PieceError};
use super::studio::{Aims, Studio};
use super::versions::Version;
use crate::credits::Inscription;
use crate::encode::{Coding, Format};
use crate::pixels::Raster;
use crate::plan::CodingWish;

/// Files are kept up to so many bytes.
const KEPT: usize = 32 << 20;

/// A sized picture that stands ready. What was made of it is known, and not made again.
pub struct Easel {
    studio: Studio<'static>,
    /// The latest last.
    made: Mutex<VecDeque<Version>>,
}

/// A file that was made for a wish.
pub struct Drawn {
    /// The whole file.
    pub file: Vec<u8>,
    attempt: Attempt,
    /// Whether its score is known.
    seen: bool,
}

impl From<Version> for Drawn {
    fn from(version: Version) -> Drawn {
        Drawn {
            file: version.file,
            attempt: version.attempt,
            seen: true,
        }
    }
}

impl Easel {
    /// Sets a picture up, to be seen at a device pixel ratio; some versions may be there already.
    pub fn new(raster: Raster, density: f64, aims: Aims, made: Vec<Version>) -> Easel {
        let blocks = Inscription::default().blocks();
        Easel {
            studio: Studio::new(Cow::Owned(raster), aims, density, blocks),
            made: Mutex::new(made.into()),
        }
    }

    /// The picture.
    pub fn raster(&self) -> &Raster {
        self.studio.raster()
    }

    /// The file that meets a wish in a format. A dial is not searched for: its file may be unseen.
    pub fn meet(&self, format: Format, wish: CodingWish) -> Result<Drawn, PieceError> {
        let bench = self.studio.bench(format, self.studio.terms())?;
        let of_format = |version: &&Version| version.attempt.format == format;
        let known: Vec<Version> = self.made().iter().filter(of_format).cloned().collect();
        if let CodingWish::Dial(dial) = wish {
            let manner = bench.manner(Coding::Dial(dial));
            let mut known = known.into_iter();
            return Ok(match known.find(|known| known.attempt.manner() == manner) {
                Some(known) => known.into(),
                None => Drawn {
                    file: bench.file(manner)?,
                    attempt: bench.tried(manner, 0, f32::NAN),
                    seen: false,
                },
            });
        }
        let bench = bench.keeping(known);
        let piece = bench.meet(wish, &bench.known(), None)?;
        let made = bench.into_made();
        let mut kept = made.iter();
        let kept = kept.find(|version| piece.account.is_of(format, &version.attempt));
        // What was found was made.
        let kept = kept.cloned().ok_or(PieceError::NoFormat)?;
        self.keep(made);
        Ok(kept.into())
    }

    /// What was drawn, once it has been seen: `own` is the score of its own pixels.
    pub fn seen(&self, drawn: Drawn, own: f32, finished: &Raster) -> Version {
        let Drawn {
            file,
            mut attempt,
            seen,
        } = drawn;
        if !seen {
            attempt.weight = file.len() as u64;
            attempt.score = self.studio.seen(attempt.format, own, finished);
        }
        let version = Version { attempt, file };
        self.keep([version.clone()]);
        version
    }

    fn made(&self) -> MutexGuard<'_, VecDeque<Version>> {
        self.made.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Keeps what is new, and lets go of the oldest where that is too much.
    fn keep(&self, versions: impl IntoIterator<Item = Version>) {
        let mut made = self.made();
        for version in versions {
            if !made.contains(&version) {
                made.push_back(version);
            }
        }
        while made.iter().map(|version| version.file.len()).sum::<usize>() > KEPT {
            made.pop_front();
        }
    }
}
