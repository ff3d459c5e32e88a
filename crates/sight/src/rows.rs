//! The rows of one colour of a picture at one scale, blurred as they come: band by band, and within a band in
//! tiles that stay in the nearest cache.

use pulp::Arch;

use crate::blur::{AHEAD, LANES, Lanes, SPAN, Swing};

/// Rows that are blurred at once.
const BAND: usize = 16;

/// Groups of rows that are blurred side by side along.
const GROUPS: usize = BAND / LANES;

/// Rows that are kept: what was blurred lies behind what comes.
const RING: usize = 2 * BAND;

/// What is made of rows that are blurred: `F` figures of each pixel.
pub(crate) trait Take<const F: usize> {
    /// Takes the pixels of a tile in one row, as many as there are lanes, and their blurred figures.
    fn take(&mut self, tile: usize, y: usize, pixels: &Lanes, blurred: [&Lanes; F]);

    /// The rows of a band in one tile are through.
    fn passed(&mut self);
}

/// Rows under way. The figures that are blurred are the pixels and their squares, and with `F = 3` their products
/// with those of another picture.
pub(crate) struct Rows<const F: usize> {
    width: usize,
    height: usize,
    /// The last rows, tile by tile, each row at its number modulo their number.
    ring: Vec<Lanes>,
    /// The same turned: for each group of rows its columns one after another, zeros before and after.
    turned: Vec<Lanes>,
    columns: Vec<[Column; F]>,
    /// Rows that came so far, and rows that were blurred.
    pushed: usize,
    blurred: usize,
}

/// What the columns of a tile keep from band to band, of one figure.
#[derive(Clone, Copy, Default)]
struct Column {
    swing: Swing,
    leaving: [Lanes; SPAN],
}

/// Tiles in a row.
pub(crate) fn tiles(width: usize) -> usize {
    width.div_ceil(LANES)
}

/// Columns of a group that is turned.
fn padded(width: usize) -> usize {
    SPAN + tiles(width) * LANES + AHEAD
}

impl<const F: usize> Rows<F> {
    /// Those of a picture of a size. Where they are to be kept turned for others all groups are.
    pub(crate) fn new(width: usize, height: usize, keeps: bool) -> Rows<F> {
        let groups = if keeps {
            (height + AHEAD).div_ceil(BAND) * GROUPS
        } else {
            GROUPS
        };
        Rows {
            width,
            height,
            ring: vec![[0.0; LANES]; tiles(width) * RING],
            turned: vec![[0.0; LANES]; groups * padded(width)],
            columns: vec![[Column::default(); F]; tiles(width)],
            pushed: 0,
            blurred: 0,
        }
    }

    /// Takes the next row; `other` are all groups of the other picture, turned.
    pub(crate) fn push(
        &mut self,
        arch: Arch,
        row: &[f32],
        other: &[Lanes],
        take: &mut impl Take<F>,
    ) {
        self.put(row);
        self.entered(arch, other, take);
        if self.pushed == self.height {
            // The blur runs ahead: at the end over rows of zeros.
            for _ in 0..AHEAD {
                self.put(&[]);
                self.entered(arch, other, take);
            }
            if self.pushed > self.blurred {
                self.blur(arch, other, take);
            }
        }
    }

    /// All groups, turned.
    pub(crate) fn into_turned(self) -> Vec<Lanes> {
        self.turned
    }

    fn put(&mut self, row: &[f32]) {
        let y = self.pushed % RING;
        let mut parts = row.chunks(LANES);
        for tile in self.ring.chunks_exact_mut(RING) {
            let part = parts.next().unwrap_or(&[]);
            tile[y] = [0.0; LANES];
            tile[y][..part.len()].copy_from_slice(part);
        }
    }

    /// Counts a row; with the last of its band, that is blurred.
    fn entered(&mut self, arch: Arch, other: &[Lanes], take: &mut impl Take<F>) {
        self.pushed += 1;
        if self.pushed == self.blurred + BAND {
            self.blur(arch, other, take);
        }
    }

    fn blur(&mut self, arch: Arch, other: &[Lanes], take: &mut impl Take<F>) {
        let rows = self.pushed - self.blurred;
        arch.dispatch(Band {
            rows,
            of: self,
            other,
            take,
        });
        self.blurred += rows;
    }
}

// Closures within a recompiled body would be compiled on their own, without the wider unit: so
// the bodies are plain loops.

/// A band of rows that enter the blur, and what is taken of those that are finished by that.
struct Band<'a, const F: usize, T> {
    rows: usize,
    of: &'a mut Rows<F>,
    other: &'a [Lanes],
    take: &'a mut T,
}

