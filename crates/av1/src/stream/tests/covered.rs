//! Which tools of the standard pictures were made with.

use std::collections::BTreeMap;

use crate::block::{self, Leaf, Luma, Node, Part, Tint};
use crate::filter::Filters;
use crate::frame::{Frame, SUPERBLOCK};
use crate::palette;
use crate::picture::{Chroma, Depth};
use crate::predict::Mode;
use crate::shape::{Cut, Shape};
use crate::transform::Kind;

/// How often each tool was used, by its name.
#[derive(Clone, Debug, Default)]
pub struct Covered(BTreeMap<String, usize>);

impl Covered {
    /// All that there are, none of them used yet.
    pub fn none() -> Covered {
        let mut all = Covered::default();
        let mut name = |name: String| {
            all.0.insert(name, 0);
        };
        for chroma in [Chroma::None, Chroma::Halved, Chroma::Full] {
            for depth in [Depth::Eight, Depth::Ten] {
                name(format!("{chroma:?} {depth:?}"));
                name(format!("{chroma:?} {depth:?} lossless"));
            }
            for plane in 0..chroma.planes().min(2) {
                (2..=palette::MOST)
                    .for_each(|count| name(format!("palette {chroma:?} {plane} {count}")));
            }
            name(format!("copied {chroma:?}"));
        }
        for shape in SHAPES.map(|(w, h)| Shape::new(w, h)) {
            let (width, height) = (shape.width(), shape.height());
            name(format!("block {width}x{height}"));
            Mode::ALL
                .iter()
                .for_each(|mode| name(format!("mode {width}x{height} {mode:?}")));
            if block::has_filters(shape) {
                (0..5).for_each(|filter| name(format!("mode {width}x{height} filter {filter}")));
            }
            if shape == shape.transform() {
                let kinds = match shape.longer() {
                    5.. => &[Kind::Cosine][..],
                    4 if shape.shorter() == 4 => &Kind::FIVE,
                    _ => &Kind::ALL,
                };
                for kind in kinds {
                    name(format!("transform {width}x{height} {kind:?}"));
                }
            }
        }
        Cut::ALL.iter().for_each(|cut| name(format!("cut {cut:?}")));
        (-3..=3).for_each(|delta| name(format!("angle {delta}")));
        Mode::ALL
            .iter()
            .for_each(|mode| name(format!("chroma {mode:?}")));
        (0..=2).for_each(|depth| name(format!("transform cut {depth}")));
        for one in [
            "chroma Luma",
            "copied Identity",
            "copied few",
            "weights",
            "edges not filtered",
            "few kinds",
            "spread",
        ] {
            name(one.to_owned());
        }
        (0..=3).for_each(|bits| name(format!("directional of {}", 1 << bits)));
        for one in ["deblocked across", "deblocked down", "deblocked chroma"] {
            name(one.to_owned());
        }
        all
    }

    fn used(&mut self, name: String) {
        *self.0.entry(name).or_default() += 1;
    }

    /// Counts what a frame was made with.
    pub fn frame(&mut self, frame: &Frame, filters: &Filters) {
        let lossless = if frame.is_lossless() { " lossless" } else { "" };
        self.used(format!("{:?} {:?}{lossless}", frame.chroma, frame.depth));
        let mut flag = |is: bool, name: &str| {
            if is {
                self.used(name.to_owned());
            }
        };
        flag(frame.scales.weights != [15; 2], "weights");
        flag(!frame.filters_edges, "edges not filtered");
        flag(frame.few_kinds, "few kinds");
        flag(frame.spread.is_some(), "spread");
        if frame.is_filtered() {
            flag(true, &format!("directional of {}", filters.strengths.len()));
            flag(filters.levels[0] > 0, "deblocked across");
            flag(filters.levels[1] > 0, "deblocked down");
            flag(filters.levels[2] > 0, "deblocked chroma");
        }
    }

    /// Counts those of a superblock.
    pub fn superblock(&mut self, frame: &Frame, node: &Node) {
        self.node(frame, node, SUPERBLOCK);
    }

    fn node(&mut self, frame: &Frame, node: &Node, side: u8) {
        self.used(format!("cut {:?}", node.cut));
        for (part, (_, shape)) in node.parts.iter().zip(node.cut.parts(side)) {
            match part {
                Part::Node(node) => self.node(frame, node, shape.w),
                Part::Leaf(leaf) => self.leaf(frame, leaf, shape),
            }
        }
    }

    fn leaf(&mut self, frame: &Frame, leaf: &Leaf, shape: Shape) {
        let (width, height) = (shape.width(), shape.height());
        self.used(format!("block {width}x{height}"));
        if leaf.copied.is_some() {
            self.used(format!("copied {:?}", frame.chroma));
            if leaf.kinds[0] == Kind::Identity {
                self.used("copied Identity".to_owned());
            }
            if frame.few_kinds {
                self.used("copied few".to_owned());
            }
            return;
        }
        match leaf.luma {
            Luma::Mode(mode, delta) => {
                self.used(format!("mode {width}x{height} {mode:?}"));
                self.used(format!("angle {delta}"));
            }
            Luma::Filter(filter) => self.used(format!("mode {width}x{height} filter {filter}")),
        }
        for plane in 0..2 {
            let count = leaf.palette(plane).len();
            if count > 0 {
                self.used(format!("palette {:?} {plane} {count}", frame.chroma));
            }
        }
        if frame.chroma != Chroma::None {
            self.used(match leaf.tint {
                Tint::Mode(mode, _) => format!("chroma {mode:?}"),
                Tint::Luma(_) => "chroma Luma".to_owned(),
            });
        }
        if !frame.is_lossless() {
            let transform = leaf.transform(shape);
            let kind = match transform.longer() {
                5.. => Kind::Cosine,
                _ => leaf.kinds[0],
            };
            let (width, height) = (transform.width(), transform.height());
            self.used(format!("transform cut {}", leaf.depth));
            self.used(format!("transform {width}x{height} {kind:?}"));
        }
    }

    pub fn add(&mut self, other: Covered) {
        for (name, count) in other.0 {
            *self.0.entry(name).or_default() += count;
        }
    }

    /// Those that were not used, or of which it was not known that they could be.
    pub fn amiss(&self) -> Vec<&str> {
        let known = Covered::none();
        let amiss = self
            .0
            .iter()
            .filter(|(name, count)| **count == 0 || !known.0.contains_key(*name));
        amiss.map(|(name, _)| name.as_str()).collect()
    }
}

/// The sides of all blocks, as logarithms.
const SHAPES: [(u8, u8); 19] = [
    (2, 2),
    (2, 3),
    (3, 2),
    (3, 3),
    (3, 4),
    (4, 3),
    (4, 4),
    (4, 5),
    (5, 4),
    (5, 5),
    (5, 6),
    (6, 5),
    (6, 6),
    (2, 4),
    (4, 2),
    (3, 5),
    (5, 3),
    (4, 6),
    (6, 4),
];
