//! Pixels → indices of a palette: each takes the nearest colour, or a neighbour's again where that
//! does nearly as well; and what they miss is handed on where steps would be seen.

use super::colours::{Class, Entries, Point, distance, point};
use super::gather::{Gathered, Ground};
use super::pixels::Pixels;

/// How much further away than the nearest colour a neighbour's may lie, beside what pixels miss on
/// average: at equal scores files are 4 to 7% lighter than without, and hardly lighter with more.
const NEARLY: f32 = 1.0;

/// How much of what a pixel misses is handed on, beside the strength that is asked for. At an edge or
/// on text nothing is: a speck would be seen beside it.
fn share(ground: Ground) -> f32 {
    match ground {
        Ground::Flat | Ground::Smooth => 1.0,
        Ground::Busy => 0.5,
        Ground::Edge => 0.0,
    }
}

/// The index of every pixel, with errors diffused (Floyd and Steinberg, 1976) at a strength from 0
/// to 1, back and forth.
pub(super) fn lay(
    pixels: &Pixels<'_>,
    gathered: &Gathered,
    palette: &[[u8; 4]],
    strength: f32,
) -> Vec<u8> {
    let classed = |colour: &[u8; 4]| (point(*colour), Class::of(colour[3]));
    let entries = Entries::new(palette.iter().map(classed));
    // Where nothing is handed on, each colour has its index once and for all.
    let colours = gathered.colours.iter();
    let nearest = colours.map(|(point, colour)| entries.nearest(*point, Class::of(colour[3])));
    let nearest: Vec<(usize, f32)> = nearest.collect();
    let missed = gathered
        .places
        .iter()
        .map(|&place| f64::from(nearest[place as usize].1));
    let usual = missed.sum::<f64>() / gathered.places.len().max(1) as f64;
    let hand = Hand {
        gathered,
        entries,
        nearest,
        nearly: if strength > 0.0 {
            0.0
        } else {
            usual as f32 * NEARLY
        },
        strength,
    };
    let width = pixels.width;
    let mut indices = vec![0; gathered.places.len()];
    // What is handed on to this row and the next, with a margin on both sides.
    let mut errors = [vec![[0.0; 4]; width + 2], vec![[0.0; 4]; width + 2]];
    for y in 0..pixels.height {
        let forth = y % 2 == 0;
        for step in 0..width {
            let x = if forth { step } else { width - 1 - step };
            let before = match step {
                0 => None,
                _ if forth => Some(y * width + x - 1),
                _ => Some(y * width + x + 1),
            };
            let above = (y > 0).then(|| (y - 1) * width + x);
            let again = [above, before].map(|at| at.map(|at| indices[at]));
            let at = y * width + x;
            let (index, missed) = hand.choose(at, errors[0][x + 1], again);
            indices[at] = index as u8;
            if let Some(missed) = missed {
                let (ahead, behind) = if forth { (x + 2, x) } else { (x, x + 2) };
                for (part, error) in missed.into_iter().enumerate() {
                    errors[0][ahead][part] += error * (7.0 / 16.0);
                    errors[1][behind][part] += error * (3.0 / 16.0);
                    errors[1][x + 1][part] += error * (5.0 / 16.0);
                    errors[1][ahead][part] += error * (1.0 / 16.0);
                }
            }
        }
        errors.swap(0, 1);
        errors[1].fill([0.0; 4]);
    }
    indices
}

/// What indices are chosen by.
struct Hand<'g> {
    gathered: &'g Gathered,
    entries: Entries,
    /// The nearest entry to each colour.
    nearest: Vec<(usize, f32)>,
    /// So much further away than the nearest a neighbour's colour may lie, squared.
    nearly: f32,
    strength: f32,
}

impl Hand<'_> {
    /// The index of a pixel to which an error was handed, and what it hands on.
    fn choose(&self, at: usize, error: Point, again: [Option<u8>; 2]) -> (usize, Option<Point>) {
        let place = self.gathered.places[at] as usize;
        let (point, colour) = self.gathered.colours[place];
        let (nearest, off) = self.nearest[place];
        let ground = self.gathered.grounds[at];
        // An area of a colour that is there stays without a speck.
        let exact = off == 0.0 && ground == Ground::Flat;
        let strength = self.strength * share(ground);
        let class = Class::of(colour[3]);
        if strength > 0.0 && !exact {
            let target: Point = std::array::from_fn(|i| point[i] + error[i]);
            let (index, _) = self.entries.nearest(target, class);
            let got = self.entries.point(index);
            let missed = std::array::from_fn(|i| (target[i] - got[i]) * strength);
            return (index, Some(missed));
        }
        if off > 0.0 {
            let allowed = off + self.nearly;
            for other in again.into_iter().flatten().map(usize::from) {
                let apart = distance(point, self.entries.point(other));
                if apart <= allowed && self.entries.is_of(other, class) {
                    return (other, None);
                }
            }
        }
        (nearest, None)
    }
}
