//! A plain background made transparent, from the border inwards.
//!
//! The background B is the colour that most of the border shows. What is like it and touches the
//! border is outside, and becomes transparent. A pixel beside the outside may be a mixture
//! C = αF + (1 − α)B, mixed in the samples themselves as browsers and drawing programs do. What it
//! is mixed with, F, is found by walking from it away from B, as long as the colour moves on along
//! the same line and by more than noise: where the walk ends, nothing of the background is left
//! in. α is then how far C lies along the line from B to F, and F is the colour that is kept, so
//! that no fringe of the old background remains.

use thiserror::Error;

use crate::pixels::{Channels, KnockOut, Raster, Size};

/// A distance from the background, in levels of 255 (Euclidean), that is none in any picture.
const LEAST_TOLERANCE: f32 = 8.0;

/// What no background's noise goes beyond.
const MOST_TOLERANCE: f32 = 40.0;

/// The part of the border that must be background, where that is not given.
const PLAIN_SHARE: f64 = 0.5;

/// How far from the outside a pixel can be and still be a mixture, in pixels.
const DEPTH: u8 = 6;

/// Mixtures farther in are told from what lies nearer to the outside by this many levels.
const STEP: f32 = 3.0;

/// A pixel whose share of the colour behind it is this or more is that colour.
const WHOLE: f32 = 0.94;

/// Why a background could not be made transparent.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Error)]
pub enum NotPlain {
    /// The border shows many colours.
    #[error(
        "its background is not plain: no more than {0}% of its border is of one colour; name the \
         colour with knock-out, or take knock-out off"
    )]
    Border(u8),
    /// The colour that was named is not at the border.
    #[error("the colour of knock-out is not at its border; name another, or auto")]
    Elsewhere,
}

/// The raster without its background. One that is partly transparent already stays as it is.
/// `colour` is that of the wish in the raster's own gamut.
pub fn knock_out(raster: Raster, wish: KnockOut) -> Result<Raster, NotPlain> {
    if raster.channels() == Channels::Rgba {
        return Ok(raster);
    }
    let ground = Ground::find(&raster, wish.colour)?;
    let field = Field::of(&raster, ground);
    let outside = field.outside(wish.holes);
    let mixed = field.mixed(&outside);
    let mut samples = Vec::with_capacity(field.pixels.len() * 4);
    for (at, &[r, g, b]) in field.pixels.iter().enumerate() {
        samples.extend(match (outside[at], mixed[at]) {
            (true, _) => [0; 4],
            (false, true) => field.unmixed(at, &outside),
            (false, false) => [r, g, b, 255],
        });
    }
    let gamut = raster.gamut();
    let cut_out = Raster::new(raster.size(), Channels::Rgba, samples);
    Ok(cut_out.map_or(raster, |cut_out| cut_out.in_gamut(gamut)))
}

/// The background.
#[derive(Clone, Copy, Debug)]
struct Ground {
    colour: [f32; 3],
    /// What is no farther from it is background.
    tolerance: f32,
}

impl Ground {
    fn find(raster: &Raster, named: Option<[u8; 3]>) -> Result<Ground, NotPlain> {
        let border = border(raster);
        let colour = named.map_or_else(|| commonest(&border), |named| named.map(f32::from));
        let distances = border.iter().map(|pixel| distance(*pixel, colour));
        let near: Vec<f32> = distances.filter(|far| *far <= MOST_TOLERANCE).collect();
        let alike = near.len();
        let share = alike as f64 / border.len() as f64;
        if named.is_none() && share < PLAIN_SHARE {
            return Err(NotPlain::Border((share * 100.0) as u8));
        }
        if alike == 0 {
            return Err(NotPlain::Elsewhere);
        }
        let squares: f32 = near.iter().map(|far| far * far).sum();
        let noise = (squares / alike as f32).sqrt();
        let tolerance = (3.0 * noise).clamp(LEAST_TOLERANCE, MOST_TOLERANCE);
        Ok(Ground { colour, tolerance })
    }
}

