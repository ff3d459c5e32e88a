//! A picture as what lies outside, what fades, and what is mixed.

use super::ground::{Ground, away, distance, dot};
use crate::pixels::{Raster, Size};

/// A shadow changes by less than this from pixel to pixel; smoothed edges by more.
const SOFT_STEP: f32 = 16.0;

/// Where there is a soft shadow, it may change by this on its steep side.
const STEEP_STEP: f32 = 40.0;

/// On its steep side and in holes, which it enters from all sides, a shadow may be so many times
/// as opaque as elsewhere.
const STEEP_SIDE: f32 = 1.3;
const IN_HOLES: f32 = 2.0;

/// A shadow is no trace of noise where it is more opaque than this.
const FAINT: f32 = 0.05;

/// How far from the outside a pixel can be and still be a mixture, in pixels.
const DEPTH: u8 = 6;

/// Mixtures farther in are told from what lies nearer to the outside by this many levels.
const STEP: f32 = 3.0;

/// A pixel whose share of the colour behind it is this or more is that colour.
const WHOLE: f32 = 0.94;

/// A picture as distances from its background.
pub(super) struct Field<'a> {
    size: Size,
    ground: Ground,
    pub pixels: &'a [[u8; 3]],
    distances: Vec<f32>,
}

impl Field<'_> {
    pub(super) fn of(raster: &Raster, ground: Ground) -> Field<'_> {
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

    /// What is background: from the border inwards, and from the middle of holes if those go
    /// too. An opacity of 0 stands for it, as those of shadows will.
    pub(super) fn outside(&self, holes: bool) -> Vec<Option<f32>> {
        let (width, height) = (self.size.width() as usize, self.size.height() as usize);
        let alike = |at: usize| self.distances[at] <= self.ground.tolerance;
        let starts = |at: usize| {
            let (x, y) = (at % width, at / width);
            let border = x == 0 || y == 0 || x + 1 == width || y + 1 == height;
            // A single pixel of that colour is no hole: all around it must be alike.
            alike(at) && (border || (holes && self.around(at).all(alike)))
        };
        let mut waiting: Vec<usize> = (0..width * height).filter(|&at| starts(at)).collect();
        let mut outside = vec![None; width * height];
        for &at in &waiting {
            outside[at] = Some(0.0);
        }
        while let Some(at) = waiting.pop() {
            for next in self.beside(at) {
                if outside[next].is_none() && alike(next) {
                    outside[next] = Some(0.0);
                    waiting.push(next);
                }
            }
        }
        outside
    }

    /// What a shadow (on a dark background, a glow) is made of.
    fn shade_colour(&self) -> [f32; 3] {
        let light = dot(self.ground.colour, [0.2126, 0.7152, 0.0722]) > 96.0;
        if light { [0.0; 3] } else { [255.0; 3] }
    }

    /// Adds soft shadows to the outside. Where there are some, steeper parts of them and, with
    /// `holes`, those that darken all of a hole are known by being not much stronger.
    pub(super) fn shade(&self, behind: &mut [Option<f32>], holes: bool) {
        let shades = Shades::of(self);
        let rim = |behind: &[Option<f32>]| -> Vec<usize> {
            let outside = (0..behind.len()).filter(|&at| behind[at].is_some());
            let is_rim = |at: &usize| self.around(*at).any(|other| behind[other].is_none());
            outside.filter(is_rim).collect()
        };
        let soft = shades.reach(SOFT_STEP, 1.0);
        soft.spread(rim(behind), behind);
        let Some(strongest) = strongest(behind) else {
            return;
        };
        let steep = shades.reach(STEEP_STEP, strongest * STEEP_SIDE);
        steep.spread(rim(behind), behind);
        if holes {
            let steep = shades.reach(STEEP_STEP, strongest * IN_HOLES);
            for at in 0..behind.len() {
                if behind[at].is_none() && steep.is_smooth(at) {
                    let region = steep.spread(vec![at], behind);
                    let opacities = || region.iter().filter_map(|&at| shades.opacities[at]);
                    let (least, most) = opacities()
                        .fold((1.0f32, 0.0f32), |(least, most), here| {
                            (least.min(here), most.max(here))
                        });
                    // A shadow fades on its way; what is of one tone is a part of the picture.
                    if (most - least) * shades.length < SOFT_STEP {
                        region.iter().for_each(|&at| behind[at] = None);
                    }
                }
            }
        }
    }

    /// A pixel of a shadow.
    pub(super) fn shadow(&self, opacity: f32) -> [u8; 4] {
        let alpha = (opacity * 255.0 + 0.5) as u8;
        let [r, g, b] = self.shade_colour().map(|sample| sample as u8);
        if alpha == 0 { [0; 4] } else { [r, g, b, alpha] }
    }

    /// Pixels that may be mixtures, with what they are mixed with: those beside the outside, and
    /// those behind them as long as the colour still moves away from it.
    pub(super) fn mixed(&self, behind: &[Option<f32>]) -> Vec<Option<Beside>> {
        let mut mixed: Vec<Option<Beside>> = vec![None; behind.len()];
        let mut layer: Vec<(usize, Beside)> = Vec::new();
        for at in 0..behind.len() {
            if behind[at].is_none() {
                let near = self.around(at).filter_map(|other| {
                    let opacity = behind[other]?;
                    let colour = if opacity == 0.0 {
                        self.ground.colour
                    } else {
                        self.pixels[other].map(f32::from)
                    };
                    Some(Beside { colour, opacity })
                });
                layer.extend(Beside::mean(near).map(|beside| (at, beside)));
            }
        }
        for _ in 0..DEPTH {
            for &(at, beside) in &layer {
                mixed[at] = Some(beside);
            }
            let mut next = Vec::new();
            for &(at, beside) in &layer {
                let here = distance(self.pixels[at], beside.colour);
                let farther = |other: &usize| {
                    let free = mixed[*other].is_none() && behind[*other].is_none();
                    free && distance(self.pixels[*other], beside.colour) > here + STEP
                };
                next.extend(self.around(at).filter(farther).map(|other| (other, beside)));
            }
            next.sort_by_key(|(at, _)| *at);
            next.dedup_by_key(|(at, _)| *at);
            layer = next;
        }
        mixed
    }

    /// A mixture without the background in it.
    pub(super) fn unmixed(&self, at: usize, beside: Beside, behind: &[Option<f32>]) -> [u8; 4] {
        let pure = self.pure(at, beside, behind);
        let whole = away(self.pixels[pure], beside.colour);
        let part = away(self.pixels[at], beside.colour);
        let share = dot(part, whole) / dot(whole, whole).max(1.0);
        if share >= WHOLE {
            let [r, g, b] = self.pixels[at];
            return [r, g, b, 255];
        }
        // The colour lies over what is left of a shadow.
        let share = share.max(0.0);
        let under = (1.0 - share) * beside.opacity;
        let opacity = share + under;
        let alpha = (opacity * 255.0 + 0.5) as u8;
        if alpha == 0 {
            return [0; 4];
        }
        let shade = self.shade_colour();
        let [r, g, b] = [0, 1, 2].map(|channel| {
            let over = f32::from(self.pixels[pure][channel]) * share;
            ((over + shade[channel] * under) / opacity + 0.5) as u8
        });
        [r, g, b, alpha]
    }

    /// The pixel at the end of the walk away from what lies beside.
    fn pure(&self, at: usize, beside: Beside, behind: &[Option<f32>]) -> usize {
        let far = |at: usize| distance(self.pixels[at], beside.colour);
        let line = away(self.pixels[at], beside.colour);
        let length = far(at).max(1.0);
        let along = |other: usize| {
            let other_line = away(self.pixels[other], beside.colour);
            let cosine = dot(line, other_line) / (length * far(other).max(1.0));
            // A faint mixture's own direction is blurred by what rounding and coding left of it.
            let blur = (self.ground.tolerance / length).min(1.0);
            cosine >= 0.98 - blur
        };
        let mut here = at;
        for _ in 0..DEPTH {
            let next = self
                .around(here)
                .filter(|&other| behind[other].is_none() && along(other));
            let farthest = next.max_by(|&a, &b| far(a).total_cmp(&far(b)));
            match farthest {
                Some(next) if far(next) > far(here) + STEP => here = next,
                _ => break,
            }
        }
        here
    }
}

