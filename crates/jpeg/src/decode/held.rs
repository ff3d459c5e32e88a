//! Coefficients that are all held, in little memory: hardly any of a fine detail is above 127, so that
//! a byte is enough for each but for the first of a block.

use super::bits::Bits;
use super::coder::Coder;
use super::entropy::{Blocks, Place};
use crate::block::Block;
use crate::frame::{Component, Frame};

/// The coefficients of a component.
pub(crate) struct Held {
    /// Blocks in a row.
    stride: usize,
    dc: Vec<i16>,
    ac: Details,
}

impl Held {
    /// A component of nothing but zeros.
    pub fn new(component: &Component) -> Held {
        let count = component.padded.0 * component.padded.1;
        Held {
            stride: component.padded.0,
            dc: vec![0; count],
            ac: Details {
                stride: component.padded.0,
                narrow: vec![[0; 64]; count],
                wide: Vec::new(),
            },
        }
    }

    /// A row of blocks, and for each an index of the zigzag sequence behind which all coefficients are
    /// zero.
    pub fn row(&self, row: usize, blocks: &mut [Block], extents: &mut [u8]) {
        let first = row * self.stride;
        for (index, (block, extent)) in (first..).zip(blocks.iter_mut().zip(extents)) {
            *extent = self.ac.load(index, block);
            block[0] = self.dc[index];
        }
    }

    /// All blocks.
    pub fn blocks(&self) -> Vec<Block> {
        let one = |(index, dc): (usize, &i16)| {
            let mut block = [0; 64];
            self.ac.load(index, &mut block);
            block[0] = *dc;
            block
        };
        self.dc.iter().enumerate().map(one).collect()
    }

    /// The first coefficients and the others, which the scans of a progressive file add to by turns.
    pub fn split(&mut self) -> (&mut [i16], &mut Details) {
        (&mut self.dc, &mut self.ac)
    }
}

/// The coefficients of a component but for the first of each block.
pub(crate) struct Details {
    stride: usize,
    /// Where the first byte is [`WIDE`], the next four tell where the block stands among the wide.
    narrow: Vec<[i8; 64]>,
    wide: Vec<Block>,
}

/// What no coefficient is.
const WIDE: i8 = i8::MIN;

/// The extent of a block that lies in the low 4 × 4.
const LOW: u8 = 9;

impl Details {
    /// The place of a block among the wide, where it is one.
    #[inline(always)]
    fn place(&self, index: usize) -> Option<usize> {
        let [mark, a, b, c, d, ..] = self.narrow[index];
        let place = u32::from_le_bytes([a, b, c, d].map(|byte| byte as u8));
        (mark == WIDE).then_some(place as usize)
    }

    #[inline(always)]
    fn is_empty(&self, index: usize) -> bool {
        self.narrow[index] == [0; 64]
    }

    #[inline(always)]
    fn load(&self, index: usize, block: &mut Block) -> u8 {
        if let Some(place) = self.place(index) {
            *block = self.wide[place];
            return 63;
        }
        let narrow = &self.narrow[index];
        for (out, value) in block.iter_mut().zip(narrow) {
            *out = i16::from(*value);
        }
        // Blocks lie column by column.
        let (mut low, mut high) = (0u64, 0u64);
        for (column, values) in narrow.as_chunks::<8>().0.iter().enumerate() {
            let all = u64::from_le_bytes(values.map(|value| value as u8));
            if column < 4 {
                low |= all & 0xFFFF_FFFF;
                high |= all >> 32;
            } else {
                high |= all;
            }
        }
        match (low, high) {
            (0, 0) => 0,
            (_, 0) => LOW,
            _ => 63,
        }
    }

    #[inline(always)]
    fn slots(&mut self, index: usize) -> Slots<'_> {
        let place = self.place(index);
        Slots {
            narrow: &mut self.narrow[index],
            wide: &mut self.wide,
            place,
        }
    }
}

/// The coefficients of a block, one by one.
pub(crate) struct Slots<'d> {
    narrow: &'d mut [i8; 64],
    wide: &'d mut Vec<Block>,
    /// Where it stands among the wide, if it does.
    place: Option<usize>,
}

impl Slots<'_> {
    #[inline(always)]
    pub fn get(&self, at: usize) -> i16 {
        match self.place {
            None => self.narrow[at].into(),
            Some(place) => self.wide[place][at],
        }
    }

    #[inline(always)]
    pub fn set(&mut self, at: usize, value: i16) {
        match (self.place, i8::try_from(value)) {
            (None, Ok(value)) => self.narrow[at] = value,
            (None, Err(_)) => self.widen()[at] = value,
            (Some(place), _) => self.wide[place][at] = value,
        }
    }

    #[cold]
    #[inline(never)]
    fn widen(&mut self) -> &mut Block {
        let place = self.wide.len();
        self.wide.push(self.narrow.map(i16::from));
        self.place = Some(place);
        self.narrow[0] = WIDE;
        for (out, byte) in self.narrow[1..]
            .iter_mut()
            .zip((place as u32).to_le_bytes())
        {
            *out = byte as i8;
        }
        &mut self.wide[place]
    }
}

/// The blocks of a sequential scan, which come once.
pub(crate) struct Whole<'h>(pub &'h mut [Held]);

impl Blocks for Whole<'_> {
    #[inline(always)]
    fn read(&mut self, coder: &mut Coder, bits: &mut Bits<'_>, place: Place) -> Option<()> {
        let held = &mut self.0[place.component];
        let index = place.y * held.stride + place.x;
        let mut block = [0; 64];
        let read = coder.sequential(bits, place.part, &mut block);
        held.dc[index] = block[0];
        let mut slots = held.ac.slots(index);
        for (at, &value) in block.iter().enumerate().skip(1) {
            slots.set(at, value);
        }
        read.map(|_| ())
    }
}

/// The first coefficients of all components, for a DC scan of a progressive file.
pub(crate) struct First<'h> {
    pub frame: &'h Frame,
    pub planes: Vec<&'h mut [i16]>,
}

impl Blocks for First<'_> {
    #[inline(always)]
    fn read(&mut self, coder: &mut Coder, bits: &mut Bits<'_>, place: Place) -> Option<()> {
        let stride = self.frame.components[place.component].padded.0;
        let value = &mut self.planes[place.component][place.y * stride + place.x];
        coder.dc(bits, place.part, value)
    }
}

impl Blocks for &mut Details {
    #[inline(always)]
    fn read(&mut self, coder: &mut Coder, bits: &mut Bits<'_>, place: Place) -> Option<()> {
        let index = place.y * self.stride + place.x;
        if coder.passes(|| self.is_empty(index)) {
            return Some(());
        }
        coder.ac(bits, &mut self.slots(index))
    }
}
