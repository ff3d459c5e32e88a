//! The parts of a picture that are worth a look.
//!
//! Windows of 96 pixels are laid over the picture at every 48. Each has taken damage: how far its
//! mean score stays below 100, on average over all versions. And each shows something: small text
//! or thin lines, skin, smooth tones, a strongly coloured edge, or fine texture, told from the
//! reference alone. The window with the most damage is taken of each of these, in this order; then
//! those with the most damage of all that are left, until there are enough. No two overlap, two
//! that show the same kind of thing lie a window apart, and nothing is taken
//! where no version scores below 90. Of equals, the upper left comes first.
//!
//! Text is shown at 4:1 (its middle 48 pixels), smooth tones at 1:1 (192 pixels around the
//! middle), the others at 2:1: all cells are of one size.

use std::fmt;

use kiln_sight::Map;
use serde::Serialize;

use super::UNSEEN;
use super::patch::luma;
use crate::pixels::{Area, Raster, Size};
use crate::size::focus::is_skin;

/// The side of a window, and how far apart they lie.
const WINDOW: u32 = 96;
const APART: u32 = 48;

/// The side of a cell in which a spot is shown, in CSS pixels.
pub const CELL: u32 = 192;

/// What a part of a picture shows.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Shows {
    /// Small text or thin lines.
    Text,
    /// A face, or what has the tones of skin.
    Skin,
    /// A sky, a wall: tones that change slowly.
    Smooth,
    /// An edge between strong colours.
    ColouredEdge,
    /// Fine texture.
    Texture,
    /// Nothing of these.
    Plain,
}

/// In the order in which people look for damage.
const LOOKED_FOR: [Shows; 5] = [
    Shows::Text,
    Shows::Skin,
    Shows::Smooth,
    Shows::ColouredEdge,
    Shows::Texture,
];

impl fmt::Display for Shows {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Shows::Text => "lines and letters",
            Shows::Skin => "warm tones",
            Shows::Smooth => "smooth tones",
            Shows::ColouredEdge => "coloured edge",
            Shows::Texture => "texture",
            Shows::Plain => "detail",
        })
    }
}

/// A part of a picture that is worth a look.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct Spot {
    /// Where it is.
    #[serde(flatten)]
    pub area: Area,
    /// What it shows.
    pub shows: Shows,
    /// So many times it is to be enlarged: 1, 2 or 4.
    pub zoom: u32,
}

/// Up to `most` spots of a picture, by the maps of all versions of it.
pub fn spots(reference: &Raster, maps: &[&Map], most: usize) -> Vec<Spot> {
    let one_each = LOOKED_FOR.iter().map(|&shows| (Some(shows), 1));
    chosen(
        &damaged(reference, maps),
        one_each.chain([(None, most)]),
        most,
    )
}

/// Up to `most` spots with the most damage, whatever they show.
pub(super) fn worst(reference: &Raster, maps: &[&Map], most: usize) -> Vec<Spot> {
    chosen(&damaged(reference, maps), [(None, most)], most)
}

/// All windows in which damage is seen, the most damaged first.
fn damaged(reference: &Raster, maps: &[&Map]) -> Vec<Spot> {
    let size = reference.size();
    let mut windows: Vec<(f32, Spot)> = Vec::new();
    for y in starts(size.height()) {
        for x in starts(size.width()) {
            let side = |length: u32, from: u32| WINDOW.min(length - from);
            let (width, height) = (side(size.width(), x), side(size.height(), y));
            let Some(part) = Size::new(width, height) else {
                continue;
            };
            let window = Area { x, y, size: part };
            let scores = maps.iter().filter_map(|map| map.mean(x, y, width, height));
            let scores: Vec<f32> = scores.collect();
            let damage = scores.iter().map(|score| 100.0 - score).sum::<f32>();
            if scores.iter().any(|score| *score < UNSEEN) {
                windows.push((damage, Spot::around(window, shows(reference, window), size)));
            }
        }
    }
    // The sort is stable: equals stay in the order of reading.
    windows.sort_by(|(a, _), (b, _)| b.total_cmp(a));
    windows.into_iter().map(|(_, spot)| spot).collect()
}

