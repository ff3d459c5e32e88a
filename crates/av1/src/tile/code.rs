//! Cuts and leaves as symbols.

use super::{Place, Row};
use crate::block::{self, Leaf, Luma, Tint};
use crate::coefs::{self, Context, Trace};
use crate::context::{self, Cell};
use crate::frame::{SPREAD_STEP, SUPERBLOCK};
use crate::predict::Mode;
use crate::range::Sink;
use crate::shape::{Cut, Shape};

/// Contexts of a mode for those of its neighbours.
const LIKENESS: [usize; 13] = [0, 1, 2, 3, 4, 4, 4, 4, 3, 0, 1, 2, 0];

impl Row<'_> {
    pub(super) fn code_cut<S: Sink>(
        &mut self,
        sink: &mut S,
        (x, y): (usize, usize),
        side: u8,
        cut: Cut,
    ) {
        let above = usize::from(self.above.cells[x].length < side);
        let left = usize::from(self.left.cells[y & 15].length < side);
        let context = left * 2 + above;
        let (has_columns, has_rows) = self.may_cut((x, y), side);
        if !has_columns && !has_rows {
            return;
        }
        if side == 3 {
            let odds = &mut self.odds.partition_8[context];
            return code_cut_by(sink, odds, (has_columns, has_rows), cut);
        }
        let odds = &mut self.odds.partition[usize::from(SUPERBLOCK - side)][context];
        code_cut_by(sink, odds, (has_columns, has_rows), cut);
    }

    /// Codes the symbols of the leaf that was rendered last, and tells its neighbours of it.
    pub(super) fn code<S: Sink>(
        &mut self,
        sink: &mut S,
        (x, y): (usize, usize),
        shape: Shape,
        leaf: &Leaf,
    ) {
        let row = y & 15;
        let has_chroma = self.has_chroma((x, y), shape);
        let skips = self.skips();
        let beside =
            usize::from(self.above.cells[x].skips) + usize::from(self.left.cells[row].skips);
        sink.symbol(&mut self.odds.skip[beside], usize::from(skips));
        if let Some((bits, choice)) = self.choice.take_if(|_| !skips) {
            sink.bits(choice, bits);
        }
        let whole = Shape::square(SUPERBLOCK);
        if let Some(next) = self.turn.take().filter(|_| !skips || shape != whole) {
            self.code_turn(sink, next);
        }
        self.code_copy(sink, (x, y), shape, leaf.copied);
        let transform = match leaf.copied {
            None => self.code_predicted(sink, (x, y), shape, leaf),
            Some(_) => {
                if !skips {
                    self.code_uncut(sink, (x, row), shape);
                }
                self.transform(shape, leaf)
            }
        };
        self.tell((x, row), shape, leaf, (transform, skips, has_chroma));
        if !skips {
            self.code_coefs(sink, leaf);
        }
    }

    /// How far the quantiser is off the last one from here on.
    fn code_turn<S: Sink>(&mut self, sink: &mut S, next: u8) {
        let off = i32::from(next) - i32::from(self.quantiser);
        let steps = off.unsigned_abs() / SPREAD_STEP as u32;
        sink.symbol(&mut self.odds.delta_q, steps.min(3) as usize);
        if steps > 2 {
            let bits = (steps - 1).ilog2();
            sink.bits(bits - 1, 3);
            sink.bits(steps - 1 - (1 << bits), bits);
        }
        if steps > 0 {
            sink.bits(u32::from(off < 0), 1);
        }
        self.quantiser = next;
    }

    /// How a leaf is predicted, and how its transform is cut; returns that.
    fn code_predicted<S: Sink>(
        &mut self,
        sink: &mut S,
        (x, y): (usize, usize),
        shape: Shape,
        leaf: &Leaf,
    ) -> Shape {
        let has_chroma = self.has_chroma((x, y), shape);
        self.code_mode(sink, (x, y), shape, leaf.luma);
        if has_chroma {
            self.code_tint(sink, shape, leaf.luma.mode(), leaf.tint);
        }
        let at = (x, y);
        let palette = leaf.palette(0);
        self.code_palette(sink, at, shape, (leaf.luma, &palette));
        if has_chroma {
            let tint = (leaf.tint, &leaf.tint_palettes());
            self.code_tint_palettes(sink, at, shape, tint, !palette.is_empty());
        }
        if palette.is_empty() {
            self.code_filter(sink, shape, leaf.luma);
        }
        self.code_map(sink, at, shape, [&palette]);
        if has_chroma {
            self.code_map(sink, at, shape, leaf.tint_palettes().each_ref());
        }
        self.code_depth(sink, (x, y & 15), shape, leaf)
    }

    /// The mode of luma, and how far its angle is off.
    pub(super) fn code_mode<S: Sink>(
        &mut self,
        sink: &mut S,
        (x, y): (usize, usize),
        shape: Shape,
        luma: Luma,
    ) {
        let above = LIKENESS[self.above.cells[x].mode as usize];
        let left = LIKENESS[self.left.cells[y & 15].mode as usize];
        let odds = &mut self.odds.key_y_mode[above][left];
        sink.symbol(odds, luma.mode() as usize);
        if let Luma::Mode(mode, delta) = luma {
            self.code_delta(sink, shape, mode, delta);
        }
    }

    /// Whether luma is predicted by a recursive filter, and by which.
    pub(super) fn code_filter<S: Sink>(&mut self, sink: &mut S, shape: Shape, luma: Luma) {
        if luma.mode() != Mode::Mean || !block::has_filters(shape) {
            return;
        }
        let odds = &mut self.odds.use_filter[shape.rank()];
        match luma {
            Luma::Mode(..) => sink.symbol(odds, 0),
            Luma::Filter(filter) => {
                sink.symbol(odds, 1);
                sink.symbol(&mut self.odds.filter_mode, filter.into());
            }
        }
    }

    fn code_delta<S: Sink>(&mut self, sink: &mut S, shape: Shape, mode: Mode, delta: i8) {
        if mode.angle().is_some() && block::has_angles(shape) {
            let odds = &mut self.odds.angle_delta[mode as usize - 1];
            sink.symbol(odds, (delta + 3) as usize);
        }
    }

    /// Whether chroma may be told from luma in blocks of a size.
    pub(super) fn may_tell_tint(&self, shape: Shape) -> bool {
        match self.frame.is_lossless() {
            true => shape.in_plane(self.frame.chroma.shift(1)) == Shape::square(2),
            false => block::has_luma_tint(shape),
        }
    }

    pub(super) fn code_tint<S: Sink>(
        &mut self,
        sink: &mut S,
        shape: Shape,
        mode: Mode,
        tint: Tint,
    ) {
        match self.may_tell_tint(shape) {
            true => sink.symbol(&mut self.odds.uv_mode_cfl[mode as usize], tint.number()),
            false => sink.symbol(&mut self.odds.uv_mode[mode as usize], tint.number()),
        }
        match tint {
            Tint::Mode(mode, delta) => self.code_delta(sink, shape, mode, delta),
            Tint::Luma(alphas) => {
                // None, below or above.
                let signs = alphas.map(|alpha| match alpha {
                    0 => 0,
                    ..0 => 1,
                    1.. => 2usize,
                });
                sink.symbol(&mut self.odds.cfl_sign, signs[0] * 3 + signs[1] - 1);
                for plane in 0..2 {
                    if signs[plane] > 0 {
                        let context = (signs[plane] - 1) * 3 + signs[1 - plane];
                        let size = usize::from(alphas[plane].unsigned_abs()) - 1;
                        sink.symbol(&mut self.odds.cfl_alpha[context], size);
                    }
                }
            }
        }
    }

    /// How often the transform is cut; returns it.
    pub(super) fn code_depth<S: Sink>(
        &mut self,
        sink: &mut S,
        (x, row): (usize, usize),
        shape: Shape,
        leaf: &Leaf,
    ) -> Shape {
        if self.frame.is_lossless() {
            return Shape::square(2);
        }
        let largest = shape.transform();
        if largest.longer() > 2 {
            let above = usize::from(self.above.cells[x].reach() >= largest.w);
            let left = usize::from(self.left.cells[row].reach() >= largest.h);
            let depth = usize::from(leaf.depth);
            match largest.longer() {
                3 => sink.symbol(&mut self.odds.tx_depth_8[above + left], depth),
                longer => sink.symbol(
                    &mut self.odds.tx_depth[usize::from(longer) - 4][above + left],
                    depth,
                ),
            }
        }
        leaf.transform(shape)
    }

    /// Tells those below and to the right of a leaf.
    pub(super) fn tell(
        &mut self,
        (x, row): (usize, usize),
        shape: Shape,
        leaf: &Leaf,
        (transform, skips, has_chroma): (Shape, bool, bool),
    ) {
        let chroma = self.frame.chroma;
        let is_copied = leaf.copied.is_some();
        if self.frame.has_copies {
            self.trail.note((x, row), shape, leaf.copied);
            let (width, height) = self.within((x, self.trail.top() + row), shape, (0, 0));
            self.known.set(0, (x & 15, row), (width / 4, height / 4));
        }
        let sides = [
            (&mut self.above, x, shape.w, transform.w, chroma.shift(1).0),
            (&mut self.left, row, shape.h, transform.h, chroma.shift(1).1),
        ];
        for (side, at, length, transform, shift) in sides {
            for cell in &mut side.cells[at..at + (1 << (length - 2))] {
                *cell = Cell {
                    length,
                    skips,
                    mode: leaf.luma.mode(),
                    transform: match is_copied && skips {
                        true => length,
                        false => transform,
                    },
                    is_copied,
                    trace: if skips { Trace::default() } else { cell.trace },
                };
            }
            if !side.palettes.is_empty() {
                let own = [leaf.palette(0), leaf.palette(1)];
                side.palettes[at..at + (1 << (length - 2))].fill(own);
            }
            if has_chroma {
                let start = at >> shift;
                for cell in &mut side.tints[start..start + (1 << ((length - shift).max(2) - 2))] {
                    cell.mode = leaf.tint.mode().0;
                    if skips {
                        cell.traces = [Trace::default(); 2];
                    }
                }
            }
        }
    }

    fn code_coefs<S: Sink>(&mut self, sink: &mut S, leaf: &Leaf) {
        for place in &self.places {
            let &Place {
                plane, shape, kind, ..
            } = place;
            let told = match (plane, leaf.copied) {
                (0, None) => self.frame.told(shape, leaf.luma),
                (0, Some(_)) => self.frame.told_copied(shape),
                _ => None,
            };
            let levels = &self.levels[place.levels..][..shape.within(5).area()];
            coefs::code(
                sink,
                (&mut self.odds, &mut self.seen),
                (shape, plane),
                (kind, told),
                levels,
                place.context,
            );
        }
    }

    /// What its neighbours say of a transform block.
    pub(super) fn context(
        &self,
        plane: usize,
        at: (usize, usize),
        (block, transform): (Shape, Shape),
    ) -> Context {
        let shift = self.frame.chroma.shift(plane);
        let (column, row) = (at.0 / 4, at.1 / 4);
        let ends = self.frame.chroma.size(plane, self.frame.units());
        let width = transform.width4().min(ends.0 - column);
        let height = transform.height4().min(ends.1 - row);
        let row = row & ((16 >> shift.1) - 1);
        let traces = (
            self.above.traces(plane, column, width),
            self.left.traces(plane, row, height),
        );
        context::of_transform(traces, (block, transform), plane == 0)
    }

    /// Tells the neighbours of a transform block of its coefficients.
    pub(super) fn trace(
        &mut self,
        plane: usize,
        at: (usize, usize),
        transform: Shape,
        trace: Trace,
    ) {
        let rows = 16 >> self.frame.chroma.shift(plane).1;
        self.above.trace(plane, at.0 / 4, transform.width4(), trace);
        self.left
            .trace(plane, (at.1 / 4) & (rows - 1), transform.height4(), trace);
    }
}

