//! The separable resampler: down the columns as the rows come in, then along each finished row.
//!
//! Only the target rows that the kernel has begun and not finished are held: about six of them,
//! each as wide as the source, however tall the picture is. Columns go first because adding a
//! weighted row to another is one long multiply-add over contiguous floats.
//!
//! A sinc rings at edges: it is what makes a small picture crisp, and what draws halos. So each
//! result is held to the range of the samples in its own cell, and half that range beyond: beside
//! an edge a cell is flat, and nothing overshoots; within texture it reaches further than almost
//! any sum, and next to nothing is flattened. A smaller raster can be made from the rows of a
//! larger one: it is given what those were before they were held, and what their cells hold.

use std::collections::VecDeque;
use std::ops::Range;

use pulp::Arch;

use super::bodies::{self, Finished, Line, Open, Portion};
use super::kernel::{Span, Taps};
use super::levels::Levels;
use crate::pixels::{Area, Channels, Kernel, Raster, Region, Size};

/// Source rows that are added at a time: more would save little traffic and hold more rows.
const BATCH: usize = 4;

/// Makes one raster of a wanted size from the rows of a picture in the working space.
pub struct Sizer {
    arch: Arch,
    columns: Taps,
    lines: Taps,
    target: Size,
    channels: usize,
    /// Rows pushed so far.
    pushed: usize,
    /// The row behind the last that held more than 8 bits.
    fine_end: usize,
    /// Rows pushed and not yet added: only the columns that are drawn on.
    waiting: [Waiting; BATCH],
    /// How many of those there are.
    waits: usize,
    /// Target rows begun and not finished, the topmost first.
    open: VecDeque<Open>,
    /// The topmost target row that is not finished.
    first_open: usize,
    spare: Vec<Open>,
    /// One target row: before it is sized across, after that, and held.
    line: Vec<[f32; 4]>,
    finished: Finished,
    held: Vec<f32>,
    levels: Levels,
    /// Smaller rasters that are made from the finished rows of this one.
    narrower: Vec<Sizer>,
}

/// A row that waits.
#[derive(Default)]
struct Waiting {
    light: Vec<f32>,
    /// What it was made from goes down and up to; nothing where it is the picture's own.
    bounds: Option<[Vec<f32>; 2]>,
}

impl Waiting {
    fn line(&self) -> Line<'_> {
        let light = self.light.as_slice();
        match &self.bounds {
            None => Line {
                light,
                low: light,
                high: light,
            },
            Some([low, high]) => Line { light, low, high },
        }
    }
}

impl Sizer {
    /// Prepares for rows of `source.width() × channels` floats, `channels` 3 or 4.
    pub fn new(source: Size, target: Size, channels: usize, kernel: Kernel) -> Self {
        let whole = Area::whole(source);
        Self::of_region(whole, whole.into(), target, channels, kernel)
    }

    /// The same for a part of the picture, which need not begin or end on a pixel. At its borders
    /// the pixels around it are drawn on as far as they lie in `area`. Rows and columns that no
    /// result draws on are passed over.
    pub fn of_region(
        area: Area,
        region: Region,
        target: Size,
        channels: usize,
        kernel: Kernel,
    ) -> Self {
        let axis = |(start, samples), from, length, target| {
            let span = Span {
                source: (start, start + samples),
                from,
                length,
                target,
            };
            Taps::new(span, kernel)
        };
        let (across, down) = ((area.x, area.size.width()), (area.y, area.size.height()));
        let columns = axis(across, region.x, region.width, target.width());
        let lines = axis(down, region.y, region.height, target.height());
        Sizer {
            arch: Arch::new(),
            columns,
            lines,
            target,
            channels,
            pushed: 0,
            fine_end: 0,
            waiting: Default::default(),
            waits: 0,
            open: VecDeque::new(),
            first_open: 0,
            spare: Vec::new(),
            line: Vec::new(),
            finished: Finished::default(),
            held: Vec::new(),
            levels: Levels::new(target, channels),
            narrower: Vec::new(),
        }
    }

    /// Gives the rows of this one, as they are finished, to another sizer that makes a smaller
    /// raster of them. At half the width and below that costs little, and no eye tells the result
    /// from one that is made from the picture itself.
    pub fn feed(&mut self, narrower: Sizer) {
        self.narrower.push(narrower);
    }

    /// The sizers that were fed, in their order.
    pub fn fed(&mut self) -> Vec<Sizer> {
        std::mem::take(&mut self.narrower)
    }

