//! How far apart two colours look: CIEDE2000 (CIE 142-2001), as published with its test pairs by
//! Sharma, Wu and Dalal (2005).

use std::f64::consts::PI;

use serde::Serialize;

use super::curve::LINEAR_OF_8;
use crate::pixels::{Gamut, Raster};

/// The white that L*a*b* is taken against: D65, as sRGB and Display P3 have it.
const WHITE: [f64; 3] = [0.950_47, 1.0, 1.088_83];

/// A colour as CIE L*a*b*: lightness from 0 to 100, then red against green and yellow against blue.
pub type Lab = [f64; 3];

/// The mean, the worst but a twentieth, and what all pixels share of their differences in colour.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct Tint {
    /// The mean of ΔE2000.
    pub mean: f64,
    /// 95% of all pixels differ by no more than this.
    pub high: f64,
    /// The mean of all differences in L*, a* and b*, with their signs: a tint over everything.
    pub shift: Lab,
}

/// The L*a*b* of an encoded colour.
pub fn lab(colour: [u8; 3], gamut: Gamut) -> Lab {
    let light = colour.map(|level| f64::from(LINEAR_OF_8[usize::from(level)]));
    let rows = match gamut {
        Gamut::Srgb => [
            [0.412_456_4, 0.357_576_1, 0.180_437_5],
            [0.212_672_9, 0.715_152_2, 0.072_175_0],
            [0.019_333_9, 0.119_192_0, 0.950_304_1],
        ],
        Gamut::DisplayP3 => [
            [0.486_570_9, 0.265_667_7, 0.198_217_3],
            [0.228_974_6, 0.691_738_5, 0.079_286_9],
            [0.0, 0.045_113_4, 1.043_944_4],
        ],
    };
    let bent = |row: usize| {
        let value = rows[row].iter().zip(light).map(|(a, b)| a * b).sum::<f64>() / WHITE[row];
        if value > 216.0 / 24_389.0 {
            libm::cbrt(value)
        } else {
            (24_389.0 / 27.0 * value + 16.0) / 116.0
        }
    };
    let [x, y, z] = [bent(0), bent(1), bent(2)];
    [116.0 * y - 16.0, 500.0 * (x - y), 200.0 * (y - z)]
}

/// ΔE2000 of two colours: about 1 is just seen side by side.
pub fn delta_e(one: Lab, other: Lab) -> f64 {
    let chroma = |[_, a, b]: Lab| libm::hypot(a, b);
    let seventh = |value: f64| {
        let squared = value * value;
        squared * squared * squared * value
    };
    let grey = |chroma: f64| libm::sqrt(seventh(chroma) / (seventh(chroma) + seventh(25.0)));
    let stretch = 1.0 + 0.5 * (1.0 - grey((chroma(one) + chroma(other)) / 2.0));
    let polar = |[light, a, b]: Lab| {
        let a = a * stretch;
        let hue = libm::atan2(b, a);
        let hue = if a == 0.0 && b == 0.0 { 0.0 } else { hue };
        (
            light,
            libm::hypot(a, b),
            if hue < 0.0 { hue + 2.0 * PI } else { hue },
        )
    };
    let ((l1, c1, h1), (l2, c2, h2)) = (polar(one), polar(other));
    let grey_pair = c1 * c2 == 0.0;
    let turn = match h2 - h1 {
        _ if grey_pair => 0.0,
        turn if turn > PI => turn - 2.0 * PI,
        turn if turn < -PI => turn + 2.0 * PI,
        turn => turn,
    };
    let hue = match h1 + h2 {
        sum if grey_pair => sum,
        sum if (h1 - h2).abs() <= PI => sum / 2.0,
        sum if sum < 2.0 * PI => sum / 2.0 + PI,
        sum => sum / 2.0 - PI,
    };
    let (light, chroma) = ((l1 + l2) / 2.0, (c1 + c2) / 2.0);
    let degrees = PI / 180.0;
    let weight = 1.0 - 0.17 * libm::cos(hue - 30.0 * degrees)
        + 0.24 * libm::cos(2.0 * hue)
        + 0.32 * libm::cos(3.0 * hue + 6.0 * degrees)
        - 0.20 * libm::cos(4.0 * hue - 63.0 * degrees);
    let off = (light - 50.0) * (light - 50.0);
    let by_light = (l2 - l1) / (1.0 + 0.015 * off / libm::sqrt(20.0 + off));
    let by_chroma = (c2 - c1) / (1.0 + 0.045 * chroma);
    let by_hue =
        2.0 * libm::sqrt(c1 * c2) * libm::sin(turn / 2.0) / (1.0 + 0.015 * chroma * weight);
    let bend = (hue / degrees - 275.0) / 25.0;
    let rotation = libm::sin(60.0 * degrees * libm::exp(-bend * bend)) * -2.0 * grey(chroma);
    let squares = by_light * by_light + by_chroma * by_chroma + by_hue * by_hue;
    libm::sqrt((squares + rotation * by_chroma * by_hue).max(0.0))
}

/// About so many pixels tell of all.
const SAMPLED: u64 = 200_000;

