//! What both networks are made of.

// Lanes are counted, so that they are seen to be as many.
#![allow(clippy::needless_range_loop)]

/// Samples that lie beside each other.
pub(super) type Lanes<const L: usize> = [i32; L];

/// The cosine of so many 128ths of a half turn, times 4096.
#[rustfmt::skip]
const COSINES: [i32; 65] = [
    4096, 4095, 4091, 4085, 4076, 4065, 4052, 4036, 4017, 3996, 3973, 3948, 3920, 3889, 3857, 3822, 3784, 3745, 3703,
    3659, 3612, 3564, 3513, 3461, 3406, 3349, 3290, 3229, 3166, 3102, 3035, 2967, 2896, 2824, 2751, 2675, 2598, 2520,
    2440, 2359, 2276, 2191, 2106, 2019, 1931, 1842, 1751, 1660, 1567, 1474, 1380, 1285, 1189, 1092, 995, 897, 799, 700,
    601, 501, 401, 301, 201, 101, 0,
];

#[inline(always)]
pub(super) fn cosine(angle: i32) -> i32 {
    let angle = angle & 255;
    match angle {
        0..=64 => COSINES[angle as usize],
        65..=128 => -COSINES[(128 - angle) as usize],
        129..=192 => -COSINES[(angle - 128) as usize],
        _ => COSINES[(256 - angle) as usize],
    }
}

#[inline(always)]
pub(super) fn sine(angle: i32) -> i32 {
    cosine(angle - 64)
}

#[inline(always)]
pub(super) fn round(value: i32, shift: u32) -> i32 {
    match shift {
        0 => value,
        _ => (value + (1 << (shift - 1))) >> shift,
    }
}

/// Two values become sums of their products with two numbers each.
#[inline(always)]
pub(super) fn mix<const L: usize>(
    t: &mut [Lanes<L>],
    a: usize,
    b: usize,
    (aa, ab): (i32, i32),
    (ba, bb): (i32, i32),
) {
    let (x, y) = (t[a], t[b]);
    // Put together apart, as the two might be one.
    let [mut first, mut second] = [[0; L]; 2];
    for lane in 0..L {
        first[lane] = round(x[lane] * aa + y[lane] * ab, 12);
        second[lane] = round(x[lane] * ba + y[lane] * bb, 12);
    }
    (t[a], t[b]) = (first, second);
}

/// A turn by an angle (the standard's B without a flip), or back.
#[inline(always)]
pub(super) fn turn<const L: usize, const BACK: bool>(
    t: &mut [Lanes<L>],
    a: usize,
    b: usize,
    angle: i32,
) {
    let (c, s) = (cosine(angle), sine(angle));
    match BACK {
        false => mix(t, a, b, (c, -s), (s, c)),
        true => mix(t, a, b, (c, s), (-s, c)),
    }
}

/// A turn and a flip (the standard's B with a flip): it is its own transpose.
#[inline(always)]
pub(super) fn flip<const L: usize>(t: &mut [Lanes<L>], a: usize, b: usize, angle: i32) {
    let (c, s) = (cosine(angle), sine(angle));
    mix(t, a, b, (s, c), (c, -s));
}

/// A sum and a difference (the standard's H), which are their own transpose.
#[inline(always)]
pub(super) fn add<const L: usize>(t: &mut [Lanes<L>], a: usize, b: usize, swapped: bool) {
    let (a, b) = if swapped { (b, a) } else { (a, b) };
    let (x, y) = (t[a], t[b]);
    let [mut sum, mut difference] = [[0; L]; 2];
    for lane in 0..L {
        sum[lane] = x[lane] + y[lane];
        difference[lane] = x[lane] - y[lane];
    }
    (t[a], t[b]) = (sum, difference);
}
