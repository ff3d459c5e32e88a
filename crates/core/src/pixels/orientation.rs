//! The eight ways in which a stored picture can stand, and how to set it upright.

use serde::{Deserialize, Serialize};

use super::{Raster, Region, Size};

/// How the stored rows must be turned to stand upright: the EXIF orientation tag, 1 to 8
/// (Exif 2.32, table 4, tag 274).
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Orientation {
    /// 1: as stored.
    #[default]
    Upright,
    /// 2: mirrored left to right.
    Mirrored,
    /// 3: turned by half a circle.
    UpsideDown,
    /// 4: mirrored top to bottom.
    Flipped,
    /// 5: mirrored along the falling diagonal.
    Transposed,
    /// 6: to be turned a quarter clockwise.
    QuarterClockwise,
    /// 7: mirrored along the rising diagonal.
    Transversed,
    /// 8: to be turned a quarter anticlockwise.
    QuarterAnticlockwise,
}

impl Orientation {
    /// All eight, in the order of their EXIF numbers.
    pub const ALL: [Orientation; 8] = [
        Orientation::Upright,
        Orientation::Mirrored,
        Orientation::UpsideDown,
        Orientation::Flipped,
        Orientation::Transposed,
        Orientation::QuarterClockwise,
        Orientation::Transversed,
        Orientation::QuarterAnticlockwise,
    ];

    /// The orientation of an EXIF number; anything outside 1 to 8 counts as upright.
    pub fn from_exif(number: u32) -> Self {
        let index = (number as usize).wrapping_sub(1);
        Self::ALL.get(index).copied().unwrap_or_default()
    }

    /// Whether width and height change places.
    pub fn swaps_sides(self) -> bool {
        use Orientation::*;
        matches!(
            self,
            Transposed | QuarterClockwise | Transversed | QuarterAnticlockwise
        )
    }

    /// The size of a stored picture once it stands upright. Its own inverse.
    pub fn apply_to_size(self, stored: Size) -> Size {
        if self.swaps_sides() {
            stored.turned()
        } else {
            stored
        }
    }

    /// The one orientation that does what this one does, and then another.
    pub fn then(self, next: Orientation) -> Orientation {
        // Any picture without symmetry tells them apart; 3 × 2 pixels do.
        const SAMPLE: Size = Size {
            width: 3,
            height: 2,
        };
        let between = self.apply_to_size(SAMPLE);
        let both = |x, y| {
            let (x, y) = next.stored_position(x, y, between);
            self.stored_position(x, y, SAMPLE)
        };
        let turned = next.apply_to_size(between);
        let same = |candidate: &Orientation| {
            candidate.apply_to_size(SAMPLE) == turned
                && (0..turned.height).all(|y| {
                    (0..turned.width).all(|x| candidate.stored_position(x, y, SAMPLE) == both(x, y))
                })
        };
        Self::ALL.into_iter().find(same).unwrap_or(self)
    }

    /// The part of a stored picture that a part of the upright one shows.
    pub fn stored_region(self, upright: Region, stored: Size) -> Region {
        use Orientation::*;
        let (right, bottom) = (f64::from(stored.width), f64::from(stored.height));
        let Region {
            x,
            y,
            width,
            height,
        } = upright;
        let (width, height) = if self.swaps_sides() {
            (height, width)
        } else {
            (width, height)
        };
        let (x, y) = match self {
            Upright => (x, y),
            Mirrored => (right - x - width, y),
            UpsideDown => (right - x - width, bottom - y - height),
            Flipped => (x, bottom - y - height),
            Transposed => (y, x),
            QuarterClockwise => (y, bottom - x - height),
            Transversed => (right - y - width, bottom - x - height),
            QuarterAnticlockwise => (right - y - width, x),
        };
        Region {
            x,
            y,
            width,
            height,
        }
    }