/// How the colours of a raster differ from those of another of the same size. Transparent pixels are
/// laid on white. Of large pictures every so manieth pixel is looked at, in each row another.
pub fn tint(reference: &Raster, other: &Raster) -> Tint {
    let (one, two) = (reference.over([255; 3]), other.over([255; 3]));
    let every = (one.size().pixels() / SAMPLED).max(1) as usize;
    let (mut all, mut shift) = (Vec::new(), [0.0; 3]);
    for (y, (a, b)) in one.rows().zip(two.rows()).enumerate() {
        let pairs = a.as_chunks::<3>().0.iter().zip(b.as_chunks::<3>().0);
        for (&a, &b) in pairs.skip(y * 5 % every).step_by(every) {
            let mut difference = 0.0;
            if a != b {
                let (a, b) = (lab(a, one.gamut()), lab(b, two.gamut()));
                difference = delta_e(a, b);
                shift = [0, 1, 2].map(|channel| shift[channel] + b[channel] - a[channel]);
            }
            all.push(difference);
        }
    }
    let count = all.len().max(1);
    let mean = all.iter().sum::<f64>() / count as f64;
    let place = (count * 95).div_ceil(100) - 1;
    let high = if all.is_empty() {
        0.0
    } else {
        *all.select_nth_unstable_by(place, f64::total_cmp).1
    };
    Tint {
        mean,
        high,
        shift: shift.map(|sum| sum / count as f64),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::pixels::{Channels, Size};

    #[test]
    fn differences_are_those_of_the_published_pairs() {
        let blue = [50.0, 0.0, -82.7485];
        let pink = [50.0, 2.5, 0.0];
        for (one, other, expected) in [
            ([50.0, 2.6772, -79.7751], blue, 2.0425),
            ([50.0, 3.1571, -77.2803], blue, 2.8615),
            ([50.0, 2.8361, -74.0200], blue, 3.4412),
            ([50.0, -1.3802, -84.2814], blue, 1.0),
            ([50.0, -1.1848, -84.8006], blue, 1.0),
            ([50.0, -0.9009, -85.5211], blue, 1.0),
            ([50.0, 0.0, 0.0], [50.0, -1.0, 2.0], 2.3669),
            ([50.0, -1.0, 2.0], [50.0, 0.0, 0.0], 2.3669),
            ([50.0, 2.49, -0.001], [50.0, -2.49, 0.0009], 7.1792),
            ([50.0, 2.49, -0.001], [50.0, -2.49, 0.0010], 7.1792),
            ([50.0, 2.49, -0.001], [50.0, -2.49, 0.0011], 7.2195),
            ([50.0, 2.49, -0.001], [50.0, -2.49, 0.0012], 7.2195),
            ([50.0, -0.001, 2.49], [50.0, 0.0009, -2.49], 4.8045),
            ([50.0, -0.001, 2.49], [50.0, 0.0010, -2.49], 4.8045),
            ([50.0, -0.001, 2.49], [50.0, 0.0011, -2.49], 4.7461),
            (pink, [50.0, 0.0, -2.5], 4.3065),
            (pink, [73.0, 25.0, -18.0], 27.1492),
            (pink, [61.0, -5.0, 29.0], 22.8977),
            (pink, [56.0, -27.0, -3.0], 31.9030),
            (pink, [58.0, 24.0, 15.0], 19.4535),
            (pink, [50.0, 3.1736, 0.5854], 1.0),
            (pink, [50.0, 3.2972, 0.0], 1.0),
            (pink, [50.0, 1.8634, 0.5757], 1.0),
            (pink, [50.0, 3.2592, 0.3350], 1.0),
            (
                [60.2574, -34.0099, 36.2677],
                [60.4626, -34.1751, 39.4387],
                1.2644,
            ),
            (
                [63.0109, -31.0961, -5.8663],
                [62.8187, -29.7946, -4.0864],
                1.2630,
            ),
            (
                [61.2901, 3.7196, -5.3901],
                [61.4292, 2.2480, -4.9620],
                1.8731,
            ),
            (
                [35.0831, -44.1164, 3.7933],
                [35.0232, -40.0716, 1.5901],
                1.8645,
            ),
            (
                [22.7233, 20.0904, -46.6940],
                [23.0331, 14.9730, -42.5619],
                2.0373,
            ),
            (
                [36.4612, 47.8580, 18.3852],
                [36.2715, 50.5065, 21.2231],
                1.4146,
            ),
            (
                [90.8027, -2.0831, 1.4410],
                [91.1528, -1.6435, 0.0447],
                1.4441,
            ),
            (
                [90.9257, -0.5406, -0.9208],
                [88.6381, -0.8985, -0.7239],
                1.5381,
            ),
            (
                [6.7747, -0.2908, -2.4247],
                [5.8714, -0.0985, -2.2286],
                0.6377,
            ),
            (
                [2.0776, 0.0795, -1.1350],
                [0.9033, -0.0636, -0.5514],
                0.9082,
            ),
        ] {
            let found = delta_e(one, other);
            assert!(
                (found - expected).abs() < 5e-5,
                "{one:?} {other:?}: {found}"
            );
        }
    }

    #[test]
    fn white_is_white_in_both_gamuts_and_a_tint_has_a_number() {
        for gamut in [Gamut::Srgb, Gamut::DisplayP3] {
            let [light, a, b] = lab([255; 3], gamut);
            assert!(
                (light - 100.0).abs() < 0.01 && a.hypot(b) < 0.02,
                "{gamut:?}"
            );
        }
        let size = Size::new(20, 10).expect("a size");
        let of = |colour: [u8; 3]| {
            Raster::new(size, Channels::Rgb, colour.repeat(200)).expect("whole rows")
        };
        let found = tint(&of([128, 128, 128]), &of([128, 128, 148]));
        assert!(found.mean > 3.0 && (found.mean - found.high).abs() < 1e-9);
        assert!(found.shift[2] < -5.0, "{found:?}");
        assert_eq!(tint(&of([9; 3]), &of([9; 3])).high, 0.0);
    }
}