/// A cut, or what is left to tell of it where a block meets the ends of the picture.
fn code_cut_by<S: Sink, const N: usize>(
    sink: &mut S,
    odds: &mut [u16; N],
    (has_columns, has_rows): (bool, bool),
    cut: Cut,
) {
    if has_columns && has_rows {
        return sink.symbol(odds, cut as usize);
    }
    let above = |cut: Cut| match cut as usize {
        0 => 1 << 15,
        at => odds[at - 1],
    };
    let below = |cut: Cut| {
        if cut as usize + 1 == N {
            0
        } else {
            odds[cut as usize]
        }
    };
    // All that part what the end of the picture parts anyway.
    const ACROSS: [Cut; 6] = [
        Cut::Vertical,
        Cut::Split,
        Cut::TopSplit,
        Cut::LeftSplit,
        Cut::RightSplit,
        Cut::Columns,
    ];
    const DOWN: [Cut; 6] = [
        Cut::Horizontal,
        Cut::Split,
        Cut::TopSplit,
        Cut::BottomSplit,
        Cut::LeftSplit,
        Cut::Rows,
    ];
    let parting = if has_columns { ACROSS } else { DOWN };
    let parting = parting.into_iter().filter(|&cut| (cut as usize) < N);
    let left = parting.map(|cut| above(cut) - below(cut)).sum();
    sink.decision(left, cut == Cut::Split);
}
