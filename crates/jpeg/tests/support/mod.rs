//! Pictures made up of seeded coefficients, and another decoder's eyes.

use kiln_jpeg::{Coefficient, Coefficients, Decoder, Frame, Limits, Scale, Wanted};

/// Numbers that look random and are the same on every machine.
pub struct Dice(pub u32);

impl Dice {
    pub fn roll(&mut self, sides: u32) -> u32 {
        self.0 = self.0.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        ((u64::from(self.0 >> 8) * u64::from(sides)) >> 24) as u32
    }
}

/// Coefficients as pictures have them: many zeros, small numbers, a few large ones.
pub fn coefficients(
    size: (u32, u32),
    samplings: &[(u32, u32)],
    progressive: bool,
    seed: u32,
) -> Coefficients {
    let mut dice = Dice(seed.wrapping_mul(2_654_435_761).wrapping_add(17));
    let planes: Vec<(u8, (u32, u32), usize)> = (1..)
        .zip(samplings)
        .map(|(id, &sampling)| (id, sampling, 0))
        .collect();
    let frame = Frame::new(size, progressive, &planes);
    let table: [u16; 64] = std::array::from_fn(|index| 2 + index as u16 / 16);
    let planes = frame.components.iter().map(|component| {
        let mut level = 0i32;
        let blocks = (0..component.padded.0 * component.padded.1).map(|_| {
            let mut block = [0i16; 64];
            level = (level + dice.roll(41) as i32 - 20).clamp(-150, 150);
            block[0] = level as i16;
            let busy = dice.roll(4);
            for k in 1..64u32 {
                let rare = 2 + k * (5 - busy) / 2;
                if dice.roll(rare) == 0 {
                    let most = match dice.roll(90) {
                        0 => 300,
                        1..=9 => 60,
                        _ => 4,
                    };
                    block[k as usize] = dice.roll(2 * most) as i16 - most as i16;
                }
            }
            block
        });
        Coefficient::new(table, &blocks.collect::<Vec<_>>())
    });
    let planes = planes.collect();
    Coefficients { frame, planes }
}

/// All samples, at a scale.
pub fn decoded(file: &[u8], scale: Scale) -> ((u32, u32), Vec<u8>) {
    let decoder = Decoder::new(file, Limits::default()).expect("a header");
    let wanted = Wanted {
        scale,
        ..Wanted::default()
    };
    let mut rows = decoder.rows(wanted).expect("coefficients");
    let size = rows.size();
    let mut samples = Vec::new();
    for _ in 0..size.1 {
        samples.extend_from_slice(rows.next_row().expect("a row"));
    }
    (size, samples)
}

/// The same by another decoder; `None` for what it does not read.
pub fn by_another(file: &[u8]) -> Option<Vec<u8>> {
    jpeg_decoder::Decoder::new(file).decode().ok()
}

/// The largest difference, and the mean.
pub fn apart(one: &[u8], two: &[u8]) -> (u8, f64) {
    assert_eq!(one.len(), two.len());
    let differences = one.iter().zip(two).map(|(a, b)| a.abs_diff(*b));
    let sum: u64 = differences.clone().map(u64::from).sum();
    (
        differences.max().unwrap_or(0),
        sum as f64 / one.len().max(1) as f64,
    )
}
