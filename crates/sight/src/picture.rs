//! A picture as it is given: 8-bit samples, as they would be shown.

/// The primaries that samples are meant in; the transfer curve is that of sRGB (IEC 61966-2-1)
/// for both.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Primaries {
    /// Those of sRGB.
    #[default]
    Srgb,
    /// Those of Display P3 (SMPTE EG 432-1 with the white point D65).
    DisplayP3,
}

/// Borrowed samples, row by row from the top, without gaps.
#[derive(Clone, Copy, Debug)]
pub struct Picture<'a> {
    pub(crate) width: usize,
    pub(crate) height: usize,
    pub(crate) samples: &'a [u8],
    pub(crate) channels: usize,
    pub(crate) primaries: Primaries,
}

impl<'a> Picture<'a> {
    /// Red, green and blue; `None` where the samples do not fill `width × height` pixels or there
    /// is no pixel at all.
    pub fn rgb(width: usize, height: usize, samples: &'a [u8]) -> Option<Picture<'a>> {
        Picture::new(width, height, samples, 3)
    }

    /// Red, green, blue and straight alpha; `None` as for [`Picture::rgb`].
    pub fn rgba(width: usize, height: usize, samples: &'a [u8]) -> Option<Picture<'a>> {
        Picture::new(width, height, samples, 4)
    }

    fn new(width: usize, height: usize, samples: &'a [u8], channels: usize) -> Option<Self> {
        let pixels = width.checked_mul(height).filter(|&pixels| pixels > 0)?;
        (pixels.checked_mul(channels)? == samples.len()).then_some(Picture {
            width,
            height,
            samples,
            channels,
            primaries: Primaries::Srgb,
        })
    }

    /// The same samples, meant in other primaries.
    pub fn with_primaries(self, primaries: Primaries) -> Picture<'a> {
        Picture { primaries, ..self }
    }

    /// Whether anything shows through it.
    pub(crate) fn is_transparent(&self) -> bool {
        let alphas = || self.samples.iter().skip(3).step_by(4);
        self.channels == 4 && alphas().any(|&alpha| alpha < 255)
    }
}

/// What a picture is laid over.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Ground {
    Black,
    White,
}

/// A picture on a ground, large enough for the measure.
pub(crate) struct View<'a> {
    picture: Picture<'a>,
    ground: u32,
    /// How often each pixel is repeated both ways.
    repeats: usize,
}

/// The measure halves a scale only while both sides have this many pixels.
pub(crate) const LEAST_SIDE: usize = 8;

impl<'a> View<'a> {
    /// Pixels of a picture with a side below eight are repeated until it has eight: they are seen
    /// as larger ones, and what differs still counts.
    pub(crate) fn new(picture: Picture<'a>, ground: Ground) -> View<'a> {
        let side = picture.width.min(picture.height);
        View {
            picture,
            ground: match ground {
                Ground::Black => 0,
                Ground::White => 255,
            },
            repeats: LEAST_SIDE.div_ceil(side),
        }
    }

    pub(crate) fn primaries(&self) -> Primaries {
        self.picture.primaries
    }

    pub(crate) fn width(&self) -> usize {
        self.picture.width * self.repeats
    }

    pub(crate) fn height(&self) -> usize {
        self.picture.height * self.repeats
    }

    /// The planes of a row in linear light, 0 to 1, by a table of all 256 levels. Transparent
    /// pixels are blended as a browser does it: on encoded samples, rounded to whole levels.
    pub(crate) fn light(&self, y: usize, levels: &[f32; 256], planes: &mut [Vec<f32>; 3]) {
        let Picture {
            width, channels, ..
        } = self.picture;
        let pitch = width * channels;
        let start = y / self.repeats * pitch;
        let row = &self.picture.samples[start..start + pitch];
        let [red, green, blue] = planes;
        let out = red.iter_mut().zip(green).zip(blue);
        if channels == 3 && self.repeats == 1 {
            for (((r, g), b), pixel) in out.zip(row.as_chunks::<3>().0) {
                *r = levels[usize::from(pixel[0])];
                *g = levels[usize::from(pixel[1])];
                *b = levels[usize::from(pixel[2])];
            }
            return;
        }
        for (x, ((r, g), b)) in out.enumerate() {
            let pixel = &row[x / self.repeats * channels..][..channels];
            let alpha = pixel.get(3).map_or(255, |&alpha| u32::from(alpha));
            let over = |sample: u8| {
                let blended = u32::from(sample) * alpha + self.ground * (255 - alpha);
                levels[((blended + 127) / 255) as usize]
            };
            (*r, *g, *b) = (over(pixel[0]), over(pixel[1]), over(pixel[2]));
        }
    }
}
