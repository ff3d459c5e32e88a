//! The comparison of a candidate with a prepared reference, band by band and tile by tile.

use std::ops::Range;

use pulp::Arch;

use crate::blur::{AHEAD, LANES, Lanes, SPAN, Swing};
use crate::light::Planes;
use crate::map::{Cells, Grid};
use crate::picture::View;
use crate::scales::{descend, sizes};
use crate::score::{COMPONENTS, KINDS, Scale, Sums};
use crate::tiled::{ACROSS, TILE, Tiled};

/// Keeps the quotients of structure away from 0 where nothing is to be seen; published as C2.
const STEADY: f32 = 0.0009;

/// The opponent colours of a picture at every scale.
pub(crate) struct Prepared {
    scales: Vec<PreparedScale>,
}

struct PreparedScale {
    width: usize,
    height: usize,
    pixels: Tiled,
}

impl Prepared {
    pub(crate) fn new(arch: Arch, view: &View<'_>) -> Prepared {
        let sizes = sizes(view.width(), view.height());
        let scale = |(width, height)| PreparedScale {
            width,
            height,
            pixels: Tiled::new(width, height),
        };
        let mut scales: Vec<PreparedScale> = sizes.into_iter().map(scale).collect();
        let mut ys = vec![0; scales.len()];
        descend(arch, view, |scale, row| {
            scales[scale].pixels.put(ys[scale], row);
            ys[scale] += 1;
        });
        Prepared { scales }
    }

    /// The errors of a candidate, summed at every scale.
    pub(crate) fn compare(
        &self,
        arch: Arch,
        view: &View<'_>,
        mut cells: Option<&mut Cells>,
    ) -> Vec<Scale> {
        let mut comparisons: Vec<Comparison> = self.scales.iter().map(Comparison::new).collect();
        descend(arch, view, |scale, row| {
            let cells = cells.as_deref_mut().map(|cells| cells.of_scale(scale));
            comparisons[scale].push(arch, row, cells);
        });
        let sums = |done: Comparison<'_>| (done.sums(), done.scale.width * done.scale.height);
        comparisons.into_iter().map(sums).collect()
    }
}

/// Rows that are compared at once.
const BAND: usize = 16;

/// What is blurred: reference, candidate, the squares of both, and their product.
const BLURRED: usize = 5;

/// The rows of a band, as far as a tile goes.
type Tile = [[Lanes; BAND]; ACROSS];

/// One scale of a comparison under way.
struct Comparison<'a> {
    scale: &'a PreparedScale,
    /// The candidate's last rows, each at its number modulo twice a band.
    candidate: Tiled,
    /// The band that is gathered: two rows of reference and candidate side by side, with zeros
    /// before and after.
    pairs: Vec<[Lanes; 2]>,
    columns: Vec<Columns>,
    /// Rows that were gathered so far, and rows that were blurred.
    pushed: usize,
    blurred: usize,
    /// Sums by lanes: of each kind of error and of its fourth power.
    plain: [[f64; LANES]; KINDS],
    fourth: [[f64; LANES]; KINDS],
}

/// What the columns of a tile keep from band to band.
#[derive(Clone, Default)]
struct Columns {
    swings: [[Swing; ACROSS]; BLURRED],
    leaving: [[[Lanes; SPAN]; ACROSS]; BLURRED],
}

impl Comparison<'_> {
    fn new(scale: &PreparedScale) -> Comparison<'_> {
        Comparison {
            scale,
            candidate: Tiled::new(scale.width, 2 * BAND),
            pairs: vec![[[0.0; LANES]; 2]; BAND / 2 * padded(scale.width)],
            columns: vec![Columns::default(); scale.width.div_ceil(TILE)],
            pushed: 0,
            blurred: 0,
            plain: Default::default(),
            fourth: Default::default(),
        }
    }

    /// Takes the candidate's next row; once a band is there, it is compared.
    fn push(&mut self, arch: Arch, row: &Planes, mut cells: Option<&mut Grid>) {
        let y = self.pushed;
        self.candidate.put(y % (2 * BAND), row);
        let reference = self.scale.pixels.row(y);
        let candidate = self.candidate.row(y % (2 * BAND));
        let pairs = pair(&mut self.pairs, y, self.scale.width).chunks_mut(TILE);
        let half = y % 2 * (LANES / 2);
        for ((reference, candidate), pairs) in reference.zip(candidate).zip(pairs) {
            for ((reference, candidate), pair) in reference.iter().zip(candidate).zip(pairs) {
                pair[0][half..half + 4].copy_from_slice(reference);
                pair[1][half..half + 4].copy_from_slice(candidate);
            }
        }
        self.entered(arch, cells.as_deref_mut());
        if self.pushed == self.scale.height {
            // The blur runs ahead: at the end over rows of zeros.
            for y in self.scale.height..self.scale.height + AHEAD {
                let half = y % 2 * (LANES / 2);
                for [reference, candidate] in pair(&mut self.pairs, y, self.scale.width) {
                    reference[half..half + 4].fill(0.0);
                    candidate[half..half + 4].fill(0.0);
                }
                self.entered(arch, cells.as_deref_mut());
            }
            if self.pushed > self.blurred {
                self.compare(arch, cells);
            }
        }
    }

    /// Counts a row that was gathered; with the last of its band, that is compared.
    fn entered(&mut self, arch: Arch, cells: Option<&mut Grid>) {
        self.pushed += 1;
        if self.pushed == self.blurred + BAND {
            self.compare(arch, cells);
        }
    }

    /// Compares the rows that are gathered.
    fn compare(&mut self, arch: Arch, cells: Option<&mut Grid>) {
        let rows = self.pushed - self.blurred;
        arch.dispatch(Band {
            rows,
            comparison: self,
            cells,
        });
        self.blurred += rows;
    }

    /// The sums by component.
    fn sums(&self) -> [Sums; COMPONENTS] {
        std::array::from_fn(|component| {
            let both = |lanes: &[f64; LANES]| lanes[component] + lanes[component + LANES / 2];
            Sums {
                plain: self.plain.each_ref().map(both),
                fourth: self.fourth.each_ref().map(both),
            }
        })
    }
}

