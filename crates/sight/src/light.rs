//! From linear light to the opponent colours that the measure sees in: XYB as in JPEG XL (ISO/IEC
//! 18181-1), moved into the range from 0 to 1.

use pulp::Arch;

use crate::picture::Primaries;

/// One row of each of three components.
pub(crate) type Planes = [Vec<f32>; 3];

/// Rows of so many samples.
pub(crate) fn planes(width: usize) -> Planes {
    [vec![0.0; width], vec![0.0; width], vec![0.0; width]]
}

/// What the three kinds of cones absorb of linear sRGB.
const ABSORBANCE: [[f64; 3]; 3] = [
    [0.30, 0.622, 0.078],
    [0.23, 0.692, 0.078],
    [0.243_422_69, 0.204_767_45, 0.551_809_86],
];

/// What they see in the dark.
const BIAS: f32 = 0.003_793_073_4;

/// The cube root of the bias.
const BIAS_ROOT: f32 = 0.155_954_2;

/// Linear Display P3 in linear sRGB, both with the white point D65.
const SRGB_OF_P3: [[f64; 3]; 3] = [
    [1.224_940_176_3, -0.224_940_176_3, 0.0],
    [-0.042_056_954_7, 1.042_056_954_7, 0.0],
    [-0.019_637_554_6, -0.078_636_045_6, 1.098_273_600_2],
];

/// The matrix from linear light in some primaries to what the cones absorb.
pub(crate) fn absorbance(primaries: Primaries) -> [[f32; 3]; 3] {
    let product = |row: [f64; 3], column: usize| {
        let parts = row.iter().zip(SRGB_OF_P3);
        parts.map(|(a, of)| a * of[column]).sum::<f64>() as f32
    };
    match primaries {
        Primaries::Srgb => ABSORBANCE.map(|row| row.map(|a| a as f32)),
        Primaries::DisplayP3 => ABSORBANCE.map(|row| [0, 1, 2].map(|column| product(row, column))),
    }
}

/// The linear light of every 8-bit sample (IEC 61966-2-1).
pub(crate) fn levels() -> [f32; 256] {
    std::array::from_fn(|sample| {
        let encoded = sample as f64 / 255.0;
        if encoded <= 0.04045 {
            (encoded / 12.92) as f32
        } else {
            libm::pow((encoded + 0.055) / 1.055, 2.4) as f32
        }
    })
}

/// A row of linear light → a row of opponent colours: red against green, lightness, blue against
/// yellow; the last only where it is wanted.
pub(crate) fn opponent(
    arch: Arch,
    cones: &[[f32; 3]; 3],
    light: &Planes,
    blue: bool,
    seen: &mut Planes,
) {
    arch.dispatch(Opponent {
        cones,
        light,
        blue,
        seen,
    });
}

struct Opponent<'a> {
    cones: &'a [[f32; 3]; 3],
    blue: bool,
    light: &'a Planes,
    seen: &'a mut Planes,
}

impl pulp::NullaryFnOnce for Opponent<'_> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        let [xs, ys, bs] = self.seen;
        let [long, middle, short] = *self.cones;
        respond(self.light, long, xs);
        respond(self.light, middle, ys);
        let count = xs.len();
        let (xs, ys, bs) = (&mut xs[..], &mut ys[..count], &mut bs[..count]);
        if self.blue {
            respond(self.light, short, bs);
            for i in 0..count {
                bs[i] = (bs[i] - 0.5 * (xs[i] + ys[i])) + 0.55;
            }
        }
        for i in 0..count {
            let (long, middle) = (xs[i], ys[i]);
            let y = 0.5 * (long + middle);
            xs[i] = 0.5 * (long - middle) * 14.0 + 0.42;
            ys[i] = y + 0.01;
        }
    }
}

