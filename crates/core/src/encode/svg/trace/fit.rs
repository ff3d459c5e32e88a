//! A contour as lines and cubic curves: its corners are found and made sharp again, and what lies between
//! is fitted within a tolerance (P. Schneider, "An algorithm for automatically fitting digitized curves",
//! Graphics Gems, 1990).

use super::super::path::Step;
use super::contour::Contour;
use super::corners::{BENT, NOISE, joints, sharpened};
use super::points::{Point, dot, is_straight, length, minus, plus, times, unit};

/// What lies under other colours may lie elsewhere by so much, in pixels, and is still under them.
const UNSEEN: f64 = 1.4;

/// A piece of a curve is a line only where it is longer, in pixels.
const LONG: f64 = 12.0;

/// So far around a point its direction is looked at, in pixels.
const SMOOTH: f64 = 3.5;

/// How often parameters are improved before a stretch is given up.
const ROUNDS: usize = 4;

/// A closed contour as steps of a path.
pub(super) fn fitted(contour: &Contour, tolerance: f64) -> Vec<Step> {
    let (points, hidden) = thinned(contour);
    let joints = joints(&points, &hidden);
    let points = calmed(points, &joints);
    let mut steps = Vec::new();
    if joints.is_empty() {
        let mut closed = points.clone();
        closed.push(points[0]);
        let last = closed.len() - 1;
        steps.push(Step::Move(closed[0]));
        if hidden[0] {
            coarse(&closed, &mut steps);
        } else {
            // Smooth all around: it ends in the direction in which it begins.
            let around = unit(minus(closed[1], closed[last - 1]));
            curve(
                &closed,
                (around, times(around, -1.0)),
                tolerance,
                &mut steps,
            );
        }
    } else {
        let sharp: Vec<Point> = joints
            .iter()
            .map(|&joint| sharpened(&points, joint, &hidden))
            .collect();
        steps.push(Step::Move(sharp[0]));
        for (index, &from) in joints.iter().enumerate() {
            let following = (index + 1) % joints.len();
            let count = (joints[following] + points.len() - from - 1) % points.len() + 1;
            let between = (1..count).map(|step| (from + step) % points.len());
            let ends = [points[from], points[joints[following]]];
            let mut piece = vec![sharp[index]];
            let mut unseen = 0;
            for at in between {
                unseen += usize::from(hidden[at]);
                if ends
                    .iter()
                    .all(|&end| length(minus(points[at], end)) > BENT)
                {
                    piece.push(points[at]);
                }
            }
            piece.push(sharp[following]);
            if unseen * 2 > count {
                coarse(&piece, &mut steps);
            } else if is_straight(&piece, tolerance.max(NOISE)) {
                steps.push(Step::Line(sharp[following]));
            } else {
                let ends = (direction(&piece, false), direction(&piece, true));
                curve(&piece, ends, tolerance, &mut steps);
            }
        }
    }
    snapped(&mut steps);
    steps.push(Step::Close);
    steps
}

/// Lines that lie nowhere far from a piece that nobody sees (D. Douglas and T. Peucker,
/// 1973).
fn coarse(piece: &[Point], steps: &mut Vec<Step>) {
    let (from, to) = (piece[0], piece[piece.len() - 1]);
    let along = minus(to, from);
    let reach = dot(along, along);
    let off = |point: &Point| {
        let part = (dot(minus(*point, from), along) / reach.max(1e-9)).clamp(0.0, 1.0);
        length(minus(*point, plus(from, times(along, part))))
    };
    let farthest = piece
        .iter()
        .map(off)
        .enumerate()
        .max_by(|a, b| a.1.total_cmp(&b.1));
    match farthest {
        Some((index, distance)) if distance > UNSEEN => {
            coarse(&piece[..=index], steps);
            coarse(&piece[index..], steps);
        }
        _ => steps.push(Step::Line(to)),
    }
}

/// Points that lie on one another told once.
fn thinned(contour: &Contour) -> (Vec<Point>, Vec<bool>) {
    let (mut points, mut hidden): (Vec<Point>, Vec<bool>) = (Vec::new(), Vec::new());
    for (&point, &unseen) in contour.points.iter().zip(&contour.hidden) {
        if points
            .last()
            .is_none_or(|&last| length(minus(point, last)) > 0.05)
        {
            points.push(point);
            hidden.push(unseen);
        }
    }
    if points.len() > 3 && length(minus(points[0], points[points.len() - 1])) <= 0.05 {
        points.pop();
        hidden.pop();
    }
    (points, hidden)
}

