//! Entropy-coded data: blocks from bits (ITU-T T.81, F.2.2 and G.2).

use super::bits::{Bits, State};
use super::header::{Oddity, Reader, Scan};
use super::held::Slots;
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
///
/// Where its data is damaged reading goes on, as browsers do: at the next restart marker, if there are
/// such; without them codes soon fall into step again, though what they add to may be wrong.
#[derive(Clone)]
pub(crate) struct Coding {
    pub coder: Coder,
    restart: u32,
    state: State,
    /// Units until the next restart marker, and that marker's number.
    left: u32,
    number: u8,
    /// Intervals that are lost: their blocks stay empty.
    lost: u32,
    /// Whether the current interval is.
    is_lost: bool,
    pub found: Found,
}

/// What was odd in coded data.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Found {
    restart: bool,
    /// Whether bytes are left at its end.
    rest: bool,
    /// Where the first damage was found.
    damage: Option<usize>,
}

impl Found {
    pub fn and(self, other: Found) -> Found {
        Found {
            restart: self.restart || other.restart,
            rest: self.rest || other.rest,
            damage: self.damage.into_iter().chain(other.damage).min(),
        }
    }

    /// The oddities that this comes to.
    pub fn oddities(self) -> impl Iterator<Item = Oddity> {
        let damage = self.damage.map(|position| Oddity::Damaged { position });
        let restart = self.restart.then_some(Oddity::Restart);
        let rest = self.rest.then_some(Oddity::Junk);
        [restart, rest, damage].into_iter().flatten()
    }
}

/// What codes in a scan mean: its tables, and what earlier blocks say of the next.
#[derive(Clone)]
pub(crate) struct Coder {
    pub scan: Scan,
    parts: Vec<Coded>,
    predictions: [i32; 4],
    /// Blocks that are still to be passed over at the end of their bands.
    ended: u32,
}

/// Where the blocks of a scan go.
pub(crate) trait Blocks {
    /// Reads the block of a component at a column and a row, by the tables of its part in the scan;
    /// `None` where no code fits.
    fn read(
        &mut self,
        coder: &mut Coder,
        bits: &mut Bits<'_>,
        at: (usize, usize, (usize, usize)),
    ) -> Option<()>;

    /// Leaves a block empty that is lost.
    fn lose(&mut self, component: usize, at: (usize, usize));
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
            coder: Coder {
                scan,
                parts,
                predictions: [0; 4],
                ended: 0,
            },
            restart: reader.tables.restart,
            state: State::at(position),
            left: reader.tables.restart,
            number: 0,
            lost: 0,
            is_lost: false,
            found: Found::default(),
        })
    }

    /// Whether all components come interleaved, unit by unit.
    fn is_interleaved(&self) -> bool {
        self.coder.parts.len() > 1
    }

    /// Rows of units in the scan.
    pub fn rows(&self, frame: &Frame) -> usize {
        if self.is_interleaved() {
            frame.units.1
        } else {
            frame.components[self.coder.parts[0].component].blocks.1
        }
    }

    /// Reads a row of units.
    pub fn row(
        &mut self,
        data: &[u8],
        frame: &Frame,
        row: usize,
        blocks: &mut impl Blocks,
    ) -> Result<(), Error> {
        let mut bits = Bits::new(data, self.state);
        let done = if self.is_interleaved() {
            self.row_of_units(&mut bits, frame, row, blocks)
        } else {
            self.row_of_blocks(&mut bits, frame, row, blocks)
        };
        let is_last = row + 1 == self.rows(frame);
        if done.is_err() || self.is_lost {
        } else if bits.overran() {
            // The data ends early: with the file, or with a marker.
            let position = bits.position();
            match bits.marker() {
                Some(0xD0..=0xD7) if self.restart > 0 => {}
                Some(_) if is_last || self.found.damage.is_some() => self.lose_rest(),
                None if self.found.damage.is_some() => self.lose_rest(),
                _ => return Err(Error::CutOff { position }),
            }
            self.damaged(position);
        } else if is_last {
            self.found.rest = bits.has_more();
        }
        self.state = bits.state();
        done
    }

    fn row_of_blocks(
        &mut self,
        bits: &mut Bits<'_>,
        frame: &Frame,
        row: usize,
        blocks: &mut impl Blocks,
    ) -> Result<(), Error> {
        let component = self.coder.parts[0].component;
        for column in 0..frame.components[component].blocks.0 {
            self.restart_where_due(bits)?;
            self.block(bits, blocks, (0, component, (column, row)));
        }
        Ok(())
    }

    fn row_of_units(
        &mut self,
        bits: &mut Bits<'_>,
        frame: &Frame,
        row: usize,
        blocks: &mut impl Blocks,
    ) -> Result<(), Error> {
        for unit in 0..frame.units.0 {
            self.restart_where_due(bits)?;
            for part in 0..self.coder.parts.len() {
                let component = self.coder.parts[part].component;
                let (across, down) = frame.components[component].sampling;
                let (across, down) = (across as usize, down as usize);
                for y in row * down..(row + 1) * down {
                    for x in unit * across..(unit + 1) * across {
                        self.block(bits, blocks, (part, component, (x, y)));
                    }
                }
            }
        }
        Ok(())
    }

    #[inline(always)]
    fn block(
        &mut self,
        bits: &mut Bits<'_>,
        blocks: &mut impl Blocks,
        at: (usize, usize, (usize, usize)),
    ) {
        if self.is_lost {
            blocks.lose(at.1, at.2);
        } else if blocks.read(&mut self.coder, bits, at).is_none() {
            self.damaged(bits.position());
        }
    }

    #[cold]
    #[inline(never)]
    fn damaged(&mut self, position: usize) {
        self.found.damage.get_or_insert(position);
    }

    /// Nothing more can be read of the scan.
    fn lose_rest(&mut self) {
        (self.is_lost, self.lost) = (true, u32::MAX);
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
        self.left = self.restart;
        self.coder.predictions = [0; 4];
        self.coder.ended = 0;
        let number = self.number;
        self.number = (number + 1) & 7;
        if self.lost > 0 {
            self.lost -= u32::from(self.lost < u32::MAX);
            self.is_lost = true;
            return Ok(());
        }
        if bits.overran() || bits.has_more() {
            self.damaged(position);
        }
        self.is_lost = false;
        loop {
            let Some(marker @ 0xD0..=0xD7) = bits.marker() else {
                if self.found.damage.is_none() {
                    return Err(Error::CutOff { position });
                }
                self.lose_rest();
                return Ok(());
            };
            let ahead = (marker - 0xD0).wrapping_sub(number) & 7;
            match ahead {
                0 => {}
                // What lies between was damaged together with its markers.
                1 | 2 if self.found.damage.is_some() => {
                    (self.is_lost, self.lost) = (true, u32::from(ahead) - 1);
                    return Ok(());
                }
                6 | 7 if self.found.damage.is_some() => {
                    bits.pass_marker();
                    continue;
                }
                _ => self.found.restart = true,
            }
            bits.pass_marker();
            return Ok(());
        }
    }
}

