//! Entropy-coded data: blocks from bits (ITU-T T.81, F.2.2 and G.2).

use super::bits::{Bits, State};
use super::header::{Oddity, Reader, Scan};
use super::huffman::Lookup;
use crate::block::{Block, PLACE};
use crate::error::Error;
use crate::frame::Frame;

/// The tables of a component in a scan.
#[derive(Clone)]
struct Coded {
    component: usize,
    dc: Option<Lookup>,
    ac: Option<Lookup>,
}

/// A scan ready to be read, a row of units at a time.
#[derive(Clone)]
pub(crate) struct Coding {
    scan: Scan,
    progressive: bool,
    parts: Vec<Coded>,
    restart: u32,
    state: State,
    /// Units until the next restart marker, and that marker's number.
    left: u32,
    number: u8,
    predictions: [i32; 4],
    /// Blocks that are still to be passed over at the end of their bands.
    ended: u32,
    pub odd_restart: bool,
}

/// Where the blocks of a component go: blocks from some row on.
pub(crate) struct Plane<'p> {
    /// The first block row that it holds.
    pub first: usize,
    /// Blocks in a row.
    pub stride: usize,
    pub blocks: &'p mut [Block],
    /// For each block the last coefficient that is not zero, or a higher one, where that is kept.
    pub extents: Option<&'p mut [u8]>,
}

impl Coding {
    /// Makes a scan ready whose data begins where the reader stands.
    pub fn new(reader: &mut Reader, frame: &Frame, scan: Scan) -> Result<Coding, Error> {
        let position = reader.position;
        let missing = Error::damaged("a scan names a Huffman table that is not there", position);
        let refines = frame.progressive && scan.bits.0 > 0;
        let (wants_dc, wants_ac) = (scan.band.0 == 0 && !refines, scan.band.1 > 0);
        let mut parts = Vec::new();
        for part in &scan.parts {
            let mut lookup = |class: usize, destination: usize, wanted: bool| {
                if !wanted {
                    return Ok(None);
                }
                let (table, invented) = reader.tables.huffman(class, destination).ok_or(missing)?;
                if invented {
                    reader.odd(Oddity::NoTable);
                }
                let direct = class == 1 && !frame.progressive;
                Ok(Some(Lookup::new(&table, direct)))
            };
            parts.push(Coded {
                component: part.component,
                dc: lookup(0, part.dc, wants_dc)?,
                ac: lookup(1, part.ac, wants_ac)?,
            });
        }
        Ok(Coding {
            scan,
            progressive: frame.progressive,
            parts,
            restart: reader.tables.restart,
            state: State::at(position),
            left: reader.tables.restart,
            number: 0,
            predictions: [0; 4],
            ended: 0,
            odd_restart: false,
        })
    }

    /// Whether all components come interleaved, unit by unit.
    pub fn is_interleaved(&self) -> bool {
        self.parts.len() > 1
    }

    /// Rows of units in the scan.
    pub fn rows(&self, frame: &Frame) -> usize {
        if self.is_interleaved() {
            frame.units.1
        } else {
            frame.components[self.parts[0].component].blocks.1
        }
    }

