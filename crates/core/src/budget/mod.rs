//! The search for the dial that keeps both budgets: a look and a weight. It knows no codec: all it
//! has is a closure that turns a dial into a trial, and a curve of what dials usually come to.

mod curve;
mod share;

use std::ops::RangeInclusive;

pub(crate) use curve::knot;
pub use curve::{Curve, Knot, Prior};
use serde::{Deserialize, Serialize};
pub use share::{Lot, Member, Point, Sharing};

/// Counts up whenever a search may end at another dial, or a total be shared otherwise.
pub(crate) const REVISION: u32 = 6;

/// A file may be so much better than its look: a closer dial would hardly weigh less.
const CLOSE: f32 = 0.5;

/// The next dial is aimed so much above the look, that it may count at once.
const AIMED_ABOVE: f64 = 0.12;

/// The last trial is aimed so much above the look, so that it is reached for sure.
const AIMED_SURELY: f64 = 1.0;

/// The next lower dial is taken to miss the look where it is expected to, by at least this much.
const SURELY_BELOW: f64 = 0.15;

/// A file that weighs so many times a rival at the look is not worth finding.
const OUTDONE: f64 = 1.2;

/// From so many trials on, every other is made in the middle between the nearest two.
const MISLED: usize = 5;

/// What is made of a look and a weight.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Aim {
    /// The lightest file that reaches the look.
    #[default]
    Lightest,
    /// The best file that keeps the weight.
    Sharpest,
}

/// What is wanted of a file.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Goal {
    /// The visual score that it shall reach.
    pub look: f32,
    /// The lowest that is acceptable for the sake of its weight.
    pub least: f32,
    /// The most that it may weigh, in bytes.
    pub max_weight: Option<u64>,
    /// What is made of the two.
    pub aim: Aim,
    /// A look shall be found in so many trials, where it costs no more than a little weight.
    pub trials: usize,
    /// The weight of a file that is there already and would do for any look, in bytes: the search
    /// ends where no lighter one is to be expected.
    pub rival: Option<u64>,
}

/// One attempt at a piece.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Trial {
    /// The dial it was made at.
    pub dial: u8,
    /// The file's size in bytes.
    pub weight: u64,
    /// Its visual score.
    pub score: f32,
}

impl Trial {
    /// Whether a file can be so.
    fn is_sound(&self) -> bool {
        self.score.is_finite() && self.weight > 0
    }
}

/// What a search came to.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Verdict {
    /// It reaches its look and keeps its weight; nothing lighter that was tried does.
    Met,
    /// The lowest dial is better than its look: nothing lighter can be made.
    Lightest,
    /// It keeps its weight by staying below its look: the best that fits.
    Bounded,
    /// Even the least look weighs more than allowed: made at that look, over its weight.
    Over,
    /// The highest dial stays below the look.
    Short,
    /// It stays below its look so that many together keep their total.
    Shared,
}

impl Verdict {
    /// Whether its look is reached.
    pub fn reaches(self) -> bool {
        matches!(self, Verdict::Met | Verdict::Lightest)
    }
}

/// What a search found.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Outcome {
    /// The trial to keep.
    pub kept: Trial,
    /// What it came to.
    pub verdict: Verdict,
}

/// The lightest file that reaches the look; if that is over the weight, the best that fits; if even
/// the least look does not fit, the lightest file of that. Every dial that could be returned was
/// made and scored, by `attempt` or before, as `known` tells; none is tried twice. Of what is known
/// only dials in the range count, with a score and a weight that a file can have.
pub fn search<E>(
    goal: Goal,
    dials: RangeInclusive<u8>,
    curve: &Curve,
    mut known: Vec<Trial>,
    attempt: impl FnMut(u8) -> Result<Trial, E>,
) -> Result<Outcome, E> {
    known.retain(|trial| dials.contains(&trial.dial) && trial.is_sound());
    known.sort_unstable_by_key(|trial| trial.dial);
    known.dedup_by_key(|trial| trial.dial);
    let mut hunt = Hunt {
        low: *dials.start(),
        high: *dials.end(),
        curve,
        attempt,
        trials: known,
    };
    let (verdict, index) = hunt.run(goal)?;
    Ok(Outcome {
        kept: hunt.trials[index],
        verdict,
    })
}

struct Hunt<'a, A> {
    low: u8,
    high: u8,
    curve: &'a Curve,
    attempt: A,
    /// By their dials, the lowest first.
    trials: Vec<Trial>,
}

