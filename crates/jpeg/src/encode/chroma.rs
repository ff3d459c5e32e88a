//! Chroma that four pixels share, or two. What is shown of it is what a decoder makes of it: it is enlarged by
//! a triangle filter (ITU-T T.871 places the samples between the pixels). So the shared samples are
//! not just means: they are moved until their enlargement comes near to the pixels, which keeps thin
//! coloured lines and edges.

use pulp::Arch;

/// So often the samples are moved. More brings less and less.
const ROUNDS: usize = 2;

/// A plane of half the width and height, rounded up; of values within ±2047.
pub(crate) fn halved(arch: Arch, plane: &[i16], width: usize, height: usize) -> Vec<i16> {
    let (across, down) = (width.div_ceil(2), height.div_ceil(2));
    // The sums of what the samples stand for: they are what sums of the enlargement have to come near.
    let mut wanted = vec![0i16; across * down];
    for (y, out) in wanted.chunks_exact_mut(across).enumerate() {
        let row = |y: usize| &plane[y.min(height - 1) * width..][..width];
        arch.dispatch(Pairs {
            rows: (row(y * 2), row(y * 2 + 1)),
            out,
        });
    }
    let mut samples: Vec<i16> = wanted.iter().map(|sum| (sum + 2) >> 2).collect();
    let (mut missed, mut mixed) = (vec![0i16; across], vec![0i16; across + 2]);
    for _ in 0..ROUNDS {
        let before = samples.clone();
        for y in 0..down {
            let row = |y: usize| &before[y * across..][..across];
            let near = row(y);
            let above = row(y.saturating_sub(1));
            // Below the last row of an odd height nothing is shown: the one above it counts twice.
            let odd = y * 2 + 1 == height;
            let below = if odd {
                above
            } else {
                row((y + 1).min(down - 1))
            };
            arch.dispatch(Moved {
                rows: (above, near, below),
                odd: width % 2 == 1,
                wanted: &wanted[y * across..][..across],
                missed: &mut missed,
                mixed: &mut mixed,
                samples: &mut samples[y * across..][..across],
            });
        }
    }
    samples
}

/// A plane of half the width, rounded up.
pub(crate) fn narrowed(plane: &[i16], width: usize) -> Vec<i16> {
    let across = width.div_ceil(2);
    let rows = plane.chunks_exact(width).flat_map(|row| {
        let pairs = row.chunks(2).map(|pair| pair[0] + pair[pair.len() - 1]);
        let wanted: Vec<i16> = pairs.collect();
        let mut samples: Vec<i16> = wanted.iter().map(|sum| (sum + 1) >> 1).collect();
        for _ in 0..ROUNDS {
            let before = samples.clone();
            for (x, (out, wanted)) in samples.iter_mut().zip(&wanted).enumerate() {
                let left = between(before[x], before[x.saturating_sub(1)]);
                // The last sample may stand for one column only.
                let is_one = x * 2 + 1 == width;
                let right = between(before[x], before[(x + 1).min(across - 1)]);
                *out += (wanted - left - if is_one { left } else { right } + 1) >> 1;
            }
        }
        samples
    });
    rows.collect()
}

/// A plane of half the height, rounded up.
pub(crate) fn lowered(plane: &[i16], width: usize, height: usize) -> Vec<i16> {
    let down = height.div_ceil(2);
    let row = |y: usize| &plane[y.min(height - 1) * width..][..width];
    let wanted = (0..down).flat_map(|y| {
        let pairs = row(y * 2).iter().zip(row(y * 2 + 1));
        pairs.map(|(above, below)| above + below)
    });
    let wanted: Vec<i16> = wanted.collect();
    let mut samples: Vec<i16> = wanted.iter().map(|sum| (sum + 1) >> 1).collect();
    for _ in 0..ROUNDS {
        let before = samples.clone();
        let row = |y: usize| &before[y.min(down - 1) * width..][..width];
        for (y, out) in samples.chunks_exact_mut(width).enumerate() {
            let (near, above) = (row(y), row(y.saturating_sub(1)));
            let below = if y * 2 + 1 == height {
                above
            } else {
                row(y + 1)
            };
            let shown = near.iter().zip(above.iter().zip(below));
            let shown =
                shown.map(|(near, (above, below))| between(*near, *above) + between(*near, *below));
            let all = out.iter_mut().zip(&wanted[y * width..]).zip(shown);
            for ((out, wanted), shown) in all {
                *out += (wanted - shown + 1) >> 1;
            }
        }
    }
    samples
}

/// What is shown nearer to one of two samples.
fn between(near: i16, far: i16) -> i16 {
    (near * 3 + far + 2) >> 2
}

/// The sums of two by two values.
struct Pairs<'a> {
    rows: (&'a [i16], &'a [i16]),
    out: &'a mut [i16],
}

