//! Inverse transforms of 8 × 8 blocks, whole and reduced. The whole one is that of Loeffler, Ligtenberg
//! and Moschytz (Practical fast 1-D DCT algorithms with 11 multiplications, 1989) in fixed point; the
//! reduced ones take the low coefficients alone and are those of 4 and 2 points. All are integer:
//! the same on every machine, and nothing that a file holds can make them fail.

use crate::block::Block;
use crate::turn::{
    F_0_298, F_0_390, F_0_541, F_0_765, F_0_899, F_1_175, F_1_501, F_1_847, F_1_961, F_2_053,
    F_2_562, F_3_072, Kernel, Lane, POINT, Turn,
};

/// Bits that are kept between the two passes.
const KEPT: u32 = 2;

/// The transform of eight columns at once; results are shifted down by so many bits. Where the
/// upper half is zero, `LOW` spares its share.
#[inline(always)]
fn eight<const LOW: bool>(v: &[Lane; 8], out: &mut [Lane; 8], shift: u32) {
    // A plain loop over columns: that is what compilers lay side by side.
    for lane in 0..8 {
        let at = |row: usize| {
            if LOW && row > 3 { 0 } else { v[row][lane] }
        };
        let times = |value: i32, factor: i32| value.wrapping_mul(factor);
        let add = |a: i32, b: i32| a.wrapping_add(b);
        let sub = |a: i32, b: i32| a.wrapping_sub(b);
        // Even part.
        let z = times(add(at(2), at(6)), F_0_541);
        let low = sub(z, times(at(6), F_1_847));
        let high = add(z, times(at(2), F_0_765));
        let round = 1 << (shift - 1);
        let sum = add(add(at(0), at(4)).wrapping_shl(POINT), round);
        let difference = add(sub(at(0), at(4)).wrapping_shl(POINT), round);
        let even = [
            add(sum, high),
            add(difference, low),
            sub(difference, low),
            sub(sum, high),
        ];
        // Odd part.
        let (a, b, c, d) = (at(7), at(5), at(3), at(1));
        let z5 = times(add(add(a, c), add(b, d)), F_1_175);
        let z1 = times(add(a, d), -F_0_899);
        let z2 = times(add(b, c), -F_2_562);
        let z3 = add(times(add(a, c), -F_1_961), z5);
        let z4 = add(times(add(b, d), -F_0_390), z5);
        let odd = [
            add(times(d, F_1_501), add(z1, z4)),
            add(times(c, F_3_072), add(z2, z3)),
            add(times(b, F_2_053), add(z2, z4)),
            add(times(a, F_0_298), add(z1, z3)),
        ];
        for row in 0..4 {
            out[row][lane] = add(even[row], odd[row]) >> shift;
            out[7 - row][lane] = sub(even[row], odd[row]) >> shift;
        }
    }
}

/// What samples are held in: whole levels, or with bits behind the point, which the transform knows.
pub(crate) trait Sample: Copy + Default + Into<u16> + Send + 'static {
    /// Bits behind the point.
    const FRACTION: u32;

    /// The sample of a number, none of whose bits are lost.
    fn of(value: u16) -> Self;

    /// What stands for the most: 255, with its fraction.
    #[inline(always)]
    fn most() -> i32 {
        255 << Self::FRACTION
    }

    /// The sample of a value around 0.
    #[inline(always)]
    fn around(value: i32) -> Self {
        let value = value.wrapping_add(128 << Self::FRACTION);
        Self::of(value.clamp(0, Self::most()) as u16)
    }

    /// The sample of a value around 0 that has three bits behind the point.
    #[inline(always)]
    fn eighths(value: i32) -> Self {
        let lost = 3 - Self::FRACTION;
        Self::around(value.wrapping_add((1 << lost) >> 1) >> lost)
    }
}

impl Sample for u8 {
    const FRACTION: u32 = 0;

    #[inline(always)]
    fn of(value: u16) -> u8 {
        value as u8
    }
}

impl Sample for u16 {
    const FRACTION: u32 = 3;

    #[inline(always)]
    fn of(value: u16) -> u16 {
        value
    }
}

/// A quantisation table in the order of blocks.
#[derive(Clone)]
pub(crate) struct Quantisation(pub [i32; 64]);

impl Quantisation {
    /// From one by the zigzag sequence.
    pub fn new(table: &[u16; 64]) -> Quantisation {
        let mut ordered = [0; 64];
        for (index, &step) in table.iter().enumerate() {
            ordered[usize::from(crate::block::PLACE[index])] = i32::from(step);
        }
        Quantisation(ordered)
    }
}

/// How many samples a block becomes on each side: 8, 4, 2 or 1.
pub(crate) type Side = usize;

/// A row of blocks becomes rows of samples.
pub(crate) struct Inverse<'a, S> {
    pub blocks: &'a [Block],
    /// For each the last coefficient that is not zero, or a higher one.
    pub extents: &'a [u8],
    pub table: &'a Quantisation,
    pub side: Side,
    /// `side` rows, each of `stride` samples.
    pub samples: &'a mut [S],
    pub stride: usize,
}

