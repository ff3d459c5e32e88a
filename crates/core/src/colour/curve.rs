//! The transfer curve of sRGB (IEC 61966-2-1), both ways.

use std::sync::LazyLock;

/// Linear light of an encoded value, both from 0 to 1.
pub fn linear(encoded: f32) -> f32 {
    linear_exact(f64::from(encoded)) as f32
}

/// The encoded value of a linear light, both from 0 to 1; what lies outside is clipped.
pub fn encoded(linear: f32) -> f32 {
    let light = f64::from(linear).clamp(0.0, 1.0);
    if light <= 0.003_130_8 {
        (light * 12.92) as f32
    } else {
        (1.055 * libm::pow(light, 1.0 / 2.4) - 0.055) as f32
    }
}

fn linear_exact(encoded: f64) -> f64 {
    if encoded <= 0.040_45 {
        encoded / 12.92
    } else {
        libm::pow((encoded + 0.055) / 1.055, 2.4)
    }
}

/// Linear light of each 8-bit value.
pub(crate) static LINEAR_OF_8: LazyLock<[f32; 256]> =
    LazyLock::new(|| std::array::from_fn(|v| linear_exact(v as f64 / 255.0) as f32));

/// Linear light of each 16-bit value.
pub(super) fn linear_of_16() -> &'static [f32; 65_536] {
    static TABLE: LazyLock<Box<[f32; 65_536]>> = LazyLock::new(|| {
        let table: Vec<f32> = (0..65_536)
            .map(|v| linear_exact(f64::from(v) / 65_535.0) as f32)
            .collect();
        table.try_into().unwrap_or_else(|_| Box::new([0.0; 65_536]))
    });
    &TABLE
}

/// The steps that linear light is cut into before the exact level is looked for. No two levels
/// begin within one step: near black, where they lie closest, they are 1/3295 apart.
const BUCKETS: usize = 4096;

struct Back {
    /// From this linear light on, level `i + 1` is nearer than level `i`.
    thresholds: [f32; 256],
    /// The level at the start of each step; steps are rounded to, so each begins half a step
    /// before its own light. Twice as long as is used, so that every masked index is in it.
    first: [u8; 2 * BUCKETS],
}

static BACK: LazyLock<Back> = LazyLock::new(|| {
    let mut thresholds =
        std::array::from_fn(|level| linear_exact((level as f64 + 0.5) / 255.0) as f32);
    thresholds[255] = f32::INFINITY;
    let first = std::array::from_fn(|bucket| {
        // A step that ends on a rounded half may begin a hair earlier.
        let start = (bucket as f32 - 0.5) / BUCKETS as f32 * (1.0 - 1e-6);
        thresholds.partition_point(|&t| t <= start).min(255) as u8
    });
    Back { thresholds, first }
});

impl Back {
    #[inline(always)]
    fn level(&self, linear: f32) -> u8 {
        /// Beyond this, floats are whole numbers apart: adding it rounds, and leaves the number
        /// in the lowest bits. A conversion would have to look for what no integer can hold.
        const WHOLE: f32 = (1 << 23) as f32;
        // What is not a number becomes 0.
        let inside = linear.max(0.0).clamp(0.0, 1.0);
        let step = (inside * BUCKETS as f32 + WHOLE).to_bits() as usize % (2 * BUCKETS);
        let level = self.first[step];
        level + u8::from(inside >= self.thresholds[usize::from(level)])
    }
}

/// The 8-bit sRGB level nearest to a linear light; what lies outside 0 to 1 is clipped.
#[inline]
pub fn to_srgb(linear: f32) -> u8 {
    BACK.level(linear)
}

/// [`to_srgb`] for many samples.
pub fn levels() -> impl Fn(f32) -> u8 + Copy {
    let back = &*BACK;
    |linear| back.level(linear)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_8_bit_level_survives_the_way_there_and_back() {
        for level in 0..=255u8 {
            assert_eq!(to_srgb(LINEAR_OF_8[usize::from(level)]), level);
        }
    }

    #[test]
    fn the_way_back_is_the_nearest_level_everywhere() {
        for step in 0..=1_000_000 {
            let light = step as f32 / 1e6;
            let exact = f64::from(encoded(light)) * 255.0;
            let found = f64::from(to_srgb(light));
            assert!(
                (found - exact).abs() <= 0.5001,
                "{light} gave {found}, not {exact}"
            );
        }
    }

    #[test]
    fn light_out_of_range_is_clipped() {
        assert_eq!([-1.0, f32::NAN, 7.0].map(to_srgb), [0, 0, 255]);
    }

    #[test]
    fn sixteen_bit_light_agrees_with_eight() {
        for level in 0..=255u16 {
            let deep = linear_of_16()[usize::from(level * 257)];
            assert!((deep - LINEAR_OF_8[usize::from(level)]).abs() < 1e-6);
        }
    }
}