/// Of windows those that come first and are free, as many of each kind as are wanted.
fn chosen(
    windows: &[Spot],
    wanted: impl IntoIterator<Item = (Option<Shows>, usize)>,
    most: usize,
) -> Vec<Spot> {
    let mut chosen: Vec<Spot> = Vec::new();
    for (kind, count) in wanted {
        let mut left = count;
        let suits = |spot: &&Spot| kind.is_none_or(|shows| spot.shows == shows);
        for spot in windows.iter().filter(suits) {
            let is_free = !chosen.iter().any(|other| other.is_near(spot));
            if is_free && left > 0 && chosen.len() < most {
                chosen.push(*spot);
                left -= 1;
            }
        }
    }
    chosen
}

impl Spot {
    /// The part of a window that is shown of it.
    fn around(window: Area, shows: Shows, picture: Size) -> Spot {
        let zoom = match shows {
            Shows::Text => 4,
            Shows::Smooth => 1,
            _ => 2,
        };
        let side = CELL / zoom;
        let start = |from: u32, length: u32, all: u32| {
            let middle = i64::from(from) + i64::from(length / 2);
            let last = i64::from(all.saturating_sub(side));
            (middle - i64::from(side / 2)).clamp(0, last) as u32
        };
        let shown = Size::new(side.min(picture.width()), side.min(picture.height()));
        let area = Area {
            x: start(window.x, window.size.width(), picture.width()),
            y: start(window.y, window.size.height(), picture.height()),
            size: shown.unwrap_or(window.size),
        };
        Spot { area, shows, zoom }
    }

    /// Whether they overlap, or show the same kind of thing within a window of each other.
    fn is_near(&self, other: &Spot) -> bool {
        let between = if self.shows == other.shows { WINDOW } else { 0 };
        let apart = |a: u32, length: u32, b: u32, other: u32| {
            a + length + between <= b || b + other + between <= a
        };
        let (one, two) = (self.area, other.area);
        !(apart(one.x, one.size.width(), two.x, two.size.width())
            || apart(one.y, one.size.height(), two.y, two.size.height()))
    }
}

/// Where windows begin along a side.
fn starts(length: u32) -> impl Iterator<Item = u32> {
    let last = length.saturating_sub(WINDOW);
    (0..last).step_by(APART as usize).chain([last])
}

/// What a window of a picture shows.
fn shows(raster: &Raster, window: Area) -> Shows {
    let step = raster.channels().count();
    let (left, width) = (window.x as usize, window.size.width() as usize);
    let mut above: Option<Vec<[u8; 3]>> = None;
    let (mut pairs, mut strong, mut flat, mut coloured, mut skin) = (0u32, 0, 0, 0, 0);
    let (mut sum, mut least, mut most) = (0.0f32, f32::MAX, f32::MIN);
    let rows = raster.rows().skip(window.y as usize);
    for row in rows.take(window.size.height() as usize) {
        let pixels = row[left * step..(left + width) * step].chunks_exact(step);
        let pixels: Vec<[u8; 3]> = pixels.map(|p| [p[0], p[1], p[2]]).collect();
        for (x, &here) in pixels.iter().enumerate() {
            let light = luma(here);
            (least, most) = (least.min(light), most.max(light));
            skin += u32::from(is_skin(here));
            let upper = above.as_ref().map(|above| above[x]);
            let before = x.checked_sub(1).map(|before| pixels[before]);
            for other in [before, upper].into_iter().flatten() {
                let difference = (light - luma(other)).abs();
                pairs += 1;
                sum += difference;
                strong += u32::from(difference > 40.0);
                flat += u32::from(difference < 1.0);
                coloured += u32::from(chroma_step(here, other) > 40.0);
            }
        }
        above = Some(pixels);
    }
    let share = |count: u32| f64::from(count) / f64::from(pairs.max(1));
    let steps = sum / pairs.max(1) as f32;
    if share(strong) > 0.02 && share(flat) > 0.35 {
        Shows::Text
    } else if share(skin * 2) > 0.5 && steps < 12.0 {
        Shows::Skin
    } else if steps < 3.0 && most - least >= 4.0 && share(strong) < 0.001 {
        Shows::Smooth
    } else if share(coloured) > 0.02 {
        Shows::ColouredEdge
    } else if steps > 6.0 {
        Shows::Texture
    } else {
        Shows::Plain
    }
}

/// How far two colours differ beside their lightness, in levels.
fn chroma_step(one: [u8; 3], other: [u8; 3]) -> f32 {
    let lightness = luma(one) - luma(other);
    let steps = [0, 1, 2].map(|channel| {
        let step = f32::from(one[channel]) - f32::from(other[channel]);
        (step - lightness).abs()
    });
    steps.into_iter().fold(0.0, f32::max)
}
