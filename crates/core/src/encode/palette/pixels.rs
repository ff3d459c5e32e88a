//! Pixels, and pixels as indices of colours.

use std::collections::HashMap;

use crate::pixels::Raster;

/// The samples of a raster as pixels with alpha.
pub(in crate::encode) struct Pixels<'a> {
    pub width: usize,
    pub height: usize,
    /// 3 or 4.
    pub channels: usize,
    pub samples: &'a [u8],
}

impl<'a> Pixels<'a> {
    pub fn of(raster: &'a Raster) -> Pixels<'a> {
        Pixels {
            width: raster.size().width() as usize,
            height: raster.size().height() as usize,
            channels: raster.channels().count(),
            samples: raster.samples(),
        }
    }

    /// Pixel by pixel; those that do not show are all the same.
    pub fn rgba(&self) -> impl ExactSizeIterator<Item = [u8; 4]> {
        let pixels = self.samples.chunks_exact(self.channels);
        pixels.map(|pixel| match pixel {
            [_, _, _, 0] => [0; 4],
            [r, g, b, alpha] => [*r, *g, *b, *alpha],
            _ => [pixel[0], pixel[1], pixel[2], 255],
        })
    }

    /// Each of its colours once, and which of them every pixel has; `None` where they are more than such
    /// numbers tell apart.
    pub fn numbered<N: Copy + TryFrom<usize>>(&self) -> Option<(Vec<[u8; 4]>, Vec<N>)> {
        let mut index: HashMap<[u8; 4], N> = HashMap::new();
        let mut colours = Vec::new();
        let mut numbers = Vec::with_capacity(self.width * self.height);
        let mut last: Option<([u8; 4], N)> = None;
        for pixel in self.rgba() {
            let known = last.filter(|(colour, _)| *colour == pixel);
            let known = known.map(|(_, number)| number);
            let number = match known.or_else(|| index.get(&pixel).copied()) {
                Some(number) => number,
                None => {
                    let number = N::try_from(colours.len()).ok()?;
                    colours.push(pixel);
                    index.insert(pixel, number);
                    number
                }
            };
            last = Some((pixel, number));
            numbers.push(number);
        }
        Some((colours, numbers))
    }
}

/// A picture as indices of colours.
pub(in crate::encode) struct Indexed {
    pub width: usize,
    pub indices: Vec<u8>,
    /// 1 to 256 colours.
    pub palette: Vec<[u8; 4]>,
}

impl Indexed {
    /// The picture that it shows, where a raster was to be shown.
    pub fn shown(&self, of: &Raster) -> Option<Raster> {
        let step = of.channels().count();
        let colours = self
            .indices
            .iter()
            .map(|index| &self.palette[usize::from(*index)]);
        let samples = colours
            .flat_map(|colour| &colour[..step])
            .copied()
            .collect();
        let shown = Raster::new(of.size(), of.channels(), samples)?;
        Some(shown.in_gamut(of.gamut()))
    }
}
