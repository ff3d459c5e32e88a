//! Entropy coding: from coefficients to symbols (ITU-T T.81, F.1.2 and G.1.2). It is gone through twice:
//! symbols are counted, then written by the tables that fit.

use super::tables::Counts;
use crate::block::{Block, PLACE, band};
use crate::frame::Frame;

/// Where symbols go.
pub(crate) trait Sink {
    /// A symbol of a table, and the bits behind it.
    fn symbol(&mut self, table: usize, symbol: u8, bits: u32, count: u32);
    /// Bits alone, up to 16.
    fn bits(&mut self, bits: u32, count: u32);
    /// A restart marker.
    fn restart(&mut self);
}

/// Symbols counted.
pub(crate) struct Counting {
    pub tables: Vec<Counts>,
    /// Bits beside those of the symbols.
    pub plain: u64,
}

impl Counting {
    pub fn new(tables: usize) -> Counting {
        Counting {
            tables: vec![[0; 256]; tables],
            plain: 0,
        }
    }
}

impl Sink for Counting {
    #[inline(always)]
    fn symbol(&mut self, table: usize, symbol: u8, _: u32, count: u32) {
        self.tables[table][usize::from(symbol)] += 1;
        self.plain += u64::from(count);
    }

    #[inline(always)]
    fn bits(&mut self, _: u32, count: u32) {
        self.plain += u64::from(count);
    }

    fn restart(&mut self) {
        self.plain += 20;
    }
}

/// The code of each symbol, and its length.
pub(crate) type Codes = [(u16, u8); 256];

/// The codes of a table.
pub(crate) fn codes(table: &crate::huffman::Table) -> Codes {
    let mut codes = [(0, 0); 256];
    let (mut code, mut symbols) = (0u16, table.symbols.iter());
    for (length, &count) in (1..).zip(&table.counts) {
        for symbol in symbols.by_ref().take(usize::from(count)) {
            codes[usize::from(*symbol)] = (code, length);
            code = code.wrapping_add(1);
        }
        code <<= 1;
    }
    codes
}

/// Symbols written.
pub(crate) struct Writing {
    pub tables: Vec<Codes>,
    pub out: Vec<u8>,
    pending: u64,
    count: u32,
    restarts: u8,
}

impl Writing {
    pub fn new(tables: Vec<Codes>, out: Vec<u8>) -> Writing {
        Writing {
            tables,
            out,
            pending: 0,
            count: 0,
            restarts: 0,
        }
    }

    #[inline(always)]
    fn put(&mut self, bits: u32, count: u32) {
        self.pending = self.pending << count | u64::from(bits);
        self.count += count;
        while self.count >= 8 {
            self.count -= 8;
            let byte = (self.pending >> self.count) as u8;
            self.out.push(byte);
            if byte == 0xFF {
                self.out.push(0);
            }
        }
    }

    /// Fills the last byte up with ones.
    fn align(&mut self) {
        let missing = (8 - self.count % 8) % 8;
        self.put((1 << missing) - 1, missing);
    }

    pub fn finish(mut self) -> Vec<u8> {
        self.align();
        self.out
    }
}

impl Sink for Writing {
    #[inline(always)]
    fn symbol(&mut self, table: usize, symbol: u8, bits: u32, count: u32) {
        let (code, length) = self.tables[table][usize::from(symbol)];
        self.put(u32::from(code) << count | bits, u32::from(length) + count);
    }

    #[inline(always)]
    fn bits(&mut self, bits: u32, count: u32) {
        self.put(bits, count);
    }

    fn restart(&mut self) {
        self.align();
        self.out.extend([0xFF, 0xD0 + self.restarts]);
        self.restarts = (self.restarts + 1) & 7;
    }
}

/// A scan: some components, a band of coefficients, and the bits of them.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Scan {
    pub components: Vec<usize>,
    pub band: (usize, usize),
    pub bits: (u32, u32),
}

/// Blocks with what is looked up often in them.
pub(crate) struct Planes<'a> {
    pub frame: &'a Frame,
    pub blocks: Vec<&'a [Block]>,
    /// For each block which indices of the zigzag sequence are not zero.
    pub masks: Vec<Vec<u64>>,
}

