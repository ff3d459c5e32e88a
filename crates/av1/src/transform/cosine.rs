//! Cosine transforms.

use super::turn::{Lanes, add, flip, turn};

/// The lowest bits of a number, the other way round.
#[inline(always)]
fn reversed(bits: u32, value: usize) -> usize {
    value.reverse_bits() >> (usize::BITS - bits)
}

/// Puts values where the reversed bits of their places are.
#[inline(always)]
fn permute<const L: usize>(t: &mut [Lanes<L>], n: u32) {
    for place in 0..t.len() {
        let other = reversed(n, place);
        if place < other {
            t.swap(place, other);
        }
    }
}

/// The inverse cosine transform (7.13.2.3), or what it undoes.
#[inline(always)]
pub(super) fn cosines<const L: usize, const BACK: bool, const N: u32>(t: &mut [Lanes<L>]) {
    let (t, n) = (&mut t[..1 << N], N);
    if !BACK {
        permute(t, n);
    }
    for step in 1..=30 {
        cosine_step::<L, BACK>(t, n, if BACK { 31 - step } else { step });
    }
    if BACK {
        permute(t, n);
    }
}

/// A step of the network, by its number in the standard. Loops count by themselves: iterators with closures would not
/// be inlined, and what is not inlined is not compiled for wide units.
#[inline(always)]
fn cosine_step<const L: usize, const BACK: bool>(t: &mut [Lanes<L>], n: u32, step: u32) {
    let brev = |bits: u32, value: usize| reversed(bits, value) as i32;
    match step {
        1 if n == 6 => {
            for i in 0..16 {
                turn::<L, BACK>(t, 32 + i, 63 - i, 63 - 4 * brev(4, i));
            }
        }
        2 if n >= 5 => {
            for i in 0..8 {
                turn::<L, BACK>(t, 16 + i, 31 - i, 6 + (brev(3, 7 - i) << 3));
            }
        }
        3 if n == 6 => {
            for i in 0..16 {
                add(t, 32 + 2 * i, 33 + 2 * i, i & 1 == 1);
            }
        }
        4 if n >= 4 => {
            for i in 0..4 {
                turn::<L, BACK>(t, 8 + i, 15 - i, 12 + (brev(2, 3 - i) << 4));
            }
        }
        5 if n >= 5 => {
            for i in 0..8 {
                add(t, 16 + 2 * i, 17 + 2 * i, i & 1 == 1);
            }
        }
        6 if n == 6 => {
            for i in 0..4 {
                for j in 0..2 {
                    let angle = 60 - 16 * brev(2, i) + 64 * j as i32;
                    flip(t, 62 - i * 4 - j, 33 + i * 4 + j, angle);
                }
            }
        }
        7 if n >= 3 => {
            for i in 0..2 {
                turn::<L, BACK>(t, 4 + i, 7 - i, 56 - 32 * i as i32);
            }
        }
        8 if n >= 4 => {
            for i in 0..4 {
                add(t, 8 + 2 * i, 9 + 2 * i, i & 1 == 1);
            }
        }
        9 if n >= 5 => {
            for i in 0..2 {
                for j in 0..2 {
                    let angle = 24 + 64 * j as i32 + 32 * (1 - i as i32);
                    flip(t, 30 - 4 * i - j, 17 + 4 * i + j, angle);
                }
            }
        }
        10 if n == 6 => {
            for i in 0..8 {
                for j in 0..2 {
                    add(t, 32 + i * 4 + j, 35 + i * 4 - j, i & 1 == 1);
                }
            }
        }
        11 => {
            flip(t, 0, 1, 32);
            turn::<L, BACK>(t, 2, 3, 48);
        }
        12 if n >= 3 => {
            for i in 0..2 {
                add(t, 4 + 2 * i, 5 + 2 * i, i == 1);
            }
        }
        13 if n >= 4 => {
            for i in 0..2 {
                flip(t, 14 - i, 9 + i, 48 + 64 * i as i32);
            }
        }
        14 if n >= 5 => {
            for i in 0..4 {
                for j in 0..2 {
                    add(t, 16 + 4 * i + j, 19 + 4 * i - j, i & 1 == 1);
                }
            }
        }
        15 if n == 6 => {
            for i in 0..2 {
                for j in 0..4 {
                    let angle = 56 - 32 * i as i32 + 64 * (j >> 1) as i32;
                    flip(t, 61 - i * 8 - j, 34 + i * 8 + j, angle);
                }
            }
        }
        16 => {
            for i in 0..2 {
                add(t, i, 3 - i, false);
            }
        }
        17 if n >= 3 => flip(t, 6, 5, 32),
        18 if n >= 4 => {
            for i in 0..2 {
                for j in 0..2 {
                    add(t, 8 + 4 * i + j, 11 + 4 * i - j, i == 1);
                }
            }
        }
        19 if n >= 5 => {
            for i in 0..4 {
                flip(t, 29 - i, 18 + i, 48 + 64 * (i >> 1) as i32);
            }
        }
        20 if n == 6 => {
            for i in 0..4 {
                for j in 0..4 {
                    add(t, 32 + 8 * i + j, 39 + 8 * i - j, i & 1 == 1);
                }
            }
        }
        21 if n >= 3 => {
            for i in 0..4 {
                add(t, i, 7 - i, false);
            }
        }
        22 if n >= 4 => {
            for i in 0..2 {
                flip(t, 13 - i, 10 + i, 32);
            }
        }
        23 if n >= 5 => {
            for i in 0..2 {
                for j in 0..4 {
                    add(t, 16 + i * 8 + j, 23 + i * 8 - j, i == 1);
                }
            }
        }
        24 if n == 6 => {
            for i in 0..8 {
                flip(t, 59 - i, 36 + i, if i < 4 { 48 } else { 112 });
            }
        }
        25 if n >= 4 => {
            for i in 0..8 {
                add(t, i, 15 - i, false);
            }
        }
        26 if n >= 5 => {
            for i in 0..4 {
                flip(t, 27 - i, 20 + i, 32);
            }
        }
        27 if n == 6 => {
            for i in 0..8 {
                add(t, 32 + i, 47 - i, false);
            }
            for i in 0..8 {
                add(t, 48 + i, 63 - i, true);
            }
        }
        28 if n >= 5 => {
            for i in 0..16 {
                add(t, i, 31 - i, false);
            }
        }
        29 if n == 6 => {
            for i in 0..8 {
                flip(t, 55 - i, 40 + i, 32);
            }
        }
        30 if n == 6 => {
            for i in 0..32 {
                add(t, i, 63 - i, false);
            }
        }
        _ => {}
    }
}
