//! Which flat colours a picture has, and how much of each every pixel holds.

use std::collections::BTreeMap;

use crate::colour::LINEAR_OF_8;
use crate::pixels::Raster;

/// The most colours that a mark has.
const MOST: usize = 12;

/// The most pixels that are traced.
const PIXELS: u64 = 6_000_000;

/// Colours nearer to one another than this, in any sample, are one.
const NEAR: u8 = 12;

/// The most pixels that lie on borders.
const BORDERS: usize = 60_000;

/// Of the pixels so many at least lie within flat areas.
const FLAT: f64 = 0.3;

/// Pixels that no two colours explain, of all that lie on borders: more make no flat mark.
const ODD: f64 = 0.3;

/// So many pixels far a colour reaches under those that are painted after it.
const UNDER: usize = 2;

/// So many pixels away areas are looked for that a pixel lies between.
const REACH: usize = 2;

/// How far, squared and of a possible 1, a mix may lie from a pixel that it explains.
const EXPLAINED: f32 = 0.01;

/// Why a picture is not traced.
pub(in super::super) type NotFlat = &'static str;

/// A colour: red, green, blue and straight alpha.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(in super::super) struct Colour(pub [u8; 4]);

impl Colour {
    fn near(self, other: Colour) -> bool {
        if self.0[3] == 0 && other.0[3] == 0 {
            return true;
        }
        let pairs = self.0.iter().zip(other.0);
        pairs.fold(0, |most, (a, b)| most.max(a.abs_diff(b))) <= NEAR
    }

    fn is_clear(self) -> bool {
        self.0[3] == 0
    }

    fn is_solid(self) -> bool {
        self.0[3] == u8::MAX
    }

    /// As it is mixed with others: multiplied by alpha, in light or as stored.
    fn mixed(self, linear: bool) -> [f32; 4] {
        let alpha = f32::from(self.0[3]) / 255.0;
        let sample = |sample: u8| {
            let value = match linear {
                true => LINEAR_OF_8[usize::from(sample)],
                false => f32::from(sample) / 255.0,
            };
            value * alpha
        };
        [
            sample(self.0[0]),
            sample(self.0[1]),
            sample(self.0[2]),
            alpha,
        ]
    }
}

/// Two of the colours, and the share of the first, from 0 to 1.
type Mix = (u8, u8, f32);

/// A mark that can be traced.
pub(in super::super) struct Mark {
    pub width: usize,
    pub height: usize,
    /// In the order in which they are painted.
    colours: Vec<Colour>,
    /// What each pixel is.
    pixels: Vec<Mix>,
}

/// How much of one colour, and of those that are painted after it, a pixel shows.
pub(super) struct Layer {
    pub width: usize,
    pub height: usize,
    pub colour: Colour,
    /// How much of the colour each pixel holds, and of what it may reach under.
    pub shares: Vec<f32>,
    /// How much of each pixel is painted after it.
    pub after: Vec<f32>,
    /// Whether all that a pixel holds is of it, or painted after it: it may be painted there.
    pub free: Vec<bool>,
}

impl Layer {
    pub fn covers_all(&self) -> bool {
        self.free.iter().all(|free| *free)
    }
}

impl Mark {
    /// Finds the colours of a picture; why it is no mark, where it is none.
    pub fn of(raster: &Raster) -> Result<Mark, NotFlat> {
        let size = raster.size();
        if size.pixels() > PIXELS {
            return Err("it has too many pixels to be traced; trace it at a smaller width");
        }
        let (width, height) = (size.width() as usize, size.height() as usize);
        let samples = raster.samples();
        let count = samples.len() / (width * height);
        let pixels: Vec<Colour> = samples
            .chunks_exact(count)
            .map(|pixel| match *pixel {
                [.., 0] if count == 4 => Colour([0; 4]),
                [r, g, b, alpha] => Colour([r, g, b, alpha]),
                [r, g, b, ..] => Colour([r, g, b, u8::MAX]),
                _ => Colour([0; 4]),
            })
            .collect();
        let colours = flat_colours(&pixels, width)?;
        let around = around(&pixels, width, &colours);
        let (stored, linear) = (
            explained(&pixels, &around, &colours, false),
            explained(&pixels, &around, &colours, true),
        );
        // Drawn pictures are mixed as stored, sized ones in light.
        let (pixels, odd) = if stored.1 <= linear.1 { stored } else { linear };
        let mixed = pixels.iter().filter(|(_, _, share)| *share < 1.0).count();
        if odd as f64 > (mixed as f64 * ODD).max(2.0) {
            return Err("its colours run into one another; only flat ones are traced");
        }
        let mark = Mark {
            width,
            height,
            colours,
            pixels,
        };
        if mark.borders() > BORDERS {
            return Err("it is made of too many small shapes to be traced");
        }
        Ok(mark.ordered())
    }