impl<'a> Planes<'a> {
    pub fn new(frame: &'a Frame, blocks: Vec<&'a [Block]>) -> Planes<'a> {
        let mask = |block: &Block| {
            let mut mask = 0u64;
            for (index, &place) in PLACE.iter().enumerate() {
                mask |= u64::from(block[usize::from(place)] != 0) << index;
            }
            mask
        };
        let masks = blocks
            .iter()
            .map(|blocks| blocks.iter().map(mask).collect());
        Planes {
            frame,
            masks: masks.collect(),
            blocks,
        }
    }

    /// Codes a scan of a sequential file. Tables by the slots of components: so many DC tables, and
    /// above those the AC tables.
    pub fn sequential(
        &self,
        scan: &Scan,
        slots: &[usize],
        count: usize,
        restart: u32,
        sink: &mut impl Sink,
    ) {
        let mut predictions = [0i32; 4];
        walk(self.frame, &scan.components, (restart, 1), |step| {
            let Step::Block(part, component, index) = step else {
                predictions = [0; 4];
                sink.restart();
                return;
            };
            let block = &self.blocks[component][index];
            let dc = i32::from(block[0]);
            difference(sink, slots[component], dc - predictions[part]);
            predictions[part] = dc;
            let table = count + slots[component];
            let mut mask = self.masks[component][index] & !1;
            let mut next = 1;
            while mask != 0 {
                let k = mask.trailing_zeros();
                mask &= mask - 1;
                let mut run = k - next;
                while run > 15 {
                    sink.symbol(table, 0xF0, 0, 0);
                    run -= 16;
                }
                let (size, bits) = magnitude(block[usize::from(PLACE[k as usize])].into());
                sink.symbol(table, (run << 4 | size) as u8, bits, size);
                next = k + 1;
            }
            if next < 64 {
                sink.symbol(table, 0, 0, 0);
            }
        });
    }

    /// Codes a scan of a progressive file. DC scans use a table for each component's slot, AC scans
    /// one.
    pub fn progressive(&self, scan: &Scan, slots: &[usize], restart: u32, sink: &mut impl Sink) {
        self.some(scan, slots, (restart, 1), sink);
    }

    /// The same of every so manieth row of blocks, where it is a scan of one component: that tells what
    /// all would come to.
    pub fn some(&self, scan: &Scan, slots: &[usize], restart: (u32, usize), sink: &mut impl Sink) {
        let low = scan.bits.1;
        match (scan.band.0, scan.bits.0) {
            (0, 0) => {
                let mut predictions = [0i32; 4];
                walk(self.frame, &scan.components, restart, |step| {
                    let Step::Block(part, component, index) = step else {
                        predictions = [0; 4];
                        sink.restart();
                        return;
                    };
                    let dc = i32::from(self.blocks[component][index][0]) >> low;
                    difference(sink, slots[component], dc - predictions[part]);
                    predictions[part] = dc;
                });
            }
            (0, _) => walk(self.frame, &scan.components, restart, |step| match step {
                Step::Block(_, component, index) => {
                    let dc = i32::from(self.blocks[component][index][0]);
                    sink.bits((dc >> low & 1) as u32, 1);
                }
                Step::Restart => sink.restart(),
            }),
            (_, 0) => self.first_pass(scan, restart, sink),
            _ => self.refinement(scan, restart, sink),
        }
    }

    /// Goes through the blocks of a scan over a band of AC coefficients: `code` is given what has ended
    /// before, a block, and which coefficients of its band are not zero.
    fn bands<S: Sink>(
        &self,
        scan: &Scan,
        restart: (u32, usize),
        sink: &mut S,
        mut code: impl FnMut(&mut S, &mut Ended, &Block, u64),
    ) {
        let own = band(scan.band);
        let mut ended = Ended::default();
        walk(self.frame, &scan.components, restart, |step| match step {
            Step::Block(_, component, index) => {
                let mask = self.masks[component][index] & own;
                code(sink, &mut ended, &self.blocks[component][index], mask);
            }
            Step::Restart => {
                ended.flush(sink);
                sink.restart();
            }
        });
        ended.flush(sink);
    }

    fn first_pass(&self, scan: &Scan, restart: (u32, usize), sink: &mut impl Sink) {
        let low = scan.bits.1;
        self.bands(scan, restart, sink, |sink, ended, block, mut mask| {
            let mut next = scan.band.0 as u32;
            while mask != 0 {
                let k = mask.trailing_zeros();
                mask &= mask - 1;
                let value = i32::from(block[usize::from(PLACE[k as usize])]);
                let shifted = (value.abs() >> low) * value.signum();
                if shifted == 0 {
                    continue;
                }
                ended.flush(sink);
                let mut run = k - next;
                while run > 15 {
                    sink.symbol(0, 0xF0, 0, 0);
                    run -= 16;
                }
                let (size, bits) = magnitude(shifted);
                sink.symbol(0, (run << 4 | size) as u8, bits, size);
                next = k + 1;
            }
            if next <= scan.band.1 as u32 {
                ended.another(sink, &[]);
            }
        });
    }

    fn refinement(&self, scan: &Scan, restart: (u32, usize), sink: &mut impl Sink) {
        let low = scan.bits.1;
        let mut corrections: Vec<u8> = Vec::with_capacity(64);
        self.bands(scan, restart, sink, |sink, ended, block, all| {
            let level = |k: u32| {
                let value = i32::from(block[usize::from(PLACE[k as usize])]);
                (value.unsigned_abs() >> low, value < 0)
            };
            // The last coefficient that appears in this pass: zeros behind it need no runs.
            let mut rest = all;
            let mut last = None;
            while rest != 0 && last.is_none() {
                let k = 63 - rest.leading_zeros();
                rest &= !(1 << k);
                if level(k).0 == 1 {
                    last = Some(k);
                }
            }
            corrections.clear();
            let (mut mask, mut run, mut next) = (all, 0, scan.band.0 as u32);
            while mask != 0 {
                let k = mask.trailing_zeros();
                mask &= mask - 1;
                let (level, negative) = level(k);
                if level == 0 {
                    continue;
                }
                run += k - next;
                next = k + 1;
                while run > 15 && last.is_some_and(|last| k <= last) {
                    ended.flush(sink);
                    sink.symbol(0, 0xF0, 0, 0);
                    run -= 16;
                    for bit in corrections.drain(..) {
                        sink.bits(bit.into(), 1);
                    }
                }
                if level > 1 {
                    corrections.push((level & 1) as u8);
                    continue;
                }
                ended.flush(sink);
                sink.symbol(0, (run << 4 | 1) as u8, u32::from(!negative), 1);
                for bit in corrections.drain(..) {
                    sink.bits(bit.into(), 1);
                }
                run = 0;
            }
            if next <= scan.band.1 as u32 || run > 0 || !corrections.is_empty() {
                ended.another(sink, &corrections);
            }
        });
    }
}

