//! Where the pieces of a contour meet: its corners, found and made sharp again.

use super::points::{Point, dot, is_straight, length, minus, plus, times, unit};

/// How far around a point its turn is looked at, in pixels.
const AROUND: f64 = 2.6;

/// A turn by more than this, in radians, is a corner.
const CORNER: f64 = 0.62;

/// So far from a corner its smoothing has bent a border, in pixels.
pub(super) const BENT: f64 = 1.1;

/// Where drawing programs smooth a border they err by so much, in pixels.
pub(super) const NOISE: f64 = 0.2;

/// The point so far along from another.
fn along(points: &[Point], from: usize, distance: f64, back: bool) -> Point {
    let count = points.len();
    let (mut at, mut left) = (from, distance);
    for _ in 0..count {
        let next = if back {
            (at + count - 1) % count
        } else {
            (at + 1) % count
        };
        let step = length(minus(points[next], points[at]));
        if step >= left {
            let part = times(minus(points[next], points[at]), left / step.max(1e-9));
            return plus(points[at], part);
        }
        left -= step;
        at = next;
    }
    points[at]
}

/// Where pieces meet: at corners, and where a contour goes under what is painted later.
pub(super) fn joints(points: &[Point], hidden: &[bool]) -> Vec<usize> {
    let mut joints: Vec<usize> = corners(points)
        .into_iter()
        .filter(|&corner| !hidden[corner])
        .collect();
    let count = points.len();
    for index in 0..count {
        let dives = hidden[index] != hidden[(index + count - 1) % count];
        let alone = |&joint: &usize| length(minus(points[joint], points[index])) > BENT;
        if dives && joints.iter().all(alone) {
            joints.push(index);
        }
    }
    joints.sort_unstable();
    joints
}

/// Corners: where the contour turns most, and sharply.
fn corners(points: &[Point]) -> Vec<usize> {
    let around: f64 = points
        .iter()
        .zip(points.iter().cycle().skip(1))
        .map(|(a, b)| length(minus(*b, *a)))
        .sum();
    let reach = AROUND.min(around / 6.0);
    let turn = |index: usize| {
        let back = unit(minus(points[index], along(points, index, reach, true)));
        let ahead = unit(minus(along(points, index, reach, false), points[index]));
        libm::acos(dot(back, ahead).clamp(-1.0, 1.0))
    };
    let turns: Vec<f64> = (0..points.len()).map(turn).collect();
    let count = points.len();
    let sharpest = |&index: &usize| {
        let own = turns[index];
        if own < CORNER {
            return false;
        }
        // None within reach turns more; of equals the first.
        let beats =
            |other: usize, earlier: bool| own > turns[other] || (own == turns[other] && !earlier);
        let near = |back: bool| {
            let (mut at, mut walked, mut wins) = (index, 0.0, true);
            for _ in 0..count {
                let next = if back {
                    (at + count - 1) % count
                } else {
                    (at + 1) % count
                };
                walked += length(minus(points[next], points[at]));
                if walked > reach * 0.8 || next == index {
                    break;
                }
                wins &= beats(next, back);
                at = next;
            }
            wins
        };
        near(true) && near(false)
    };
    (0..count).filter(sharpest).collect()
}

/// Where both sides of a corner would meet had they not been smoothed.
pub(super) fn sharpened(points: &[Point], corner: usize, hidden: &[bool]) -> Point {
    let own = points[corner];
    if hidden[corner] {
        return own;
    }
    let ((a, along_a), (b, along_b)) = (side(points, corner, true), side(points, corner, false));
    let across = along_a.0 * along_b.1 - along_a.1 * along_b.0;
    if across.abs() < 0.2 {
        return own;
    }
    let between = minus(b, a);
    let part = (between.0 * along_b.1 - between.1 * along_b.0) / across;
    let met = plus(a, times(along_a, part));
    if length(minus(met, own)) < 1.6 {
        met
    } else {
        own
    }
}

/// The line that a side of a corner lies on: of the longest stretch behind what was smoothed that is
/// straight.
fn side(points: &[Point], corner: usize, back: bool) -> (Point, Point) {
    let place = |step: usize| along(points, corner, BENT + 0.5 * step as f64, back);
    let mut stretch: Vec<Point> = (0..3).map(place).collect();
    for step in 3..9 {
        stretch.push(place(step));
        if !is_straight(&stretch, NOISE) {
            stretch.pop();
            break;
        }
    }
    // Least squares, across and along.
    let count = stretch.len() as f64;
    let middle = times(
        stretch
            .iter()
            .fold((0.0, 0.0), |sum, &point| plus(sum, point)),
        1.0 / count,
    );
    let (mut xx, mut xy, mut yy) = (0.0, 0.0, 0.0);
    for &point in &stretch {
        let off = minus(point, middle);
        xx += off.0 * off.0;
        xy += off.0 * off.1;
        yy += off.1 * off.1;
    }
    let angle = libm::atan2(2.0 * xy, xx - yy) / 2.0;
    let (sin, cos) = libm::sincos(angle);
    (middle, (cos, sin))
}
