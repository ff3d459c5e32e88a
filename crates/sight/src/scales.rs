//! The rows of a picture at every scale, as they become ready.

use pulp::Arch;

use crate::light::{self, Planes};
use crate::picture::{LEAST_SIDE, View};
use crate::score::COMPONENTS;

/// Full size and five halvings.
pub(crate) const SCALES: usize = 6;

/// Widths and heights of the scales, from full size down.
pub(crate) fn sizes(width: usize, height: usize) -> Vec<(usize, usize)> {
    let mut sizes = vec![(width, height)];
    let (mut width, mut height) = (width, height);
    while sizes.len() < SCALES && width >= LEAST_SIDE && height >= LEAST_SIDE {
        (width, height) = (width.div_ceil(2), height.div_ceil(2));
        sizes.push((width, height));
    }
    sizes
}

/// Hands over every row of every scale at which any opponent colour counts, with the number of its scale; rows of
/// one scale come from the top down. Colours that do not count there hold anything.
pub(crate) fn descend(
    arch: Arch,
    view: &View<'_>,
    counted: &[[bool; COMPONENTS]],
    mut take: impl FnMut(usize, &Planes),
) {
    let mut descent = Descent {
        arch,
        cones: light::absorbance(view.primaries()),
        take: &mut take,
    };
    let counts = |counted: &[bool; COMPONENTS]| counted.contains(&true);
    // Beyond the last at which anything counts there is nothing to do.
    let scales = counted.iter().rposition(counts).map_or(0, |last| last + 1);
    let sizes = sizes(view.width(), view.height());
    let steps = sizes.into_iter().zip(counted).take(scales);
    let mut steps: Vec<Step> = steps.map(Step::new).collect();
    let levels = light::levels();
    let mut row = light::planes(view.width());
    for y in 0..view.height() {
        view.light(y, &levels, &mut row);
        descent.push(&mut steps, 0, &row);
    }
}

/// A scale under way.
struct Step {
    rows_left: usize,
    counted: [bool; COMPONENTS],
    seen: Planes,
    /// A row that waits for the next to be halved with, where there is one.
    waiting: Option<Planes>,
    half: Planes,
}

impl Step {
    fn new(((width, height), counted): ((usize, usize), &[bool; COMPONENTS])) -> Step {
        Step {
            rows_left: height,
            counted: *counted,
            seen: light::planes(width),
            waiting: None,
            half: light::planes(width.div_ceil(2)),
        }
    }
}

struct Descent<'a> {
    arch: Arch,
    cones: [[f32; 3]; 3],
    take: &'a mut dyn FnMut(usize, &Planes),
}

impl Descent<'_> {
    fn push(&mut self, steps: &mut [Step], scale: usize, row: &Planes) {
        let [step, coarser @ ..] = steps else { return };
        if step.counted.contains(&true) {
            light::opponent(self.arch, &self.cones, row, step.counted[2], &mut step.seen);
            (self.take)(scale, &step.seen);
        }
        step.rows_left -= 1;
        if coarser.is_empty() {
            return;
        }
        match step.waiting.take() {
            Some(upper) => light::halve(self.arch, &upper, row, &mut step.half),
            // A last row without a neighbour counts twice.
            None if step.rows_left == 0 => light::halve(self.arch, row, row, &mut step.half),
            None => {
                step.waiting = Some(row.clone());
                return;
            }
        }
        self.push(coarser, scale + 1, &step.half);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::picture::{Ground, Picture};

    #[test]
    fn scales_end_below_eight_pixels() {
        assert_eq!(sizes(640, 480).len(), 6);
        assert_eq!(sizes(8, 8), [(8, 8), (4, 4)]);
        assert_eq!(sizes(100, 9), [(100, 9), (50, 5)]);
    }

    #[test]
    fn every_scale_gets_all_its_rows_of_its_own_width() {
        for (width, height) in [(1, 1), (7, 30), (33, 65), (64, 8), (129, 100)] {
            let samples = vec![77; width * height * 3];
            let picture = Picture::rgb(width, height, &samples).expect("a picture");
            let view = View::new(picture, Ground::Black);
            let mut rows = vec![];
            let all = [[true; COMPONENTS]; SCALES];
            descend(Arch::new(), &view, &all, |scale, planes| {
                rows.resize(rows.len().max(scale + 1), (0, 0));
                rows[scale] = (planes[1].len(), rows[scale].1 + 1);
            });
            assert_eq!(rows, sizes(view.width(), view.height()));
        }
    }
}
