//! The inner loops, written once and recompiled for the widest vector unit that the machine has.
//! No product is contracted with a sum, so every machine gives the same bytes.

use pulp::Arch;

use super::kernel::Taps;

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
    /// Whether anything was added, and anything of its cell: what comes first is put, not added,
    /// which spares clearing the row.
    added: bool,
    bounded: bool,
}

impl Open {
    /// Begins a row of so many samples.
    pub(super) fn begin(&mut self, length: usize) {
        for samples in [&mut self.sum, &mut self.low, &mut self.high] {
            samples.resize(length, 0.0);
        }
        (self.added, self.bounded) = (false, false);
    }
}

/// What a batch of source rows adds to a target row: their weights, and whether each lies in its
/// cell.
pub(super) struct Portion<const ROWS: usize> {
    pub weights: [f32; ROWS],
    pub in_cell: [bool; ROWS],
}

/// A source row, and what the samples of the picture that it was made from go down and up to: the
/// row itself, where it is the picture's own.
#[derive(Clone, Copy)]
pub(super) struct Line<'a> {
    pub light: &'a [f32],
    pub low: &'a [f32],
    pub high: &'a [f32],
}

impl<'a> Line<'a> {
    #[inline(always)]
    fn part(&self, from: usize, to: usize) -> Line<'a> {
        Line {
            light: &self.light[from..to],
            low: &self.low[from..to],
            high: &self.high[from..to],
        }
    }
}

/// Adds a batch of source rows to every target row that is under way.
pub(super) fn add<const ROWS: usize>(
    arch: Arch,
    rows: [Line<'_>; ROWS],
    open: &mut [(Portion<ROWS>, &mut Open)],
) {
    let add = Add { rows, open };
    arch.dispatch(add);
}

// Closures within a recompiled body would be compiled on their own, without the wider unit: so
// the bodies are plain loops, and the larger ones structs instead of closures.
struct Add<'a, 'b, const ROWS: usize> {
    rows: [Line<'a>; ROWS],
    open: &'a mut [(Portion<ROWS>, &'b mut Open)],
}

impl<const ROWS: usize> pulp::NullaryFnOnce for Add<'_, '_, ROWS> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        let length = self.rows[0].light.len();
        let mut from = 0;
        while from < length {
            let to = (from + CHUNK).min(length);
            let mut lights = [&[][..]; ROWS];
            for (light, row) in lights.iter_mut().zip(&self.rows) {
                *light = row.part(from, to).light;
            }
            for (share, open) in self.open.iter_mut() {
                let sum = &mut open.sum[from..to];
                if open.added {
                    weighted::<ROWS, true>(sum, lights, share.weights)
                } else {
                    weighted::<ROWS, false>(sum, lights, share.weights)
                }
                let mut bounded = open.bounded;
                for (row, in_cell) in self.rows.iter().zip(share.in_cell) {
                    if in_cell {
                        let part = row.part(from, to);
                        let (low, high) = (&mut open.low[from..to], &mut open.high[from..to]);
                        match bounded {
                            true => bound(low, high, part),
                            false => {
                                low.copy_from_slice(part.low);
                                high.copy_from_slice(part.high);
                            }
                        }
                        bounded = true;
                    }
                }
            }
            from = to;
        }
        for (share, open) in self.open.iter_mut() {
            open.added = true;
            open.bounded |= share.in_cell.contains(&true);
        }
    }
}

#[inline(always)]
fn bound(low: &mut [f32], high: &mut [f32], row: Line<'_>) {
    let length = row.low.len();
    let (low, high) = (&mut low[..length], &mut high[..length]);
    let (row_low, row_high) = (&row.low[..length], &row.high[..length]);
    for x in 0..length {
        low[x] = low[x].min(row_low[x]);
        high[x] = high[x].max(row_high[x]);
    }
}

#[inline(always)]
fn weighted<const ROWS: usize, const MORE: bool>(
    sum: &mut [f32],
    mut rows: [&[f32]; ROWS],
    weights: [f32; ROWS],
) {
    let length = sum.len();
    for row in &mut rows {
        *row = &row[..length];
    }
    for x in 0..length {
        let mut all = 0.0;
        for index in 0..ROWS {
            all += rows[index][x] * weights[index];
        }
        sum[x] = if MORE { sum[x] + all } else { all };
    }
}

