//! Kernels, cut into the weights of each target position.
//!
//! A target sample at position t covers the source around from + (t + ½) · scale − ½, with scale
//! the source length over the target length. When the picture shrinks, the kernel is stretched by
//! that scale, so that it removes what the smaller picture cannot hold (C. Duchon, "Lanczos
//! filtering in one and two dimensions", J. Appl. Meteorology 18, 1979).

use std::f64::consts::PI;
use std::ops::Range;

use crate::pixels::Kernel;

/// Half the width of [`Kernel::Clear`], in lobes.
const LOBES: f64 = 3.0;

/// Weights below this are left out; together they are far below a hundredth of a level.
const NEGLIGIBLE: f64 = 1e-7;

/// A sample this near to the border of a cell, in samples, lies on it, and within.
const ON_THE_BORDER: f64 = 1e-6;

/// A part of a row or a column of samples, and how many samples it becomes.
#[derive(Clone, Copy, Debug)]
pub(super) struct Span {
    /// The samples that there are: of those around the part none beyond is drawn on.
    pub source: (u32, u32),
    /// Where the part begins, in samples.
    pub from: f64,
    /// How long it is, in samples.
    pub length: f64,
    /// How many samples it becomes.
    pub target: u32,
}

/// The weights of every target position along one axis.
pub(super) struct Taps {
    /// The first source sample that any position draws on, and the one behind the last.
    reach: Range<usize>,
    positions: Vec<Position>,
    weights: Vec<f32>,
}

/// What one target position draws on.
#[derive(Clone, Debug)]
struct Position {
    sources: Range<usize>,
    /// The sources that lie within the target sample itself: the result stays near what they
    /// hold, which is what keeps halos away from edges. All of them for kernels that never ring.
    cell: Range<usize>,
    /// Where its weights begin.
    weights: usize,
}

/// A target position with its weights.
pub(super) struct Tap<'a> {
    /// Its first source sample.
    pub start: usize,
    /// Its weights, for the source samples from there on.
    pub weights: &'a [f32],
    /// Its own cell, counted from its first source sample.
    pub cell: Range<usize>,
}

impl Taps {
    /// Weights for a span. Beyond its ends the samples around it are drawn on, where there are
    /// any; at the edges of the source the kernel is cut off, and what is left of it is scaled
    /// to a sum of 1.
    pub(super) fn new(span: Span, kernel: Kernel) -> Self {
        let (first, last) = span.source;
        let scale = span.length / f64::from(span.target);
        let stretch = scale.max(1.0);
        // Samples that stay what they are need no kernel, whichever it is.
        let kernel = if scale == 1.0 && span.from.fract() == 0.0 {
            Kernel::Hard
        } else {
            kernel
        };
        let reach = match kernel {
            Kernel::Clear => LOBES * stretch,
            Kernel::Gentle => 2.0 * stretch,
            Kernel::Even | Kernel::Hard => scale / 2.0 + 0.5,
        };
        let mut taps = Taps {
            reach: last as usize..0,
            positions: Vec::with_capacity(span.target as usize),
            weights: Vec::new(),
        };
        let mut exact: Vec<f64> = Vec::new();
        for position in 0..span.target {
            let centre = span.from + (f64::from(position) + 0.5) * scale - 0.5;
            let clip = |at: f64| at.clamp(f64::from(first), f64::from(last)) as usize;
            let mut start = clip((centre - reach).ceil());
            let end = clip((centre + reach).floor() + 1.0);
            exact.clear();
            let nearest = clip((centre + 0.5).floor()).min(last.saturating_sub(1) as usize);
            exact.extend((start..end).map(|sample| {
                let distance = sample as f64 - centre;
                match kernel {
                    Kernel::Clear => windowed_sinc(distance / stretch),
                    Kernel::Gentle => spline(distance / stretch),
                    // How much of the sample lies within the position's own stretch.
                    Kernel::Even => (scale / 2.0 + 0.5 - distance.abs()).clamp(0.0, scale.min(1.0)),
                    Kernel::Hard => f64::from(u8::from(sample == nearest)),
                }
            }));
            let small = |weight: &f64| weight.abs() < NEGLIGIBLE;
            let leading = exact.iter().take_while(|w| small(w)).count();
            let trailing = exact.iter().rev().take_while(|w| small(w)).count();
            let kept = &exact[leading..exact.len() - trailing];
            start += leading;
            let sum: f64 = kept.iter().sum();
            let sources = start..start + kept.len();
            let cell = match kernel {
                Kernel::Clear => {
                    // At least the two samples that it lies between.
                    let half = stretch / 2.0 + ON_THE_BORDER;
                    let first = (centre - half).ceil().min(centre.floor());
                    let last = (centre + half).floor().max(centre.ceil());
                    clip(first).max(sources.start)..clip(last + 1.0).min(sources.end)
                }
                _ => sources.clone(),
            };
            taps.reach.start = taps.reach.start.min(sources.start);
            taps.reach.end = taps.reach.end.max(sources.end);
            taps.positions.push(Position {
                sources,
                cell,
                weights: taps.weights.len(),
            });
            taps.weights.extend(kept.iter().map(|w| (w / sum) as f32));
        }
        taps
    }