    /// The part of the upright picture that shows a part of the stored one.
    pub fn upright_region(self, stored: Region, size: Size) -> Region {
        // What turns the upright picture back is the orientation that undoes this one.
        let undone = |other: &Orientation| self.then(*other) == Orientation::Upright;
        let back = Self::ALL.into_iter().find(undone).unwrap_or(self);
        back.stored_region(stored, self.apply_to_size(size))
    }

    /// The stored position (column, row) that an upright position shows.
    fn stored_position(self, x: u32, y: u32, stored: Size) -> (u32, u32) {
        use Orientation::*;
        let (right, bottom) = (stored.width() - 1, stored.height() - 1);
        match self {
            Upright => (x, y),
            Mirrored => (right - x, y),
            UpsideDown => (right - x, bottom - y),
            Flipped => (x, bottom - y),
            Transposed => (y, x),
            QuarterClockwise => (y, bottom - x),
            Transversed => (right - y, bottom - x),
            QuarterAnticlockwise => (right - y, x),
        }
    }

    /// The raster, set upright.
    pub fn apply(self, stored: Raster) -> Raster {
        if self == Orientation::Upright {
            return stored;
        }
        let upright = self.apply_to_size(stored.size());
        stored.rearranged(upright, |x, y| self.stored_position(x, y, stored.size()))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::pixels::Channels;

    /// A 3×2 picture whose upright form reads `abc/def`, stored as each EXIF number says.
    #[test]
    fn two_turns_are_one_and_regions_turn_with_their_picture() {
        let size = Size::new(4, 3).expect("a size");
        let samples = (0..12u8).flat_map(|i| [i, 0, 0]).collect();
        let raster = Raster::new(size, crate::pixels::Channels::Rgb, samples).expect("whole rows");
        for first in Orientation::ALL {
            for second in Orientation::ALL {
                let twice = second.apply(first.apply(raster.clone()));
                assert_eq!(
                    first.then(second).apply(raster.clone()),
                    twice,
                    "{first:?} {second:?}"
                );
            }
            // One upright pixel as a region, and the stored pixel that it shows.
            let upright = first.apply(raster.clone());
            let region = Region {
                x: 1.0,
                y: 2.0,
                width: 1.0,
                height: 1.0,
            };
            let stored = first.stored_region(region, size);
            assert_eq!(first.upright_region(stored, size), region, "{first:?}");
            let at = |raster: &Raster, x: f64, y: f64| {
                raster.samples()[(y as usize * raster.size().width() as usize + x as usize) * 3]
            };
            assert_eq!(
                at(&upright, 1.0, 2.0),
                at(&raster, stored.x, stored.y),
                "{first:?}"
            );
        }
    }

    #[test]
    fn all_eight_orientations_stand_upright() {
        let stored: [(u32, &[&str]); 8] = [
            (1, &["abc", "def"]),
            (2, &["cba", "fed"]),
            (3, &["fed", "cba"]),
            (4, &["def", "abc"]),
            (5, &["ad", "be", "cf"]),
            (6, &["cf", "be", "ad"]),
            (7, &["fc", "eb", "da"]),
            (8, &["da", "eb", "fc"]),
        ];
        for (number, rows) in stored {
            let samples = rows.concat().bytes().flat_map(|b| [b, b, b]).collect();
            let size = Size::new(rows[0].len() as u32, rows.len() as u32).expect("a size");
            let raster = Raster::new(size, Channels::Rgb, samples).expect("whole rows");
            let upright = Orientation::from_exif(number).apply(raster);
            let letters: Vec<u8> = upright.samples().chunks(3).map(|p| p[0]).collect();
            assert_eq!(upright.size(), Size::new(3, 2).expect("a size"), "{number}");
            assert_eq!(String::from_utf8_lossy(&letters), "abcdef", "{number}");
        }
    }

    #[test]
    fn numbers_outside_the_standard_change_nothing() {
        for number in [0, 9, 65_535, u32::MAX] {
            assert_eq!(Orientation::from_exif(number), Orientation::Upright);
        }
    }
}
