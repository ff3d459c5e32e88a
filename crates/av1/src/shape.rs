//! Sizes of blocks and transforms, and the ways to cut blocks (sections 3 and 6.10.4).

/// A rectangle whose sides are powers of two, as logarithms of samples.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Shape {
    pub w: u8,
    pub h: u8,
}

impl Shape {
    pub const fn new(w: u8, h: u8) -> Shape {
        Shape { w, h }
    }

    pub const fn square(side: u8) -> Shape {
        Shape { w: side, h: side }
    }

    pub const fn width(self) -> usize {
        1 << self.w
    }

    pub const fn height(self) -> usize {
        1 << self.h
    }

    pub const fn area(self) -> usize {
        1 << (self.w + self.h)
    }

    /// Width in units of four samples.
    pub const fn width4(self) -> usize {
        1 << (self.w - 2)
    }

    /// Height in units of four samples.
    pub const fn height4(self) -> usize {
        1 << (self.h - 2)
    }

    pub fn longer(self) -> u8 {
        self.w.max(self.h)
    }

    pub fn shorter(self) -> u8 {
        self.w.min(self.h)
    }

    /// At most so long on each side.
    pub fn within(self, side: u8) -> Shape {
        Shape::new(self.w.min(side), self.h.min(side))
    }

    /// The largest transform of a block.
    pub fn transform(self) -> Shape {
        self.within(6)
    }

    /// The size of a block in a plane that has fewer samples along each axis by these logarithms; at least four each
    /// way, as small blocks share their chroma.
    pub fn in_plane(self, (x, y): (u8, u8)) -> Shape {
        Shape::new((self.w - x).max(2), (self.h - y).max(2))
    }

    /// A transform cut once more.
    pub fn halved(self) -> Shape {
        Shape::new(
            self.w - u8::from(self.w >= self.h).min(self.w - 2),
            self.h - u8::from(self.h >= self.w).min(self.h - 2),
        )
    }

    /// The class of a transform that its coefficients share distributions with: 0 for 4 × 4, 4 for 64 × 64.
    pub fn class(self) -> usize {
        usize::from((self.longer() + self.shorter() - 3) / 2)
    }

    /// The place of a block's size in tables for each: from 128 × 128 down to 4 × 4.
    pub fn rank(self) -> usize {
        const ORDER: [(u8, u8); 22] = [
            (7, 7),
            (7, 6),
            (6, 7),
            (6, 6),
            (6, 5),
            (6, 4),
            (5, 6),
            (5, 5),
            (5, 4),
            (5, 3),
            (4, 6),
            (4, 5),
            (4, 4),
            (4, 3),
            (4, 2),
            (3, 5),
            (3, 4),
            (3, 3),
            (3, 2),
            (2, 4),
            (2, 3),
            (2, 2),
        ];
        ORDER
            .iter()
            .position(|&(w, h)| (w, h) == (self.w, self.h))
            .unwrap_or(0)
    }
}

/// A way to cut a square block, in the order of the standard.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) enum Cut {
    #[default]
    None,
    /// One above the other.
    Horizontal,
    /// Side by side.
    Vertical,
    Split,
    /// The upper half in two.
    TopSplit,
    BottomSplit,
    LeftSplit,
    RightSplit,
    /// Four, one above the other.
    Rows,
    /// Four side by side.
    Columns,
}

impl Cut {
    pub const ALL: [Cut; 10] = [
        Cut::None,
        Cut::Horizontal,
        Cut::Vertical,
        Cut::Split,
        Cut::TopSplit,
        Cut::BottomSplit,
        Cut::LeftSplit,
        Cut::RightSplit,
        Cut::Rows,
        Cut::Columns,
    ];

    /// The parts of a block of a side, as a logarithm, in the order in which they are coded: where they begin, in
    /// units of four samples, and their sizes. Those of a split are cut further.
    pub fn parts(self, side: u8) -> Vec<((usize, usize), Shape)> {
        let half = 1 << (side - 3);
        let (whole, small) = (Shape::square(side), Shape::square(side - 1));
        let (flat, tall) = (Shape::new(side, side - 1), Shape::new(side - 1, side));
        match self {
            Cut::None => vec![((0, 0), whole)],
            Cut::Horizontal => vec![((0, 0), flat), ((0, half), flat)],
            Cut::Vertical => vec![((0, 0), tall), ((half, 0), tall)],
            Cut::Split => vec![
                ((0, 0), small),
                ((half, 0), small),
                ((0, half), small),
                ((half, half), small),
            ],
            Cut::TopSplit => vec![((0, 0), small), ((half, 0), small), ((0, half), flat)],
            Cut::BottomSplit => vec![((0, 0), flat), ((0, half), small), ((half, half), small)],
            Cut::LeftSplit => vec![((0, 0), small), ((0, half), small), ((half, 0), tall)],
            Cut::RightSplit => vec![((0, 0), tall), ((half, 0), small), ((half, half), small)],
            Cut::Rows => (0..4)
                .map(|i| ((0, i * half / 2), Shape::new(side, side - 2)))
                .collect(),
            Cut::Columns => (0..4)
                .map(|i| ((i * half / 2, 0), Shape::new(side - 2, side)))
                .collect(),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn parts_cover_a_block_once() {
        for side in 3..=6 {
            for cut in Cut::ALL {
                if side == 3 && cut as u8 > 3 {
                    continue;
                }
                let parts = cut.parts(side);
                let area: usize = parts.iter().map(|(_, shape)| shape.area()).sum();
                assert_eq!(area, 1 << (2 * side), "{cut:?}");
                for ((x, y), shape) in parts {
                    assert!(
                        x * 4 + shape.width() <= 1 << side && y * 4 + shape.height() <= 1 << side
                    );
                    assert!(shape.longer() - shape.shorter() <= 2);
                }
            }
        }
    }

    #[test]
    fn transforms_are_cut_along_their_longer_side() {
        assert_eq!(Shape::new(6, 4).halved(), Shape::new(5, 4));
        assert_eq!(Shape::new(3, 4).halved(), Shape::new(3, 3));
        assert_eq!(Shape::square(5).halved(), Shape::square(4));
        assert_eq!(Shape::square(2).halved(), Shape::square(2));
        let classes = [
            (2, 2, 0),
            (2, 3, 1),
            (3, 3, 1),
            (3, 4, 2),
            (2, 4, 1),
            (3, 5, 2),
            (4, 6, 3),
            (6, 6, 4),
            (5, 6, 4),
        ];
        for (w, h, class) in classes {
            assert_eq!(Shape::new(w, h).class(), class, "{w} {h}");
        }
    }
}
