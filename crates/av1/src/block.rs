//! What is decided of blocks.

use crate::palette::Palette;
use crate::predict::{Edges, Mode};
use crate::shape::{Cut, Shape};
use crate::transform::Kind;

/// How luma is predicted.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Luma {
    /// In a mode, by an angle that is so many steps off that of the mode.
    Mode(Mode, i8),
    /// By a recursive filter.
    Filter(u8),
}

impl Luma {
    /// A prediction of luma. With smooth neighbours directions are filtered more.
    pub fn predict(self, edges: &Edges, smooth: bool, out: &mut [u16]) {
        match self {
            Luma::Mode(mode, delta) => edges.predict(mode, delta.into(), smooth, out),
            Luma::Filter(filter) => edges.filtered(filter.into(), out),
        }
    }

    /// What it counts as for its neighbours and for chroma.
    pub fn mode(self) -> Mode {
        match self {
            Luma::Mode(mode, _) => mode,
            Luma::Filter(_) => Mode::Mean,
        }
    }

    /// The mode that transform types are told by.
    pub fn likeness(self) -> Mode {
        const LIKE: [Mode; 5] = [
            Mode::Mean,
            Mode::Vertical,
            Mode::Horizontal,
            Mode::D157,
            Mode::Mean,
        ];
        match self {
            Luma::Mode(mode, _) => mode,
            Luma::Filter(filter) => LIKE[usize::from(filter)],
        }
    }
}

/// How chroma is predicted.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Tint {
    Mode(Mode, i8),
    /// Told from luma, so many eighths of it for blue and for red.
    Luma([i8; 2]),
}

impl Tint {
    /// Its number among the modes of chroma.
    pub fn number(self) -> usize {
        match self {
            Tint::Mode(mode, _) => mode as usize,
            Tint::Luma(_) => 13,
        }
    }

    /// The mode of its prediction, before luma is added.
    pub fn mode(self) -> (Mode, i8) {
        match self {
            Tint::Mode(mode, delta) => (mode, delta),
            Tint::Luma(_) => (Mode::Mean, 0),
        }
    }

    /// The transform type of its coefficients, where the size allows for it.
    pub fn kind(self) -> Kind {
        let Tint::Mode(mode, _) = self else {
            return Kind::Cosine;
        };
        match mode {
            Mode::Mean | Mode::D45 => Kind::Cosine,
            Mode::Vertical | Mode::D113 | Mode::D67 | Mode::SmoothVertical => Kind::SineDown,
            Mode::Horizontal | Mode::D157 | Mode::D203 | Mode::SmoothHorizontal => Kind::SineAcross,
            Mode::D135 | Mode::Smooth | Mode::Paeth => Kind::Sine,
        }
    }
}

/// The most transform blocks of luma that a block has.
pub(crate) const TRANSFORMS: usize = 16;

/// Where a block is copied from, beside where it is, in samples of luma.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct Offset {
    pub x: i16,
    pub y: i16,
}

impl Offset {
    /// All are nearer than that each way, so that any two are no further apart than can be told.
    pub const FAR: u16 = 1024;

    /// From one place to another, where that is not too far.
    pub fn between(from: (usize, usize), to: (usize, usize)) -> Option<Offset> {
        let way = |from: usize, to: usize| {
            let way = i16::try_from(to as i64 - from as i64).ok()?;
            (way.unsigned_abs() < Offset::FAR).then_some(way)
        };
        Some(Offset {
            x: way(from.0, to.0)?,
            y: way(from.1, to.1)?,
        })
    }
}

/// A block that is not cut further.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Leaf {
    pub luma: Luma,
    /// Counts where the block has chroma.
    pub tint: Tint,
    /// How often its transform is cut.
    pub depth: u8,
    /// The types of its transform blocks in luma, where there is a choice.
    pub kinds: [Kind; TRANSFORMS],
    /// From where it is copied instead, if it is: its modes are `Mean` then, its transform is whole.
    pub copied: Option<Offset>,
    /// Those of all planes, where any has one: its mode is `Mean` then.
    pub palettes: Option<Box<[Palette; 3]>>,
}

impl Leaf {
    /// One in a mode, of which no more is decided.
    pub fn new(luma: Luma) -> Leaf {
        Leaf {
            luma,
            tint: Tint::Mode(Mode::Mean, 0),
            depth: 0,
            kinds: [Kind::Cosine; TRANSFORMS],
            copied: None,
            palettes: None,
        }
    }

    /// One that is copied, with its transform of a type.
    pub fn copied(offset: Offset, kind: Kind) -> Leaf {
        Leaf {
            copied: Some(offset),
            kinds: [kind; TRANSFORMS],
            ..Leaf::new(Luma::Mode(Mode::Mean, 0))
        }
    }

    /// The palette of a plane; without colours where there is none.
    pub fn palette(&self, plane: usize) -> Palette {
        self.palettes
            .as_ref()
            .map_or_else(Palette::default, |palettes| palettes[plane])
    }

    /// Those of chroma.
    pub fn tint_palettes(&self) -> [Palette; 2] {
        [self.palette(1), self.palette(2)]
    }

    /// Gives palettes to some planes from one on, or takes them away.
    pub fn set_palettes(&mut self, plane: usize, palettes: &[Palette]) {
        let mut all = [0, 1, 2].map(|plane| self.palette(plane));
        all[plane..plane + palettes.len()].copy_from_slice(palettes);
        let any = all.iter().any(|palette| !palette.is_empty());
        self.palettes = any.then(|| Box::new(all));
    }

    /// The transform of luma.
    pub fn transform(&self, shape: Shape) -> Shape {
        (0..self.depth).fold(shape.transform(), |shape, _| shape.halved())
    }
}

/// A square block, cut or not.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct Node {
    pub cut: Cut,
    /// Those within the picture, in order.
    pub parts: Vec<Part>,
}

/// A part of a square block.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Part {
    Leaf(Box<Leaf>),
    /// Of a split block.
    Node(Node),
}

/// Whether finer angles are told for blocks of a size.
pub(crate) fn has_angles(shape: Shape) -> bool {
    shape.w + shape.h >= 6
}

/// Whether recursive filters may predict blocks of a size.
pub(crate) fn has_filters(shape: Shape) -> bool {
    shape.longer() <= 5
}

/// Whether a mode of luma may be told of blocks of a size.
pub(crate) fn fits(shape: Shape, luma: Luma) -> bool {
    match luma {
        Luma::Filter(_) => has_filters(shape),
        Luma::Mode(_, delta) => delta == 0 || has_angles(shape),
    }
}

/// Whether chroma may be told from luma in blocks of a size.
pub(crate) fn has_luma_tint(shape: Shape) -> bool {
    shape.longer() <= 5
}