    /// Reads a row of units into the planes of all components of the frame.
    pub fn row(
        &mut self,
        data: &[u8],
        frame: &Frame,
        row: usize,
        planes: &mut [Plane<'_>],
    ) -> Result<(), Error> {
        let mut bits = Bits::new(data, self.state);
        let done = self.row_of(&mut bits, frame, row, planes);
        self.state = bits.state();
        done?;
        if bits.overran() {
            // The data ends early: with the file, or with the next marker.
            return Err(Error::CutOff {
                position: bits.position(),
            });
        }
        Ok(())
    }

    fn row_of(
        &mut self,
        bits: &mut Bits<'_>,
        frame: &Frame,
        row: usize,
        planes: &mut [Plane<'_>],
    ) -> Result<(), Error> {
        let wrong = |bits: &Bits<'_>| Error::damaged("the coded data is wrong", bits.position());
        if !self.is_interleaved() {
            let component = self.parts[0].component;
            let plane = &mut planes[component];
            let start = (row - plane.first) * plane.stride;
            for column in 0..frame.components[component].blocks.0 {
                self.restart_where_due(bits)?;
                self.block(bits, 0, plane, start + column)
                    .ok_or_else(|| wrong(bits))?;
            }
            return Ok(());
        }
        for unit in 0..frame.units.0 {
            self.restart_where_due(bits)?;
            for part in 0..self.parts.len() {
                let component = self.parts[part].component;
                let (across, down) = frame.components[component].sampling;
                let (across, down) = (across as usize, down as usize);
                let plane = &mut planes[component];
                for y in 0..down {
                    let start = (row * down + y - plane.first) * plane.stride + unit * across;
                    for x in 0..across {
                        self.block(bits, part, plane, start + x)
                            .ok_or_else(|| wrong(bits))?;
                    }
                }
            }
        }
        Ok(())
    }

    #[inline(always)]
    fn restart_where_due(&mut self, bits: &mut Bits<'_>) -> Result<(), Error> {
        if self.restart == 0 {
            return Ok(());
        }
        if self.left == 0 {
            self.restart(bits)?;
        }
        self.left -= 1;
        Ok(())
    }

    #[cold]
    fn restart(&mut self, bits: &mut Bits<'_>) -> Result<(), Error> {
        let position = bits.position();
        if bits.overran() {
            return Err(Error::damaged("the coded data is wrong", position));
        }
        match bits.marker() {
            Some(marker @ 0xD0..=0xD7) => {
                self.odd_restart |= marker != 0xD0 + self.number;
                bits.pass_marker();
            }
            _ => return Err(Error::CutOff { position }),
        }
        self.number = (self.number + 1) & 7;
        self.left = self.restart;
        self.predictions = [0; 4];
        self.ended = 0;
        Ok(())
    }

    /// Reads a block, or what a pass adds to it; `None` where no code fits.
    #[inline(always)]
    fn block(
        &mut self,
        bits: &mut Bits<'_>,
        part: usize,
        plane: &mut Plane<'_>,
        index: usize,
    ) -> Option<()> {
        let block = plane.blocks.get_mut(index)?;
        if !self.progressive {
            let coded = &self.parts[part];
            let (dc, ac) = (coded.dc.as_ref()?, coded.ac.as_ref()?);
            let extent = sequential(bits, dc, ac, &mut self.predictions[part], block)?;
            if let Some(extents) = &mut plane.extents {
                extents[index] = extent;
            }
            return Some(());
        }
        let low = self.scan.bits.1;
        match (self.scan.band.0, self.scan.bits.0) {
            (0, 0) => {
                let dc = self.parts[part].dc.as_ref()?;
                let prediction = &mut self.predictions[part];
                *prediction = within(*prediction + difference(bits, dc)?, low)?;
                block[0] = (*prediction << low) as i16;
            }
            (0, _) => {
                bits.refill();
                block[0] |= (bits.take(1) << low) as i16;
            }
            (_, 0) => self.first_pass(bits, block)?,
            _ => self.refinement(bits, block)?,
        }
        Some(())
    }

    /// The first pass over a band of AC coefficients (T.81, G.1.2.2).
    fn first_pass(&mut self, bits: &mut Bits<'_>, block: &mut Block) -> Option<()> {
        if self.ended > 0 {
            self.ended -= 1;
            return Some(());
        }
        let ac = self.parts[0].ac.as_ref()?;
        let (first, last) = self.scan.band;
        let mut k = first;
        while k <= last {
            bits.refill();
            let symbol = ac.symbol(bits)?;
            let (run, size) = (usize::from(symbol >> 4), u32::from(symbol & 15));
            if size == 0 {
                if run < 15 {
                    self.ended = (1 << run) - 1 + bits.take(run as u32) as u32;
                    break;
                }
                k += 16;
                continue;
            }
            k += run;
            let value = bits.signed(size);
            let value = value << self.scan.bits.1;
            if value.abs() > MOST {
                return None;
            }
            block[usize::from(*PLACE.get(k)?)] = value as i16;
            k += 1;
        }
        Some(())
    }

    /// A pass that adds a bit to a band of AC coefficients (T.81, G.1.2.3).
    fn refinement(&mut self, bits: &mut Bits<'_>, block: &mut Block) -> Option<()> {
        let (first, last) = self.scan.band;
        let one = 1i16 << self.scan.bits.1;
        let mut k = first;
        if self.ended == 0 {
            let ac = self.parts[0].ac.as_ref()?;
            while k <= last {
                bits.refill();
                let symbol = ac.symbol(bits)?;
                let (mut run, size) = (usize::from(symbol >> 4), symbol & 15);
                let mut value = 0;
                match size {
                    0 if run < 15 => {
                        self.ended = (1 << run) + bits.take(run as u32) as u32;
                        break;
                    }
                    0 => {}
                    1 => value = if bits.take(1) == 1 { one } else { -one },
                    _ => return None,
                }
                // Passes over so many zeros, and refines what is not zero on the way.
                while k <= last {
                    let coefficient = &mut block[usize::from(PLACE[k])];
                    if *coefficient == 0 {
                        if run == 0 {
                            *coefficient = value;
                            k += 1;
                            break;
                        }
                        run -= 1;
                    } else {
                        refine(bits, coefficient, one);
                    }
                    k += 1;
                }
            }
        }
        if self.ended > 0 {
            for place in &PLACE[k..=last] {
                let coefficient = &mut block[usize::from(*place)];
                if *coefficient != 0 {
                    refine(bits, coefficient, one);
                }
            }
            self.ended -= 1;
        }
        Some(())
    }

    /// Where reading stands.
    pub fn position(&self, data: &[u8]) -> usize {
        Bits::new(data, self.state).position()
    }
}

/// No coefficient of a picture comes near this; one that does could not be written again.
const MOST: i32 = 32_767;

/// A DC coefficient without its lowest bits, where it is one that a picture can have: the difference of
/// two can be written, too.
#[inline(always)]
fn within(prediction: i32, low: u32) -> Option<i32> {
    ((prediction << low).abs() <= MOST / 2).then_some(prediction)
}

#[inline(always)]
fn refine(bits: &mut Bits<'_>, coefficient: &mut i16, one: i16) {
    bits.refill();
    if bits.take(1) == 1 && *coefficient & one == 0 {
        let one = if *coefficient > 0 { one } else { -one };
        *coefficient = coefficient.saturating_add(one).max(-MOST as i16);
    }
}

/// The difference of a DC coefficient to the one before.
#[inline(always)]
fn difference(bits: &mut Bits<'_>, dc: &Lookup) -> Option<i32> {
    bits.refill();
    let size = u32::from(dc.symbol(bits)?);
    if size > 15 {
        return None;
    }
    Some(bits.signed(size))
}

/// A whole block; tells the last index of the zigzag sequence that is not zero.
#[inline(always)]
fn sequential(
    bits: &mut Bits<'_>,
    dc: &Lookup,
    ac: &Lookup,
    prediction: &mut i32,
    block: &mut Block,
) -> Option<u8> {
    *block = [0; 64];
    *prediction = within(*prediction + difference(bits, dc)?, 0)?;
    block[0] = *prediction as i16;
    let (mut k, mut extent) = (1, 0);
    while k < 64 {
        bits.refill();
        if let Some((run, value, length)) = ac.entry(bits).coefficient() {
            bits.consume(length);
            k += run;
            // A run beyond the block is wrong, and is found below.
            block[usize::from(PLACE[k & 63])] = value;
            extent = k;
            k += 1;
            continue;
        }
        let symbol = ac.symbol(bits)?;
        let (run, size) = (usize::from(symbol >> 4), u32::from(symbol & 15));
        if size == 0 {
            if run < 15 {
                break;
            }
            k += 16;
            continue;
        }
        k += run;
        block[usize::from(PLACE[k & 63])] = bits.signed(size) as i16;
        extent = k;
        k += 1;
    }
    (k <= 64).then_some(extent as u8)
}
