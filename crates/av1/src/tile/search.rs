//! Decisions: how blocks are cut, predicted and transformed, by what that costs in bits and in errors.

use super::Row;
use super::foretold::Foretold;
use crate::block::{Leaf, Luma, Node, Part};
use crate::context::{Cell, Known, Side, TintCell};
use crate::frame::SUPERBLOCK;
use crate::palette::Palette;
use crate::range::Counter;
use crate::shape::{Cut, Shape};

/// How much is tried.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Effort {
    /// Cuts into two are tried in blocks of at most this side, as a logarithm; 0 for none.
    pub halves: u8,
    /// Cuts into three and four as well.
    pub thirds: u8,
    /// While it is open how blocks are cut.
    pub rough: Care,
    /// Whole and split are both tried where one is foretold to cost less by no more than so much of it.
    pub doubt: f32,
    /// Once they are cut.
    pub fine: Care,
}

impl Effort {
    /// Whether blocks are tried before they are cut.
    pub fn tries(&self) -> bool {
        self.doubt > 0.0
    }
}

/// How much is tried in a block that is not cut.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Care {
    /// So many modes of luma are tried whole, of those that predict best.
    pub modes: usize,
    /// So many transform types are tried whole for the best mode, beside the one that serves most often.
    pub kinds: usize,
    /// How often transforms may be cut.
    pub depth: u8,
    /// So many ways to predict chroma are tried whole.
    pub tints: usize,
}

/// How a superblock is searched.
struct Search<'a> {
    effort: &'a Effort,
    /// Nothing where all cuts are tried.
    foretold: Option<Foretold>,
}

/// What stands around and in a block, to go back to.
pub(super) struct Saved {
    above: Vec<Cell>,
    left: Vec<Cell>,
    tints: [Vec<TintCell>; 2],
    palettes: [Vec<[Palette; 2]>; 2],
    known: Known,
    shown: [Vec<u16>; 3],
}