impl Coder {
    /// Reads a block of a sequential scan; tells the last index of the zigzag sequence that is not
    /// zero.
    #[inline(always)]
    pub fn sequential(
        &mut self,
        bits: &mut Bits<'_>,
        part: usize,
        block: &mut Block,
    ) -> Option<u8> {
        let coded = &self.parts[part];
        let (dc, ac) = (coded.dc.as_ref()?, coded.ac.as_ref()?);
        sequential(bits, dc, ac, &mut self.predictions[part], block)
    }

    /// Reads a DC coefficient, or what a pass adds to it (T.81, G.1.2.1).
    #[inline(always)]
    pub fn dc(&mut self, bits: &mut Bits<'_>, part: usize, value: &mut i16) -> Option<()> {
        let (high, low) = self.scan.bits;
        if high > 0 {
            bits.refill();
            *value |= (bits.take(1) << low) as i16;
            return Some(());
        }
        let dc = self.parts[part].dc.as_ref()?;
        let prediction = &mut self.predictions[part];
        *prediction = within(*prediction + difference(bits, dc)?, low)?;
        *value = (*prediction << low) as i16;
        Some(())
    }

    /// Passes over a block that a pass adds nothing to; tells whether it is one. `is_empty` where
    /// all its coefficients are zero.
    #[inline(always)]
    pub fn passes(&mut self, is_empty: impl FnOnce() -> bool) -> bool {
        let passes = self.ended > 0 && (self.scan.bits.0 == 0 || is_empty());
        self.ended -= u32::from(passes);
        passes
    }

    /// A pass over a band of AC coefficients.
    #[inline(always)]
    pub fn ac(&mut self, bits: &mut Bits<'_>, slots: &mut Slots<'_>) -> Option<()> {
        if self.scan.bits.0 == 0 {
            self.first_pass(bits, slots)
        } else {
            self.refinement(bits, slots)
        }
    }

    /// The first pass over a band of AC coefficients (T.81, G.1.2.2).
    fn first_pass(&mut self, bits: &mut Bits<'_>, slots: &mut Slots<'_>) -> Option<()> {
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
            slots.set(usize::from(*PLACE.get(k)?), value as i16);
            k += 1;
        }
        Some(())
    }

    /// A pass that adds a bit to a band of AC coefficients (T.81, G.1.2.3).
    fn refinement(&mut self, bits: &mut Bits<'_>, slots: &mut Slots<'_>) -> Option<()> {
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
                    let place = usize::from(PLACE[k]);
                    let coefficient = slots.get(place);
                    if coefficient != 0 {
                        refine(bits, slots, (place, coefficient), one);
                    } else if run == 0 {
                        if value != 0 {
                            slots.set(place, value);
                        }
                        k += 1;
                        break;
                    } else {
                        run -= 1;
                    }
                    k += 1;
                }
            }
        }
        if self.ended > 0 {
            for place in &PLACE[k..=last] {
                let place = usize::from(*place);
                let coefficient = slots.get(place);
                if coefficient != 0 {
                    refine(bits, slots, (place, coefficient), one);
                }
            }
            self.ended -= 1;
        }
        Some(())
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
fn refine(
    bits: &mut Bits<'_>,
    slots: &mut Slots<'_>,
    (place, coefficient): (usize, i16),
    one: i16,
) {
    bits.refill();
    if bits.take(1) == 1 && coefficient & one == 0 {
        let one = if coefficient > 0 { one } else { -one };
        let refined = coefficient.saturating_add(one).max(-MOST as i16);
        slots.set(place, refined);
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