    /// How many target positions there are.
    pub(super) fn len(&self) -> usize {
        self.positions.len()
    }

    /// The source samples that are drawn on at all.
    pub(super) fn reach(&self) -> Range<usize> {
        self.reach.clone()
    }

    /// The source samples that a target position draws on.
    pub(super) fn sources(&self, position: usize) -> Range<usize> {
        self.positions[position].sources.clone()
    }

    /// The weight of a source sample for a target position; 0 where that does not draw on it.
    pub(super) fn weight(&self, position: usize, source: usize) -> f32 {
        let Position {
            sources, weights, ..
        } = &self.positions[position];
        if sources.contains(&source) {
            self.weights[weights + source - sources.start]
        } else {
            0.0
        }
    }

    /// Whether a source sample lies within a target position's own cell.
    pub(super) fn in_cell(&self, position: usize, source: usize) -> bool {
        self.positions[position].cell.contains(&source)
    }

    /// A target position.
    #[inline(always)]
    pub(super) fn tap(&self, position: usize) -> Tap<'_> {
        let Position {
            sources,
            cell,
            weights,
        } = &self.positions[position];
        Tap {
            start: sources.start,
            weights: &self.weights[*weights..*weights + (sources.end - sources.start)],
            cell: cell.start - sources.start..cell.end - sources.start,
        }
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
        LOBES * libm::sin(angle) * libm::sin(angle / LOBES) / (angle * angle)
    }
}

/// The cubic B-spline within two samples, 0 beyond.
fn spline(x: f64) -> f64 {
    let x = x.abs();
    match x {
        x if x < 1.0 => 2.0 / 3.0 - x * x + x * x * x / 2.0,
        x if x < 2.0 => (2.0 - x) * (2.0 - x) * (2.0 - x) / 6.0,
        _ => 0.0,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const KERNELS: [Kernel; 4] = [Kernel::Clear, Kernel::Gentle, Kernel::Even, Kernel::Hard];

    fn span(source: u32, from: f64, length: f64, target: u32) -> Span {
        Span {
            source: (0, source),
            from,
            length,
            target,
        }
    }

    #[test]
    fn weights_sum_to_one_and_cells_lie_within_them() {
        for span in [
            span(6000, 0.0, 6000.0, 1200),
            span(7, 0.0, 7.0, 7),
            span(7, 0.0, 7.0, 19),
            span(1, 0.0, 1.0, 1),
            span(3, 0.0, 3.0, 2),
            span(30_000, 0.0, 30_000.0, 1),
            span(100, 33.4, 21.7, 5),
            span(100, 99.5, 0.5, 1),
        ] {
            for kernel in KERNELS {
                let taps = Taps::new(span, kernel);
                assert_eq!(taps.len(), span.target as usize);
                for position in 0..taps.len() {
                    let tap = taps.tap(position);
                    assert!(tap.start >= taps.reach().start);
                    assert!(tap.start + tap.weights.len() <= taps.reach().end);
                    let sum: f64 = tap.weights.iter().map(|&weight| f64::from(weight)).sum();
                    assert!((sum - 1.0).abs() < 1e-5, "{kernel} {span:?}: {sum}");
                    assert!(
                        !tap.cell.is_empty() && tap.cell.end <= tap.weights.len(),
                        "{kernel} {span:?}"
                    );
                }
            }
        }
    }

    #[test]
    fn equal_lengths_take_each_sample_as_it_is() {
        for kernel in KERNELS {
            let taps = Taps::new(span(50, 20.0, 10.0, 10), kernel);
            for position in 0..taps.len() {
                let tap = taps.tap(position);
                assert_eq!((tap.start, tap.weights), (position + 20, &[1.0][..]));
                assert_eq!(tap.cell, 0..1);
            }
        }
    }

    #[test]
    fn means_are_of_what_is_covered_and_hard_samples_are_the_nearest() {
        let even = Taps::new(span(5, 0.0, 5.0, 2), Kernel::Even);
        assert_eq!(even.tap(0).weights, [0.4, 0.4, 0.2]);
        assert_eq!(
            (even.tap(1).start, even.tap(1).weights),
            (2, &[0.2, 0.4, 0.4][..])
        );
        let hard = Taps::new(span(3, 0.0, 3.0, 7), Kernel::Hard);
        let nearest: Vec<usize> = (0..7).map(|position| hard.tap(position).start).collect();
        assert_eq!(nearest, [0, 0, 1, 1, 1, 2, 2]);
        assert!((0..7).all(|position| hard.tap(position).weights == [1.0]));
    }
}
