//! Blocks that are copied from what is shown by then (intra block copy), and how it is told from where (the syntax
//! `assign_mv` and `read_mv`; section 7.10.2, "Find MV stack process").

use std::sync::{Arc, PoisonError, RwLock};

use super::search::Saved;
use super::{Place, Row};
use crate::block::{Leaf, Offset};
use crate::frame::{Frame, SUPERBLOCK};
use crate::ground::Ground;
use crate::picture::{Chroma, Plane};
use crate::range::Sink;
use crate::shape::Shape;
use crate::transform::Kind;

/// Superblocks of a tile that are shown by now.
#[derive(Default)]
pub(crate) struct Past {
    planes: RwLock<Vec<Plane>>,
}

impl Past {
    /// None yet; of no size where no block may be copied.
    pub fn new(frame: &Frame, ground: &Ground) -> Arc<Past> {
        let blank = |plane: &Plane| Plane::filled(plane.width(), plane.height(), 0);
        let planes = match frame.has_copies {
            true => ground.source.iter().map(blank).collect(),
            false => Vec::new(),
        };
        Arc::new(Past {
            planes: RwLock::new(planes),
        })
    }

    /// Notes a superblock.
    pub fn note(&self, chroma: Chroma, shown: &[Plane], at: (usize, usize)) {
        let mut planes = self.planes.write().unwrap_or_else(PoisonError::into_inner);
        for (index, (own, shown)) in planes.iter_mut().zip(shown).enumerate() {
            let (across, down) = chroma.shift(index);
            let (x, width) = ((at.0 * 4) >> across, 64 >> across);
            let (y, height) = ((at.1 * 4) >> down, 64 >> down);
            for y in y..y + height {
                own.row_mut(x, y, width)
                    .copy_from_slice(shown.row(x, y, width));
            }
        }
    }

    fn read<R>(&self, work: impl FnOnce(&[Plane]) -> R) -> R {
        work(&self.planes.read().unwrap_or_else(PoisonError::into_inner))
    }
}

/// The block that stands at a unit.
#[derive(Clone, Copy, Default)]
struct Placed {
    /// Its width and height in units.
    size: (u8, u8),
    /// From where it is copied.
    offset: Option<Offset>,
}

/// The blocks of a row of superblocks, and those in the last units above it.
#[derive(Clone, Default)]
pub(super) struct Trail {
    across: usize,
    /// The unit at which the row begins.
    top: usize,
    cells: Vec<Placed>,
}

/// So many units above a row count.
const ABOVE: usize = 8;

impl Trail {
    pub fn new(frame: &Frame, top: usize) -> Trail {
        let across = match frame.has_copies {
            true => frame.units().0.div_ceil(16) * 16,
            false => 0,
        };
        Trail {
            across,
            top,
            cells: vec![Placed::default(); across * (ABOVE + 16)],
        }
    }

    /// Takes over the last units of the row above it, of some columns.
    pub fn follow(&mut self, above: &Trail, columns: std::ops::Range<usize>) {
        for y in (0..ABOVE).take_while(|_| self.across > 0) {
            let (own, other) = (y * self.across, (y + 16) * self.across);
            self.cells[own + columns.start..own + columns.end]
                .copy_from_slice(&above.cells[other + columns.start..other + columns.end]);
        }
    }

    /// The unit at which the row begins.
    pub fn top(&self) -> usize {
        self.top
    }

    /// Goes on to the next row.
    pub fn advance(&mut self) {
        self.top += 16;
        self.cells.copy_within(16 * self.across.., 0);
    }

    /// The block at a unit.
    fn at(&self, x: usize, y: usize) -> Placed {
        self.cells[(y + ABOVE - self.top) * self.across + x]
    }

    /// Notes a block that begins at a unit of the row.
    pub fn note(&mut self, (x, row): (usize, usize), shape: Shape, offset: Option<Offset>) {
        let placed = Placed {
            size: (shape.width4() as u8, shape.height4() as u8),
            offset,
        };
        let end = (x + shape.width4()).min(self.across);
        for row in row..row + shape.height4() {
            let start = (row + ABOVE) * self.across;
            self.cells[start + x..start + end].fill(placed);
        }
    }
}

/// Offsets of blocks beside one, with how much each counts (within section 7.10.2).
#[derive(Default)]
struct Stack {
    found: Vec<(u32, Offset)>,
}

impl Stack {
    /// The most offsets that count.
    const MOST: usize = 8;

