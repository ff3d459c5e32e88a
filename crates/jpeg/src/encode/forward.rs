//! The forward transform: that of Loeffler, Ligtenberg and Moschytz in fixed point, the inverse's twin.

use crate::block::Block;
use crate::turn::{
    F_0_298, F_0_390, F_0_541, F_0_765, F_0_899, F_1_175, F_1_501, F_1_847, F_1_961, F_2_053,
    F_2_562, F_3_072, Kernel, Lane, POINT, Turn,
};

/// Bits behind the point of samples and coefficients: coefficients are sixteen times what they stand
/// for, so that rounding them once is all that is lost before quantisation.
pub(crate) const FRACTION: u32 = 4;

/// The transform of eight columns at once, without its scale of √8: results are shifted down by
/// `shift`.
#[inline(always)]
fn eight(v: &[Lane; 8], out: &mut [Lane; 8], shift: u32) {
    for lane in 0..8 {
        let at = |row: usize| v[row][lane];
        let round = 1 << (POINT + shift - 1);
        let down = |value: i32| (value + round) >> (POINT + shift);
        let (s0, d0) = (at(0) + at(7), at(0) - at(7));
        let (s1, d1) = (at(1) + at(6), at(1) - at(6));
        let (s2, d2) = (at(2) + at(5), at(2) - at(5));
        let (s3, d3) = (at(3) + at(4), at(3) - at(4));
        // Even part.
        let (a, b, c, d) = (s0 + s3, s1 + s2, s0 - s3, s1 - s2);
        let z = (c + d) * F_0_541;
        out[0][lane] = down((a + b) << POINT);
        out[4][lane] = down((a - b) << POINT);
        out[2][lane] = down(z + c * F_0_765);
        out[6][lane] = down(z - d * F_1_847);
        // Odd part.
        let z5 = (d3 + d1 + d2 + d0) * F_1_175;
        let z1 = (d3 + d0) * -F_0_899;
        let z2 = (d2 + d1) * -F_2_562;
        let z3 = (d3 + d1) * -F_1_961 + z5;
        let z4 = (d2 + d0) * -F_0_390 + z5;
        out[7][lane] = down(d3 * F_0_298 + z1 + z3);
        out[5][lane] = down(d2 * F_2_053 + z2 + z4);
        out[3][lane] = down(d1 * F_3_072 + z2 + z3);
        out[1][lane] = down(d0 * F_1_501 + z1 + z4);
    }
}

/// Rows of samples become a row of blocks.
pub(crate) struct Forward<'a> {
    /// Eight rows, each of `stride` samples, around 0, with [`FRACTION`] bits behind the point.
    pub samples: &'a [i16],
    pub stride: usize,
    /// With as many bits behind the point.
    pub blocks: &'a mut [Block],
}

impl Kernel for Forward<'_> {
    #[inline(always)]
    fn run<T: Turn>(self, turn: T) {
        let forward = self;
        let (mut rows, mut between) = ([[0i32; 8]; 8], [[0i32; 8]; 8]);
        for (index, block) in forward.blocks.iter_mut().enumerate() {
            for (y, row) in rows.iter_mut().enumerate() {
                let samples = &forward.samples[y * forward.stride + index * 8..][..8];
                for lane in 0..8 {
                    row[lane] = i32::from(samples[lane]);
                }
            }
            // Down the columns first; then, turned, along the rows: blocks lie column by column.
            eight(&rows, &mut between, 0);
            let turned = turn.turned(&between);
            eight(&turned, &mut rows, 3);
            for (column, row) in rows.iter().enumerate() {
                for lane in 0..8 {
                    block[column * 8 + lane] = row[lane].clamp(-32768, 32767) as i16;
                }
            }
        }
    }
}