impl<S: Sample> Kernel for Inverse<'_, S> {
    #[inline(always)]
    fn run<T: Turn>(self, turn: T) {
        let inverse = self;
        let table = &inverse.table.0;
        for (index, block) in inverse.blocks.iter().enumerate() {
            let extent = inverse.extents[index];
            let at = index * inverse.side;
            let out = &mut inverse.samples[at..];
            if inverse.side == 1 || extent == 0 {
                let value = S::eighths(i32::from(block[0]).wrapping_mul(table[0]));
                match inverse.side {
                    8 => flat::<8, S>(value, out, inverse.stride),
                    4 => flat::<4, S>(value, out, inverse.stride),
                    2 => flat::<2, S>(value, out, inverse.stride),
                    _ => out[0] = value,
                }
                continue;
            }
            match inverse.side {
                8 if extent < LOW => whole::<true, T, S>(turn, block, table, out, inverse.stride),
                8 => whole::<false, T, S>(turn, block, table, out, inverse.stride),
                4 => half(block, table, out, inverse.stride),
                _ => quarter(block, table, out, inverse.stride),
            }
        }
    }
}

/// Coefficients before this one of the zigzag sequence lie in the low 4 × 4.
const LOW: u8 = 10;

/// A block of one level.
#[inline(always)]
fn flat<const SIDE: usize, S: Sample>(value: S, out: &mut [S], stride: usize) {
    for row in 0..SIDE {
        out[row * stride..][..SIDE].copy_from_slice(&[value; SIDE]);
    }
}

#[inline(always)]
fn whole<const LOW: bool, T: Turn, S: Sample>(
    turn: T,
    block: &Block,
    table: &[i32; 64],
    out: &mut [S],
    stride: usize,
) {
    let mut rows = [[0i32; 8]; 8];
    let mut between = [[0i32; 8]; 8];
    let columns = block
        .as_chunks::<8>()
        .0
        .iter()
        .zip(table.as_chunks::<8>().0);
    let count = if LOW { 4 } else { 8 };
    for (row, (coefficients, steps)) in rows.iter_mut().zip(columns).take(count) {
        for (out, (coefficient, step)) in row.iter_mut().zip(coefficients.iter().zip(steps)) {
            *out = i32::from(*coefficient).wrapping_mul(*step);
        }
    }
    // Blocks lie column by column: the first pass is along rows.
    eight::<LOW>(&rows, &mut between, POINT - KEPT);
    let turned = turn.turned(&between);
    eight::<LOW>(&turned, &mut rows, POINT + KEPT + 3 - S::FRACTION);
    for (row, values) in rows.iter().enumerate() {
        let out = &mut out[row * stride..][..8];
        for lane in 0..8 {
            out[lane] = S::around(values[lane]);
        }
    }
}

/// The transform of four points: of rows of four numbers, all at once.
#[inline(always)]
fn four(v: [[i32; 4]; 4], shift: u32) -> [[i32; 4]; 4] {
    let mut out = [[0; 4]; 4];
    for lane in 0..4 {
        let (sum, difference) = (
            v[0][lane].wrapping_add(v[2][lane]).wrapping_shl(POINT),
            v[0][lane].wrapping_sub(v[2][lane]).wrapping_shl(POINT),
        );
        // The odd half: cosines of an eighth and three eighths of a turn's quarter, times √2.
        let z = v[1][lane].wrapping_add(v[3][lane]).wrapping_mul(F_0_541);
        let high = z.wrapping_add(v[1][lane].wrapping_mul(F_0_765));
        let low = z.wrapping_sub(v[3][lane].wrapping_mul(F_1_847));
        let round = |value: i32| value.wrapping_add(1 << (shift - 1)) >> shift;
        out[0][lane] = round(sum.wrapping_add(high));
        out[1][lane] = round(difference.wrapping_add(low));
        out[2][lane] = round(difference.wrapping_sub(low));
        out[3][lane] = round(sum.wrapping_sub(high));
    }
    out
}

/// Half the size: the low 4 × 4 coefficients are those of the reduced block, but for their scale.
#[inline(always)]
fn half<S: Sample>(block: &Block, table: &[i32; 64], out: &mut [S], stride: usize) {
    let mut low = [[0i32; 4]; 4];
    for (column, low) in low.iter_mut().enumerate() {
        for (row, low) in low.iter_mut().enumerate() {
            let at = column * 8 + row;
            *low = i32::from(block[at]).wrapping_mul(table[at]);
        }
    }
    let rows = four(low, POINT - KEPT);
    let mut turned = [[0; 4]; 4];
    for (a, row) in rows.iter().enumerate() {
        for (b, &value) in row.iter().enumerate() {
            turned[b][a] = value;
        }
    }
    let rows = four(turned, POINT + KEPT + 3 - S::FRACTION);
    for (row, values) in rows.iter().enumerate() {
        let out = &mut out[row * stride..][..4];
        for (out, &value) in out.iter_mut().zip(values) {
            *out = S::around(value);
        }
    }
}

/// A quarter of the size: the low 2 × 2 coefficients.
#[inline(always)]
fn quarter<S: Sample>(block: &Block, table: &[i32; 64], out: &mut [S], stride: usize) {
    let at = |place: usize| i32::from(block[place]).wrapping_mul(table[place]);
    let (dc, across, down, both) = (at(0), at(8), at(1), at(9));
    let value = |a: i32, d: i32| {
        let sum = dc
            .wrapping_add(across.wrapping_mul(a))
            .wrapping_add(down.wrapping_mul(d))
            .wrapping_add(both.wrapping_mul(a * d));
        S::eighths(sum)
    };
    (out[0], out[1]) = (value(1, 1), value(-1, 1));
    (out[stride], out[stride + 1]) = (value(1, -1), value(-1, -1));
}
