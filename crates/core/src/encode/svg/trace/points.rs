//! Points in the plane, as much as contours need of them.

/// Across and down, in pixels.
pub(super) type Point = (f64, f64);

pub(super) fn minus(a: Point, b: Point) -> Point {
    (a.0 - b.0, a.1 - b.1)
}

pub(super) fn plus(a: Point, b: Point) -> Point {
    (a.0 + b.0, a.1 + b.1)
}

pub(super) fn times(a: Point, by: f64) -> Point {
    (a.0 * by, a.1 * by)
}

pub(super) fn dot(a: Point, b: Point) -> f64 {
    a.0 * b.0 + a.1 * b.1
}

pub(super) fn length(a: Point) -> f64 {
    libm::sqrt(dot(a, a))
}

pub(super) fn unit(a: Point) -> Point {
    let length = length(a);
    if length > 1e-9 {
        times(a, 1.0 / length)
    } else {
        (0.0, 0.0)
    }
}

/// Whether all points lie on the line from the first to the last, but for so much.
pub(super) fn is_straight(piece: &[Point], tolerance: f64) -> bool {
    let (from, to) = (piece[0], piece[piece.len() - 1]);
    let chord = unit(minus(to, from));
    let beside = |point: &Point| {
        let off = minus(*point, from);
        (off.0 * chord.1 - off.1 * chord.0).abs()
    };
    piece.iter().map(beside).fold(0.0, f64::max) <= tolerance && chord != (0.0, 0.0)
}
