//! The blocks of a sequential file, a band of units at a time: several side by side where restart
//! markers stand between them.

use std::borrow::Cow;

use rayon::prelude::*;

use super::bits::Bits;
use super::coder::Coder;
use super::entropy::{Blocks, Coding, Found, Place};
use crate::block::Block;
use crate::error::Error;
use crate::frame::{Component, Frame};

/// A file on its way to blocks.
pub(crate) struct Stream<'a> {
    data: Cow<'a, [u8]>,
    coding: Coding,
    /// Bands that are read together.
    bands: Vec<Band>,
    /// The first of them, and how many have been read.
    first: usize,
    read: usize,
}

/// The blocks of a band of units, by component.
type Band = Vec<Strip>;

/// The blocks of a component in a band of units.
pub(crate) struct Strip {
    /// Blocks across and down.
    across: usize,
    down: usize,
    /// The first row of blocks that is in it.
    first: usize,
    blocks: Vec<Block>,
    /// For each block the last index of the zigzag sequence that is not zero.
    extents: Vec<u8>,
}

impl<'a> Stream<'a> {
    pub fn new(data: Cow<'a, [u8]>, coding: Coding, frame: &Frame) -> Stream<'a> {
        let together = if coding.splits(frame) {
            rayon::current_num_threads()
        } else {
            1
        };
        let band = || frame.components.iter().map(Strip::new).collect();
        Stream {
            data,
            coding,
            bands: (0..together).map(|_| band()).collect(),
            first: 0,
            read: 0,
        }
    }

    /// The blocks of a band; they are asked for one after the other.
    pub fn band(&mut self, frame: &Frame, band: usize) -> Result<&[Strip], Error> {
        if band >= self.first + self.read {
            (self.first, self.read) = (band, 0);
            self.fill(frame)?;
        }
        Ok(&self.bands[band - self.first])
    }

    /// What was odd in what was read.
    pub fn found(&self) -> Found {
        self.coding.found
    }

    fn fill(&mut self, frame: &Frame) -> Result<(), Error> {
        let (first, data) = (self.first, self.data.as_ref());
        let count = self.bands.len().min(frame.units.1 - first);
        let Some(codings) = self.coding.ahead(data, frame, count) else {
            self.read = 1;
            return read(&mut self.coding, data, frame, first, &mut self.bands[0]);
        };
        self.read = codings.len();
        let bands = codings.into_par_iter().zip(&mut self.bands).enumerate();
        let done = bands.map(|(index, (mut coding, strips))| {
            read(&mut coding, data, frame, first + index, strips)?;
            Ok(coding)
        });
        let done: Vec<Result<Coding, Error>> = done.collect();
        let mut found = Found::default();
        let last = done.len() - 1;
        for (index, coding) in done.into_iter().enumerate() {
            let mut coding = coding?;
            if index < last {
                coding.expect_marker(data);
            }
            found = found.and(coding.found);
            self.coding = coding;
        }
        self.coding.found = found;
        Ok(())
    }
}

/// Reads a band of units.
fn read(
    coding: &mut Coding,
    data: &[u8],
    frame: &Frame,
    band: usize,
    strips: &mut Band,
) -> Result<(), Error> {
    for strip in strips.iter_mut() {
        strip.first = band * strip.down;
    }
    coding.row(data, frame, band, strips)
}

impl Strip {
    fn new(component: &Component) -> Strip {
        let (across, down) = (component.padded.0, component.sampling.1 as usize);
        Strip {
            across,
            down,
            first: 0,
            blocks: vec![[0; 64]; across * down],
            extents: vec![0; across * down],
        }
    }

    /// The blocks of a row of it, and their extents.
    pub fn row(&self, row: usize) -> (&[Block], &[u8]) {
        let own = row * self.across..(row + 1) * self.across;
        (&self.blocks[own.clone()], &self.extents[own])
    }

    #[inline(always)]
    fn index(&self, place: Place) -> usize {
        (place.y - self.first) * self.across + place.x
    }
}

impl Blocks for Band {
    #[inline(always)]
    fn read(&mut self, coder: &mut Coder, bits: &mut Bits<'_>, place: Place) -> Option<()> {
        let strip = &mut self[place.component];
        let index = strip.index(place);
        let extent = coder.sequential(bits, place.part, &mut strip.blocks[index]);
        // What broke off may have coefficients anywhere.
        strip.extents[index] = extent.unwrap_or(63);
        extent.map(|_| ())
    }

    fn lose(&mut self, place: Place) {
        let strip = &mut self[place.component];
        let index = strip.index(place);
        (strip.blocks[index], strip.extents[index]) = ([0; 64], 0);
    }
}
