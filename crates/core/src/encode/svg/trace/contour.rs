//! Where a layer ends: the line along which pixels hold half of it, found between the centres of pixels
//! (W. Lorensen and H. Cline, "Marching cubes", 1987, in two dimensions), with the smoothing of borders
//! undone: where a border goes straight through a row of pixels, what they hold adds up to where it lies.

use super::colours::Layer;
use super::points::Point;

/// A closed line of points.
pub(super) struct Contour {
    pub points: Vec<Point>,
    /// Whether each lies where only what is painted later shows: it matters little then.
    pub hidden: Vec<bool>,
}

impl Contour {
    fn of(points: Vec<Point>, layer: &Layer) -> Contour {
        let is_hidden = |&(x, y): &Point| {
            let within = |at: f64, side: usize| at.max(0.0).min(side as f64 - 1.0) as usize;
            let at = within(y, layer.height) * layer.width + within(x, layer.width);
            layer.after[at] > 0.9
        };
        Contour {
            hidden: points.iter().map(is_hidden).collect(),
            points,
        }
    }
}

/// Contours that enclose less, in pixels, are dropped.
const LEAST: f64 = 0.4;

/// A side that no contour goes through.
const NOWHERE: u32 = u32::MAX;

/// So many pixels around a picture hold nothing.
const AROUND: usize = 2;

/// A layer with room around it.
struct Field {
    width: usize,
    height: usize,
    shares: Vec<f32>,
}

impl Field {
    fn of(layer: &Layer) -> Field {
        let (width, height) = (layer.width + 2 * AROUND, layer.height + 2 * AROUND);
        let mut shares = vec![0.0; width * height];
        let rows = layer.shares.chunks_exact(layer.width);
        for (row, line) in rows.zip(shares.chunks_exact_mut(width).skip(AROUND)) {
            line[AROUND..AROUND + layer.width].copy_from_slice(row);
        }
        Field {
            width,
            height,
            shares,
        }
    }

    fn at(&self, x: usize, y: usize) -> f32 {
        self.shares[y * self.width + x]
    }

    fn inside(&self, x: usize, y: usize) -> bool {
        self.at(x, y) >= 0.5
    }

    /// Where the border crosses the way from one pixel's centre to the next, as a part of it. `step` leads
    /// along the way.
    fn crossing(&self, (x, y): (usize, usize), (dx, dy): (usize, usize)) -> f64 {
        let value = |steps: isize| {
            let move_by = |at: usize, by: usize| at as isize + steps * by as isize;
            let (x, y) = (move_by(x, dx), move_by(y, dy));
            let there = x >= 0 && y >= 0 && (x as usize) < self.width && (y as usize) < self.height;
            there.then(|| f64::from(self.at(x as usize, y as usize)))
        };
        let (here, next) = (value(0).unwrap_or(0.0), value(1).unwrap_or(0.0));
        let straight = || {
            let (before, behind) = (value(-1)?, value(2)?);
            let falls = here > next;
            let (first, last) = if falls {
                (before, behind)
            } else {
                (1.0 - before, 1.0 - behind)
            };
            let (near, far) = if falls {
                (here, next)
            } else {
                (1.0 - here, 1.0 - next)
            };
            let clean = first > 0.97 && last < 0.03 && near >= far;
            // Seen from the centre of the first: half a pixel back to its border, and one more.
            clean.then(|| (first + near + far + last - 1.5).clamp(0.0, 1.0))
        };
        straight().unwrap_or_else(|| ((0.5 - here) / (next - here)).clamp(0.0, 1.0))
    }
}