/// The response of one kind of cones: the cube root of what they absorb, 0 in the dark.
#[inline(always)]
fn respond(light: &Planes, absorbance: [f32; 3], response: &mut [f32]) {
    let count = response.len();
    let [red, green, blue] = light.each_ref().map(|plane| &plane[..count]);
    for i in 0..count {
        let [r, g, b] = [
            absorbance[0] * red[i],
            absorbance[1] * green[i],
            absorbance[2] * blue[i],
        ];
        response[i] = cube_root((r + g + b + BIAS).max(0.0)) - BIAS_ROOT;
    }
}

/// The cube root of a number from 0 on, to some 2 units in the last place: a third of the exponent
/// for a start, then two steps of Halley's iteration.
#[inline(always)]
fn cube_root(x: f32) -> f32 {
    // A third is a quarter and a sixteenth and so on; the constant evens out the exponent's bias.
    let bits = x.to_bits() >> 2;
    let bits = bits + (bits >> 2);
    let bits = bits + (bits >> 4);
    let mut root = f32::from_bits(bits + (bits >> 8) + 709_958_130);
    for _ in 0..2 {
        let cubed = root * root * root;
        root *= (cubed + 2.0 * x) / (2.0 * cubed + x);
    }
    root
}

/// Two rows of linear light → one of half the width, each pixel the mean of four; a last column
/// without a neighbour counts twice.
pub(crate) fn halve(arch: Arch, upper: &Planes, lower: &Planes, half: &mut Planes) {
    for ((upper, lower), half) in upper.iter().zip(lower).zip(half) {
        arch.dispatch(Halve { upper, lower, half });
    }
}

struct Halve<'a> {
    upper: &'a [f32],
    lower: &'a [f32],
    half: &'a mut [f32],
}

impl pulp::NullaryFnOnce for Halve<'_> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        let (upper, last_above) = self.upper.as_chunks::<2>();
        let (lower, last_below) = self.lower.as_chunks::<2>();
        let count = upper.len();
        let (lower, (half, last)) = (&lower[..count], self.half.split_at_mut(count));
        for i in 0..count {
            let (a, b) = (upper[i], lower[i]);
            half[i] = (a[0] + a[1] + b[0] + b[1]) * 0.25;
        }
        if let (Some(half), [a], [b]) = (last.first_mut(), last_above, last_below) {
            *half = (a + a + b + b) * 0.25;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_cube_root_is_right_to_the_last_places_over_all_that_cones_absorb() {
        let mut worst = 0.0f64;
        for i in 0..=2_000_000u32 {
            let x = i as f32 * 1e-6;
            let exact = f64::from(x).cbrt();
            worst = worst.max((f64::from(cube_root(x)) - exact).abs() / exact.max(1e-2));
        }
        assert!(worst < 3e-7, "{worst}");
    }

    #[test]
    fn white_and_black_are_the_same_in_all_primaries_and_grey_has_no_colour() {
        for primaries in [Primaries::Srgb, Primaries::DisplayP3] {
            let cones = absorbance(primaries);
            let light = [
                vec![0.0, 0.2, 1.0],
                vec![0.0, 0.2, 1.0],
                vec![0.0, 0.2, 1.0],
            ];
            let mut seen = planes(3);
            opponent(Arch::Scalar, &cones, &light, true, &mut seen);
            for i in 0..3 {
                assert!((seen[0][i] - 0.42).abs() < 1e-5, "{seen:?}");
                assert!((seen[2][i] - 0.55).abs() < 1e-5, "{seen:?}");
            }
            assert!((seen[1][0] - 0.01).abs() < 1e-6 && (seen[1][2] - 0.8553).abs() < 1e-3);
        }
    }

    #[test]
    fn halving_keeps_the_mean_and_doubles_a_lone_column() {
        let row = |values: [f32; 3]| [values.to_vec(), values.to_vec(), values.to_vec()];
        let mut half = planes(2);
        halve(
            Arch::Scalar,
            &row([1.0, 2.0, 3.0]),
            &row([3.0, 6.0, 5.0]),
            &mut half,
        );
        assert_eq!(half[2], [3.0, 4.0]);
    }
}