impl pulp::NullaryFnOnce for Pairs<'_> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        let (above, below) = self.rows;
        let pairs = above
            .as_chunks::<2>()
            .0
            .iter()
            .zip(below.as_chunks::<2>().0);
        for (out, (above, below)) in self.out.iter_mut().zip(pairs) {
            *out = above[0] + above[1] + below[0] + below[1];
        }
        if let ([last], [below]) = (above.as_chunks::<2>().1, below.as_chunks::<2>().1)
            && let Some(out) = self.out.last_mut()
        {
            *out = (last + below) * 2;
        }
    }
}

/// Takes from each sum what the enlargement shows of a row of the picture, which lies between two
/// rows of samples. `mixed` is room for those rows, times four, with the ends once more beyond them.
#[inline(always)]
fn take(mixed: &mut [i16], (near, far): (&[i16], &[i16]), odd: bool, sums: &mut [i16]) {
    let across = near.len();
    let between = &mut mixed[1..=across];
    for (out, (near, far)) in between.iter_mut().zip(near.iter().zip(far)) {
        *out = near * 3 + far;
    }
    mixed[0] = mixed[1];
    mixed[across + 1] = if odd {
        mixed[across - 1]
    } else {
        mixed[across]
    };
    let one = |near: i16, far: i16| (near * 3 + far + 8) >> 4;
    let sides = mixed.iter().zip(&mixed[2..]);
    let all = mixed[1..].iter().zip(sides).zip(sums);
    for ((middle, (left, right)), sum) in all {
        *sum -= one(*middle, *left) + one(*middle, *right);
    }
}

/// A row of samples moved by what its enlargement misses.
struct Moved<'a> {
    /// The rows of samples above, itself, and below.
    rows: (&'a [i16], &'a [i16], &'a [i16]),
    /// Whether the last sample stands for one column only.
    odd: bool,
    wanted: &'a [i16],
    /// Room for what is wanted but not shown, and for [`take`].
    missed: &'a mut [i16],
    mixed: &'a mut [i16],
    samples: &'a mut [i16],
}

impl pulp::NullaryFnOnce for Moved<'_> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        let (above, near, below) = self.rows;
        self.missed.copy_from_slice(self.wanted);
        take(self.mixed, (near, above), self.odd, self.missed);
        take(self.mixed, (near, below), self.odd, self.missed);
        for (out, sum) in self.samples.iter_mut().zip(&*self.missed) {
            *out = (*out + ((sum + 2) >> 2)).clamp(-2048, 2047);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// What a decoder shows of samples, pixel by pixel.
    fn shown(samples: &[i16], (width, height): (usize, usize)) -> Vec<i32> {
        let (across, down) = (width.div_ceil(2), height.div_ceil(2));
        let pair = |at: usize, last: usize| {
            let other = if at.is_multiple_of(2) {
                (at / 2).saturating_sub(1)
            } else {
                (at / 2 + 1).min(last - 1)
            };
            (at / 2, other)
        };
        let pixels = (0..height).flat_map(|y| (0..width).map(move |x| (x, y)));
        let pixels = pixels.map(|(x, y)| {
            let ((near, far), (own, other)) = (pair(y, down), pair(x, across));
            let mixed = |x: usize| {
                i32::from(samples[near * across + x]) * 3 + i32::from(samples[far * across + x])
            };
            (mixed(own) * 3 + mixed(other) + 8) >> 4
        });
        pixels.collect()
    }

    #[test]
    fn what_is_shown_comes_nearer_than_by_means() {
        for size in [(40, 30), (41, 31), (1, 1), (2, 1), (1, 7), (3, 3)] {
            let (width, height) = size;
            let line = |x: usize, y: usize| if x % 7 == 3 || y % 11 == 5 { 900 } else { -300 };
            let plane: Vec<i16> = (0..height)
                .flat_map(|y| (0..width).map(move |x| line(x, y)))
                .collect();
            let missed = |samples: &[i16]| -> i64 {
                let pairs = shown(samples, size).into_iter().zip(&plane);
                pairs
                    .map(|(a, b)| i64::from(a - i32::from(*b)).pow(2))
                    .sum()
            };
            let across = width.div_ceil(2);
            let means = (0..height.div_ceil(2)).flat_map(|y| (0..across).map(move |x| (x, y)));
            let means: Vec<i16> = means
                .map(|(x, y)| {
                    let at = |x: usize, y: usize| {
                        i32::from(plane[y.min(height - 1) * width + x.min(width - 1)])
                    };
                    let (x, y) = (x * 2, y * 2);
                    let sum = at(x, y) + at(x + 1, y) + at(x, y + 1) + at(x + 1, y + 1);
                    ((sum + 2) >> 2) as i16
                })
                .collect();
            let samples = halved(Arch::new(), &plane, width, height);
            let (own, plain) = (missed(&samples), missed(&means));
            assert!(own <= plain, "{size:?}: {own} {plain}");
            assert!(
                width < 40 || own * 100 < plain * 97,
                "{size:?}: {own} {plain}"
            );
            assert_eq!(samples, halved(Arch::Scalar, &plane, width, height));
        }
        assert_eq!(halved(Arch::new(), &[5; 12], 4, 3), [5; 4]);
    }
}