/// Points without the steps of the smoothing that they were found by; joints stay, and nothing shrinks
/// (G. Taubin, "A signal processing approach to fair surface design", 1995).
fn calmed(mut points: Vec<Point>, joints: &[usize]) -> Vec<Point> {
    let count = points.len();
    for by in [0.5, -0.53].repeat(6) {
        let old = points.clone();
        for (index, point) in points.iter_mut().enumerate() {
            let (before, behind) = ((index + count - 1) % count, (index + 1) % count);
            let fixed = [before, index, behind]
                .iter()
                .any(|at| joints.binary_search(at).is_ok());
            if !fixed {
                let middle = times(plus(old[before], old[behind]), 0.5);
                *point = plus(old[index], times(minus(middle, old[index]), by));
            }
        }
    }
    points
}

/// The direction in which a piece begins, or comes back from its end.
fn direction(piece: &[Point], back: bool) -> Point {
    let count = piece.len();
    let at = |index: usize| piece[if back { count - 1 - index } else { index }];
    let from = at(0);
    let far = (1..count).find(|&index| length(minus(at(index), from)) > 1.5);
    unit(minus(at(far.unwrap_or(count - 1)), from))
}

/// A piece as as few curves as keep within a tolerance: each reaches as far as it can. A long straight
/// stretch becomes a line.
fn curve(piece: &[Point], ends: (Point, Point), tolerance: f64, steps: &mut Vec<Step>) {
    let last = piece.len() - 1;
    // The direction in which the piece goes through a point.
    let through = |at: usize| match at {
        0 => ends.0,
        at if at == last => times(ends.1, -1.0),
        at => tangent(piece, at),
    };
    let mut from = 0;
    while from < last {
        let fit = |to: usize| {
            let ends = (through(from), times(through(to), -1.0));
            fit(&piece[from..=to], ends, tolerance)
        };
        // Farther and farther, then in between.
        let (mut good, mut bad) = (from + 1, last + 1);
        let (mut kept, mut reach) = (fit(good), 4);
        while good < last {
            let to = (from + reach).min(last);
            match fit(to) {
                Some(step) => (good, kept) = (to, Some(step)),
                None => {
                    bad = to;
                    break;
                }
            }
            reach *= 2;
        }
        while bad - good > 1 {
            let to = (good + bad) / 2;
            match fit(to) {
                Some(step) => (good, kept) = (to, Some(step)),
                None => bad = to,
            }
        }
        steps.push(kept.unwrap_or(Step::Line(piece[good])));
        from = good;
    }
}

/// The direction of a piece around one of its points.
fn tangent(piece: &[Point], at: usize) -> Point {
    let reach = |ahead: bool| {
        let (mut index, mut walked) = (at, 0.0);
        while walked < SMOOTH && index != if ahead { piece.len() - 1 } else { 0 } {
            let next = if ahead { index + 1 } else { index - 1 };
            walked += length(minus(piece[next], piece[index]));
            index = next;
        }
        (index, walked)
    };
    let ((before, back), (behind, ahead)) = (reach(false), reach(true));
    // As far on both sides, else a bend would turn it.
    let (before, behind) = match (back < SMOOTH, ahead < SMOOTH) {
        (true, false) => (before, (at + (at - before)).min(behind)),
        (false, true) => (at.saturating_sub(behind - at).max(before), behind),
        _ => (before, behind),
    };
    unit(minus(piece[behind], piece[before]))
}

/// A stretch as one step, where that keeps within a tolerance.
fn fit(stretch: &[Point], ends: (Point, Point), tolerance: f64) -> Option<Step> {
    let (from, to) = (stretch[0], stretch[stretch.len() - 1]);
    if length(minus(to, from)) > LONG && is_straight(stretch, tolerance / 2.0) {
        return Some(Step::Line(to));
    }
    let mut at = parameters(stretch);
    for _ in 0..ROUNDS {
        let controls = bezier(stretch, &at, ends);
        let worst = error(stretch, &at, controls);
        if worst <= tolerance {
            return Some(Step::Cubic(controls[1], controls[2], to));
        }
        if worst > tolerance * 8.0 {
            break;
        }
        improve(stretch, &mut at, controls);
    }
    None
}

