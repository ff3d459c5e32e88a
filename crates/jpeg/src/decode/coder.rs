//! What codes mean: blocks from bits (ITU-T T.81, F.2.2 and G.2).

use std::sync::Arc;

use super::bits::Bits;
use super::header::{Oddity, Reader, Scan};
use super::held::Slots;
use super::huffman::Lookup;
use crate::block::{Block, PLACE};
use crate::error::Error;
use crate::frame::Frame;

/// The tables of a component in a scan.
struct Coded {
    dc: Option<Lookup>,
    ac: Option<Lookup>,
}

/// What codes in a scan mean: its tables, and what earlier blocks say of the next.
#[derive(Clone)]
pub(crate) struct Coder {
    pub scan: Scan,
    parts: Arc<[Coded]>,
    predictions: [i32; 4],
    /// Blocks that are still to be passed over at the end of their bands.
    ended: u32,
}

impl Coder {
    /// The tables of a scan whose data begins where the reader stands.
    pub fn new(reader: &mut Reader, frame: &Frame, scan: Scan) -> Result<Coder, Error> {
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
                dc: lookup(0, part.dc, wants_dc)?,
                ac: lookup(1, part.ac, wants_ac)?,
            });
        }
        Ok(Coder {
            scan,
            parts: parts.into(),
            predictions: [0; 4],
            ended: 0,
        })
    }

    /// Begins anew behind a restart marker.
    pub fn restart(&mut self) {
        self.predictions = [0; 4];
        self.ended = 0;
    }

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
    if k > 64 {
        // What ran over the end may have come to the beginning.
        block[0] = *prediction as i16;
        return None;
    }
    Some(extent as u8)
}