impl Row<'_> {
    /// Decides on a superblock.
    pub fn decide(&mut self, effort: &Effort, at: (usize, usize)) -> Node {
        self.enter(at);
        if !effort.tries() {
            let foretold = self.foretell(at);
            return self.foretold_node(&foretold, at, SUPERBLOCK);
        }
        let foretold = effort.doubt.is_finite().then(|| self.foretell(at));
        let search = Search { effort, foretold };
        let saved = self.saved(at, Shape::square(SUPERBLOCK));
        let found = self.best_node(&search, at, SUPERBLOCK, f32::MAX);
        self.restore(at, Shape::square(SUPERBLOCK), &saved);
        // Without a limit one is always found.
        found.map_or_else(Node::default, |(node, _)| node)
    }

    /// A block cut as it is foretold to cost least.
    fn foretold_node(&self, foretold: &Foretold, at: (usize, usize), side: u8) -> Node {
        let cut = match foretold.whole(at, side) {
            ..=1.0 => Cut::None,
            _ => Cut::Split,
        };
        let parts = self.inside(at, cut.parts(side)).into_iter();
        let part = |(at, shape): ((usize, usize), Shape)| match cut {
            Cut::Split if side > 3 => Part::Node(self.foretold_node(foretold, at, shape.w)),
            _ => {
                let guess = self.ground.guess(self.frame, at, shape.w);
                Part::Leaf(Box::new(Leaf::new(guess.modes[0])))
            }
        };
        Node {
            cut,
            parts: parts.map(part).collect(),
        }
    }

    /// The ranges of a block in a plane: where it begins and how far it goes, in samples.
    pub(super) fn area(
        &self,
        plane: usize,
        at: (usize, usize),
        shape: Shape,
    ) -> ((usize, usize), (usize, usize)) {
        let shift = self.frame.chroma.shift(plane);
        let size = shape.in_plane(shift);
        (
            (at.0 >> shift.0 << 2, at.1 >> shift.1 << 2),
            (size.width(), size.height()),
        )
    }

    pub(super) fn saved(&self, at: (usize, usize), shape: Shape) -> Saved {
        let shift = self.frame.chroma.shift(1);
        let own = shape.in_plane(shift);
        let row = at.1 & 15;
        let tints = |cells: &[TintCell], at: usize, count: usize| cells[at..at + count].to_vec();
        let palettes = |side: &Side, at: usize, count: usize| match self.frame.has_palettes {
            true => side.palettes[at..at + count].to_vec(),
            false => Vec::new(),
        };
        let shown = [0, 1, 2].map(|plane| {
            let Some(samples) = self.shown.get(plane) else {
                return Vec::new();
            };
            let ((x, y), (width, height)) = self.area(plane, at, shape);
            let mut held = Vec::with_capacity(width * height);
            (y..y + height).for_each(|y| held.extend_from_slice(samples.row(x, y, width)));
            held
        });
        Saved {
            above: self.above.cells[at.0..][..shape.width4()].to_vec(),
            left: self.left.cells[row..][..shape.height4()].to_vec(),
            tints: [
                tints(&self.above.tints, at.0 >> shift.0, own.width4()),
                tints(&self.left.tints, row >> shift.1, own.height4()),
            ],
            palettes: [
                palettes(&self.above, at.0, shape.width4()),
                palettes(&self.left, row, shape.height4()),
            ],
            known: self.known,
            shown,
        }
    }

    pub(super) fn restore(&mut self, at: (usize, usize), shape: Shape, saved: &Saved) {
        let shift = self.frame.chroma.shift(1);
        let row = at.1 & 15;
        self.above.cells[at.0..][..saved.above.len()].copy_from_slice(&saved.above);
        self.left.cells[row..][..saved.left.len()].copy_from_slice(&saved.left);
        self.above.tints[at.0 >> shift.0..][..saved.tints[0].len()]
            .copy_from_slice(&saved.tints[0]);
        self.left.tints[row >> shift.1..][..saved.tints[1].len()].copy_from_slice(&saved.tints[1]);
        if self.frame.has_palettes {
            self.above.palettes[at.0..][..saved.palettes[0].len()]
                .copy_from_slice(&saved.palettes[0]);
            self.left.palettes[row..][..saved.palettes[1].len()]
                .copy_from_slice(&saved.palettes[1]);
        }
        self.known = saved.known;
        for plane in 0..self.shown.len() {
            let ((x, y), (width, height)) = self.area(plane, at, shape);
            let rows = saved.shown[plane].chunks_exact(width);
            for (y, row) in (y..y + height).zip(rows) {
                self.shown[plane].row_mut(x, y, width).copy_from_slice(row);
            }
        }
    }

    /// The best way to code a square block, and what it costs, as long as that stays below a limit; it is left shown.
    fn best_node(
        &mut self,
        search: &Search<'_>,
        at: (usize, usize),
        side: u8,
        limit: f32,
    ) -> Option<(Node, f32)> {
        let shape = Shape::square(side);
        let before = self.saved(at, shape);
        let mut best: Option<(Node, f32, Saved)> = None;
        // The modes that predict the whole block best are those that its halves are told.
        let mut named: Vec<Luma> = Vec::new();
        for cut in self.cuts(search, at, side) {
            let most = best.as_ref().map_or(limit, |(_, cost, _)| *cost);
            if self.is_enough(&best, cut) {
                continue;
            }
            if best.is_some() {
                self.restore(at, shape, &before);
            }
            let found = self.node_cut(search, at, (side, cut), most, &mut named);
            if let Some((node, cost)) = found.filter(|(_, cost)| *cost < most) {
                best = Some((node, cost, self.saved(at, shape)));
            }
        }
        let (node, cost, after) = best?;
        self.restore(at, shape, &after);
        Some((node, cost))
    }

    /// Whether what was found leaves nothing to gain by a cut: the whole block came without coefficients.
    fn is_enough(&self, best: &Option<(Node, f32, Saved)>, cut: Cut) -> bool {
        let is_whole = |node: &Node| node.cut == Cut::None;
        let skips = |saved: &Saved| saved.above[0].skips;
        cut != Cut::None
            && best
                .as_ref()
                .is_some_and(|(node, _, after)| is_whole(node) && skips(after))
    }

    /// The cuts that are tried, the whole first.
    fn cuts(&self, search: &Search<'_>, at: (usize, usize), side: u8) -> Vec<Cut> {
        match self.may_cut(at, side) {
            (true, true) => {}
            (true, false) => return vec![Cut::Horizontal, Cut::Split],
            (false, true) => return vec![Cut::Vertical, Cut::Split],
            (false, false) => return vec![Cut::Split],
        }
        let effort = search.effort;
        let foretold = search.foretold.as_ref();
        let mut cuts = match foretold.map(|foretold| foretold.whole(at, side)) {
            Some(whole) if whole < 1.0 - effort.doubt => vec![Cut::None],
            Some(whole) if whole > 1.0 + effort.doubt => vec![Cut::Split],
            _ => vec![Cut::None, Cut::Split],
        };
        if side <= effort.halves {
            cuts.extend([Cut::Horizontal, Cut::Vertical]);
        }
        if side <= effort.thirds && side > 3 {
            cuts.extend(&Cut::ALL[4..]);
        }
        cuts
    }

    /// A block cut in one way, and what it costs, as long as that stays below a limit.
    fn node_cut(
        &mut self,
        search: &Search<'_>,
        at: (usize, usize),
        (side, cut): (u8, Cut),
        limit: f32,
        named: &mut Vec<Luma>,
    ) -> Option<(Node, f32)> {
        let mut counter = Counter::default();
        self.code_cut(&mut counter, at, side, cut);
        let mut cost = counter.cost as f32;
        let mut parts = Vec::new();
        for (at, shape) in self.inside(at, cut.parts(side)) {
            if cost >= limit {
                return None;
            }
            if cut == Cut::Split && side > 3 {
                let (node, own) = self.best_node(search, at, shape.w, limit - cost)?;
                cost += own;
                parts.push(Part::Node(node));
            } else {
                let (leaf, own, ranked) = if shape.w == shape.h {
                    let guess = self.ground.guess(self.frame, at, shape.w);
                    self.best_leaf(&search.effort.rough, at, shape, &guess.modes)
                } else {
                    self.best_leaf(&search.effort.rough, at, shape, named)
                };
                if cut == Cut::None {
                    *named = ranked;
                    named.truncate(NAMED);
                }
                cost += own;
                parts.push(Part::Leaf(Box::new(leaf)));
            }
        }
        Some((Node { cut, parts }, cost))
    }
}

/// So many modes of a block are thought of for its halves.
const NAMED: usize = 5;