impl<const F: usize, T: Take<F>> pulp::NullaryFnOnce for Band<'_, F, T> {
    type Output = ();

    #[inline(always)]
    #[allow(clippy::needless_range_loop)] // Rows of several arrays are walked together.
    fn call(self) {
        let Band {
            rows,
            of,
            other,
            take,
        } = self;
        let (padded, tiles) = (padded(of.width), tiles(of.width));
        let first = of.blurred / LANES;
        let kept = of.turned.len() / padded;
        let groups = [first % kept, (first + 1) % kept];
        for (group, place) in groups.into_iter().enumerate() {
            let turned = &mut of.turned[place * padded + SPAN..][..tiles * LANES];
            let from = (of.blurred + group * LANES) % RING;
            for tile in 0..tiles {
                let block = &of.ring[tile * RING + from..][..LANES];
                turn(block, &mut turned[tile * LANES..][..LANES]);
            }
        }
        let own = groups.map(|place| &of.turned[place * padded..][..padded]);
        let other = [0, 1].map(|group| {
            let all = other.get((first + group) * padded..).unwrap_or(&[]);
            all.get(..padded).unwrap_or(own[group])
        });
        let mut swings = [[Swing::default(); GROUPS]; F];
        for group in 0..GROUPS {
            begin::<0>(own[group], other[group], &mut swings[0][group]);
            begin::<1>(own[group], other[group], &mut swings[1][group]);
            if F == 3 {
                begin::<2>(own[group], other[group], &mut swings[2][group]);
            }
        }
        let mut entering = [[[0.0; LANES]; BAND]; F];
        let mut blurred = [[[0.0; LANES]; BAND]; F];
        for tile in 0..tiles {
            let count = LANES.min(of.width - tile * LANES);
            for group in 0..GROUPS {
                let (own, other) = (&own[group][tile * LANES..], &other[group][tile * LANES..]);
                let rows = group * LANES;
                along::<0>(
                    (own, other),
                    count,
                    &mut swings[0][group],
                    &mut entering[0][rows..],
                );
                along::<1>(
                    (own, other),
                    count,
                    &mut swings[1][group],
                    &mut entering[1][rows..],
                );
                if F == 3 {
                    along::<2>(
                        (own, other),
                        count,
                        &mut swings[2][group],
                        &mut entering[2][rows..],
                    );
                }
            }
            for figure in 0..F {
                let column = &mut of.columns[tile][figure];
                column.down(rows, &entering[figure], &mut blurred[figure]);
            }
            // The first rows only fill the blur.
            for row in AHEAD.saturating_sub(of.blurred)..rows {
                let y = of.blurred + row - AHEAD;
                let pixels = &of.ring[tile * RING + y % RING];
                let mut figures = [pixels; F];
                for figure in 0..F {
                    figures[figure] = &blurred[figure][row];
                }
                take.take(tile, y, pixels, figures);
            }
            take.passed();
        }
    }
}

/// Rows become columns.
#[inline(always)]
#[allow(clippy::needless_range_loop)] // Lanes of several arrays are walked together.
fn turn(rows: &[Lanes], columns: &mut [Lanes]) {
    let rows: &[Lanes; LANES] = rows.first_chunk().unwrap_or(&[[0.0; LANES]; LANES]);
    if let Some(columns) = columns.first_chunk_mut::<LANES>() {
        for x in 0..LANES {
            for y in 0..LANES {
                columns[x][y] = rows[y][x];
            }
        }
    }
}

/// What is blurred, of a column of either picture.
#[inline(always)]
fn figure<const WHICH: usize>(own: &Lanes, other: &Lanes) -> Lanes {
    let mut figure = [0.0; LANES];
    for i in 0..LANES {
        figure[i] = match WHICH {
            0 => own[i],
            1 => own[i] * own[i],
            _ => own[i] * other[i],
        };
    }
    figure
}

/// Takes the blur of a figure along rows up to the first column.
#[inline(always)]
fn begin<const WHICH: usize>(own: &[Lanes], other: &[Lanes], swing: &mut Swing) {
    for x in SPAN..SPAN + AHEAD {
        swing.along(&figure::<WHICH>(&own[x], &other[x]), &[0.0; LANES]);
    }
}

/// Blurs a figure along the columns of a tile, and turns them to rows; columns beyond the picture hold zeros.
#[inline(always)]
fn along<const WHICH: usize>(
    (own, other): (&[Lanes], &[Lanes]),
    count: usize,
    swing: &mut Swing,
    rows: &mut [Lanes],
) {
    let (own, other) = (
        &own[AHEAD..][..SPAN + LANES],
        &other[AHEAD..][..SPAN + LANES],
    );
    let mut columns = [[0.0; LANES]; LANES];
    let mut now = *swing;
    for x in 0..LANES {
        let entering = figure::<WHICH>(&own[x + SPAN], &other[x + SPAN]);
        let leaving = figure::<WHICH>(&own[x], &other[x]);
        columns[x] = now.along(&entering, &leaving);
    }
    *swing = now;
    for column in &mut columns[count..] {
        *column = [0.0; LANES];
    }
    turn(&columns, &mut rows[..LANES]);
}

impl Column {
    /// Blurs a figure down.
    #[inline(always)]
    fn down(&mut self, rows: usize, entering: &[Lanes; BAND], blurred: &mut [Lanes; BAND]) {
        let mut swing = self.swing;
        for row in 0..rows.min(SPAN) {
            blurred[row] = swing.down(&entering[row], &self.leaving[row]);
        }
        for row in SPAN..rows {
            blurred[row] = swing.down(&entering[row], &entering[row - SPAN]);
        }
        self.leaving = entering[BAND - SPAN..].try_into().unwrap_or(self.leaving);
        self.swing = swing;
    }
}
