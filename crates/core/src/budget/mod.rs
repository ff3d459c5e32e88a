//! The search for a dial that keeps a weight. It knows no codec: all it has is a closure that
//! turns a dial into a trial.

use std::ops::RangeInclusive;

/// One attempt at a piece.
#[derive(Clone, Debug, PartialEq)]
pub struct Trial {
    /// The dial it was made at.
    pub dial: u8,
    /// The whole file.
    pub file: Vec<u8>,
    /// Its visual score, where one was taken.
    pub score: Option<f32>,
}

impl Trial {
    /// The file's size in bytes.
    pub fn weight(&self) -> u64 {
        self.file.len() as u64
    }
}

/// What a search came to.
#[derive(Clone, Debug, PartialEq)]
pub struct Outcome {
    /// The trial to keep.
    pub kept: Trial,
    /// Dial and weight of every trial, in the order in which they were made.
    pub trail: Vec<(u8, u64)>,
    /// Whether the kept file is no heavier than allowed.
    pub fits: bool,
}

/// The trial at `usual` where that fits; else, by bisection, the best dial below it that does;
/// else the one at the low end of `dials`, which then does not fit.
///
/// A heavier file at a lower dial may hide a better dial, but what is returned was tried, and
/// fits whenever any tried dial did.
pub fn within<E>(
    max_weight: Option<u64>,
    dials: RangeInclusive<u8>,
    usual: u8,
    mut attempt: impl FnMut(u8) -> Result<Trial, E>,
) -> Result<Outcome, E> {
    let mut trail = Vec::new();
    let mut attempt = |dial| {
        let trial = attempt(dial)?;
        trail.push((dial, trial.weight()));
        Ok(trial)
    };
    let fits = |trial: &Trial| max_weight.is_none_or(|most| trial.weight() <= most);
    let lowest = *dials.start();
    let mut kept = attempt(usual)?;
    if !fits(&kept) && usual > lowest {
        // Dials from `too_heavy` on do not fit; those below `untried` are still open.
        let (mut untried, mut too_heavy) = (lowest, usual);
        let mut best = None;
        while untried < too_heavy {
            let dial = untried + (too_heavy - untried) / 2;
            let trial = attempt(dial)?;
            if fits(&trial) {
                best = Some(trial);
                untried = dial + 1;
            } else {
                too_heavy = dial;
                kept = trial;
            }
        }
        // When nothing fits, the last trial of the bisection was the one at the low end.
        kept = best.unwrap_or(kept);
    }
    let fits = fits(&kept);
    Ok(Outcome { kept, trail, fits })
}

#[cfg(test)]
mod tests {
    use super::*;

    /// An invented codec: so many bytes at each dial.
    fn search(max_weight: Option<u64>, bytes: impl Fn(u8) -> usize) -> Outcome {
        let trial = |dial| {
            let file = vec![0; bytes(dial)];
            Ok::<_, ()>(Trial {
                dial,
                file,
                score: None,
            })
        };
        within(max_weight, 5..=95, 80, trial).expect("an attempt never fails here")
    }

    #[test]
    fn every_limit_gives_the_highest_dial_that_fits() {
        for limit in 0..3000 {
            let outcome = search(Some(limit), |dial| 30 * usize::from(dial));
            let wanted = (5..=80).rev().find(|dial| 30 * dial <= limit).unwrap_or(5);
            assert_eq!(u64::from(outcome.kept.dial), wanted);
            assert_eq!(outcome.fits, outcome.kept.weight() <= limit);
            assert!(outcome.trail.len() <= 8, "{:?}", outcome.trail);
        }
    }

    #[test]
    fn what_fits_at_once_is_made_once() {
        assert_eq!(search(None, |_| 9_999_999).trail, [(80, 9_999_999)]);
        assert_eq!(search(Some(100), |_| 100).trail, [(80, 100)]);
    }

    #[test]
    fn a_jagged_curve_never_gives_a_file_that_does_not_fit_while_another_did() {
        for seed in 0..500usize {
            let bytes = |dial: u8| usize::from(dial) * 10 + (usize::from(dial) * seed * 31 % 97);
            let outcome = search(Some(400), bytes);
            let any_fitted = outcome.trail.iter().any(|&(_, weight)| weight <= 400);
            assert_eq!(outcome.fits, any_fitted, "seed {seed}: {:?}", outcome.trail);
        }
    }
}
