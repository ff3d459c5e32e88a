//! The inner loops, written once and recompiled for the widest vector unit that the machine has.
//! No product is contracted with a sum, so every machine gives the same bytes.

use pulp::Arch;

use super::kernel::{Tap, Taps};

/// Samples worked on at a time: what is summed stays in the nearest cache.
const CHUNK: usize = 2048;

/// One target row under way.
#[derive(Default)]
pub(super) struct Open {
    /// The weighted sum so far.
    pub sum: Vec<f32>,
    /// The least and the greatest of its own cell so far.
    pub low: Vec<f32>,
    pub high: Vec<f32>,
}

impl Open {
    /// Begins a row of so many samples.
    pub(super) fn begin(&mut self, length: usize) {
        for (samples, start) in [
            (&mut self.sum, 0.0),
            (&mut self.low, f32::INFINITY),
            (&mut self.high, f32::NEG_INFINITY),
        ] {
            samples.clear();
            samples.resize(length, start);
        }
    }
}

/// What a batch of source rows adds to a target row: their weights, and whether each lies in its
/// cell.
pub(super) struct Share<const ROWS: usize> {
    pub weights: [f32; ROWS],
    pub in_cell: [bool; ROWS],
}

/// Adds a batch of source rows to every target row that is under way.
pub(super) fn add<const ROWS: usize>(
    arch: Arch,
    rows: [&[f32]; ROWS],
    open: &mut [(Share<ROWS>, &mut Open)],
) {
    let add = Add { rows, open };
    arch.dispatch(add);
}

// Closures within a recompiled body would be compiled on their own, without the wider unit: so
// the bodies are plain loops, and the larger ones structs instead of closures.
struct Add<'a, 'b, const ROWS: usize> {
    rows: [&'a [f32]; ROWS],
    open: &'a mut [(Share<ROWS>, &'b mut Open)],
}

impl<const ROWS: usize> pulp::NullaryFnOnce for Add<'_, '_, ROWS> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        let length = self.rows[0].len();
        let mut from = 0;
        while from < length {
            let to = (from + CHUNK).min(length);
            let mut rows = self.rows;
            for row in &mut rows {
                *row = &row[from..to];
            }
            for (share, open) in self.open.iter_mut() {
                weighted(&mut open.sum[from..to], rows, share.weights);
                for (row, in_cell) in rows.iter().zip(share.in_cell) {
                    if in_cell {
                        bound(&mut open.low[from..to], &mut open.high[from..to], row);
                    }
                }
            }
            from = to;
        }
    }
}

#[inline(always)]
fn bound(low: &mut [f32], high: &mut [f32], row: &[f32]) {
    let length = row.len();
    let (low, high) = (&mut low[..length], &mut high[..length]);
    for x in 0..length {
        let sample = row[x];
        low[x] = low[x].min(sample);
        high[x] = high[x].max(sample);
    }
}

#[inline(always)]
fn weighted<const ROWS: usize>(sum: &mut [f32], mut rows: [&[f32]; ROWS], weights: [f32; ROWS]) {
    let length = sum.len();
    for row in &mut rows {
        *row = &row[..length];
    }
    for x in 0..length {
        let mut all = 0.0;
        for index in 0..ROWS {
            all += rows[index][x] * weights[index];
        }
        sum[x] += all;
    }
}

/// Holds a finished row to what its cells hold, and sets its pixels of `N` samples apart, each
/// with four floats.
pub(super) fn hold<const N: usize>(arch: Arch, open: &Open, into: &mut Vec<[f32; 4]>) {
    into.clear();
    into.resize(open.sum.len() / N, [0.0; 4]);
    arch.dispatch(Hold::<N> { open, into });
}

struct Hold<'a, const N: usize> {
    open: &'a Open,
    into: &'a mut [[f32; 4]],
}

impl<const N: usize> pulp::NullaryFnOnce for Hold<'_, N> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        let Open { sum, low, high } = self.open;
        let (sum, low) = (sum.as_chunks::<N>().0, low.as_chunks::<N>().0);
        let high = high.as_chunks::<N>().0;
        for (((pixel, sum), low), high) in self.into.iter_mut().zip(sum).zip(low).zip(high) {
            for lane in 0..N {
                pixel[lane] = held(sum[lane], low[lane], high[lane]);
            }
        }
    }
}

/// A sum may leave the range of its cell by this part of that range: none beside an edge, where
/// the cell is flat, and enough within texture.
pub(super) const LEEWAY: f32 = 0.5;

#[inline(always)]
fn held(sum: f32, low: f32, high: f32) -> f32 {
    let leeway = (high - low) * LEEWAY;
    let (low, high) = (low - leeway, high + leeway);
    let sum = if sum < low { low } else { sum };
    if sum > high { high } else { sum }
}

/// One target row along a finished row: each pixel is the weighted sum of the pixels that it
/// draws on, held to what its cell holds.
pub(super) fn across(arch: Arch, line: &[[f32; 4]], taps: &Taps, into: &mut Vec<[f32; 4]>) {
    into.clear();
    into.resize(taps.len(), [0.0; 4]);
    arch.dispatch(Across { line, taps, into });
}

struct Across<'a> {
    line: &'a [[f32; 4]],
    taps: &'a Taps,
    into: &'a mut [[f32; 4]],
}

impl pulp::NullaryFnOnce for Across<'_> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        let from = self.taps.reach().start;
        for (position, into) in self.into.iter_mut().enumerate() {
            let tap = self.taps.tap(position);
            let pixels = &self.line[tap.start - from..][..tap.weights.len()];
            *into = pixel(pixels, &tap);
        }
    }
}

#[inline(always)]
fn pixel(pixels: &[[f32; 4]], tap: &Tap<'_>) -> [f32; 4] {
    // Two sums, since one alone would wait for itself.
    let (mut even, mut odd) = ([0.0f32; 4], [0.0f32; 4]);
    let (pairs, last) = pixels.as_chunks::<2>();
    let (weights, last_weight) = tap.weights.as_chunks::<2>();
    for ([one, two], [first, second]) in pairs.iter().zip(weights) {
        for lane in 0..4 {
            even[lane] += one[lane] * first;
            odd[lane] += two[lane] * second;
        }
    }
    for (pixel, weight) in last.iter().zip(last_weight) {
        for lane in 0..4 {
            even[lane] += pixel[lane] * weight;
        }
    }
    let (mut low, mut high) = ([f32::INFINITY; 4], [f32::NEG_INFINITY; 4]);
    for pixel in &pixels[tap.cell.start..tap.cell.end] {
        for lane in 0..4 {
            low[lane] = low[lane].min(pixel[lane]);
            high[lane] = high[lane].max(pixel[lane]);
        }
    }
    let mut result = [0.0; 4];
    for lane in 0..4 {
        result[lane] = held(even[lane] + odd[lane], low[lane], high[lane]);
    }
    result
}