/// The closed contours of a layer, in pixels from the left upper corner of the picture: what lies on
/// their right hand is inside. Holes that are painted over are left out.
pub(super) fn contours(layer: &Layer) -> Vec<Contour> {
    let field = Field::of(layer);
    // A contour goes from cell to cell, each between four centres, through their sides. A side is named by
    // its first centre, and whether it goes down; a contour goes through it once, and in one direction.
    let mut nexts: Vec<u32> = vec![NOWHERE; field.width * field.height * 2];
    let side =
        |x: usize, y: usize, down: bool| ((y * field.width + x) * 2 + usize::from(down)) as u32;
    let mut link = |from: u32, to: u32| nexts[from as usize] = to;
    for y in 0..field.height - 1 {
        for x in 0..field.width - 1 {
            let corners = [(x, y), (x + 1, y), (x + 1, y + 1), (x, y + 1)];
            let inside = corners.map(|(x, y)| field.inside(x, y));
            // Its sides, clockwise from the top.
            let sides = [
                side(x, y, false),
                side(x + 1, y, true),
                side(x, y + 1, false),
                side(x, y, true),
            ];
            // With the inside on its right, a contour comes in where the corners, clockwise, leave the
            // inside, and goes out where they come back to it.
            let ends: Vec<usize> = (0..4)
                .filter(|&i| inside[i] && !inside[(i + 1) % 4])
                .collect();
            let begins: Vec<usize> = (0..4)
                .filter(|&i| !inside[i] && inside[(i + 1) % 4])
                .collect();
            match (&ends[..], &begins[..]) {
                ([end], [begin]) => link(sides[*end], sides[*begin]),
                ([_, _], [_, _]) => {
                    let middle: f32 =
                        corners.iter().map(|&(x, y)| field.at(x, y)).sum::<f32>() / 4.0;
                    for &end in &ends {
                        // Both corners are one thing where their middle belongs to them.
                        let begin = if middle >= 0.5 {
                            (end + 1) % 4
                        } else {
                            (end + 3) % 4
                        };
                        link(sides[end], sides[begin]);
                    }
                }
                _ => {}
            }
        }
    }
    let mut found = Vec::new();
    for start in 0..nexts.len() {
        let (mut contour, mut at) = (Vec::new(), start as u32);
        while nexts[at as usize] != NOWHERE {
            contour.push(point(&field, at));
            at = std::mem::replace(&mut nexts[at as usize], NOWHERE);
        }
        if contour.len() > 2 && area(&contour).abs() >= 2.0 * LEAST {
            found.push(contour);
        }
    }
    let kept = without_needless_holes(found, layer);
    kept.into_iter()
        .map(|points| Contour::of(points, layer))
        .collect()
}

/// Holes in which only the layer itself and what is painted later shows are filled, and what lies in them
/// is no longer needed.
fn without_needless_holes(contours: Vec<Vec<Point>>, layer: &Layer) -> Vec<Vec<Point>> {
    let is_needless = |contour: &Vec<Point>| area(contour) < 0.0 && is_free(contour, layer);
    let (filled, kept): (Vec<_>, Vec<_>) = contours.into_iter().partition(is_needless);
    let lies_in = |contour: &Vec<Point>, hole: &Vec<Point>| {
        let (x, y) = contour[0];
        crossings(hole, y).filter(|&crossing| crossing < x).count() % 2 == 1
    };
    let needed = |contour: &Vec<Point>| !filled.iter().any(|hole| lies_in(contour, hole));
    kept.into_iter().filter(needed).collect()
}

/// The point of a side, in pixels of the picture.
fn point(field: &Field, side: u32) -> Point {
    let (at, down) = (side as usize / 2, side % 2 == 1);
    let (x, y) = (at % field.width, at / field.width);
    let step = if down { (0, 1) } else { (1, 0) };
    let part = field.crossing((x, y), step);
    let (dx, dy) = if down { (0.0, part) } else { (part, 0.0) };
    let place = |at: usize, part: f64| at as f64 + part + 0.5 - AROUND as f64;
    (place(x, dx), place(y, dy))
}

/// Twice the area that a contour encloses, from its right hand.
fn area(contour: &[Point]) -> f64 {
    let next = contour.iter().cycle().skip(1);
    contour
        .iter()
        .zip(next)
        .map(|(a, b)| a.0 * b.1 - b.0 * a.1)
        .sum()
}

/// Where the line at a height crosses a closed contour.
fn crossings(contour: &[Point], level: f64) -> impl Iterator<Item = f64> + '_ {
    let next = contour.iter().cycle().skip(1);
    let crossed = contour
        .iter()
        .zip(next)
        .filter(move |(a, b)| (a.1 <= level) != (b.1 <= level));
    crossed.map(move |(a, b)| a.0 + (level - a.1) / (b.1 - a.1) * (b.0 - a.0))
}

/// Whether all pixels within a hole hold nothing but the layer and what is painted later.
fn is_free(contour: &[Point], layer: &Layer) -> bool {
    let bounds = |of: fn(&Point) -> f64, most: usize| {
        let low = contour.iter().map(of).fold(f64::MAX, f64::min);
        let high = contour.iter().map(of).fold(f64::MIN, f64::max);
        (
            low.max(0.0).floor() as usize,
            (high.ceil().max(0.0) as usize).min(most),
        )
    };
    let (top, bottom) = bounds(|point| point.1, layer.height);
    for y in top..bottom {
        let level = y as f64 + 0.5;
        let mut crossings: Vec<f64> = crossings(contour, level).collect();
        crossings.sort_by(f64::total_cmp);
        for pair in crossings.chunks_exact(2) {
            let (from, to) = (
                pair[0].max(0.0).ceil() as usize,
                (pair[1].max(0.0) as usize).min(layer.width),
            );
            let row = &layer.free[y * layer.width..][..layer.width];
            if from < to && !row[from..to].iter().all(|free| *free) {
                return false;
            }
        }
    }
    true
}
