//! In which direction a picture runs: along edges and lines samples change least.

use std::sync::OnceLock;

use crate::block::Luma;
use crate::picture::Plane;
use crate::predict::Mode;
use crate::tables::DERIVATIVE;

/// A direction of prediction, as so many columns for so many rows.
struct Way {
    luma: Luma,
    across: f32,
    down: f32,
}

/// The side of the cells that are looked at.
pub(crate) const CELL: usize = 8;

/// The directions along which a cell changes least, the best first, then those beside it.
pub(crate) fn directions(luma: &Plane, (x, y): (usize, usize)) -> Option<[Luma; 3]> {
    let (width, height) = (luma.width(), luma.height());
    let [mut across, mut down, mut both] = [0i32; 3];
    let left = x.max(1) - 1;
    let count = (x + CELL + 1).min(width) - left;
    for row in y..y + CELL {
        let own = luma.row(left, row, count);
        let above = luma.row(x, row.max(1) - 1, CELL);
        let below = luma.row(x, (row + 1).min(height - 1), CELL);
        for column in 0..CELL {
            let at = x - left + column;
            let (before, after) = (own[at.max(1) - 1], own[(at + 1).min(count - 1)]);
            let dx = i32::from(after) - i32::from(before);
            let dy = i32::from(below[column]) - i32::from(above[column]);
            across += dx * dx;
            down += dy * dy;
            both += dx * dy;
        }
    }
    if across + down == 0 {
        return None;
    }
    let [across, down, both] = [across, down, both].map(|sum| sum as f32);
    let change = |way: &Way| {
        let along = way.across * (way.across * across + 2.0 * way.down * both);
        (along + way.down * way.down * down) / (way.across * way.across + way.down * way.down)
    };
    let ways = ways();
    let changes: Vec<f32> = ways.iter().map(change).collect();
    let best = (0..ways.len()).min_by(|&a, &b| changes[a].total_cmp(&changes[b]))?;
    // Directions turn: the last is beside the first.
    let beside = [best + ways.len() - 1, best + 1].map(|at| at % ways.len());
    Some([best, beside[0], beside[1]].map(|at| ways[at].luma))
}

/// All directions, turning.
fn ways() -> &'static [Way] {
    static WAYS: OnceLock<Vec<Way>> = OnceLock::new();
    WAYS.get_or_init(|| {
        let turning = [
            Mode::D45,
            Mode::D67,
            Mode::Vertical,
            Mode::D113,
            Mode::D135,
            Mode::D157,
            Mode::Horizontal,
            Mode::D203,
        ];
        let derivative = |angle: i32| f32::from(DERIVATIVE[(angle / 2) as usize]);
        let way = |(mode, delta): (Mode, i8)| {
            let angle = mode.angle()? + 3 * i32::from(delta);
            let (across, down) = match angle {
                90 => (0.0, 64.0),
                180 => (64.0, 0.0),
                ..90 => (derivative(angle), -64.0),
                91..180 => (derivative(180 - angle), 64.0),
                _ => (64.0, -derivative(270 - angle)),
            };
            let luma = Luma::Mode(mode, delta);
            Some(Way { luma, across, down })
        };
        let each = turning.into_iter();
        each.flat_map(|mode| (-3..=3).map(move |delta| (mode, delta)))
            .filter_map(way)
            .collect()
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn plane(sample: impl Fn(usize, usize) -> usize) -> Plane {
        let samples = (0..24 * 24).map(|at| sample(at % 24, at / 24) as u16);
        Plane::new(24, samples.collect()).expect("whole rows")
    }

    #[test]
    fn stripes_tell_in_which_direction_they_run() {
        let wave = |at: usize| (at % 12).abs_diff(6) * 40;
        let cases = [
            (Mode::Vertical, plane(|x, _| wave(x))),
            (Mode::Horizontal, plane(|_, y| wave(y))),
            (Mode::D45, plane(|x, y| wave(x + y))),
            (Mode::D135, plane(|x, y| wave(24 + x - y))),
            (Mode::D67, plane(|x, y| wave(24 + 2 * x + y))),
            (Mode::D157, plane(|x, y| wave(48 + x - 2 * y))),
        ];
        for (mode, plane) in &cases {
            // In a corner and along borders too, where neighbours are missing.
            for at in [(8, 8), (0, 0), (16, 16), (0, 8)] {
                let found = directions(plane, at).expect("not flat")[0];
                let Luma::Mode(found, delta) = found else {
                    panic!("no direction");
                };
                assert_eq!(found, *mode, "at {at:?}");
                if at == (8, 8) {
                    assert!(delta.abs() <= 2, "{mode:?}: {delta}");
                }
            }
        }
        assert_eq!(directions(&plane(|_, _| 77), (8, 8)), None);
    }
}
