//! What both transforms are made of.

/// Eight numbers, side by side.
pub(crate) type Lane = [i32; 8];

/// A factor with so many bits behind the point.
pub(crate) const fn fixed(factor: f64, point: u32) -> i32 {
    (factor * (1 << point) as f64 + 0.5) as i32
}

/// How eight by eight numbers are turned so that rows become columns: what compilers make of the plain
/// loops takes longer than the transform.
pub(crate) trait Turn: Copy {
    fn turned(self, v: &[Lane; 8]) -> [Lane; 8];
}

/// On any processor.
#[derive(Clone, Copy)]
pub(crate) struct Plain;

impl Turn for Plain {
    #[inline(always)]
    fn turned(self, v: &[Lane; 8]) -> [Lane; 8] {
        let mut turned = [[0; 8]; 8];
        for (row, lane) in v.iter().enumerate() {
            for (column, &value) in lane.iter().enumerate() {
                turned[column][row] = value;
            }
        }
        turned
    }
}

#[cfg(target_arch = "x86_64")]
impl Turn for pulp::x86::V3 {
    #[inline(always)]
    fn turned(self, v: &[Lane; 8]) -> [Lane; 8] {
        let unit = self.avx2;
        let pair = |a: usize, b: usize| {
            let (a, b) = (pulp::cast(v[a]), pulp::cast(v[b]));
            (
                unit._mm256_unpacklo_epi32(a, b),
                unit._mm256_unpackhi_epi32(a, b),
            )
        };
        let (a, b, c, d) = (pair(0, 1), pair(2, 3), pair(4, 5), pair(6, 7));
        let low = |a, b| unit._mm256_unpacklo_epi64(a, b);
        let high = |a, b| unit._mm256_unpackhi_epi64(a, b);
        let upper = [low(a.0, b.0), high(a.0, b.0), low(a.1, b.1), high(a.1, b.1)];
        let lower = [low(c.0, d.0), high(c.0, d.0), low(c.1, d.1), high(c.1, d.1)];
        let mut turned = [[0; 8]; 8];
        for row in 0..4 {
            let (a, b) = (upper[row], lower[row]);
            turned[row] = pulp::cast(unit._mm256_permute2x128_si256::<0x20>(a, b));
            turned[row + 4] = pulp::cast(unit._mm256_permute2x128_si256::<0x31>(a, b));
        }
        turned
    }
}

#[cfg(all(test, target_arch = "x86_64"))]
mod tests {
    use super::*;

    #[test]
    fn every_unit_turns_alike() {
        let v: [Lane; 8] =
            std::array::from_fn(|row| std::array::from_fn(|lane| (row * 8 + lane) as i32 * 7 - 99));
        let plain = Plain.turned(&v);
        assert_eq!(plain[3][5], v[5][3]);
        if let Some(unit) = pulp::x86::V3::try_new() {
            assert_eq!(unit.turned(&v), plain);
        }
    }
}