/// The pixels along the border.
fn border(raster: &Raster) -> Vec<[u8; 3]> {
    let mut border = Vec::new();
    let last = raster.size().height() as usize - 1;
    for (y, row) in raster.rows().enumerate() {
        let (pixels, _) = row.as_chunks::<3>();
        match y == 0 || y == last {
            true => border.extend_from_slice(pixels),
            false => border.extend([pixels[0], pixels[pixels.len() - 1]]),
        }
    }
    border
}

/// The mean of the pixels in the commonest eighth-step of colour and around it.
fn commonest(pixels: &[[u8; 3]]) -> [f32; 3] {
    let cell = |pixel: &[u8; 3]| pixel.map(|sample| sample >> 5);
    let mut counts = std::collections::BTreeMap::new();
    for pixel in pixels {
        *counts.entry(cell(pixel)).or_insert(0usize) += 1;
    }
    let most = counts.iter().max_by_key(|(_, count)| **count);
    let middle = most.map_or([0.0; 3], |(cell, _)| {
        cell.map(|step| f32::from(step) * 32.0 + 16.0)
    });
    // A colour on the border of a cell has its other half in the next one.
    let mut mean = middle;
    for _ in 0..3 {
        let near: Vec<_> = pixels
            .iter()
            .filter(|p| distance(**p, mean) <= MOST_TOLERANCE)
            .collect();
        if near.is_empty() {
            break;
        }
        let sum = |channel: usize| near.iter().map(|p| f32::from(p[channel])).sum::<f32>();
        mean = [0, 1, 2].map(|channel| sum(channel) / near.len() as f32);
    }
    mean
}

fn distance(pixel: [u8; 3], from: [f32; 3]) -> f32 {
    let [r, g, b] = away(pixel, from);
    (r * r + g * g + b * b).sqrt()
}

fn away(pixel: [u8; 3], from: [f32; 3]) -> [f32; 3] {
    [0, 1, 2].map(|channel| f32::from(pixel[channel]) - from[channel])
}

fn dot(one: [f32; 3], other: [f32; 3]) -> f32 {
    one[0] * other[0] + one[1] * other[1] + one[2] * other[2]
}

/// A picture as distances from its background.
struct Field<'a> {
    size: Size,
    ground: Ground,
    pixels: &'a [[u8; 3]],
    distances: Vec<f32>,
}