/// One target row, and what its cells hold: samples of one pixel after the other.
#[derive(Clone, Default)]
pub(super) struct Finished {
    /// The weighted sums.
    pub sum: Vec<f32>,
    /// The least and the greatest of each cell.
    pub low: Vec<f32>,
    pub high: Vec<f32>,
}

/// Sizes a row along, of pixels of `N` samples.
pub(super) fn across<const N: usize>(
    arch: Arch,
    open: &Open,
    taps: &Taps,
    line: &mut Vec<[f32; 4]>,
    into: &mut Finished,
) {
    for row in [&mut into.sum, &mut into.low, &mut into.high] {
        row.resize(taps.len() * N, 0.0);
    }
    line.resize(open.sum.len() / N, [0.0; 4]);
    let across = Across::<N> {
        open,
        taps,
        line,
        into,
    };
    arch.dispatch(across);
}

struct Across<'a, const N: usize> {
    open: &'a Open,
    taps: &'a Taps,
    /// The row with its pixels set apart, each with four floats.
    line: &'a mut [[f32; 4]],
    into: &'a mut Finished,
}

impl<const N: usize> pulp::NullaryFnOnce for Across<'_, N> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        let Open { sum, low, high, .. } = self.open;
        for (pixel, sum) in self.line.iter_mut().zip(sum.as_chunks::<N>().0) {
            pixel[..N].copy_from_slice(sum);
        }
        let (low, high) = (low.as_chunks::<N>().0, high.as_chunks::<N>().0);
        let from = self.taps.reach().start;
        let Finished {
            sum: sums,
            low: lows,
            high: highs,
        } = self.into;
        let (sums, lows) = (sums.as_chunks_mut::<N>().0, lows.as_chunks_mut::<N>().0);
        let highs = highs.as_chunks_mut::<N>().0;
        for position in 0..self.taps.len() {
            let tap = self.taps.tap(position);
            let start = tap.start - from;
            let pixels = &self.line[start..][..tap.weights.len()];
            let sum = weighted_pixel(pixels, tap.weights);
            sums[position].copy_from_slice(&sum[..N]);
            let cell = start + tap.cell.start..start + tap.cell.end;
            let (mut least, mut most) = ([f32::INFINITY; N], [f32::NEG_INFINITY; N]);
            for (low, high) in low[cell.clone()].iter().zip(&high[cell]) {
                for lane in 0..N {
                    least[lane] = least[lane].min(low[lane]);
                    most[lane] = most[lane].max(high[lane]);
                }
            }
            lows[position] = least;
            highs[position] = most;
        }
    }
}

/// A sum may leave the range of its cell by this part of that range: none beside an edge, where
/// the cell is flat, and enough within texture.
pub(super) const LEEWAY: f32 = 0.5;

/// Holds the sums of a row to what their cells hold.
pub(super) fn hold(arch: Arch, finished: &Finished, into: &mut Vec<f32>) {
    into.resize(finished.sum.len(), 0.0);
    arch.dispatch(Hold { finished, into });
}

struct Hold<'a> {
    finished: &'a Finished,
    into: &'a mut [f32],
}

impl pulp::NullaryFnOnce for Hold<'_> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        let length = self.into.len();
        let Finished { sum, low, high } = self.finished;
        let (sum, low, high) = (&sum[..length], &low[..length], &high[..length]);
        for x in 0..length {
            let leeway = (high[x] - low[x]) * LEEWAY;
            let (low, high) = (low[x] - leeway, high[x] + leeway);
            let least = if sum[x] < low { low } else { sum[x] };
            self.into[x] = if least > high { high } else { least };
        }
    }
}

#[inline(always)]
fn weighted_pixel(pixels: &[[f32; 4]], weights: &[f32]) -> [f32; 4] {
    // Two sums, since one alone would wait for itself.
    let (mut even, mut odd) = ([0.0f32; 4], [0.0f32; 4]);
    let (pairs, last) = pixels.as_chunks::<2>();
    let (weights, last_weight) = weights.as_chunks::<2>();
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
    let mut sum = [0.0; 4];
    for lane in 0..4 {
        sum[lane] = even[lane] + odd[lane];
    }
    sum
}
