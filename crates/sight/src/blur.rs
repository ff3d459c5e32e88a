//! The blur that means, variances and the covariance are taken with: a Gaussian of standard
//! deviation 1.5, as the sum of three truncated cosines, each a recursion of second order
//! (Charalampidis, "Recursive implementation of the Gaussian filter using truncated cosine
//! functions", IEEE Transactions on Signal Processing 64, 2016). Beyond the borders everything
//! is 0.
//!
//! A sum of nine taps would give the same filter more exactly. But the recursion's rounding adds up
//! along rows and columns to about a hundredth of what keeps the structure's quotient steady,
//! which takes up to four points off very good pictures, and the published measure has always been
//! taken and tuned with it. So the recursion is part of the measure, down to its rounding: in
//! single precision, first along rows, then down columns, with products and sums fused.

/// Lanes worked on together: so many rows along, and so many columns down.
pub(crate) const LANES: usize = 8;

/// So many values side by side.
pub(crate) type Lanes = [f32; LANES];

/// Half the period of the slowest cosine, in samples.
const RADIUS: usize = 5;

/// Samples that a recursion runs ahead of what it gives.
pub(crate) const AHEAD: usize = RADIUS - 1;

/// Samples between the two that a step of a recursion adds.
pub(crate) const SPAN: usize = 2 * RADIUS;

/// How strongly each cosine takes its input.
const TAKEN: [f32; 3] = [0.055_295_236, -0.058_836_687, 0.012_955_819];

/// How strongly each goes on with what it gave last: twice the cosine of its step.
const KEPT: [f32; 3] = [1.902_113_1, 1.175_570_5, 1.224_646_9e-16];

/// What the three recursions gave last, and before that.
#[derive(Clone, Copy, Default)]
pub(crate) struct Swing {
    last: [Lanes; 3],
    before: [Lanes; 3],
}

impl Swing {
    /// A step down columns: from the rows that enter and leave, the sum of all three.
    #[inline(always)]
    pub(crate) fn down(&mut self, entering: &Lanes, leaving: &Lanes) -> Lanes {
        let mut given = [0.0; LANES];
        for i in 0..LANES {
            let sum = leaving[i] + entering[i];
            let mut outs = [0.0; 3];
            for k in 0..3 {
                let swing = self.last[k][i].mul_add(-KEPT[k], self.before[k][i]);
                outs[k] = sum.mul_add(TAKEN[k], -swing);
                self.before[k][i] = self.last[k][i];
                self.last[k][i] = outs[k];
            }
            given[i] = outs[0] + outs[1] + outs[2];
        }
        given
    }

    /// A step along rows. The same sum, rounded in another order.
    #[inline(always)]
    pub(crate) fn along(&mut self, entering: &Lanes, leaving: &Lanes) -> Lanes {
        let mut given = [0.0; LANES];
        for i in 0..LANES {
            let sum = leaving[i] + entering[i];
            let mut outs = [0.0; 3];
            for k in 0..3 {
                let taken = sum * TAKEN[k] - self.before[k][i];
                outs[k] = self.last[k][i].mul_add(KEPT[k], taken);
                self.before[k][i] = self.last[k][i];
                self.last[k][i] = outs[k];
            }
            given[i] = outs[0] + outs[1] + outs[2];
        }
        given
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The weights of the filter that the recursion computes, from its middle outwards.
    const TAPS: [f32; 5] = [
        0.264_621_1,
        0.212_928_6,
        0.109_335_37,
        0.036_011_115,
        0.009_414_368,
    ];

    /// What a single 1 becomes, by steps of either kind.
    fn response(step: impl Fn(&mut Swing, &Lanes, &Lanes) -> Lanes) -> Vec<f32> {
        let light = |x: usize| [if x == SPAN + 20 { 1.0 } else { 0.0 }; LANES];
        let mut swing = Swing::default();
        let given = (0..60).map(|x| step(&mut swing, &light(x + SPAN), &light(x)));
        given.map(|lanes| lanes[LANES - 1]).collect()
    }

    #[test]
    fn both_steps_come_to_a_gaussian_nine_samples_wide() {
        for found in [response(Swing::down), response(Swing::along)] {
            for (x, found) in found.iter().enumerate() {
                let far = x.abs_diff(20 + AHEAD);
                let wanted = TAPS.get(far).copied().unwrap_or(0.0);
                assert!((found - wanted).abs() < 1e-6, "{far}: {found} {wanted}");
            }
            let sum: f32 = found.iter().sum();
            assert!((sum - 1.0).abs() < 1e-5, "{sum}");
        }
    }
}
