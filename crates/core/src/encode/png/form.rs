//! The same pixels in fewer bits: grey where they are grey, without alpha where they are opaque, as
//! a palette where there are few.

use super::order;
use crate::encode::palette::{Indexed, Pixels};

/// What the samples of a form stand for (W3C PNG, third edition, 11.2.1).
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[repr(u8)]
pub(super) enum Colour {
    /// One sample a pixel.
    Grey = 0,
    /// Three.
    Rgb = 2,
    /// One, the index of a colour.
    Palette = 3,
    /// Grey and alpha.
    GreyAlpha = 4,
    /// Four.
    Rgba = 6,
}

impl Colour {
    /// Samples of a pixel: so many bytes lie between a byte and the one that it is foretold from, at least
    /// one.
    pub fn samples(self) -> usize {
        match self {
            Colour::Grey | Colour::Palette => 1,
            Colour::GreyAlpha => 2,
            Colour::Rgb => 3,
            Colour::Rgba => 4,
        }
    }
}

/// A way to store the same pixels.
pub(super) struct Form {
    pub colour: Colour,
    /// Bits of a sample.
    pub bits: u8,
    /// Bytes of a row.
    pub pitch: usize,
    /// The colours that indices stand for, those that are not opaque first.
    pub palette: Vec<[u8; 4]>,
    /// The one colour that stands for a transparent pixel.
    pub key: Option<[u8; 3]>,
    samples: Vec<u8>,
}

impl Form {
    pub fn row(&self, y: usize) -> &[u8] {
        &self.samples[y * self.pitch..][..self.pitch]
    }

    /// How many rows there are.
    pub fn height(&self) -> usize {
        self.samples.len() / self.pitch
    }

    /// What its rows come to before they are deflated.
    pub fn bytes(&self) -> usize {
        self.samples.len() + self.height()
    }

    /// Whether its samples are levels of grey.
    pub fn is_grey(&self) -> bool {
        matches!(self.colour, Colour::Grey | Colour::GreyAlpha)
    }

    /// Whether several pixels share a byte.
    pub fn is_coarse(&self) -> bool {
        self.bits < 8
    }

    /// All forms that may turn out to be the lightest, the likeliest first.
    pub fn exact(pixels: &Pixels<'_>) -> Vec<Form> {
        let is_grey = |[r, g, b, _]: [u8; 4]| r == g && g == b;
        let grey = pixels.rgba().all(is_grey);
        let opaque = pixels.channels == 3 || pixels.rgba().all(|pixel| pixel[3] == 255);
        let mut forms = Vec::new();
        if grey && opaque {
            forms.push(Form::grey(pixels));
        }
        if let Some((palette, indices)) = pixels.numbered() {
            forms.extend(Form::indexed(&Indexed {
                width: pixels.width,
                indices,
                palette,
            }));
            return forms;
        }
        match (grey, opaque) {
            // There are no more than 256 greys.
            (true, true) => {}
            (true, false) => forms.push(Form::of(pixels, Colour::GreyAlpha)),
            (false, true) => forms.push(Form::of(pixels, Colour::Rgb)),
            (false, false) => {
                forms.extend(Form::keyed(pixels));
                forms.push(Form::of(pixels, Colour::Rgba));
            }
        }
        forms
    }

    /// Eight bits a sample.
    fn of(pixels: &Pixels<'_>, colour: Colour) -> Form {
        let pitch = pixels.width * colour.samples();
        let mut samples = Vec::with_capacity(pitch * pixels.height);
        for [r, g, b, alpha] in pixels.rgba() {
            match colour {
                Colour::Grey | Colour::Palette => samples.push(r),
                Colour::GreyAlpha => samples.extend([r, alpha]),
                Colour::Rgb => samples.extend([r, g, b]),
                Colour::Rgba => samples.extend([r, g, b, alpha]),
            }
        }
        Form {
            colour,
            bits: 8,
            pitch,
            palette: Vec::new(),
            key: None,
            samples,
        }
    }

    /// Grey in as few bits as tell its levels apart.
    fn grey(pixels: &Pixels<'_>) -> Form {
        let mut seen = [false; 256];
        pixels
            .rgba()
            .for_each(|pixel| seen[usize::from(pixel[0])] = true);
        let all = |step: usize| {
            seen.iter()
                .enumerate()
                .all(|(v, seen)| !seen || v % step == 0)
        };
        let bits = match () {
            () if all(255) => 1,
            () if all(85) => 2,
            () if all(17) => 4,
            () => 8,
        };
        // A level of fewer bits stands for a multiple of this one.
        let step = 255 / ((1u16 << bits) - 1) as u8;
        let levels = pixels.rgba().map(|pixel| pixel[0] / step);
        Form::packed(pixels.width, Colour::Grey, bits, levels)
    }

    /// Opaque pixels, and one colour that none of them has for those that do not show; `None`
    /// where pixels show in part, or every colour is in use.
    fn keyed(pixels: &Pixels<'_>) -> Option<Form> {
        if pixels.rgba().any(|pixel| !matches!(pixel[3], 0 | 255)) {
            return None;
        }
        let opaque = || pixels.rgba().filter(|pixel| pixel[3] == 255);
        // Greys first: they are what neighbouring bytes are foretold from most easily.
        let mut greys = [false; 256];
        let equal = |[r, g, b, _]: &[u8; 4]| r == g && g == b;
        opaque()
            .filter(equal)
            .for_each(|pixel| greys[usize::from(pixel[0])] = true);
        let free = greys.iter().position(|seen| !seen)? as u8;
        let mut form = Form::of(pixels, Colour::Rgb);
        let spots = form.samples.chunks_exact_mut(3).zip(pixels.rgba());
        for (spot, pixel) in spots {
            if pixel[3] == 0 {
                spot.fill(free);
            }
        }
        form.key = Some([free; 3]);
        Some(form)
    }

    /// Indices of colours, in as few bits as tell them apart, the palette in some orders.
    pub fn indexed(picture: &Indexed) -> Vec<Form> {
        let form = |order: Vec<u8>| {
            let mut places = [0u8; 256];
            for (new, old) in (0..=255).zip(&order) {
                places[usize::from(*old)] = new;
            }
            let bits = match order.len() {
                0..=2 => 1,
                3..=4 => 2,
                5..=16 => 4,
                _ => 8,
            };
            let indices = picture
                .indices
                .iter()
                .map(|index| places[usize::from(*index)]);
            let form = Form::packed(picture.width, Colour::Palette, bits, indices);
            let palette = order.iter().map(|old| picture.palette[usize::from(*old)]);
            Form {
                palette: palette.collect(),
                ..form
            }
        };
        order::orders(picture).into_iter().map(form).collect()
    }

    /// One sample a pixel, several in a byte where they fit: the first in its highest bits.
    fn packed(
        width: usize,
        colour: Colour,
        bits: u8,
        mut samples: impl ExactSizeIterator<Item = u8>,
    ) -> Form {
        let height = samples.len() / width;
        let pitch = (width * usize::from(bits)).div_ceil(8);
        let mut packed = Vec::with_capacity(pitch * height);
        let in_byte = 8 / usize::from(bits);
        for _ in 0..height {
            let mut left = width;
            while left > 0 {
                let here = left.min(in_byte);
                let mut byte = 0u8;
                for place in 0..here {
                    let sample = samples.next().unwrap_or(0);
                    byte |= sample << (8 - usize::from(bits) * (place + 1));
                }
                packed.push(byte);
                left -= here;
            }
        }
        Form {
            colour,
            bits,
            pitch,
            palette: Vec::new(),
            key: None,
            samples: packed,
        }
    }
}
