//! Edges at black and white. What a decoder computes beyond 0 and 255 is cut off: there a coarse block may
//! swing as far as it likes. So samples that are as light or as dark as can be are wanted no nearer than
//! the swing brings them, and the steps that were spent on that serve the others: less rings at letters.

use super::forward::FRACTION;
use crate::block::{Block, PLACE};

/// The lightest and the darkest sample, around 0, with [`FRACTION`] bits behind the point.
const LIGHTEST: i16 = 127 << FRACTION;
const DARKEST: i16 = -128 << FRACTION;

/// How much farther a sample is wanted beyond its end than it comes out. Found on pages of text.
const BEYOND: f32 = 1.5;

/// A block with samples that are as light or as dark as can be, and with others.
pub(crate) struct Cut {
    /// Its index.
    pub block: usize,
    /// The samples, row by row.
    samples: [f32; 64],
}

impl Cut {
    /// A block of eight rows, if it is one.
    pub fn of(block: usize, rows: &[i16], stride: usize) -> Option<Cut> {
        let mut samples = [0.0; 64];
        let mut cut = 0;
        for (y, out) in samples.as_chunks_mut::<8>().0.iter_mut().enumerate() {
            for (out, &value) in out.iter_mut().zip(&rows[y * stride..][..8]) {
                cut += usize::from(value >= LIGHTEST || value <= DARKEST);
                *out = f32::from(value);
            }
        }
        (1..64).contains(&cut).then_some(Cut { block, samples })
    }

    /// What is lost of it where a block comes out so, by coefficient, with [`FRACTION`] bits behind the
    /// point.
    #[inline(always)]
    pub fn lost(&self, shown: &[f32; 64]) -> [f32; 64] {
        let mut lost = self.samples;
        for (lost, shown) in lost.iter_mut().zip(shown) {
            *lost -= shown.clamp(f32::from(DARKEST), f32::from(LIGHTEST));
        }
        transformed(&lost)
    }

    /// The coefficients that are wanted where a block comes out so: what lies beyond is wanted farther
    /// beyond still, which brings it there sooner.
    #[inline(always)]
    pub fn wanted(&self, shown: &[f32; 64]) -> Block {
        let mut samples = self.samples;
        for (sample, &shown) in samples.iter_mut().zip(shown) {
            if *sample >= f32::from(LIGHTEST) {
                *sample += (shown - *sample).max(0.0) * BEYOND;
            } else if *sample <= f32::from(DARKEST) {
                *sample += (shown - *sample).min(0.0) * BEYOND;
            }
        }
        transformed(&samples).map(|value| value as i16)
    }
}

/// Half the cosines of T.81, A.3.3: frequency by place, the first with its factor.
const COSINES: [[f32; 8]; 8] = {
    // The cosines of sixteenths of half a turn, from 0 on.
    const TURN: [f32; 9] = [
        1.0,
        0.980_785_25,
        0.923_879_5,
        0.831_469_6,
        0.707_106_77,
        0.555_570_24,
        0.382_683_43,
        0.195_090_32,
        0.0,
    ];
    let mut cosines = [[0.0; 8]; 8];
    let mut k = 0;
    while k < 8 {
        let mut x = 0;
        while x < 8 {
            let at = (2 * x + 1) * k % 32;
            let at = if at > 16 { 32 - at } else { at };
            let cosine = if at > 8 { -TURN[16 - at] } else { TURN[at] };
            cosines[k][x] = if k == 0 { TURN[4] / 2.0 } else { cosine / 2.0 };
            x += 1;
        }
        k += 1;
    }
    cosines
};

/// The cosines by place: frequencies side by side.
const TURNED: [[f32; 8]; 8] = turned(&COSINES);

const fn turned(v: &[[f32; 8]; 8]) -> [[f32; 8]; 8] {
    let mut out = [[0.0; 8]; 8];
    let mut at = 0;
    while at < 64 {
        out[at % 8][at / 8] = v[at / 8][at % 8];
        at += 1;
    }
    out
}

/// Rows weighed and summed, eight sums side by side: for each row of factors.
#[inline(always)]
fn weighed(factors: &[[f32; 8]; 8], rows: &[[f32; 8]; 8]) -> [[f32; 8]; 8] {
    let mut out = [[0.0; 8]; 8];
    for (out, factors) in out.iter_mut().zip(factors) {
        for (row, factor) in rows.iter().zip(factors) {
            for (out, value) in out.iter_mut().zip(row) {
                *out += value * factor;
            }
        }
    }
    out
}

/// Numbers in rows of eight.
#[inline(always)]
fn rows(block: &[f32; 64]) -> [[f32; 8]; 8] {
    let mut rows = [[0.0; 8]; 8];
    for (row, values) in rows.iter_mut().zip(block.as_chunks::<8>().0) {
        *row = *values;
    }
    rows
}

#[inline(always)]
fn flat(rows: &[[f32; 8]; 8]) -> [f32; 64] {
    let mut flat = [0.0; 64];
    for (values, row) in flat.as_chunks_mut::<8>().0.iter_mut().zip(rows) {
        *values = *row;
    }
    flat
}

/// A block of samples as coefficients, column by column.
#[inline(always)]
fn transformed(samples: &[f32; 64]) -> [f32; 64] {
    let down = weighed(&COSINES, &rows(samples));
    flat(&weighed(&COSINES, &turned(&down)))
}

/// What a decoder makes of a quantised block before it cuts off, as [`Cut`] has samples.
#[inline(always)]
pub(crate) fn shown(block: &Block, steps: &[u16; 64]) -> [f32; 64] {
    let mut exact = [0.0f32; 64];
    for (&place, &step) in PLACE.iter().zip(steps) {
        let place = usize::from(place);
        exact[place] = f32::from(block[place]) * f32::from(step) * (1 << FRACTION) as f32;
    }
    // Column by column: along the rows first.
    let across = weighed(&TURNED, &rows(&exact));
    flat(&weighed(&TURNED, &turned(&across)))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_block_comes_back() {
        let rows: Vec<i16> = (0..64)
            .map(|at| if at % 5 == 0 { LIGHTEST } else { at * 21 - 700 })
            .collect();
        let cut = Cut::of(0, &rows, 8).expect("some are cut");
        let block = transformed(&cut.samples);
        let ones = block.map(|value| (value / (1 << FRACTION) as f32).round() as i16);
        let shown = shown(&ones, &[1; 64]);
        let most = cut
            .lost(&shown)
            .into_iter()
            .fold(0.0f32, |most, one| most.max(one.abs()));
        // A coefficient is rounded by half, and what is cut off loses a little less or more.
        assert!(most < 20.0, "{most}");
        // Nothing swings beyond: the same is wanted.
        assert_eq!(cut.wanted(&[0.0; 64]), block.map(|value| value as i16));
        assert!(Cut::of(0, &[LIGHTEST; 64], 8).is_none());
        assert!(Cut::of(0, &[5; 64], 8).is_none());
    }
}
