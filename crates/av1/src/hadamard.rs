//! Hadamard transforms of cells. Compilers take what moves between lanes apart into single values, so that of large ones
//! is done by name by the vector unit that every x86-64 processor has, elsewhere as it is written: with the same results.

// Lanes are counted, so that they are seen to be as many.
#![allow(clippy::needless_range_loop)]

#[cfg(target_arch = "x86_64")]
use pulp::core_arch::x86::Sse2;

/// A cell of differences, of at most 9 bits each.
pub(crate) trait Hadamard {
    /// Its sum once it is transformed.
    fn transformed(&self) -> u32;
}

impl Hadamard for [[i16; 8]; 8] {
    #[inline(always)]
    fn transformed(&self) -> u32 {
        #[cfg(target_arch = "x86_64")]
        if let Some(unit) = Sse2::try_new() {
            return x86::of_8(unit, self);
        }
        plain::of_8(self)
    }
}

impl Hadamard for [[i16; 4]; 4] {
    #[inline(always)]
    fn transformed(&self) -> u32 {
        let turned = |[a, b, c, d]: [i16; 4]| {
            let (sum, difference, other, last) = (a + b, a - b, c + d, c - d);
            [
                sum + other,
                difference + last,
                sum - other,
                difference - last,
            ]
        };
        let mut rows = *self;
        for lane in 0..4 {
            let column = turned([0, 1, 2, 3].map(|row| rows[row][lane]));
            (0..4).for_each(|row| rows[row][lane] = column[row]);
        }
        let sums = rows.map(|row| {
            turned(row)
                .iter()
                .map(|value| u32::from(value.unsigned_abs()))
                .sum::<u32>()
        });
        sums.iter().sum()
    }
}

#[cfg(target_arch = "x86_64")]
mod x86 {
    use std::arch::x86_64::__m128i;

    use pulp::cast;
    use pulp::core_arch::x86::Sse2;

    #[inline(always)]
    pub fn of_8(unit: Sse2, cell: &[[i16; 8]; 8]) -> u32 {
        let mut rows: [__m128i; 8] = cell.map(cast);
        for step in [1, 2, 4] {
            mix(unit, &mut rows, step);
        }
        // Rows of both halves shuffled into each other, three times, turn them into columns.
        for _ in 0..3 {
            let before = rows;
            for row in 0..4 {
                let (a, b) = (before[row], before[row + 4]);
                rows[2 * row] = unit._mm_unpacklo_epi16(a, b);
                rows[2 * row + 1] = unit._mm_unpackhi_epi16(a, b);
            }
        }
        for step in [1, 2] {
            mix(unit, &mut rows, step);
        }
        // The magnitudes of a sum and a difference are together twice the larger one of both.
        let none = unit._mm_setzero_si128();
        let size = |values| unit._mm_max_epi16(values, unit._mm_sub_epi16(none, values));
        let mut sums = none;
        for row in 0..4 {
            let larger = unit._mm_max_epi16(size(rows[row]), size(rows[row + 4]));
            sums = unit._mm_add_epi32(sums, unit._mm_madd_epi16(larger, unit._mm_set1_epi16(1)));
        }
        2 * cast::<__m128i, [u32; 4]>(sums).iter().sum::<u32>()
    }

    /// Sums and differences of rows so far apart.
    #[inline(always)]
    fn mix(unit: Sse2, rows: &mut [__m128i; 8], step: usize) {
        for at in (0..8).filter(|at| at & step == 0) {
            let (a, b) = (rows[at], rows[at + step]);
            rows[at] = unit._mm_add_epi16(a, b);
            rows[at + step] = unit._mm_sub_epi16(a, b);
        }
    }
}

mod plain {
    pub fn of_8(cell: &[[i16; 8]; 8]) -> u32 {
        let mut values = [0i16; 64];
        values.copy_from_slice(cell.as_flattened());
        for step in [1, 2, 4, 8, 16, 32] {
            for at in (0..64).filter(|at| at & step == 0) {
                let (a, b) = (values[at], values[at + step]);
                (values[at], values[at + step]) = (a.wrapping_add(b), a.wrapping_sub(b));
            }
        }
        values
            .iter()
            .map(|value| u32::from(value.unsigned_abs()))
            .sum()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn both_ways_come_to_the_same() {
        let mut seed = 1u32;
        let mut next = || {
            seed = seed.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            (seed >> 16) as i16 % 256
        };
        for _ in 0..50 {
            let cell = [(); 8].map(|()| [(); 8].map(|()| next()));
            assert_eq!(cell.transformed(), plain::of_8(&cell));
        }
        assert_eq!([[-255; 8]; 8].transformed(), 64 * 255);
        assert_eq!([[-255; 4]; 4].transformed(), 16 * 255);
    }
}