impl Field<'_> {
    fn of(raster: &Raster, ground: Ground) -> Field<'_> {
        let (pixels, _) = raster.samples().as_chunks::<3>();
        let distances = pixels.iter().map(|pixel| distance(*pixel, ground.colour));
        Field {
            size: raster.size(),
            ground,
            distances: distances.collect(),
            pixels,
        }
    }

    /// The neighbours of a pixel, eight or fewer.
    fn around(&self, at: usize) -> impl Iterator<Item = usize> + use<> {
        let (width, height) = (self.size.width() as usize, self.size.height() as usize);
        let (x, y) = (at % width, at / width);
        let rows = y.saturating_sub(1)..(y + 2).min(height);
        let all = rows.flat_map(move |y| {
            let columns = x.saturating_sub(1)..(x + 2).min(width);
            columns.map(move |x| y * width + x)
        });
        all.filter(move |other| *other != at)
    }

    /// The four that share a side with it.
    fn beside(&self, at: usize) -> impl Iterator<Item = usize> + use<> {
        let width = self.size.width() as usize;
        let (column, row) = (at % width, at / width);
        let same = move |other: &usize| other % width == column || other / width == row;
        self.around(at).filter(same)
    }

    /// What is background: from the border inwards, and from the middle of holes if those go too.
    fn outside(&self, holes: bool) -> Vec<bool> {
        let (width, height) = (self.size.width() as usize, self.size.height() as usize);
        let alike = |at: usize| self.distances[at] <= self.ground.tolerance;
        let starts = |at: usize| {
            let (x, y) = (at % width, at / width);
            let border = x == 0 || y == 0 || x + 1 == width || y + 1 == height;
            // A single pixel of that colour is no hole: all around it must be alike.
            alike(at) && (border || (holes && self.around(at).all(alike)))
        };
        let mut waiting: Vec<usize> = (0..width * height).filter(|&at| starts(at)).collect();
        let mut outside = vec![false; width * height];
        for &at in &waiting {
            outside[at] = true;
        }
        while let Some(at) = waiting.pop() {
            for next in self.beside(at) {
                if !outside[next] && alike(next) {
                    outside[next] = true;
                    waiting.push(next);
                }
            }
        }
        outside
    }

    /// Which pixels may be mixtures: those beside the outside, and those behind them as long as
    /// the colour still moves away from the background.
    fn mixed(&self, outside: &[bool]) -> Vec<bool> {
        let beside = |at: &usize| !outside[*at] && self.around(*at).any(|other| outside[other]);
        let mut layer: Vec<usize> = (0..outside.len()).filter(beside).collect();
        let mut mixed = vec![false; outside.len()];
        for _ in 0..DEPTH {
            for &at in &layer {
                mixed[at] = true;
            }
            let mut next = Vec::new();
            for &at in &layer {
                let farther = |other: &usize| {
                    let free = !mixed[*other] && !outside[*other];
                    free && self.distances[*other] > self.distances[at] + STEP
                };
                next.extend(self.around(at).filter(farther));
            }
            next.sort_unstable();
            next.dedup();
            layer = next;
        }
        mixed
    }

    /// A mixture without the background in it.
    fn unmixed(&self, at: usize, outside: &[bool]) -> [u8; 4] {
        let behind = self.behind(at, outside);
        let whole = away(self.pixels[behind], self.ground.colour);
        let part = away(self.pixels[at], self.ground.colour);
        let share = dot(part, whole) / dot(whole, whole).max(1.0);
        if share >= WHOLE {
            let [r, g, b] = self.pixels[at];
            return [r, g, b, 255];
        }
        let [r, g, b] = self.pixels[behind];
        [r, g, b, (share.max(0.0) * 255.0 + 0.5) as u8]
    }

    /// The pixel at the end of the walk away from the background.
    fn behind(&self, at: usize, outside: &[bool]) -> usize {
        let line = away(self.pixels[at], self.ground.colour);
        let length = self.distances[at].max(1.0);
        let along = |other: usize| {
            let other_line = away(self.pixels[other], self.ground.colour);
            let cosine = dot(line, other_line) / (length * self.distances[other].max(1.0));
            // A faint mixture's own direction is blurred by what rounding and coding left of it.
            let blur = (LEAST_TOLERANCE / length).min(1.0);
            cosine >= 0.98 - blur * 0.5
        };
        let mut here = at;
        for _ in 0..DEPTH {
            let next = self
                .around(here)
                .filter(|&other| !outside[other] && along(other));
            let farthest = next.max_by(|&a, &b| self.distances[a].total_cmp(&self.distances[b]));
            match farthest {
                Some(next) if self.distances[next] > self.distances[here] + STEP => here = next,
                _ => break,
            }
        }
        here
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const AUTO: KnockOut = KnockOut {
        colour: None,
        holes: false,
    };

    /// How much of a pixel a ring covers, by 8 × 8 samples.
    fn ring(x: u32, y: u32) -> f32 {
        let inside = (0..64).filter(|sample| {
            let at = |pixel: u32, step: u32| (pixel * 8 + step) as f32 / 8.0 + 1.0 / 16.0 - 20.0;
            let radius = at(x, sample % 8).hypot(at(y, sample / 8));
            (7.0..15.0).contains(&radius)
        });
        inside.count() as f32 / 64.0
    }

    fn drawn(ground: [u8; 3], ink: [u8; 3], noise: i32) -> Raster {
        let size = Size::new(40, 40).expect("a size");
        let mut state = 7u32;
        let samples = (0..1600).flat_map(|at| {
            let share = ring(at % 40, at / 40);
            [0, 1, 2].map(|channel| {
                state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
                let mixed =
                    f32::from(ink[channel]) * share + f32::from(ground[channel]) * (1.0 - share);
                let noise = (state >> 24) as i32 % (2 * noise + 1) - noise;
                (mixed.round() as i32 + noise).clamp(0, 255) as u8
            })
        });
        Raster::new(size, Channels::Rgb, samples.collect()).expect("whole rows")
    }

    /// The greatest and the mean difference from the ring drawn on another ground.
    fn differences(cut_out: &Raster, ground: [u8; 3], ink: [u8; 3], holes: bool) -> (u8, f32) {
        let wanted = drawn(ground, ink, 0);
        let found = cut_out.over(ground);
        let pairs = wanted
            .samples()
            .chunks_exact(3)
            .zip(found.samples().chunks_exact(3));
        // Without holes the middle of the ring keeps the old ground.
        let inner = |at: usize| (at as f32 % 40.0 - 19.5).hypot((at / 40) as f32 - 19.5) < 10.0;
        let counted = pairs.enumerate().filter(|(at, _)| holes || !inner(*at));
        let differences: Vec<u8> = counted
            .flat_map(|(_, (a, b))| a.iter().zip(b).map(|(a, b)| a.abs_diff(*b)))
            .collect();
        let sum: f32 = differences.iter().map(|d| f32::from(*d)).sum();
        let worst = differences.iter().copied().max().unwrap_or(0);
        (worst, sum / differences.len() as f32)
    }

    #[test]
    fn a_cut_out_looks_as_if_drawn_on_any_ground() {
        for (ground, ink) in [
            ([255; 3], [20, 40, 90]),
            ([30, 30, 34], [240, 180, 20]),
            ([250, 250, 245], [200, 30, 30]),
        ] {
            for holes in [false, true] {
                let cut_out =
                    knock_out(drawn(ground, ink, 0), KnockOut { holes, ..AUTO }).expect("plain");
                for other in [[0; 3], [255; 3], [60, 140, 80]] {
                    let (worst, mean) = differences(&cut_out, other, ink, holes);
                    assert!(
                        worst <= 16 && mean < 0.6,
                        "{ground:?} on {other:?}: {worst} {mean}"
                    );
                }
                let middle = cut_out.samples()[(20 * 40 + 20) * 4 + 3];
                assert_eq!(middle, if holes { 0 } else { 255 });
            }
        }
    }

    #[test]
    fn noise_is_no_border_and_leaves_no_speckles() {
        let ink = [20, 40, 90];
        let cut_out = knock_out(drawn([255; 3], ink, 5), AUTO).expect("plain");
        let corner: Vec<u8> = (0..5)
            .flat_map(|y| (0..40).map(move |x| (y * 40 + x) * 4 + 3))
            .map(|at| cut_out.samples()[at])
            .collect();
        assert!(corner.iter().all(|alpha| *alpha == 0), "{corner:?}");
        let (worst, mean) = differences(&cut_out, [0; 3], ink, false);
        assert!(worst <= 45 && mean < 2.5, "{worst} {mean}");
    }

    #[test]
    fn a_busy_border_is_refused_unless_the_colour_is_named() {
        let size = Size::new(20, 20).expect("a size");
        let busy = (0..400u32).flat_map(|at| [(at * 97) as u8, (at * 31) as u8, (at * 57) as u8]);
        let busy = Raster::new(size, Channels::Rgb, busy.collect()).expect("whole rows");
        let refused = knock_out(busy.clone(), AUTO).expect_err("not plain");
        assert!(
            matches!(refused, NotPlain::Border(share) if share < 50),
            "{refused}"
        );
        let named = |colour| {
            knock_out(
                busy.clone(),
                KnockOut {
                    colour: Some(colour),
                    ..AUTO
                },
            )
        };
        assert!(named([0, 0, 0]).is_ok());
        let plain = drawn([255; 3], [9; 3], 0);
        let elsewhere = KnockOut {
            colour: Some([0, 90, 0]),
            ..AUTO
        };
        assert_eq!(knock_out(plain, elsewhere), Err(NotPlain::Elsewhere));
    }
}
