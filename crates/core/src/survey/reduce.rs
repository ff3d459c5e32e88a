//! A small copy of a picture by plain averages of blocks: good enough to see what it shows, and
//! cheap enough to be made while the rows go by.

use crate::decode::{Form, Ink, Row};
use crate::pixels::Size;

/// Averages blocks of `factor` × `factor` pixels, in the values as stored.
pub(super) struct Reducer {
    ink: Ink,
    source: Size,
    factor: usize,
    sums: Vec<u32>,
    rows: u32,
    samples: Vec<u8>,
}

/// A reduced picture: 8-bit rows of the same ink as the source.
pub(super) struct Reduced {
    pub(super) form: Form,
    pub(super) samples: Vec<u8>,
}

impl Reducer {
    /// Prepares for a picture that becomes about `width` pixels wide, never wider than it is.
    pub(super) fn new(form: &Form, width: u32) -> Self {
        let factor = (form.size.width().max(form.size.height()) / width).max(1) as usize;
        let columns = (form.size.width() as usize).div_ceil(factor);
        Reducer {
            ink: form.ink,
            source: form.size,
            factor,
            sums: vec![0; columns * form.ink.count()],
            rows: 0,
            samples: Vec::new(),
        }
    }

    pub(super) fn push(&mut self, row: Row<'_>) {
        match row {
            Row::Eight(row) => self.add(row, u32::from),
            Row::Sixteen(row) => self.add(row, |v| u32::from(v >> 8)),
        }
        self.rows += 1;
        if self.rows as usize == self.factor {
            self.finish_row();
        }
    }

    fn add<S: Copy>(&mut self, row: &[S], level: impl Fn(S) -> u32) {
        match self.ink.count() {
            1 => self.add_pixels::<1, S>(row, level),
            2 => self.add_pixels::<2, S>(row, level),
            3 => self.add_pixels::<3, S>(row, level),
            _ => self.add_pixels::<4, S>(row, level),
        }
    }

    fn add_pixels<const N: usize, S: Copy>(&mut self, row: &[S], level: impl Fn(S) -> u32) {
        let (pixels, _) = row.as_chunks::<N>();
        let (sums, _) = self.sums.as_chunks_mut::<N>();
        for (sum, block) in sums.iter_mut().zip(pixels.chunks(self.factor)) {
            for pixel in block {
                for (sum, sample) in sum.iter_mut().zip(pixel) {
                    *sum += level(*sample);
                }
            }
        }
    }

    fn finish_row(&mut self) {
        let step = self.ink.count();
        let width = self.source.width() as usize;
        for (column, pixel) in self.sums.chunks_exact_mut(step).enumerate() {
            let across = self.factor.min(width - column * self.factor) as u32;
            let count = across * self.rows;
            for sum in pixel {
                self.samples.push(((*sum + count / 2) / count) as u8);
                *sum = 0;
            }
        }
        self.rows = 0;
    }

    /// The reduced picture, once every row was pushed.
    pub(super) fn finish(mut self, icc: Option<Vec<u8>>) -> Option<Reduced> {
        if self.rows > 0 {
            self.finish_row();
        }
        let factor = self.factor as u32;
        let (width, height) = (self.source.width(), self.source.height());
        let size = Size::new(width.div_ceil(factor), height.div_ceil(factor))?;
        let form = Form {
            size,
            ink: self.ink,
            icc,
        };
        Some(Reduced {
            form,
            samples: self.samples,
        })
    }
}