    /// How many pixels are of another colour than their right or lower neighbour.
    fn borders(&self) -> usize {
        let most = |at: usize| match self.pixels[at] {
            (first, _, share) if share >= 0.5 => first,
            (_, second, _) => second,
        };
        let differs = |at: &usize| {
            let beside = !(at + 1).is_multiple_of(self.width) && most(*at) != most(at + 1);
            let below = at + self.width < self.pixels.len() && most(*at) != most(at + self.width);
            beside || below
        };
        (0..self.pixels.len()).filter(differs).count()
    }

    /// Whoever reaches farthest is painted first.
    fn ordered(mut self) -> Mark {
        let reach = |index: usize| {
            let (mut left, mut right, mut top, mut bottom, mut count) =
                (usize::MAX, 0, usize::MAX, 0, 0);
            for (at, &(first, second, share)) in self.pixels.iter().enumerate() {
                let most = if share >= 0.5 { first } else { second };
                if usize::from(most) == index {
                    let (x, y) = (at % self.width, at / self.width);
                    (left, right) = (left.min(x), right.max(x));
                    (top, bottom) = (top.min(y), bottom.max(y));
                    count += 1;
                }
            }
            match count {
                0 => (0, 0),
                _ => ((right - left + 1) * (bottom - top + 1), count),
            }
        };
        let mut order: Vec<(usize, (usize, usize))> = (0..self.colours.len())
            .map(|index| (index, reach(index)))
            .collect();
        order.sort_by(|a, b| b.1.cmp(&a.1).then(a.0.cmp(&b.0)));
        let mut place = vec![0; order.len()];
        for (to, (from, _)) in order.iter().enumerate() {
            place[*from] = to as u8;
        }
        self.colours = order.iter().map(|(from, _)| self.colours[*from]).collect();
        for (first, second, _) in &mut self.pixels {
            (*first, *second) = (place[usize::from(*first)], place[usize::from(*second)]);
        }
        self
    }

    /// What is painted, in its order.
    pub(super) fn layers(&self) -> impl Iterator<Item = Layer> {
        let painted = self.colours.iter().enumerate();
        painted
            .filter(|(_, colour)| !colour.is_clear())
            .map(|(index, _)| self.layer(index))
    }

    fn layer(&self, index: usize) -> Layer {
        let colour = self.colours[index];
        // How much of a pixel is so.
        let of = |is_so: &dyn Fn(usize) -> bool| -> Vec<f32> {
            let share = |&(first, second, share): &Mix| {
                let part = |colour: u8, share: f32| {
                    if is_so(usize::from(colour)) {
                        share
                    } else {
                        0.0
                    }
                };
                part(first, share) + part(second, 1.0 - share)
            };
            self.pixels.iter().map(share).collect()
        };
        let mut shares = of(&|one| one == index);
        let over = |one: usize| one > index && colour.is_solid() && self.colours[one].is_solid();
        let after = of(&over);
        let own_or_after = shares.iter().zip(&after).map(|(own, after)| own + after);
        let free = own_or_after.map(|share| share > 0.99).collect();
        let near: Vec<bool> = {
            let own: Vec<bool> = shares.iter().map(|share| *share >= 0.5).collect();
            let (width, height) = (self.width, self.height);
            let any = |at: usize| {
                let (x, y) = (at % width, at / width);
                let rows = y.saturating_sub(UNDER)..=(y + UNDER).min(height - 1);
                rows.into_iter().any(|row| {
                    let columns = x.saturating_sub(UNDER)..=(x + UNDER).min(width - 1);
                    columns.into_iter().any(|column| own[row * width + column])
                })
            };
            (0..own.len()).map(any).collect()
        };
        for ((share, after), near) in shares.iter_mut().zip(&after).zip(near) {
            if near {
                *share += after;
            }
        }
        Layer {
            width: self.width,
            height: self.height,
            colour,
            after,
            free,
            shares,
        }
    }
}

/// The colours of areas, those of most pixels first.
fn flat_colours(pixels: &[Colour], width: usize) -> Result<Vec<Colour>, NotFlat> {
    let mut counted: BTreeMap<Colour, usize> = BTreeMap::new();
    let mut flat = 0usize;
    for (at, &pixel) in pixels.iter().enumerate() {
        if is_flat(pixels, width, at) {
            *counted.entry(pixel).or_default() += 1;
            flat += 1;
        }
    }
    if (flat as f64) < pixels.len() as f64 * FLAT {
        return Err("it has no flat areas; only marks of few flat colours are traced");
    }
    let mut counted: Vec<(Colour, usize)> = counted.into_iter().collect();
    counted.sort_by(|a, b| b.1.cmp(&a.1).then(a.0.cmp(&b.0)));
    let mut colours: Vec<(Colour, usize)> = Vec::new();
    for (colour, count) in counted {
        match colours.iter().position(|(known, _)| known.near(colour)) {
            Some(known) => colours[known].1 += count,
            None if colours.len() > 4 * MOST => return Err(TOO_MANY),
            None => colours.push((colour, count)),
        }
    }
    let least = (pixels.len() / 20_000).max(3);
    colours.retain(|(_, count)| *count >= least);
    if colours.len() > MOST {
        return Err(TOO_MANY);
    }
    if colours.len() < 2 && !colours.iter().any(|(colour, _)| !colour.is_clear()) {
        return Err("there is nothing to be seen in it");
    }
    Ok(colours.into_iter().map(|(colour, _)| colour).collect())
}