/// How far along a piece each point lies, from 0 to 1.
fn parameters(piece: &[Point]) -> Vec<f64> {
    let mut at = vec![0.0];
    for pair in piece.windows(2) {
        at.push(at[at.len() - 1] + length(minus(pair[1], pair[0])));
    }
    let all = at[at.len() - 1].max(1e-9);
    at.iter().map(|at| at / all).collect()
}

/// The curve of least squares with both directions given.
fn bezier(piece: &[Point], at: &[f64], (first, last): (Point, Point)) -> [Point; 4] {
    let (from, to) = (piece[0], piece[piece.len() - 1]);
    let (mut aa, mut ab, mut bb, mut ax, mut bx) = (0.0, 0.0, 0.0, 0.0, 0.0);
    for (point, &t) in piece.iter().zip(at) {
        let s = 1.0 - t;
        let (b0, b1, b2, b3) = (s * s * s, 3.0 * t * s * s, 3.0 * t * t * s, t * t * t);
        let (a, b) = (times(first, b1), times(last, b2));
        let rest = minus(*point, plus(times(from, b0 + b1), times(to, b2 + b3)));
        aa += dot(a, a);
        ab += dot(a, b);
        bb += dot(b, b);
        ax += dot(a, rest);
        bx += dot(b, rest);
    }
    let determinant = aa * bb - ab * ab;
    let chord = length(minus(to, from));
    let sound = |part: f64| part > chord * 0.02 && part < chord * 3.0;
    let (near, far) = match determinant.abs() > 1e-9 {
        true => (
            (ax * bb - bx * ab) / determinant,
            (bx * aa - ax * ab) / determinant,
        ),
        false => (0.0, 0.0),
    };
    let (near, far) = match sound(near) && sound(far) {
        true => (near, far),
        // A third of the way, as H. Wu and B. Barsky have it.
        false => (chord / 3.0, chord / 3.0),
    };
    [
        from,
        plus(from, times(first, near)),
        plus(to, times(last, far)),
        to,
    ]
}

fn place([a, b, c, d]: [Point; 4], t: f64) -> Point {
    let s = 1.0 - t;
    let sum = [
        (a, s * s * s),
        (b, 3.0 * t * s * s),
        (c, 3.0 * t * t * s),
        (d, t * t * t),
    ];
    sum.into_iter().fold((0.0, 0.0), |sum, (point, weight)| {
        plus(sum, times(point, weight))
    })
}

/// The greatest distance of a point from its place on a curve.
fn error(piece: &[Point], at: &[f64], controls: [Point; 4]) -> f64 {
    let places = piece.iter().zip(at);
    let distances = places.map(|(point, &t)| length(minus(place(controls, t), *point)));
    distances.fold(0.0, f64::max)
}

/// Moves each point's parameter to the nearest place on the curve (one step of Newton's method).
fn improve(piece: &[Point], at: &mut [f64], [a, b, c, d]: [Point; 4]) {
    let velocity = [
        times(minus(b, a), 3.0),
        times(minus(c, b), 3.0),
        times(minus(d, c), 3.0),
    ];
    let [u, v, w] = velocity;
    for (point, t) in piece.iter().zip(at) {
        let s = 1.0 - *t;
        let off = minus(place([a, b, c, d], *t), *point);
        let speed = plus(
            plus(times(u, s * s), times(v, 2.0 * s * *t)),
            times(w, *t * *t),
        );
        let turn = plus(times(minus(v, u), 2.0 * s), times(minus(w, v), 2.0 * *t));
        let slope = dot(speed, speed) + dot(off, turn);
        if slope.abs() > 1e-9 {
            *t = (*t - dot(off, speed) / slope).clamp(0.0, 1.0);
        }
    }
}

/// Lines that are nearly level or upright become so.
fn snapped(steps: &mut [Step]) {
    let end = |step: &Step| match *step {
        Step::Move(to) | Step::Line(to) | Step::Cubic(_, _, to) => Some(to),
        _ => None,
    };
    for index in 1..steps.len() {
        let (Some(from), Step::Line(to)) = (end(&steps[index - 1]), steps[index]) else {
            continue;
        };
        let off = minus(to, from);
        let reach = off.0.abs().max(off.1.abs());
        let least = 0.02 * reach.min(10.0);
        let to = match (off.0.abs() < least, off.1.abs() < least) {
            (true, _) => (from.0, to.1),
            (_, true) => (to.0, from.1),
            _ => continue,
        };
        steps[index] = Step::Line(to);
    }
}
