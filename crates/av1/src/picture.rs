//! Pictures as planes of samples.

/// How much chroma there is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Chroma {
    /// None: luma alone, as for transparency.
    None,
    /// Half as many samples along both axes (4:2:0).
    Halved,
    /// As many as of luma (4:4:4).
    Full,
}

impl Chroma {
    /// How many planes there are.
    pub fn planes(self) -> usize {
        match self {
            Chroma::None => 1,
            Chroma::Halved | Chroma::Full => 3,
        }
    }

    /// By which powers of two a plane is narrower and lower.
    pub(crate) fn shift(self, plane: usize) -> (u8, u8) {
        match self {
            Chroma::Halved if plane > 0 => (1, 1),
            _ => (0, 0),
        }
    }

    /// Width and height of a plane beside luma of a size.
    pub(crate) fn size(self, plane: usize, (width, height): (usize, usize)) -> (usize, usize) {
        let (x, y) = self.shift(plane);
        (width.div_ceil(1 << x), height.div_ceil(1 << y))
    }
}

/// How many bits a sample has.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Depth {
    /// From 0 to 255.
    Eight,
    /// From 0 to 1023.
    Ten,
}

impl Depth {
    /// The number of bits.
    pub fn bits(self) -> u32 {
        match self {
            Depth::Eight => 8,
            Depth::Ten => 10,
        }
    }
}

/// Samples of one kind, row by row without gaps.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Plane {
    width: usize,
    /// The first row that it holds, where it is a part whose rows are counted as in the whole.
    top: usize,
    samples: Vec<u16>,
}

impl Plane {
    /// From samples row by row; `None` where they are no whole rows, or none at all.
    pub fn new(width: usize, samples: Vec<u16>) -> Option<Plane> {
        let whole = width > 0 && !samples.is_empty() && samples.len().is_multiple_of(width);
        whole.then_some(Plane {
            width,
            top: 0,
            samples,
        })
    }

    /// Samples in a row.
    pub fn width(&self) -> usize {
        self.width
    }

    /// How many rows there are.
    pub fn height(&self) -> usize {
        self.samples.len() / self.width
    }

    /// All samples, row by row.
    pub fn samples(&self) -> &[u16] {
        &self.samples
    }

    pub(crate) fn samples_mut(&mut self) -> &mut [u16] {
        &mut self.samples
    }

    pub(crate) fn filled(width: usize, height: usize, sample: u16) -> Plane {
        Plane {
            width,
            top: 0,
            samples: vec![sample; width * height],
        }
    }

    /// Some blank rows of a whole, and where there is one the row before them.
    pub(crate) fn band(width: usize, start: usize, rows: usize) -> Plane {
        let top = start.saturating_sub(1);
        Plane {
            top,
            ..Plane::filled(width, start + rows - top, 0)
        }
    }

    /// The first row that it holds.
    pub(crate) fn top(&self) -> usize {
        self.top
    }

    pub(crate) fn at(&self, x: usize, y: usize) -> u16 {
        self.samples[(y - self.top) * self.width + x]
    }

    /// Some samples of a row.
    pub(crate) fn row(&self, x: usize, y: usize, count: usize) -> &[u16] {
        &self.samples[(y - self.top) * self.width + x..][..count]
    }

    pub(crate) fn row_mut(&mut self, x: usize, y: usize, count: usize) -> &mut [u16] {
        &mut self.samples[(y - self.top) * self.width + x..][..count]
    }

    /// Lays another over it, moved to a place where it fits.
    pub(crate) fn paste(&mut self, other: &Plane, (x, y): (usize, usize)) {
        for row in other.top..other.top + other.height() {
            let width = other.width;
            self.row_mut(x, y + row, width)
                .copy_from_slice(other.row(0, row, width));
        }
    }

    /// A part of it, from a place on.
    fn part(&self, (x, y): (usize, usize), (width, height): (usize, usize)) -> Plane {
        let rows = (y..y + height).flat_map(|y| self.row(x, y, width));
        Plane {
            width,
            top: 0,
            samples: rows.copied().collect(),
        }
    }

    /// The same, with its last column and row repeated or left out to get to a size.
    pub(crate) fn resized(&self, width: usize, height: usize) -> Plane {
        let mut samples = Vec::with_capacity(width * height);
        for y in 0..height {
            let row = self.row(0, y.min(self.height() - 1), self.width);
            samples.extend_from_slice(&row[..width.min(self.width)]);
            samples.resize((y + 1) * width, row[self.width - 1]);
        }
        Plane {
            width,
            top: 0,
            samples,
        }
    }
}

/// A picture.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Picture {
    chroma: Chroma,
    depth: Depth,
    planes: Vec<Plane>,
}

/// The longest side, in samples.
pub const LONGEST: usize = 1 << 16;

impl Picture {
    /// From luma, and blue and red chroma where there is any; `None` where sizes do not fit one another, a side is
    /// longer than [`LONGEST`], or a sample has more bits than the depth allows. Halved chroma is rounded up.
    pub fn new(chroma: Chroma, depth: Depth, planes: Vec<Plane>) -> Option<Picture> {
        let first = planes.first()?;
        let (width, height) = (first.width(), first.height());
        let fits = |(index, plane): (usize, &Plane)| {
            let samples = plane.samples().iter();
            (plane.width(), plane.height()) == chroma.size(index, (width, height))
                && samples.max().is_some_and(|&most| most >> depth.bits() == 0)
        };
        let fits = planes.len() == chroma.planes()
            && width.max(height) <= LONGEST
            && planes.iter().enumerate().all(fits);
        fits.then_some(Picture {
            chroma,
            depth,
            planes,
        })
    }

    /// A part of it, from an even place on.
    pub(crate) fn part(&self, at: (usize, usize), size: (usize, usize)) -> Option<Picture> {
        let part = |(index, plane): (usize, &Plane)| {
            let (x, y) = self.chroma.shift(index);
            plane.part((at.0 >> x, at.1 >> y), self.chroma.size(index, size))
        };
        let planes = self.planes.iter().enumerate().map(part);
        Picture::new(self.chroma, self.depth, planes.collect())
    }

    /// How much chroma there is.
    pub fn chroma(&self) -> Chroma {
        self.chroma
    }

    /// How many bits a sample has.
    pub fn depth(&self) -> Depth {
        self.depth
    }

    /// Luma, then blue and red chroma where there is any.
    pub fn planes(&self) -> &[Plane] {
        &self.planes
    }

    /// Samples of luma in a row.
    pub fn width(&self) -> usize {
        self.planes[0].width()
    }

    /// Rows of luma.
    pub fn height(&self) -> usize {
        self.planes[0].height()
    }
}
