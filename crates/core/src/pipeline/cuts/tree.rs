//! Sizes that are made from one another.

use std::iter::repeat_n;

use super::{Cut, View};
use crate::pipeline::FireError;
use crate::pixels::{Raster, Size};
use crate::size::Sizer;

/// Sizes of one frame: the largest is made from the picture's rows, the others from its own.
pub(super) struct Tree<'a> {
    /// The first cut in it, which its frame is laid by, and its index.
    cut: &'a Cut,
    index: usize,
    size: Size,
    /// Cuts that are this very size.
    wanted: Vec<usize>,
    narrower: Vec<Tree<'a>>,
}

impl<'a> Tree<'a> {
    /// A tree for a cut: all that its way begins with.
    pub fn new(index: usize, cut: &'a Cut) -> Tree<'a> {
        let mut tree = Tree::of_size(index, cut, cut.first());
        tree.want(index, cut);
        tree
    }

    fn of_size(index: usize, cut: &'a Cut, size: Size) -> Tree<'a> {
        Tree {
            cut,
            index,
            size,
            wanted: Vec::new(),
            narrower: Vec::new(),
        }
    }

    /// Whether the way to a cut begins here.
    pub fn leads_to(&self, cut: &Cut) -> bool {
        self.cut.shares_frame(cut) && self.size == cut.first()
    }

    /// Adds a cut, whose way begins here.
    pub fn want(&mut self, index: usize, cut: &'a Cut) {
        let way = [&cut.through[..], &[cut.size]].concat();
        self.want_along(index, cut, &way[1..]);
    }

    fn want_along(&mut self, index: usize, cut: &'a Cut, way: &[Size]) {
        let Some((&next, rest)) = way.split_first() else {
            return self.wanted.push(index);
        };
        let known = self.narrower.iter().position(|tree| tree.size == next);
        let at = known.unwrap_or_else(|| {
            self.narrower.push(Tree::of_size(index, cut, next));
            self.narrower.len() - 1
        });
        self.narrower[at].want_along(index, cut, rest);
    }

    pub fn sizer(&self, source: &View<'_>, channels: usize) -> Sizer {
        let mut sizer = source.sizer(self.cut, self.index, self.size, channels);
        self.feed(&mut sizer, source, channels);
        sizer
    }

    fn feed(&self, sizer: &mut Sizer, source: &View<'_>, channels: usize) {
        let own = source.target(self.cut, self.size);
        for tree in &self.narrower {
            let target = source.target(self.cut, tree.size);
            let mut narrower = Sizer::new(own, target, channels, self.cut.rendering.kernel);
            tree.feed(&mut narrower, source, channels);
            sizer.feed(narrower);
        }
    }

    /// The finished rasters, with the indices of their cuts.
    pub fn collect(
        &self,
        mut sizer: Sizer,
        into: &mut Vec<(usize, Raster)>,
    ) -> Result<(), FireError> {
        for (tree, sizer) in self.narrower.iter().zip(sizer.fed()) {
            tree.collect(sizer, into)?;
        }
        let raster = sizer.finish().ok_or(FireError::RowsMissing)?;
        let copies = repeat_n(raster, self.wanted.len());
        into.extend(self.wanted.iter().copied().zip(copies));
        Ok(())
    }
}
