//! Which filters bring a picture nearest to its source.

use super::{Filters, Outline, Strength, deblock, enhance, squares};
use crate::picture::Plane;

/// Picks filters for a picture as it was put together; returns them and the choice of every superblock.
pub(crate) fn pick(
    shown: &[Plane],
    source: &[Plane],
    outline: &Outline,
    step: i32,
) -> (Filters, Vec<u8>) {
    let levels = levels(shown, source, outline, step);
    let mut shown = shown.to_vec();
    deblock(&mut shown, outline, levels);
    let shown = &shown;
    let damping = 3 + (step >> 6).clamp(0, 3) as u8;
    let candidates = candidates(step, outline.depth.bits());
    let places: Vec<(usize, usize)> = outline.superblocks().collect();
    // The errors of every superblock with every candidate.
    let mut errors = vec![vec![0u64; candidates.len()]; places.len()];
    let mut tried = shown.clone();
    for (which, &strength) in candidates.iter().enumerate() {
        for (place, &at) in places.iter().enumerate() {
            if strength != Strength::default() {
                enhance(shown, &mut tried, outline, at, (strength, damping));
            }
            errors[place][which] = error(&tried, source, outline, at);
            restore(&mut tried, shown, outline, at);
        }
    }
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

fn rectangle(
    plane: usize,
    outline: &Outline,
    (x, y): (usize, usize),
) -> ((usize, usize), (usize, usize)) {
    let (shift_x, shift_y) = outline.chroma.shift(plane);
    let (across, down) = outline.units(plane);
    let (x, y) = (x >> shift_x, y >> shift_y);
    let (width, height) = (
        (16 >> shift_x).min(across - x),
        (16 >> shift_y).min(down - y),
    );
    ((x * 4, y * 4), (width * 4, height * 4))
}

fn error(shown: &[Plane], source: &[Plane], outline: &Outline, at: (usize, usize)) -> u64 {
    (0..shown.len())
        .map(|plane| {
            let (at, size) = rectangle(plane, outline, at);
            squares(&shown[plane], &source[plane], at, size)
        })
        .sum()
}

fn restore(tried: &mut [Plane], shown: &[Plane], outline: &Outline, at: (usize, usize)) {
    for plane in 0..shown.len() {
        let ((x, y), (width, height)) = rectangle(plane, outline, at);
        for row in y..y + height {
            tried[plane]
                .row_mut(x, row, width)
                .copy_from_slice(shown[plane].row(x, row, width));
        }
    }
}

/// Strengths that are worth trying for a step of the quantiser.
fn candidates(step: i32, bits: u32) -> Vec<Strength> {
    let step = step >> (bits - 8);
    let near = (step / 40).clamp(0, 10) as u8;
    let mut all = vec![Strength::default()];
    for first in [near / 2, near, near * 3 / 2 + 1, near * 2 + 2] {
        for second in [0, 1, 2] {
            let first = first.min(15);
            all.push(Strength {
                luma: (first, second),
                chroma: (first / 2, second),
            });
        }
    }
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

/// Levels of the deblocking filter: about what the step of the quantiser asks for, or less.
fn levels(shown: &[Plane], source: &[Plane], outline: &Outline, step: i32) -> [u8; 4] {
    let step = step >> (outline.depth.bits() - 8);
    let guess = ((step * 17_563 - 421_574 + (1 << 17)) >> 18).clamp(0, 63) as u8;
    let mut best = (u64::MAX, [0; 4]);
    let mut tried: Vec<u8> = vec![0, guess / 4, guess / 2, guess * 3 / 4, guess, guess * 5 / 4];
    tried.dedup();
    for level in tried {
        let levels = [level.min(63); 4];
        let mut planes = shown.to_vec();
        deblock(&mut planes, outline, levels);
        let all = |plane: usize| {
            let (across, down) = outline.units(plane);
            squares(
                &planes[plane],
                &source[plane],
                (0, 0),
                (across * 4, down * 4),
            )
        };
        let error = (0..planes.len()).map(all).sum();
        if error < best.0 {
            best = (error, levels);
        }
    }
    best.1
}
