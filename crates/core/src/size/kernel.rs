//! The three-lobed windowed sinc, cut into the weights of each target position.
//!
//! A target sample at position t covers the source around (t + ½) · scale − ½, with scale the
//! source length over the target length. When the picture shrinks, the kernel is stretched by
//! that scale, so that it removes what the smaller picture cannot hold (C. Duchon, "Lanczos
//! filtering in one and two dimensions", J. Appl. Meteorology 18, 1979).

use std::f64::consts::PI;
use std::ops::Range;

/// Half the kernel's width, in lobes.
const LOBES: f64 = 3.0;

/// Weights below this are left out; together they are far below a hundredth of a level.
const NEGLIGIBLE: f64 = 1e-7;

/// The weights of every target position along one axis.
pub(super) struct Taps {
    starts: Vec<usize>,
    ends: Vec<usize>,
    weights: Vec<f32>,
}

impl Taps {
    /// Weights for `source` samples that become `target` samples. At the edges the kernel is
    /// cut off and what is left of it is scaled to a sum of 1.
    pub(super) fn new(source: u32, target: u32) -> Self {
        let scale = f64::from(source) / f64::from(target);
        let stretch = scale.max(1.0);
        let reach = LOBES * stretch;
        let mut taps = Taps {
            starts: Vec::with_capacity(target as usize),
            ends: Vec::with_capacity(target as usize),
            weights: Vec::new(),
        };
        let mut exact: Vec<f64> = Vec::new();
        for position in 0..target {
            let centre = (f64::from(position) + 0.5) * scale - 0.5;
            let mut start = (centre - reach).ceil().max(0.0) as usize;
            let end = ((centre + reach).floor() as usize + 1).min(source as usize);
            exact.clear();
            exact.extend((start..end).map(|s| windowed_sinc((s as f64 - centre) / stretch)));
            let small = |weight: &f64| weight.abs() < NEGLIGIBLE;
            let leading = exact.iter().take_while(|w| small(w)).count();
            let trailing = exact.iter().rev().take_while(|w| small(w)).count();
            let kept = &exact[leading..exact.len() - trailing];
            start += leading;
            let sum: f64 = kept.iter().sum();
            taps.weights.extend(kept.iter().map(|w| (w / sum) as f32));
            taps.starts.push(start);
            taps.ends.push(start + kept.len());
        }
        taps
    }

    /// How many target positions there are.
    pub(super) fn len(&self) -> usize {
        self.starts.len()
    }

    /// The source samples that a target position draws on.
    pub(super) fn sources(&self, position: usize) -> Range<usize> {
        self.starts[position]..self.ends[position]
    }

    /// Every target position with its first source sample and its weights.
    pub(super) fn iter(&self) -> impl Iterator<Item = (usize, &[f32])> {
        let mut at = 0;
        self.starts
            .iter()
            .zip(&self.ends)
            .map(move |(&start, &end)| {
                let weights = &self.weights[at..at + end - start];
                at += weights.len();
                (start, weights)
            })
    }
}

/// sinc(x) · sinc(x / 3) within three lobes, 0 beyond.
fn windowed_sinc(x: f64) -> f64 {
    if x == 0.0 {
        1.0
    } else if x.abs() >= LOBES {
        0.0
    } else {
        let angle = PI * x;
        LOBES * angle.sin() * (angle / LOBES).sin() / (angle * angle)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn weights_sum_to_one_and_stay_inside_the_source() {
        for (source, target) in [(6000, 1200), (7, 7), (1, 1), (3, 2), (2, 5), (30_000, 1)] {
            let taps = Taps::new(source, target);
            assert_eq!(taps.len(), target as usize);
            for (start, weights) in taps.iter() {
                assert!(!weights.is_empty() && start + weights.len() <= source as usize);
                assert!((weights.iter().sum::<f32>() - 1.0).abs() < 1e-5);
            }
        }
    }

    #[test]
    fn equal_lengths_take_each_sample_as_it_is() {
        for (position, (start, weights)) in Taps::new(50, 50).iter().enumerate() {
            assert_eq!((start, weights), (position, &[1.0][..]));
        }
    }
}