/// Pixels in a row of pairs: zeros before and after.
fn padded(width: usize) -> usize {
    SPAN + width + AHEAD
}

/// The pairs of pixels that a row of the gathered band belongs to.
fn pair(pairs: &mut [[Lanes; 2]], y: usize, width: usize) -> &mut [[Lanes; 2]] {
    &mut pairs[y % BAND / 2 * padded(width) + SPAN..][..width]
}

// Closures within a recompiled body would be compiled on their own, without the wider unit: so
// the bodies are plain loops.

/// A band of rows that enter the blur, and the comparison of those that are finished by that.
struct Band<'a, 'b, 'c> {
    rows: usize,
    comparison: &'a mut Comparison<'b>,
    cells: Option<&'c mut Grid>,
}

impl pulp::NullaryFnOnce for Band<'_, '_, '_> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        let (one, mut cells) = (self.comparison, self.cells);
        let width = one.scale.width;
        let mut tiles = [[[[0.0; LANES]; BAND]; ACROSS]; BLURRED];
        let mut blurred = [[[0.0; LANES]; BAND]; BLURRED];
        let mut swings = [[Swing::default(); BAND / 2]; BLURRED];
        one.start_along::<0>(&mut swings);
        one.start_along::<1>(&mut swings);
        one.start_along::<2>(&mut swings);
        one.start_along::<3>(&mut swings);
        one.start_along::<4>(&mut swings);
        for tile in 0..one.columns.len() {
            let count = TILE.min(width - tile * TILE);
            if count < TILE {
                tiles = [[[[0.0; LANES]; BAND]; ACROSS]; BLURRED];
            }
            let x = tile * TILE..tile * TILE + count;
            one.blur_along::<0>(x.clone(), &mut swings, &mut tiles);
            one.blur_along::<1>(x.clone(), &mut swings, &mut tiles);
            one.blur_along::<2>(x.clone(), &mut swings, &mut tiles);
            one.blur_along::<3>(x.clone(), &mut swings, &mut tiles);
            one.blur_along::<4>(x, &mut swings, &mut tiles);
            for across in 0..count.div_ceil(2) {
                let columns = &mut one.columns[tile];
                for (which, tile) in tiles.iter().enumerate() {
                    let entering = &tile[across];
                    columns.blur_down(which, across, self.rows, entering, &mut blurred[which]);
                }
                one.compare_columns((tile, across), self.rows, &blurred, cells.as_deref_mut());
            }
        }
    }
}

impl Columns {
    /// Blurs two columns of one figure down.
    #[inline(always)]
    fn blur_down(
        &mut self,
        which: usize,
        across: usize,
        rows: usize,
        entering: &[Lanes; BAND],
        blurred: &mut [Lanes; BAND],
    ) {
        let mut swing = self.swings[which][across];
        let leaving = &mut self.leaving[which][across];
        for row in 0..rows.min(SPAN) {
            blurred[row] = swing.down(&entering[row], &leaving[row]);
        }
        for row in SPAN..rows {
            blurred[row] = swing.down(&entering[row], &entering[row - SPAN]);
        }
        *leaving = entering[BAND - SPAN..].try_into().unwrap_or(*leaving);
        self.swings[which][across] = swing;
    }
}

