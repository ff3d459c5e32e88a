//! From luma and chroma to red, green and blue, by the code points of ITU-T H.273.

/// Code points of ITU-T H.273, and whether samples use all of their values.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Meaning {
    /// The primaries.
    pub primaries: u16,
    /// The transfer function.
    pub transfer: u16,
    /// The matrix.
    pub matrix: u16,
    /// Whether all values are used.
    pub full: bool,
}

/// Why colours cannot be told.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Unmixed {
    /// Planes are colours, and not all whole.
    Parted,
    /// They are mixed in no common way.
    Uncommon,
}

/// The greatest value of so many bits.
pub(super) fn most(bits: u32) -> u32 {
    (1 << bits) - 1
}

/// How luma and chroma become red, green and blue.
pub(super) struct Mixing {
    /// What luma is less, and what it is then multiplied by.
    luma: (f32, f32),
    /// The middle of chroma, and what it is then multiplied by.
    chroma: (f32, f32),
    most: f32,
    way: MixingWay,
}

enum MixingWay {
    /// The planes are green, blue and red.
    Identity,
    /// Luma with what chroma adds: to red by the second, to green by both, to blue by the first.
    Weights {
        red: f32,
        green: (f32, f32),
        blue: f32,
    },
    /// Luma, and differences to green and to orange.
    GreenOrange,
}

impl Mixing {
    /// For samples of so many bits; `whole` where chroma has as many of them as luma.
    pub(super) fn new(meaning: Meaning, bits: u32, whole: bool) -> Result<Mixing, Unmixed> {
        let unit = (1u32 << (bits - 8)) as f32;
        let most = most(bits) as f32;
        let middle = 128.0 * unit;
        let (luma, chroma) = match meaning.full {
            true => ((0.0, 1.0), (middle, 1.0)),
            false => (
                (16.0 * unit, most / (219.0 * unit)),
                (middle, most / (224.0 * unit)),
            ),
        };
        // The shares of red and of blue in luma.
        let weights = |red: f64, blue: f64| {
            let green = 1.0 - red - blue;
            let of = |share: f64| 2.0 * share * (1.0 - share) / green;
            MixingWay::Weights {
                red: (2.0 * (1.0 - red)) as f32,
                green: (of(blue) as f32, of(red) as f32),
                blue: (2.0 * (1.0 - blue)) as f32,
            }
        };
        let way = match meaning.matrix {
            0 if whole => MixingWay::Identity,
            0 => return Err(Unmixed::Parted),
            1 => weights(0.2126, 0.0722),
            // Where nothing is said, it is that of most pictures.
            2 | 5 | 6 => weights(0.299, 0.114),
            4 => weights(0.30, 0.11),
            7 => weights(0.212, 0.087),
            8 => MixingWay::GreenOrange,
            9 => weights(0.2627, 0.0593),
            _ => return Err(Unmixed::Uncommon),
        };
        Ok(Mixing {
            luma,
            chroma,
            most,
            way,
        })
    }

    fn bounded(&self, value: f32) -> u16 {
        (value + 0.5).clamp(0.0, self.most) as u16
    }

    pub(super) fn grey(&self, luma: u16) -> u16 {
        let (black, scale) = self.luma;
        self.bounded((f32::from(luma) - black) * scale)
    }

    pub(super) fn colour(&self, luma: u16, first: u16, second: u16) -> [u16; 3] {
        if let MixingWay::Identity = self.way {
            return [second, luma, first].map(|value| self.grey(value));
        }
        let y = (f32::from(luma) - self.luma.0) * self.luma.1;
        let [first, second] =
            [first, second].map(|value| (f32::from(value) - self.chroma.0) * self.chroma.1);
        let colours = match self.way {
            MixingWay::Weights { red, green, blue } => [
                y + red * second,
                y - green.0 * first - green.1 * second,
                y + blue * first,
            ],
            _ => [y - first + second, y + first, y - first - second],
        };
        colours.map(|colour| self.bounded(colour))
    }
}
