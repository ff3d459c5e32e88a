//! The comparison of a candidate with a prepared reference, colour by colour, as rows come.

use pulp::Arch;

use crate::blur::{LANES, Lanes};
use crate::map::{Cells, Grid};
use crate::picture::View;
use crate::rows::{Rows, Take, tiles};
use crate::scales::{descend, sizes};
use crate::score::{COMPONENTS, KINDS, Scale, Sums, counted};

/// Keeps the quotients of structure away from 0 where nothing is to be seen; published as C2.
const STEADY: f32 = 0.0009;

/// A picture at every scale, as far as it counts.
pub(crate) struct Prepared {
    scales: Vec<PreparedScale>,
}

struct PreparedScale {
    width: usize,
    height: usize,
    /// Its opponent colours that count.
    colours: [Option<Colour>; COMPONENTS],
}

/// What comparisons need of one opponent colour.
struct Colour {
    /// Its rows, turned.
    turned: Vec<Lanes>,
    /// What is known around each pixel, in the order in which they are compared.
    around: Vec<Around>,
}

/// What is known of the surroundings of some pixels.
#[derive(Clone, Copy, Default)]
struct Around {
    mean: Lanes,
    variance: Lanes,
    /// One more than how far each is off the mean.
    edge: Lanes,
}

impl Prepared {
    pub(crate) fn new(arch: Arch, view: &View<'_>) -> Prepared {
        let sizes = sizes(view.width(), view.height());
        let counted = counted(sizes.len());
        let mut under_way: Vec<[Option<(Rows<2>, Keep)>; COMPONENTS]> = sizes
            .iter()
            .zip(&counted)
            .map(|(&(width, height), counted)| {
                counted.map(|counts| {
                    counts.then(|| (Rows::new(width, height, true), Keep::new(width, height)))
                })
            })
            .collect();
        descend(arch, view, &counted, |scale, rows| {
            for (colour, row) in under_way[scale].iter_mut().zip(rows) {
                if let Some((under_way, keep)) = colour {
                    under_way.push(arch, row, &[], keep);
                }
            }
        });
        let scales = under_way.into_iter().zip(sizes);
        let scales = scales.map(|(colours, (width, height))| PreparedScale {
            width,
            height,
            colours: colours.map(|colour| {
                colour.map(|(rows, keep)| Colour {
                    turned: rows.into_turned(),
                    around: keep.around,
                })
            }),
        });
        Prepared {
            scales: scales.collect(),
        }
    }

    /// The errors of a candidate, summed at every scale.
    pub(crate) fn compare(
        &self,
        arch: Arch,
        view: &View<'_>,
        mut cells: Option<&mut Cells>,
    ) -> Vec<Scale> {
        let begin = |scale: &PreparedScale| {
            let of = |colour: &Option<Colour>| {
                let begin = || Rows::<3>::new(scale.width, scale.height, false);
                colour.is_some().then(begin)
            };
            (
                scale.colours.each_ref().map(of),
                [(Sums::default(), 0); COMPONENTS],
            )
        };
        let mut under_way: Vec<_> = self.scales.iter().map(begin).collect();
        let counts = |scale: &PreparedScale| scale.colours.each_ref().map(Option::is_some);
        let counted: Vec<_> = self.scales.iter().map(counts).collect();
        descend(arch, view, &counted, |scale, rows| {
            let (under_way, sums) = &mut under_way[scale];
            let scale_of = &self.scales[scale];
            for (component, row) in rows.iter().enumerate() {
                let Some((under_way, colour)) = under_way[component]
                    .as_mut()
                    .zip(scale_of.colours[component].as_ref())
                else {
                    continue;
                };
                let (sums, compared) = &mut sums[component];
                let mut judge = Judge {
                    around: &colour.around,
                    compared,
                    component,
                    sums,
                    plain: Default::default(),
                    fourth: Default::default(),
                    cells: cells.as_deref_mut().map(|cells| cells.of_scale(scale)),
                };
                under_way.push(arch, row, &colour.turned, &mut judge);
            }
        });
        let sums = under_way.into_iter().zip(&self.scales);
        sums.map(|((_, sums), scale)| (sums.map(|(sums, _)| sums), scale.width * scale.height))
            .collect()
    }
}

/// Keeps what comparisons need.
struct Keep {
    around: Vec<Around>,
}

impl Keep {
    fn new(width: usize, height: usize) -> Keep {
        Keep {
            around: Vec::with_capacity(tiles(width) * height),
        }
    }
}

impl Take<2> for Keep {
    #[inline(always)]
    fn take(&mut self, _: usize, _: usize, pixels: &Lanes, [means, squares]: [&Lanes; 2]) {
        let mut around = Around::default();
        for i in 0..LANES {
            let mean = means[i];
            around.mean[i] = mean;
            around.variance[i] = squares[i] - mean * mean;
            around.edge[i] = 1.0 + (pixels[i] - mean).abs();
        }
        self.around.push(around);
    }

    #[inline(always)]
    fn passed(&mut self) {}
}

/// Takes the errors of a candidate.
struct Judge<'a> {
    around: &'a [Around],
    /// How many were compared.
    compared: &'a mut usize,
    component: usize,
    sums: &'a mut Sums,
    /// Sums of a band in one tile by lanes: of each kind of error and of its fourth power.
    plain: [Lanes; KINDS],
    fourth: [Lanes; KINDS],
    cells: Option<&'a mut Grid>,
}

impl Take<3> for Judge<'_> {
    #[inline(always)]
    #[allow(clippy::needless_range_loop)] // Lanes of several arrays are walked together.
    fn take(&mut self, tile: usize, y: usize, pixels: &Lanes, blurred: [&Lanes; 3]) {
        let errors = errors(&self.around[*self.compared], pixels, blurred);
        *self.compared += 1;
        for kind in 0..KINDS {
            for lane in 0..LANES {
                let error = errors[kind][lane];
                let squared = error * error;
                self.plain[kind][lane] += error;
                self.fourth[kind][lane] += squared * squared;
            }
        }
        if let Some(cells) = self.cells.as_deref_mut() {
            cells.add((self.component, tile * LANES, y), &errors);
        }
    }

    #[inline(always)]
    #[allow(clippy::needless_range_loop)] // Lanes of several arrays are walked together.
    fn passed(&mut self) {
        for kind in 0..KINDS {
            for lane in 0..LANES {
                self.sums.plain[kind] += f64::from(self.plain[kind][lane]);
                self.sums.fourth[kind] += f64::from(self.fourth[kind][lane]);
            }
        }
        self.plain = [[0.0; LANES]; KINDS];
        self.fourth = [[0.0; LANES]; KINDS];
    }
}

/// The three errors of some pixels.
#[inline(always)]
fn errors(
    reference: &Around,
    candidate: &Lanes,
    [means, squares, products]: [&Lanes; 3],
) -> [Lanes; KINDS] {
    let mut errors = [[0.0; LANES]; KINDS];
    for i in 0..LANES {
        let (mean, other) = (reference.mean[i], means[i]);
        let apart = mean - other;
        let likeness = apart.mul_add(-apart, 1.0);
        let covariance = 2.0f32.mul_add(products[i] - mean * other, STEADY);
        let variances = reference.variance[i] + (squares[i] - other * other) + STEADY;
        errors[0][i] = (1.0 - (likeness * covariance) / variances).max(0.0);
        let other_edge = 1.0 + (candidate[i] - other).abs();
        let change = other_edge / reference.edge[i] - 1.0;
        errors[1][i] = change.max(0.0);
        errors[2][i] = (-change).max(0.0);
    }
    errors
}