    /// Takes in the next row from the top; `fine` where its samples had more than 8 bits.
    pub fn push(&mut self, row: &[f32], fine: bool) {
        let channels = self.channels;
        self.take(fine, |kept, columns| {
            let part = &row[columns.start * channels..columns.end * channels];
            kept.light.clear();
            kept.light.extend_from_slice(part);
        });
    }

    /// The same for a row that another sizer finished; what is left in it has no meaning.
    fn push_finished(&mut self, row: &mut Finished, fine: bool) {
        let channels = self.channels;
        self.take(fine, |kept, columns| {
            let [low, high] = kept.bounds.get_or_insert_default();
            let columns = columns.start * channels..columns.end * channels;
            for (kept, samples) in [
                (&mut kept.light, &mut row.sum),
                (low, &mut row.low),
                (high, &mut row.high),
            ] {
                std::mem::swap(kept, samples);
                kept.truncate(columns.end);
                kept.drain(..columns.start);
            }
        });
    }

    /// Keeps the columns of the next row that are drawn on, if it is drawn on at all.
    fn take(&mut self, fine: bool, keep: impl FnOnce(&mut Waiting, Range<usize>)) {
        let lines = self.lines.reach();
        let line = self.pushed;
        self.pushed += 1;
        if fine {
            self.fine_end = self.pushed;
        }
        if !lines.contains(&line) {
            return;
        }
        keep(&mut self.waiting[self.waits], self.columns.reach());
        self.waits += 1;
        if self.waits == BATCH || self.pushed == lines.end {
            self.add_waiting();
            self.finish_rows();
        }
    }

    /// Adds the waiting rows to every target row that draws on them.
    fn add_waiting(&mut self) {
        let first = self.pushed - self.waits;
        let mut position = self.first_open + self.open.len();
        while position < self.lines.len() && self.lines.sources(position).start < self.pushed {
            let length = self.waiting[0].light.len();
            let mut open = self.spare.pop().unwrap_or_default();
            open.begin(length);
            self.open.push_back(open);
            position += 1;
        }
        let lines = &self.lines;
        let waits = self.waits;
        let shares = self.open.iter_mut().enumerate().map(|(index, open)| {
            let position = self.first_open + index;
            let line = |row: usize| Some(first + row).filter(|_| row < waits);
            let share = Portion {
                weights: std::array::from_fn(|row| {
                    line(row).map_or(0.0, |line| lines.weight(position, line))
                }),
                in_cell: std::array::from_fn(|row| {
                    line(row).is_some_and(|line| lines.in_cell(position, line))
                }),
            };
            (share, open)
        });
        let mut shares: Vec<_> = shares.collect();
        // Where fewer rows wait, the first stands in for the others, without weight.
        let rows = std::array::from_fn(|row| {
            if row < waits {
                self.waiting[row].line()
            } else {
                self.waiting[0].line()
            }
        });
        bodies::add::<BATCH>(self.arch, rows, &mut shares);
        self.waits = 0;
    }

    /// Finishes the target rows that nothing more adds to.
    fn finish_rows(&mut self) {
        while let Some(open) = self.open.pop_front() {
            if self.lines.sources(self.first_open).end > self.pushed {
                self.open.push_front(open);
                return;
            }
            let across = match self.channels {
                4 => bodies::across::<4>,
                _ => bodies::across::<3>,
            };
            let (line, finished) = (&mut self.line, &mut self.finished);
            across(self.arch, &open, &self.columns, line, finished);
            bodies::hold(self.arch, &self.finished, &mut self.held);
            let fine = self.fine_end > self.lines.sources(self.first_open).start;
            self.levels.push(&self.held, fine);
            if let Some((last, others)) = self.narrower.split_last_mut() {
                for sizer in others {
                    sizer.push_finished(&mut self.finished.clone(), fine);
                }
                last.push_finished(&mut self.finished, fine);
            }
            self.spare.push(open);
            self.first_open += 1;
        }
    }

    /// The raster, once every row was pushed; `None` where rows are missing.
    pub fn finish(self) -> Option<Raster> {
        let channels = match self.channels {
            4 => Channels::Rgba,
            _ => Channels::Rgb,
        };
        let samples = self.levels.into_samples();
        Raster::new(self.target, channels, samples).map(Raster::without_idle_alpha)
    }
}

#[cfg(test)]
mod tests;