/// How opaque a shadow would have to be to show each pixel, where one can.
struct Shades<'a> {
    field: &'a Field<'a>,
    opacities: Vec<Option<f32>>,
    /// What full opacity comes to, in levels.
    length: f32,
}

impl<'a> Shades<'a> {
    fn of(field: &'a Field<'a>) -> Shades<'a> {
        let ground = field.ground.colour;
        let colour = field.shade_colour();
        let line = [0, 1, 2].map(|channel| colour[channel] - ground[channel]);
        let squared = dot(line, line).max(1.0);
        let opacity = |pixel: &[u8; 3]| {
            let way = away(*pixel, ground);
            let opacity = dot(way, line) / squared;
            let beside = [0, 1, 2].map(|channel| way[channel] - opacity * line[channel]);
            let near = dot(beside, beside).sqrt() <= field.ground.tolerance / 2.0;
            near.then_some(opacity.clamp(0.0, 1.0))
        };
        Shades {
            field,
            opacities: field.pixels.iter().map(opacity).collect(),
            length: squared.sqrt(),
        }
    }

    fn reach(&'a self, step: f32, strongest: f32) -> Reach<'a> {
        Reach {
            shades: self,
            step: step / self.length,
            strongest,
        }
    }
}

/// What a shadow covers whose opacity changes by less than a step from pixel to pixel.
struct Reach<'a> {
    shades: &'a Shades<'a>,
    step: f32,
    strongest: f32,
}