    fn add(&mut self, placed: Placed, weight: usize) {
        let Some(offset) = placed.offset else {
            return;
        };
        let weight = weight as u32;
        let is_full = self.found.len() == Stack::MOST;
        match self.found.iter_mut().find(|(_, own)| *own == offset) {
            Some((sum, _)) => *sum += weight,
            None if is_full => {}
            None => self.found.push((weight, offset)),
        }
    }

    /// Adds those along a side; returns how many pairs of lines the first of them stands for.
    fn along(
        &mut self,
        (length, inside): (usize, usize),
        most: usize,
        least: usize,
        line: impl Fn(usize) -> (Placed, (u8, u8)),
    ) -> usize {
        let least = if length >= 16 { 4 } else { least };
        let (first, (along, deep)) = line(0);
        if length <= along.into() {
            let weight = match length {
                1 => 2,
                _ => usize::from(deep).min(2 * most).max(2),
            };
            self.add(first, least.max(length) * weight);
            return weight / 2;
        }
        let mut at = 0;
        while at < inside {
            let (placed, (along, _)) = line(at);
            let step = least.max(along.into());
            self.add(placed, step * 2);
            at += step;
        }
        1
    }
}

impl Row<'_> {
    /// Whether blocks of a size may be copied.
    pub(crate) fn may_be_copied(&self, shape: Shape) -> bool {
        // Chroma of smaller ones may be that of several.
        let (x, y) = self.frame.chroma.shift(1);
        self.frame.has_copies && shape.w >= 2 + x && shape.h >= 2 + y
    }

    /// Where a block is foreseen to be copied from, by those beside it.
    fn foreseen(&self, at: (usize, usize), shape: Shape) -> Offset {
        let beside = self.copied_beside(at, shape);
        let moved = beside
            .iter()
            .take(2)
            .find(|&&offset| offset != Offset::default());
        moved.copied().unwrap_or(match at.1 < 16 {
            true => Offset { x: -320, y: 0 },
            false => Offset { x: 0, y: -64 },
        })
    }

    /// From where blocks beside one are copied, those first that count most. Decoders cut off what leads out of the
    /// picture by more than 16 samples: none does, as none leads out from the block it is of.
    fn copied_beside(&self, (x, y): (usize, usize), shape: Shape) -> Vec<Offset> {
        let mut stack = Stack::default();
        let (width, height) = (shape.width4(), shape.height4());
        let (across, down) = self.frame.units();
        let wide = (width, width.min(across - x));
        let high = (height, height.min(down - y));
        let above = |x: usize, y: usize| {
            move |index: usize| {
                let placed = self.trail.at(x + index, y);
                (placed, placed.size)
            }
        };
        let left = |x: usize, y: usize| {
            move |index: usize| {
                let placed = self.trail.at(x, y + index);
                (placed, (placed.size.1, placed.size.0))
            }
        };
        // So many pairs of lines count on each side, and so many are counted by now.
        let most = |at: usize, length: usize| at.div_ceil(2).min(if length > 1 { 3 } else { 2 });
        let (rows, columns) = (most(y, height), most(x, width));
        let (mut counted_rows, mut counted_columns) = (0, 0);
        if y > 0 {
            counted_rows = stack.along(wide, rows, 1, above(x, y - 1));
        }
        if x > 0 {
            counted_columns = stack.along(high, columns, 1, left(x - 1, y));
        }
        let is_known = self.known.is(0, (x & 15) + 1 + width, y & 15);
        if y > 0 && x + width < across && is_known {
            stack.add(self.trail.at(x + width, y - 1), 4);
        }
        let nearest = stack.found.len();
        stack
            .found
            .iter_mut()
            .for_each(|(weight, _)| *weight += 640);
        if x > 0 && y > 0 {
            stack.add(self.trail.at(x - 1, y - 1), 4);
        }
        for pair in 2..=3 {
            if pair > counted_rows && pair <= rows {
                let lines = above(x | 1, (y + 1 - 2 * pair) | 1);
                counted_rows += stack.along(wide, 1 + rows - pair, 2, lines);
            }
            if pair > counted_columns && pair <= columns {
                let lines = left((x + 1 - 2 * pair) | 1, y | 1);
                counted_columns += stack.along(high, 1 + columns - pair, 2, lines);
            }
        }
        let (near, far) = stack.found.split_at_mut(nearest);
        near.sort_by_key(|(weight, _)| std::cmp::Reverse(*weight));
        far.sort_by_key(|(weight, _)| std::cmp::Reverse(*weight));
        stack.found.into_iter().map(|(_, offset)| offset).collect()
    }

    /// Whether a block may be copied from where an offset leads: from within the tile, of superblocks that any decoder
    /// has shown by then, and without half samples of chroma (semantics of `assign_mv`).
    pub(crate) fn may_copy(&self, at: (usize, usize), shape: Shape, offset: Offset) -> bool {
        let (across, down) = self.frame.units();
        let (shift_x, shift_y) = self.frame.chroma.shift(1);
        let moved = |at: usize, by: i16| (at * 4).checked_add_signed(by.into());
        let (Some(x), Some(y)) = (moved(at.0, offset.x), moved(at.1, offset.y)) else {
            return false;
        };
        let (right, bottom) = (x + shape.width(), y + shape.height());
        if right > across * 4 || bottom > down * 4 {
            return false;
        }
        let is_whole = |by: i16, shift: u8| by & ((1 << shift) - 1) == 0;
        let is_near = |by: i16| by.unsigned_abs() < Offset::FAR;
        if !is_whole(offset.x, shift_x) || !is_whole(offset.y, shift_y) {
            return false;
        }
        let (own, other) = (
            (at.0 / 16, at.1 / 16),
            ((right - 1) / 64, (bottom - 1) / 64),
        );
        let each_row = across.div_ceil(16);
        let (before, now) = (other.1 * each_row + other.0, own.1 * each_row + own.0);
        // Rows may be decoded side by side, each five superblocks behind the one above.
        let rows = own.1.checked_sub(other.1);
        let is_shown = rows.is_some_and(|rows| other.0 + DELAY < own.0 + (1 + DELAY) * rows);
        is_near(offset.x) && is_near(offset.y) && before + DELAY < now && is_shown
    }

    /// Whether a block is copied, and from where.
    pub(super) fn code_copy<S: Sink>(
        &mut self,
        sink: &mut S,
        at: (usize, usize),
        shape: Shape,
        offset: Option<Offset>,
    ) {
        if !self.frame.has_copies {
            return;
        }
        sink.symbol(&mut self.odds.copied, usize::from(offset.is_some()));
        let Some(offset) = offset else {
            return;
        };
        let foreseen = self.foreseen(at, shape);
        let off = [
            i32::from(offset.y) - i32::from(foreseen.y),
            i32::from(offset.x) - i32::from(foreseen.x),
        ];
        let joint = usize::from(off[0] != 0) * 2 + usize::from(off[1] != 0);
        sink.symbol(&mut self.odds.joint, joint);
        for (odds, off) in self.odds.ways.iter_mut().zip(off) {
            if off != 0 {
                odds.code(sink, off);
            }
        }
    }

    /// Whether the transform of a copied block is cut: it is not.
    pub(super) fn code_uncut<S: Sink>(
        &mut self,
        sink: &mut S,
        (x, row): (usize, usize),
        shape: Shape,
    ) {
        let transform = shape.transform();
        if self.frame.is_lossless() || transform.longer() == 2 {
            return;
        }
        // Outside of the picture there is the longest.
        let cut = |length: u8, own: u8| usize::from(length != 0 && length < own);
        let context = cut(self.above.cells[x].transform, transform.w)
            + cut(self.left.cells[row].transform, transform.h);
        let size = 2 * usize::from(SUPERBLOCK - transform.longer());
        sink.symbol(&mut self.odds.tx_split[size][context], 0);
    }

    /// What a transform block of a copied block is predicted as.
    pub(super) fn copy(
        &self,
        plane: usize,
        (x, y): (usize, usize),
        transform: Shape,
        offset: Offset,
        out: &mut [u16],
    ) {
        let (x, y) = self.from(plane, (x, y), offset);
        self.past.read(|planes| {
            let rows = out.chunks_exact_mut(transform.width());
            for (row, out) in rows.take(transform.height()).enumerate() {
                out.copy_from_slice(planes[plane].row(x, y + row, transform.width()));
            }
        });
    }

    /// A leaf that is shown, or the same block copied where that costs less; the better one is shown in the end. What
    /// stood there before it goes with it.
    pub(super) fn copied_if_less(
        &mut self,
        at: (usize, usize),
        shape: Shape,
        leaf: Leaf,
        before: &Saved,
    ) -> Leaf {
        let candidates = self.copies(at, shape);
        if candidates.is_empty() {
            return leaf;
        }
        let mut best = self.weighed(at, shape, leaf);
        let kinds = match self.frame.is_lossless() || shape.transform().longer() > 4 {
            true => &[Kind::Cosine][..],
            false => &[Kind::Cosine, Kind::Identity],
        };
        for offset in candidates {
            for &kind in kinds {
                self.restore(at, shape, before);
                let copied = Leaf::copied(offset, kind);
                self.render(at, shape, &copied);
                let own = self.weighed(at, shape, copied);
                if own.cost < best.cost {
                    best = own;
                }
            }
        }
        self.restore(at, shape, &best.shown);
        (self.levels, self.places) = (best.levels, best.places);
        best.leaf
    }

    /// A leaf that is shown, with what it costs.
    fn weighed(&mut self, at: (usize, usize), shape: Shape, leaf: Leaf) -> Weighed {
        let shown = self.saved(at, shape);
        let cost = self.cost_shown(at, shape, &leaf);
        Weighed {
            leaf,
            cost,
            shown,
            levels: self.levels.clone(),
            places: self.places.clone(),
        }
    }

    /// From where a block is best copied, if from anywhere: where its squares stand before, or where those beside it
    /// are copied from.
    fn copies(&self, at: (usize, usize), shape: Shape) -> Vec<Offset> {
        let side = shape.width().min(shape.height()).min(8);
        let repeats = self.ground.repeats(self.frame, side);
        let mut offsets = self.copied_beside(at, shape);
        let columns = (0..shape.width()).step_by(side);
        let squares = columns.flat_map(|x| (0..shape.height()).step_by(side).map(move |y| (x, y)));
        let mut uneven = 0;
        for (x, y) in squares {
            let (x, y) = (at.0 * 4 + x, at.1 * 4 + y);
            let before = repeats.before((x, y));
            let away =
                before.filter_map(|(from_x, from_y)| Offset::between((x, y), (from_x, from_y)));
            let all: Vec<Offset> = away
                .filter(|&offset| self.may_copy(at, shape, offset))
                .take(EACH)
                .collect();
            uneven += usize::from(!all.is_empty());
            offsets.extend(all);
            if uneven == SQUARES {
                break;
            }
        }
        let mut ranked: Vec<(f32, Offset)> = Vec::new();
        for offset in offsets {
            let is_new = ranked.iter().all(|(_, own)| *own != offset);
            if is_new && self.may_copy(at, shape, offset) {
                ranked.push((self.copied_off(at, shape, offset), offset));
            }
        }
        ranked.sort_by(|a, b| a.0.total_cmp(&b.0));
        ranked.truncate(TRIED);
        ranked.into_iter().map(|(_, offset)| offset).collect()
    }

    /// What a block is off where it is copied from, as it costs.
    fn copied_off(&self, at: (usize, usize), shape: Shape, offset: Offset) -> f32 {
        let mut cost = 0.0;
        for (plane, source) in self.ground.source.iter().enumerate() {
            let ((x, y), (width, height)) = self.area(plane, at, shape);
            let (from_x, from_y) = self.from(plane, (x, y), offset);
            let square: u64 = self.past.read(|planes| {
                let off = |row: usize| {
                    let own = source.row(x, y + row, width).iter();
                    let other = planes[plane].row(from_x, from_y + row, width);
                    own.zip(other)
                        .map(|(&a, &b)| u64::from(a.abs_diff(b)).pow(2))
                        .sum::<u64>()
                };
                (0..height).map(off).sum()
            });
            cost += square as f32 * self.price.of(plane);
        }
        cost
    }

    /// Where samples of a plane are copied from.
    fn from(&self, plane: usize, (x, y): (usize, usize), offset: Offset) -> (usize, usize) {
        let (shift_x, shift_y) = self.frame.chroma.shift(plane);
        (
            x.saturating_add_signed((offset.x >> shift_x).into()),
            y.saturating_add_signed((offset.y >> shift_y).into()),
        )
    }
}

/// A leaf with all that comes of it.
struct Weighed {
    leaf: Leaf,
    cost: f32,
    shown: Saved,
    levels: Vec<i32>,
    places: Vec<Place>,
}

/// So many squares of a block are looked for, each in so many places, and so many ways to copy it are tried whole.
const SQUARES: usize = 4;
const EACH: usize = 4;
const TRIED: usize = 2;

/// A superblock is copied from at the earliest when so many more are shown.
const DELAY: usize = 4;
