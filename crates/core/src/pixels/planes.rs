//! From planes of luma and chroma to pixels.

use super::mixing::{Meaning, Mixing, Unmixed, most};
use super::{Channels, Gamut, Raster, Size};

/// Adds the samples of a row to others.
type Line<'a> = dyn Fn(usize, &mut Vec<u16>) + 'a;

/// A plane of a picture, which may be coarser than the picture.
pub struct Plane<'a> {
    line: Box<Line<'a>>,
    width: usize,
    height: usize,
    /// Whether it has half of the columns, and of the rows.
    halved: (bool, bool),
}

impl<'a> Plane<'a> {
    /// Of a width and height, whose samples a function adds to others, row by row.
    pub fn new(
        (width, height): (usize, usize),
        halved: (bool, bool),
        line: impl Fn(usize, &mut Vec<u16>) + 'a,
    ) -> Plane<'a> {
        Plane {
            line: Box::new(line),
            width,
            height,
            halved,
        }
    }

    /// A row as it is stored; beyond the last that one again.
    fn stored(&self, y: usize, into: &mut Vec<u16>) {
        into.clear();
        (self.line)(y.min(self.height - 1), into);
    }

    /// A row at the resolution of the picture: where each sample lies in the middle of two or four pixels,
    /// these take three quarters of the nearest and one of the next, both ways, as browsers do it.
    fn row(&self, y: usize, lines: &mut [Vec<u16>; 2], into: &mut Vec<u16>) {
        let (across, down) = self.halved;
        if !across {
            return self.stored(y, into);
        }
        let [near, next] = lines;
        let below = if down { y / 2 } else { y };
        self.stored(below, near);
        match (down, y % 2) {
            (false, _) => next.clone_from(near),
            (true, 0) => self.stored(below.saturating_sub(1), next),
            (true, _) => self.stored(below + 1, next),
        }
        let column = |x: usize| u32::from(near[x]) * 3 + u32::from(next[x]);
        into.clear();
        for x in 0..self.width {
            let here = column(x) * 3;
            let (left, right) = (
                column(x.saturating_sub(1)),
                column((x + 1).min(self.width - 1)),
            );
            into.extend([left, right].map(|beside| ((here + beside + 8) >> 4) as u16));
        }
    }
}

/// A picture as planes.
pub struct Planes<'a> {
    /// Its size.
    pub size: Size,
    /// Of a sample.
    pub bits: u32,
    /// As large as the picture.
    pub luma: Plane<'a>,
    /// Blue and red, unless it is grey.
    pub chroma: Option<[Plane<'a>; 2]>,
}

impl Planes<'_> {
    /// The pixels, as grey or as red, green and blue.
    pub fn values(&self, meaning: Meaning) -> Result<Values, Unmixed> {
        let whole = |planes: &[Plane<'_>; 2]| planes[0].halved == (false, false);
        let is_whole = self.chroma.as_ref().is_some_and(whole);
        let mixing = Mixing::new(meaning, self.bits, is_whole)?;
        let (width, height) = (self.luma.width, self.luma.height);
        let count = if self.chroma.is_some() { 3 } else { 1 };
        let mut values = Vec::with_capacity(width * height * count);
        let mut lines = [Vec::new(), Vec::new()];
        let (mut brightness, mut rows) = (Vec::new(), [Vec::new(), Vec::new()]);
        for y in 0..height {
            self.luma.stored(y, &mut brightness);
            let Some(planes) = &self.chroma else {
                values.extend(brightness.iter().map(|&luma| mixing.grey(luma)));
                continue;
            };
            for (plane, row) in planes.iter().zip(&mut rows) {
                plane.row(y, &mut lines, row);
            }
            let [blue, red] = &rows;
            for ((&luma, &blue), &red) in brightness.iter().zip(blue).zip(red) {
                values.extend(mixing.colour(luma, blue, red));
            }
        }
        Ok(Values {
            size: self.size,
            count,
            bits: self.bits,
            meaning,
            values,
        })
    }
}

/// Values of a picture as its bits have them, pixel by pixel.
pub struct Values {
    /// The size of the picture.
    pub size: Size,
    /// Of a pixel: grey or three colours, and with alpha one more.
    pub count: usize,
    /// Of a value.
    pub bits: u32,
    /// What they stand for.
    pub meaning: Meaning,
    /// The values.
    pub values: Vec<u16>,
}

impl Values {
    /// Takes the values of another picture for alpha; where colours were multiplied by it, that is
    /// undone.
    pub fn join(&mut self, alpha: &Values, multiplied: bool) {
        let (from, to) = (most(alpha.bits), most(self.bits));
        let scaled = |value: u16| ((u32::from(value) * to + from / 2) / from) as u16;
        let colours = self.values.chunks_exact(self.count);
        let alphas = alpha.values.chunks_exact(alpha.count);
        let mut joined = Vec::with_capacity(self.values.len() / self.count * (self.count + 1));
        for (colour, alpha) in colours.zip(alphas) {
            let alpha = scaled(alpha[0]);
            let undone = |&value: &u16| match (multiplied, u32::from(alpha)) {
                (false, _) | (true, 0) => value,
                (true, alpha) => (u32::from(value) * to / alpha).min(to) as u16,
            };
            joined.extend(colour.iter().map(undone));
            joined.push(alpha);
        }
        self.count += 1;
        self.values = joined;
    }

    fn wide(&self, value: u16) -> u16 {
        let most = most(self.bits);
        ((u32::from(value) * 65_535 + most / 2) / most) as u16
    }

    /// All of them with 16 bits.
    pub fn sixteen(&self) -> Vec<u16> {
        self.values.iter().map(|&value| self.wide(value)).collect()
    }

    /// All of them with eight bits, as most screens show them.
    pub fn eight(&self) -> Vec<u8> {
        if self.bits == 8 {
            return self.values.iter().map(|&value| value as u8).collect();
        }
        let table: Vec<u8> = (0..=most(self.bits))
            .map(|value| narrow(self.wide(value as u16)))
            .collect();
        let values = self.values.iter();
        values.map(|&value| table[usize::from(value)]).collect()
    }

    /// The same as a raster of a gamut; grey as three colours.
    pub fn raster(&self, gamut: Gamut) -> Option<Raster> {
        let eight = self.eight();
        let (channels, samples) = match self.count {
            1 => (
                Channels::Rgb,
                eight.iter().flat_map(|&grey| [grey; 3]).collect(),
            ),
            2 => {
                let pixels = eight.as_chunks::<2>().0.iter();
                let pixels = pixels.flat_map(|&[grey, alpha]| [grey, grey, grey, alpha]);
                (Channels::Rgba, pixels.collect())
            }
            3 => (Channels::Rgb, eight),
            _ => (Channels::Rgba, eight),
        };
        Some(Raster::new(self.size, channels, samples)?.in_gamut(gamut))
    }
}

/// A value of 16 bits with eight.
pub fn narrow(value: u16) -> u8 {
    ((u32::from(value) + 128) / 257) as u8
}
