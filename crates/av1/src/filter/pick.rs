//! Which filters bring a picture nearest to its source.

use rayon::prelude::*;

use super::direct::{Cell, cells, direction};
use super::{Filters, Outline, Strength, deblock, soften, squares};
use crate::picture::Plane;

/// Picks filters for a picture as it was put together, and smooths the edges of its blocks; returns the filters and
/// the choice of every superblock.
pub(crate) fn pick(
    shown: &mut [Plane],
    source: &[Plane],
    outline: &Outline,
    step: i32,
) -> (Filters, Vec<u8>) {
    let levels = levels(&shown[0], &source[0], outline, step);
    soften(shown, outline, levels);
    let damping = 3 + (step >> 6).clamp(0, 3) as u8;
    let candidates = candidates(step, outline.depth.bits());
    let places: Vec<(usize, usize)> = outline.superblocks().collect();
    // The errors of every superblock with every candidate, from one cell of four.
    let errors_at = |&at: &(usize, usize)| {
        let mut errors = vec![0; candidates.len()];
        for at in cells(outline, at).filter(|(x, y)| (x / 2 + y) % 4 == 0) {
            let seen = direction(&shown[0], (at.0 * 4, at.1 * 4), outline.depth.bits());
            for plane in 0..shown.len() {
                let cell = Cell::new(&shown[plane], outline, plane, at);
                for (error, strength) in errors.iter_mut().zip(&candidates) {
                    let own = if plane == 0 {
                        strength.luma
                    } else {
                        strength.chroma
                    };
                    let filtered = cell.filtered((own, damping), seen);
                    *error += cell.error(&source[plane], filtered.as_ref());
                }
            }
        }
        errors
    };
    let errors: Vec<Vec<u64>> = places.par_iter().map(errors_at).collect();
    let chosen = best_of(&errors, candidates.len());
    let strengths: Vec<Strength> = chosen.iter().map(|&which| candidates[which]).collect();
    let choices: Vec<u8> = errors
        .iter()
        .map(|errors| {
            let best = chosen
                .iter()
                .enumerate()
                .min_by_key(|(_, which)| errors[**which]);
            best.map_or(0, |(index, _)| index as u8)
        })
        .collect();
    let filters = Filters {
        levels,
        damping,
        strengths,
    };
    (filters, choices)
}

/// Strengths that are worth trying for a step of the quantiser.
fn candidates(step: i32, bits: u32) -> Vec<Strength> {
    let step = step >> (bits - 8);
    let near = (step / 40).clamp(0, 10) as u8;
    let more = near * 3 / 2 + 1;
    let ways = [
        (0, 0),
        (0, 1),
        (near / 2, 0),
        (near, 0),
        (near, 1),
        (more, 1),
        (near * 2 + 2, 2),
    ];
    let mut all: Vec<Strength> = ways
        .into_iter()
        .map(|(first, second)| Strength {
            luma: (first.min(15), second),
            chroma: (first.min(15) / 2, second),
        })
        .collect();
    all.dedup();
    all
}

/// Up to four candidates that together leave the least errors, each where it serves best.
fn best_of(errors: &[Vec<u64>], count: usize) -> Vec<usize> {
    let mut chosen: Vec<usize> = Vec::new();
    let total = |chosen: &[usize]| -> u64 {
        let least = |errors: &Vec<u64>| {
            chosen
                .iter()
                .map(|&which| errors[which])
                .min()
                .unwrap_or(u64::MAX / 1024)
        };
        errors.iter().map(least).sum()
    };
    for _ in 0..4 {
        let with = |which: usize| {
            let mut with = chosen.clone();
            with.push(which);
            total(&with)
        };
        let Some(best) = (0..count).min_by_key(|&which| with(which)) else {
            break;
        };
        chosen.push(best);
    }
    // A power of two of them, as few as do.
    for few in [1, 2] {
        if total(&chosen[..few]) as f64 <= total(&chosen) as f64 * 1.002 {
            chosen.truncate(few);
            break;
        }
    }
    chosen
}

/// The level of the deblocking filter for all edges: about what the step of the quantiser asks for, or less.
fn levels(shown: &Plane, source: &Plane, outline: &Outline, step: i32) -> [u8; 4] {
    let tried = tried(step >> (outline.depth.bits() - 8));
    let (across, down) = outline.units(0);
    // Told by one row of superblocks of three.
    let counts = |y: usize| down < 3 * 16 || y / 16 % 3 == 1;
    let error = |level: u8| {
        let mut plane = shown.clone();
        deblock((0, &mut plane), outline, [level; 4], counts);
        let rows = (0..down).filter(|&y| counts(y));
        rows.map(|y| squares(&plane, source, (0, y * 4), (across * 4, 4)))
            .sum::<u64>()
    };
    // Down from the middle, to where it gets no better.
    let mut at = (tried.len() - 1) / 2;
    let mut errors: Vec<Option<u64>> = vec![None; tried.len()];
    let mut known = |at: usize| *errors[at].get_or_insert_with(|| error(tried[at]));
    loop {
        let beside = [
            at.checked_sub(1),
            Some(at + 1).filter(|&next| next < tried.len()),
        ];
        let better = beside
            .into_iter()
            .flatten()
            .find(|&next| known(next) < known(at));
        match better {
            Some(next) => at = next,
            None => return [tried[at]; 4],
        }
    }
}

/// Levels that are worth trying for a step of the quantiser at eight bits.
fn tried(step: i32) -> Vec<u8> {
    let guess = ((step * 17_563 - 421_574 + (1 << 17)) >> 18).clamp(0, 63);
    let quarters = [0, 1, 2, 3, 4, 5].map(|quarters| guess * quarters / 4);
    let mut tried = quarters.map(|level| level.min(63) as u8).to_vec();
    tried.dedup();
    tried
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::picture::Depth;
    use crate::quant::Steps;

    #[test]
    fn levels_to_try_go_up_for_all_quantisers() {
        for quantiser in 0..=255 {
            let tried = tried(Steps::new(quantiser, Depth::Eight).others);
            assert!(tried.is_sorted() && tried[0] == 0, "{quantiser} {tried:?}");
            assert!(
                tried.iter().all(|&level| level < 64),
                "{quantiser} {tried:?}"
            );
        }
        assert_eq!(tried(1828), [0, 15, 31, 47, 63]);
    }
}
