//! Sine transforms.

// Lanes are counted, so that they are seen to be as many.
#![allow(clippy::needless_range_loop)]

use super::turn::{Lanes, add, cosine, mix, round};

/// Sines of ninths of a half turn, for four samples.
const SINES: [i32; 4] = [1321, 2482, 3344, 3803];

/// The inverse sine transform of four values (7.13.2.6).
#[inline(always)]
pub(super) fn sines_4<const L: usize>(t: &mut [Lanes<L>]) {
    let [s1, s2, s3, s4] = SINES;
    for lane in 0..L {
        let [a, b, c, d] = [t[0][lane], t[1][lane], t[2][lane], t[3][lane]];
        let x = s1 * a + s4 * c + s2 * d;
        let y = s2 * a - s1 * c - s4 * d;
        let z = s3 * b;
        t[0][lane] = round(x + z, 12);
        t[1][lane] = round(y + z, 12);
        t[2][lane] = round(s3 * (a - c + d), 12);
        t[3][lane] = round(x + y - z, 12);
    }
}

/// What that undoes.
#[inline(always)]
pub(super) fn sines_4_back<const L: usize>(t: &mut [Lanes<L>]) {
    let [s1, s2, s3, s4] = SINES;
    for lane in 0..L {
        let [a, b, c, d] = [t[0][lane], t[1][lane], t[2][lane], t[3][lane]];
        t[0][lane] = round(s1 * a + s2 * b + s3 * c + s4 * d, 12);
        t[1][lane] = round(s3 * (a + b - d), 12);
        t[2][lane] = round(s4 * a - s1 * b - s3 * c + s2 * d, 12);
        t[3][lane] = round(s2 * a - s4 * b + s3 * c - s1 * d, 12);
    }
}

/// Where the inputs of the inverse sine transforms come from, and where their outputs go; every other of these is
/// negated.
const SINE_8: ([usize; 8], [usize; 8]) = ([7, 0, 5, 2, 3, 4, 1, 6], [0, 4, 6, 2, 3, 7, 5, 1]);
const SINE_16: ([usize; 16], [usize; 16]) = (
    [15, 0, 13, 2, 11, 4, 9, 6, 7, 8, 5, 10, 3, 12, 1, 14],
    [0, 8, 12, 4, 6, 14, 10, 2, 3, 11, 15, 7, 5, 13, 9, 1],
);

/// The inverse sine transform of 8 or 16 values (7.13.2.7 and 7.13.2.8), or what it undoes.
#[inline(always)]
pub(super) fn sines<const L: usize, const BACK: bool>(t: &mut [Lanes<L>]) {
    let n = t.len();
    let (sources, targets): (&[usize], &[usize]) = match n {
        8 => (&SINE_8.0, &SINE_8.1),
        _ => (&SINE_16.0, &SINE_16.1),
    };
    let mut held = [[0; L]; 16];
    if BACK {
        for (place, &from) in targets.iter().enumerate() {
            let sign = if place & 1 == 1 { -1 } else { 1 };
            held[from] = t[place].map(|value| value * sign);
        }
        t.copy_from_slice(&held[..n]);
    } else {
        for (place, &from) in sources.iter().enumerate() {
            held[place] = t[from];
        }
        t.copy_from_slice(&held[..n]);
    }
    let steps = if n == 8 { 5 } else { 7 };
    for step in 0..steps {
        sine_step(t, if BACK { steps - 1 - step } else { step });
    }
    held[..n].copy_from_slice(t);
    if BACK {
        for (place, &to) in sources.iter().enumerate() {
            t[to] = held[place];
        }
    } else {
        for (place, &from) in targets.iter().enumerate() {
            let sign = if place & 1 == 1 { -1 } else { 1 };
            t[place] = held[from].map(|value| value * sign);
        }
    }
}

/// A step of the network; each is its own transpose.
#[inline(always)]
fn sine_step<const L: usize>(t: &mut [Lanes<L>], step: usize) {
    let n = t.len();
    // Angles in the cosine table: both products of a pair are told by one.
    let first = |t: &mut [Lanes<L>], a: usize, angle: i32| {
        let (c, s) = (cosine(angle), cosine(64 - angle));
        mix(t, a, a + 1, (c, s), (s, -c));
    };
    let second = |t: &mut [Lanes<L>], a: usize, angle: i32| {
        let (c, s) = (cosine(angle), cosine(64 - angle));
        mix(t, a, a + 1, (-s, c), (c, s));
    };
    // The networks of 8 and 16 differ by two steps.
    let step = if n == 8 && step > 0 { step + 2 } else { step };
    match step {
        0 => {
            let by = if n == 8 { 16 } else { 8 };
            let start = by / 4;
            for i in 0..n / 2 {
                first(t, 2 * i, start + by * i as i32);
            }
        }
        1 => {
            for i in 0..8 {
                add(t, i, i + 8, false);
            }
        }
        2 => {
            first(t, 8, 8);
            first(t, 10, 40);
            second(t, 12, 8);
            second(t, 14, 40);
        }
        3 => {
            for at in 0..n / 8 {
                for i in 0..4 {
                    add(t, 8 * at + i, 8 * at + i + 4, false);
                }
            }
        }
        4 => {
            for at in 0..n / 8 {
                first(t, 8 * at + 4, 16);
                second(t, 8 * at + 6, 16);
            }
        }
        5 => {
            for at in 0..n / 4 {
                for i in 0..2 {
                    add(t, 4 * at + i, 4 * at + i + 2, false);
                }
            }
        }
        _ => {
            for at in 0..n / 4 {
                first(t, 4 * at + 2, 32);
            }
        }
    }
}