impl Comparison<'_> {
    /// Takes the blurs of one figure along all rows up to the first column.
    #[inline(always)]
    fn start_along<const WHICH: usize>(&self, swings: &mut [[Swing; BAND / 2]; BLURRED]) {
        let padded = padded(self.scale.width);
        for (pair, swing) in swings[WHICH].iter_mut().enumerate() {
            let row = &self.pairs[pair * padded..][..padded];
            for x in 0..AHEAD {
                swing.along(&figure::<WHICH>(&row[x + SPAN]), &[0.0; LANES]);
            }
        }
    }

    /// Blurs one figure along some columns of all rows, into a tile.
    #[inline(always)]
    fn blur_along<const WHICH: usize>(
        &self,
        columns: Range<usize>,
        swings: &mut [[Swing; BAND / 2]; BLURRED],
        tiles: &mut [Tile; BLURRED],
    ) {
        let (count, padded) = (columns.len(), padded(self.scale.width));
        let entered = &mut tiles[WHICH];
        for (pair, swing) in swings[WHICH].iter_mut().enumerate() {
            let row = &self.pairs[pair * padded + columns.start + AHEAD..][..SPAN + count];
            let mut now = *swing;
            for x in 0..count {
                let (entering, leaving) = (&row[x + SPAN], &row[x]);
                let given = now.along(&figure::<WHICH>(entering), &figure::<WHICH>(leaving));
                let half = x % 2 * (LANES / 2);
                let column = &mut entered[x / 2];
                column[pair * 2][half..half + 4].copy_from_slice(&given[..4]);
                column[pair * 2 + 1][half..half + 4].copy_from_slice(&given[4..]);
            }
            *swing = now;
        }
    }

    /// Compares the rows of two columns that are blurred.
    #[inline(always)]
    #[allow(clippy::needless_range_loop)] // Lanes and rows of several arrays are walked together.
    fn compare_columns(
        &mut self,
        (tile, across): (usize, usize),
        rows: usize,
        blurred: &[[Lanes; BAND]; BLURRED],
        mut cells: Option<&mut Grid>,
    ) {
        let (mut plain, mut fourth) = ([[0.0; LANES]; KINDS], [[0.0; LANES]; KINDS]);
        // The first rows only fill the blur.
        for row in AHEAD.saturating_sub(self.blurred)..rows {
            let y = self.blurred + row - AHEAD;
            let errors = errors(
                self.scale.pixels.lanes(tile, across, y),
                self.candidate.lanes(tile, across, y % (2 * BAND)),
                [&blurred[0][row], &blurred[1][row]],
                [&blurred[2][row], &blurred[3][row]],
                &blurred[4][row],
            );
            for kind in 0..KINDS {
                for lane in 0..LANES {
                    let error = errors[kind][lane];
                    let squared = error * error;
                    plain[kind][lane] += error;
                    fourth[kind][lane] += squared * squared;
                }
            }
            if let Some(cells) = cells.as_deref_mut() {
                cells.add(tile * TILE + across * 2, y, &errors);
            }
        }
        for kind in 0..KINDS {
            for lane in 0..LANES {
                self.plain[kind][lane] += f64::from(plain[kind][lane]);
                self.fourth[kind][lane] += f64::from(fourth[kind][lane]);
            }
        }
    }
}

/// What is blurred, of two pixels of reference and candidate.
#[inline(always)]
fn figure<const WHICH: usize>([reference, candidate]: &[Lanes; 2]) -> Lanes {
    let mut figure = [0.0; LANES];
    for i in 0..LANES {
        let (a, b) = (reference[i], candidate[i]);
        figure[i] = match WHICH {
            0 => a,
            1 => b,
            2 => a * a,
            3 => b * b,
            _ => a * b,
        };
    }
    figure
}

/// The three errors of two pixels.
#[inline(always)]
fn errors(
    reference: &Lanes,
    candidate: &Lanes,
    means: [&Lanes; 2],
    squares: [&Lanes; 2],
    products: &Lanes,
) -> [Lanes; KINDS] {
    let mut errors = [[0.0; LANES]; KINDS];
    for i in 0..LANES {
        let (mean, other) = (means[0][i], means[1][i]);
        let apart = mean - other;
        let likeness = apart.mul_add(-apart, 1.0);
        let covariance = 2.0f32.mul_add(products[i] - mean * other, STEADY);
        let variances = (squares[0][i] - mean * mean) + (squares[1][i] - other * other) + STEADY;
        errors[0][i] = (1.0 - (likeness * covariance) / variances).max(0.0);
        let edge = 1.0 + (reference[i] - mean).abs();
        let other_edge = 1.0 + (candidate[i] - other).abs();
        let change = other_edge / edge - 1.0;
        errors[1][i] = change.max(0.0);
        errors[2][i] = (-change).max(0.0);
    }
    errors
}