const TOO_MANY: NotFlat = "it has more than 12 colours; only marks of few flat colours are traced";

/// Which colours lie around each pixel as areas, a bit for each: between them it is a mix, even if some third
/// colour looks like one.
fn around(pixels: &[Colour], width: usize, colours: &[Colour]) -> Vec<u16> {
    let height = pixels.len() / width;
    let own = |at: usize| -> u16 {
        if !is_flat(pixels, width, at) {
            return 0;
        }
        let alike = colours.iter().position(|colour| colour.near(pixels[at]));
        alike.map_or(0, |alike| 1 << alike)
    };
    let own: Vec<u16> = (0..pixels.len()).map(own).collect();
    let spread = |of: &[u16], side: usize, step: usize, place: &dyn Fn(usize) -> usize| {
        let all = |at: usize| {
            let here = place(at);
            let from = here.saturating_sub(REACH);
            let to = (here + REACH).min(side - 1);
            (from..=to).fold(0, |all, there| all | of[at + there * step - here * step])
        };
        (0..of.len()).map(all).collect::<Vec<u16>>()
    };
    let across = spread(&own, width, 1, &|at| at % width);
    spread(&across, height, width, &|at| at / width)
}

/// For each pixel the two colours that explain it best, with how many are explained badly.
fn explained(
    pixels: &[Colour],
    around: &[u16],
    colours: &[Colour],
    linear: bool,
) -> (Vec<Mix>, usize) {
    let mixed: Vec<[f32; 4]> = colours.iter().map(|colour| colour.mixed(linear)).collect();
    let mut known: BTreeMap<(Colour, u16), (Mix, bool)> = BTreeMap::new();
    let mut odd = 0;
    let explained = pixels.iter().zip(around).map(|(&pixel, &near)| {
        let (best, badly) = *known.entry((pixel, near)).or_insert_with(|| {
            let best = explain(pixel, colours, &mixed, (near, linear));
            match best {
                // What lies in no area is a thin line, or a dot.
                (_, true) => explain(pixel, colours, &mixed, (u16::MAX, linear)),
                best => best,
            }
        });
        odd += usize::from(badly);
        best
    });
    let explained = explained.collect();
    (explained, odd)
}

/// The two of some colours that explain a pixel best, and whether badly.
fn explain(
    pixel: Colour,
    colours: &[Colour],
    mixed: &[[f32; 4]],
    (some, linear): (u16, bool),
) -> (Mix, bool) {
    let is_one = |index: &usize| some >> index & 1 == 1;
    let mut ones = (0..colours.len()).filter(is_one);
    if let Some(alike) = ones.find(|&index| colours[index].near(pixel)) {
        return ((alike as u8, alike as u8, 1.0), false);
    }
    let found = pixel.mixed(linear);
    let (mut best, mut least) = ((0, 0, 1.0), f32::MAX);
    for i in (0..colours.len()).filter(is_one) {
        for j in (i + 1..colours.len()).filter(is_one) {
            let (a, b) = (mixed[i], mixed[j]);
            let along: [f32; 4] = std::array::from_fn(|k| a[k] - b[k]);
            let from: [f32; 4] = std::array::from_fn(|k| found[k] - b[k]);
            let length: f32 = along.iter().map(|v| v * v).sum();
            let dot: f32 = along.iter().zip(from).map(|(a, b)| a * b).sum();
            let share = (dot / length.max(1e-9)).clamp(0.0, 1.0);
            let off = |k: usize| from[k] - along[k] * share;
            let distance: f32 = (0..4).map(|k| off(k) * off(k)).sum();
            if distance < least {
                (best, least) = ((i as u8, j as u8, share), distance);
            }
        }
    }
    (best, least > EXPLAINED)
}

/// Whether a pixel lies within an area: its neighbours are alike.
fn is_flat(pixels: &[Colour], width: usize, at: usize) -> bool {
    let (x, y) = (at % width, at / width);
    let beside = [
        (x > 0).then(|| at - 1),
        (x + 1 < width).then(|| at + 1),
        (y > 0).then(|| at - width),
        (at + width < pixels.len()).then(|| at + width),
    ];
    let same = |one: usize| {
        let pairs = pixels[one].0.iter().zip(pixels[at].0);
        pairs.into_iter().all(|(a, b)| a.abs_diff(b) <= 2)
    };
    beside.into_iter().flatten().all(same)
}
