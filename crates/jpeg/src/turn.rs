//! What both transforms are made of: their factors, and how they are run on what a processor has.

use pulp::Arch;

/// Eight numbers, side by side.
pub(crate) type Lane = [i32; 8];

/// Bits behind the point of the factors.
pub(crate) const POINT: u32 = 13;

/// A factor with as many bits behind the point.
const fn fixed(factor: f64) -> i32 {
    (factor * (1 << POINT) as f64 + 0.5) as i32
}

// The factors of Loeffler, Ligtenberg and Moschytz.
pub(crate) const F_0_298: i32 = fixed(0.298631336);
pub(crate) const F_0_390: i32 = fixed(0.390180644);
pub(crate) const F_0_541: i32 = fixed(0.541196100);
pub(crate) const F_0_765: i32 = fixed(0.765366865);
pub(crate) const F_0_899: i32 = fixed(0.899976223);
pub(crate) const F_1_175: i32 = fixed(1.175875602);
pub(crate) const F_1_501: i32 = fixed(1.501321110);
pub(crate) const F_1_847: i32 = fixed(1.847759065);
pub(crate) const F_1_961: i32 = fixed(1.961570560);
pub(crate) const F_2_053: i32 = fixed(2.053119869);
pub(crate) const F_2_562: i32 = fixed(2.562915447);
pub(crate) const F_3_072: i32 = fixed(3.072711026);

/// A transform of many blocks.
pub(crate) trait Kernel {
    fn run<T: Turn>(self, turn: T);
}

/// Runs it as fast as the processor allows: what comes out is the same on any.
pub(crate) fn run(arch: Arch, kernel: impl Kernel) {
    match arch {
        #[cfg(target_arch = "x86_64")]
        Arch::V3(unit) => unit.vectorize(Turning { kernel, turn: unit }),
        _ => kernel.run(Plain),
    }
}

struct Turning<K, T> {
    kernel: K,
    turn: T,
}

impl<K: Kernel, T: Turn> pulp::NullaryFnOnce for Turning<K, T> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        self.kernel.run(self.turn);
    }
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