/// Goes through the blocks of a scan in their order: component within the scan, and block.
/// Where it is one component, only every so manieth row of its blocks.
pub(crate) fn walk(
    frame: &Frame,
    components: &[usize],
    (restart, every): (u32, usize),
    mut visit: impl FnMut(Step),
) {
    let mut left = restart;
    let mut unit = |visit: &mut dyn FnMut(Step)| {
        if restart > 0 {
            if left == 0 {
                visit(Step::Restart);
                left = restart;
            }
            left -= 1;
        }
    };
    if let [component] = *components {
        let one = &frame.components[component];
        for y in (0..one.blocks.1).step_by(every) {
            for x in 0..one.blocks.0 {
                unit(&mut visit);
                visit(Step::Block(0, component, y * one.padded.0 + x));
            }
        }
        return;
    }
    for row in 0..frame.units.1 {
        for column in 0..frame.units.0 {
            unit(&mut visit);
            for (part, &component) in components.iter().enumerate() {
                let one = &frame.components[component];
                let (h, v) = (one.sampling.0 as usize, one.sampling.1 as usize);
                for y in 0..v {
                    for x in 0..h {
                        let block = (row * v + y) * one.padded.0 + column * h + x;
                        visit(Step::Block(part, component, block));
                    }
                }
            }
        }
    }
}

/// A step of a walk through a scan.
pub(crate) enum Step {
    /// A component's part in the scan, the component, and its block.
    Block(usize, usize, usize),
    Restart,
}

/// Blocks whose bands have ended, and the bits that correct what they hold.
#[derive(Default)]
struct Ended {
    blocks: u32,
    corrections: Vec<u8>,
}

impl Ended {
    /// Correction bits are held up to so many: decoders of old could hold no more.
    const HELD: usize = 900;

    fn another(&mut self, sink: &mut impl Sink, corrections: &[u8]) {
        self.blocks += 1;
        self.corrections.extend_from_slice(corrections);
        if self.blocks == 0x7FFF || self.corrections.len() > Self::HELD {
            self.flush(sink);
        }
    }

    fn flush(&mut self, sink: &mut impl Sink) {
        if self.blocks == 0 {
            return;
        }
        let size = 31 - self.blocks.leading_zeros();
        sink.symbol(0, (size << 4) as u8, self.blocks & ((1 << size) - 1), size);
        self.blocks = 0;
        for bit in self.corrections.drain(..) {
            sink.bits(bit.into(), 1);
        }
    }
}

/// The magnitude category of a value, and its bits (T.81, F.1.2.1).
#[inline(always)]
pub(crate) fn magnitude(value: i32) -> (u32, u32) {
    let size = 32 - value.unsigned_abs().leading_zeros();
    let bits = if value < 0 {
        (value - 1) as u32 & ((1 << size) - 1)
    } else {
        value as u32
    };
    (size, bits)
}

#[inline(always)]
fn difference(sink: &mut impl Sink, table: usize, difference: i32) {
    let (size, bits) = magnitude(difference);
    sink.symbol(table, size as u8, bits, size);
}
