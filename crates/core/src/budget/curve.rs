//! What a dial usually comes to, bent to what was seen of a picture.

use std::ops::RangeInclusive;

use super::Trial;

/// Trials at least so many dials apart tell how steep a curve is beyond them.
const APART: u8 = 4;

/// A dial, and what pictures come to there.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Knot {
    /// The dial.
    pub dial: f64,
    /// The mean score.
    pub score: f64,
    /// How far scores spread: a picture that is easier by one takes so much more.
    pub spread: f64,
    /// The logarithm of the weight, but for a constant that every picture has of its own.
    pub weight: f64,
}

/// What the dials of one coder usually come to.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Curve {
    /// Its knots, the lowest dial first; straight lines lie between them.
    pub knots: &'static [Knot],
    /// How much easier the picture at hand is than most, as far as it is known beforehand.
    pub easier: f64,
}

/// What a coder usually comes to, and how a quick look at a picture tells how easy it is for it: a
/// linear function of its features.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Prior {
    /// The knots of its curve.
    pub knots: &'static [Knot],
    /// The weight of each feature.
    pub features: &'static [f64],
    /// What is added to them.
    pub constant: f64,
}

impl Prior {
    /// The range of the dial that it tells of, worst first.
    pub fn dials(&self) -> RangeInclusive<u8> {
        let dial = |knot: Option<&Knot>| knot.map_or(1, |knot| knot.dial as u8);
        dial(self.knots.first())..=dial(self.knots.last())
    }

    /// The curve for a picture with these features.
    pub fn curve(&self, features: &[f64]) -> Curve {
        let parts = self.features.iter().zip(features);
        let parts = parts.map(|(weight, feature)| weight * feature);
        let easier = self.constant + parts.sum::<f64>();
        Curve {
            knots: self.knots,
            // Pictures unlike all that the fit has seen may lie anywhere.
            easier: easier.clamp(-2.5, 2.5),
        }
    }
}

/// A knot, in a line.
pub(crate) const fn knot(dial: f64, score: f64, spread: f64, weight: f64) -> Knot {
    Knot {
        dial,
        score,
        spread,
        weight,
    }
}

impl Curve {
    /// The same for a picture that scored so at a dial, by a coder that is much like this one.
    pub fn seen(self, dial: u8, score: f32) -> Curve {
        let knot = self.at(dial);
        let easier = (f64::from(score) - knot.score) / knot.spread;
        Curve { easier, ..self }
    }

    /// The curve at a dial.
    fn at(&self, dial: u8) -> Knot {
        let dial = f64::from(dial);
        let after = self.knots.partition_point(|knot| knot.dial <= dial);
        let after = after.clamp(1, self.knots.len() - 1);
        let (a, b) = (self.knots[after - 1], self.knots[after]);
        let part = (dial - a.dial) / (b.dial - a.dial);
        let mix = |a: f64, b: f64| a + (b - a) * part;
        Knot {
            dial,
            score: mix(a.score, b.score),
            spread: mix(a.spread, b.spread),
            weight: mix(a.weight, b.weight),
        }
    }

    /// The score to be expected at a dial, after the trials so far (by dial, lowest first).
    pub(super) fn score(&self, trials: &[Trial], dial: u8) -> f64 {
        let seen = |trial: &Trial| f64::from(trial.score);
        let Some(nearest) = nearest(trials, dial) else {
            let knot = self.at(dial);
            return knot.score + knot.spread * self.easier;
        };
        // So easy the picture is, as the nearest trial tells.
        let there = self.at(nearest.dial);
        let easier = (seen(nearest) - there.score) / there.spread;
        let usual = |dial: u8| {
            let knot = self.at(dial);
            knot.score + knot.spread * easier
        };
        // The curve goes through the nearest trial.
        let usually = usual(dial) - seen(nearest);
        let miss = |trial: &Trial| seen(trial) - usual(trial.dial);
        usual(dial) + off(trials, nearest, dial, usually, miss)
    }

    /// The weight to be expected at a dial, in bytes; `None` before the first trial.
    pub(super) fn weight(&self, trials: &[Trial], dial: u8) -> Option<f64> {
        let nearest = nearest(trials, dial)?;
        let seen =
            |trial: &Trial| libm::log(trial.weight.max(1) as f64) - self.at(trial.dial).weight;
        let own = seen(nearest);
        let usually = self.at(dial).weight - self.at(nearest.dial).weight;
        let off = off(trials, nearest, dial, usually, |trial| seen(trial) - own);
        Some(libm::exp(self.at(dial).weight + own + off))
    }
}

fn nearest(trials: &[Trial], dial: u8) -> Option<&Trial> {
    trials.iter().min_by_key(|trial| trial.dial.abs_diff(dial))
}

/// How far a dial lies off a curve through its nearest trial, which usually changes so much on the
/// way: by a straight line to the trial on its other side, else on from the next one, as that says
/// how the curve is to be tilted; but it never says that half the change or more is missing.
fn off(
    trials: &[Trial],
    nearest: &Trial,
    dial: u8,
    usually: f64,
    miss: impl Fn(&Trial) -> f64,
) -> f64 {
    let beyond =
        |trial: &&Trial| (trial.dial > dial) != (nearest.dial > dial) && trial.dial != dial;
    let others = || trials.iter().filter(|trial| trial.dial != nearest.dial);
    let distance = |trial: &&Trial| trial.dial.abs_diff(nearest.dial);
    let away = f64::from(dial) - f64::from(nearest.dial);
    let tilted = |other: &Trial| {
        let apart = f64::from(other.dial) - f64::from(nearest.dial);
        miss(other) / apart * away
    };
    if let Some(across) = others().filter(beyond).min_by_key(distance) {
        return tilted(across);
    }
    // Two trials side by side say nothing of dials far from both.
    let apart = |trial: &&Trial| distance(trial) >= APART;
    let other = others().filter(apart).min_by_key(distance);
    let most = usually.abs() / 2.0;
    other.map_or(0.0, |other| tilted(other).clamp(-most, most))
}