impl<E, A: FnMut(u8) -> Result<Trial, E>> Hunt<'_, A> {
    fn run(&mut self, goal: Goal) -> Result<(Verdict, usize), E> {
        let most = goal.max_weight.unwrap_or(u64::MAX);
        let rival = goal.rival.filter(|&rival| rival <= most);
        let reached = match goal.aim {
            Aim::Sharpest => false,
            Aim::Lightest => self.reach(Goal { rival, ..goal })?,
        };
        let outdone = goal.aim == Aim::Lightest && rival.is_some();
        if !reached && !outdone {
            self.fit(most, goal.look)?;
            let good = |trial: &Trial| trial.weight <= most && trial.score >= goal.least;
            if !self.trials.iter().any(good) {
                // Over the weight then, but not below the least look.
                self.reach(Goal {
                    look: goal.least,
                    max_weight: None,
                    rival: None,
                    ..goal
                })?;
            }
        }
        Ok(self.judge(goal, most))
    }

    /// Of all trials the one to keep.
    fn judge(&self, goal: Goal, most: u64) -> (Verdict, usize) {
        let all = || 0..self.trials.len();
        let (weight, score) = (
            |i: &usize| self.trials[*i].weight,
            |i: &usize| self.trials[*i].score,
        );
        let by_score = |a: &usize, b: &usize| {
            score(a)
                .total_cmp(&score(b))
                .then(weight(b).cmp(&weight(a)))
        };
        let by_lightness = |a: &usize, b: &usize| {
            weight(b)
                .cmp(&weight(a))
                .then(score(a).total_cmp(&score(b)))
        };
        let fitting = || all().filter(|i| weight(i) <= most);
        let reaching = fitting().filter(|i| score(i) >= goal.look);
        let best = match goal.aim {
            Aim::Sharpest => reaching.max_by(by_score),
            Aim::Lightest => reaching.max_by(by_lightness),
        };
        if let Some(best) = best {
            let lowest = self.trials[best].dial == self.low && goal.aim == Aim::Lightest;
            return if lowest && score(&best) >= goal.look + CLOSE {
                (Verdict::Lightest, best)
            } else {
                (Verdict::Met, best)
            };
        }
        if let Some(best) = fitting()
            .filter(|i| score(i) >= goal.least)
            .max_by(by_score)
        {
            let bounded = goal.max_weight.is_some() && self.trials[best].dial < self.high;
            return if bounded {
                (Verdict::Bounded, best)
            } else {
                (Verdict::Short, best)
            };
        }
        let least = all()
            .filter(|i| score(i) >= goal.least)
            .max_by(by_lightness);
        let kept = least.or(all().max_by(by_score)).unwrap_or(0);
        if weight(&kept) <= most {
            (Verdict::Short, kept)
        } else {
            (Verdict::Over, kept)
        }
    }

    /// Tries a dial, where that was not done yet.
    fn at(&mut self, dial: u8) -> Result<(), E> {
        let found = self.trials.binary_search_by_key(&dial, |trial| trial.dial);
        if let Err(place) = found {
            let trial = (self.attempt)(dial)?;
            self.trials.insert(place, trial);
        }
        Ok(())
    }

    /// Tries dials until the lowest that reaches a look is known, or none does; ends with `false`
    /// as soon as it is clear that it weighs more than allowed, or to be expected that it weighs
    /// more than a rival.
    fn reach(&mut self, goal: Goal) -> Result<bool, E> {
        let Goal { look, trials, .. } = goal;
        let most = goal.max_weight.unwrap_or(u64::MAX);
        let begun = self.trials.len();
        loop {
            let above = self.trials.iter().position(|trial| trial.score >= look);
            let below = above.unwrap_or(self.trials.len()).checked_sub(1);
            if below.is_some_and(|below| self.trials[below].weight > most)
                || goal.rival.is_some_and(|rival| self.is_outdone(look, rival))
            {
                return Ok(false);
            }
            let made = self.trials.len() - begun;
            let enough = |&above: &usize| made >= trials || self.is_enough(look, above, below);
            if let Some(above) = above.filter(enough) {
                return Ok(self.trials[above].weight <= most);
            }
            if above.is_none() && below.is_some_and(|below| self.trials[below].dial == self.high) {
                return Ok(true);
            }
            let low = below.map_or(self.low, |below| self.trials[below].dial + 1);
            let high = above.map_or(self.high, |above| self.trials[above].dial - 1);
            let aimed = match (self.trials.is_empty(), above) {
                (true, _) => 0.0,
                (_, None) if made + 1 >= trials => AIMED_SURELY,
                _ => AIMED_ABOVE,
            };
            let wanted = f64::from(look) + aimed;
            let expected = |dial: u8| self.curve.score(&self.trials, dial) >= wanted;
            let gap = Gap {
                low,
                high,
                below: below.is_some(),
                above: above.is_some(),
                tries: made,
            };
            let dial = gap.next(expected);
            self.at(dial)?;
        }
    }

    /// Whether a file that reaches a look is expected to weigh more than a rival, by a margin.
    fn is_outdone(&self, look: f32, rival: u64) -> bool {
        let reaches = |dial: &u8| self.curve.score(&self.trials, *dial) >= f64::from(look);
        let lowest = (self.low..self.high).find(reaches).unwrap_or(self.high);
        let weight = self.curve.weight(&self.trials, lowest);
        weight.is_some_and(|weight| weight > rival as f64 * OUTDONE)
    }

    /// Whether no dial below the lowest trial that reaches a look is worth a try.
    fn is_enough(&self, look: f32, above: usize, below: Option<usize>) -> bool {
        let trial = &self.trials[above];
        if trial.score < look + CLOSE || trial.dial == self.low {
            return true;
        }
        let lower = self.curve.score(&self.trials, trial.dial - 1);
        match below.map(|below| self.trials[below].dial) {
            Some(below) if below + 1 == trial.dial => true,
            // Two trials tell how steep it is here.
            Some(_) => lower < f64::from(look) - SURELY_BELOW,
            None => self.trials.len() > 1 && lower < f64::from(look) - 2.0 * SURELY_BELOW,
        }
    }

    /// Tries dials until the heaviest that fits is known: the next one is tried as well, and weighs
    /// too much.
    fn fit(&mut self, most: u64, look: f32) -> Result<(), E> {
        let begun = self.trials.len();
        loop {
            let over = self.trials.iter().position(|trial| trial.weight > most);
            let under = over.unwrap_or(self.trials.len()).checked_sub(1);
            let low = under.map_or(self.low, |under| self.trials[under].dial + 1);
            let high = match over.map(|over| self.trials[over].dial) {
                Some(over) if over == self.low => return Ok(()),
                Some(over) => over - 1,
                None => self.high,
            };
            if low > high {
                return self.look_beyond(most);
            }
            let expected = |dial: u8| match self.curve.weight(&self.trials, dial) {
                Some(weight) => weight > most as f64,
                // Nothing is known of weights yet: a file of the look shall tell.
                None => self.curve.score(&self.trials, dial) > f64::from(look),
            };
            // The heaviest dial that is expected to fit.
            let gap = Gap {
                low,
                high,
                below: under.is_some(),
                above: over.is_some(),
                tries: self.trials.len() - begun,
            };
            let dial = gap.next(expected);
            let expected_over = expected(dial);
            let dial = if expected_over && dial > low {
                dial - 1
            } else {
                dial
            };
            self.at(dial)?;
        }
    }

    /// Weights are no smooth curve: where the first dial that is too heavy is so by little, the
    /// next may fit again.
    fn look_beyond(&mut self, most: u64) -> Result<(), E> {
        let over = self.trials.iter().find(|trial| trial.weight > most);
        let near = over.filter(|over| over.weight as f64 <= most as f64 * 1.01);
        match near.map(|over| over.dial).filter(|&dial| dial < self.high) {
            Some(dial) => self.at(dial + 1),
            None => Ok(()),
        }
    }
}

/// The dials among which the one that is looked for lies.
struct Gap {
    low: u8,
    high: u8,
    /// Whether there are trials on either side.
    below: bool,
    above: bool,
    /// How many trials it took so far.
    tries: usize,
}

impl Gap {
    /// The first dial for which something is expected that holds from some dial on. Where
    /// expectations have misled: the middle between two trials, or further and further from one.
    fn next(&self, expected: impl Fn(u8) -> bool) -> u8 {
        let Gap { low, high, .. } = *self;
        let dial = (low..high).find(|&dial| expected(dial)).unwrap_or(high);
        let leap = (1u8 << self.tries.clamp(1, 7).saturating_sub(2)) - 1;
        match (self.below, self.above) {
            (true, true) if self.tries >= MISLED && self.tries % 2 == 1 => low + (high - low) / 2,
            (true, false) => dial.max(low.saturating_add(leap).min(high)),
            (false, true) => dial.min(high.saturating_sub(leap).max(low)),
            _ => dial,
        }
    }
}

#[cfg(test)]
mod tests;