impl Reach<'_> {
    /// The opacity of a pixel, where a shadow goes on there from one of another opacity.
    fn goes_on(&self, at: usize, from: f32) -> Option<f32> {
        let opacity = self.shades.opacities[at]?;
        (opacity <= self.strongest && (opacity - from).abs() < self.step).then_some(opacity)
    }

    /// Whether a shadow goes on from a pixel to all around it.
    fn is_smooth(&self, at: usize) -> bool {
        let here = self.shades.opacities[at].and_then(|here| self.goes_on(at, here));
        here.is_some_and(|here| {
            let mut around = self.shades.field.around(at);
            around.all(|other| self.goes_on(other, here).is_some())
        })
    }

    /// Spreads a shadow from some pixels, which count as reached; ends with all that it reaches.
    fn spread(&self, from: Vec<usize>, behind: &mut [Option<f32>]) -> Vec<usize> {
        let mut reached = from;
        let mut done = 0;
        for &at in &reached {
            behind[at] = behind[at].or(self.shades.opacities[at]);
        }
        while let Some(&at) = reached.get(done) {
            done += 1;
            let here = self.shades.opacities[at].unwrap_or(0.0);
            for next in self.shades.field.beside(at) {
                let soft = self.goes_on(next, here);
                if behind[next].is_none() && soft.is_some() {
                    behind[next] = soft;
                    reached.push(next);
                }
            }
        }
        reached
    }
}

/// The opacity that hardly any pixel of a shadow goes beyond; `None` where there is none.
fn strongest(behind: &[Option<f32>]) -> Option<f32> {
    let shaded = behind.iter().flatten().filter(|&&opacity| opacity > FAINT);
    let mut shaded: Vec<f32> = shaded.copied().collect();
    shaded.sort_unstable_by(f32::total_cmp);
    // A few pixels are a smoothed edge.
    let enough = shaded.len() * 200 > behind.len();
    enough.then(|| shaded[shaded.len() * 98 / 100])
}

/// What lies beside a mixture: its colour as seen, and how opaque it will be.
#[derive(Clone, Copy, Debug)]
pub(super) struct Beside {
    colour: [f32; 3],
    opacity: f32,
}

impl Beside {
    fn mean(all: impl Iterator<Item = Beside>) -> Option<Beside> {
        let (mut colour, mut opacity, mut count) = ([0.0; 3], 0.0, 0.0);
        for beside in all {
            colour = [0, 1, 2].map(|channel| colour[channel] + beside.colour[channel]);
            opacity += beside.opacity;
            count += 1.0;
        }
        (count > 0.0).then(|| Beside {
            colour: colour.map(|sum| sum / count),
            opacity: opacity / count,
        })
    }
}
