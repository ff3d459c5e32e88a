//! Huffman tables for decoding (ITU-T T.81, annex C and F.2.2.3).

use super::bits::Bits;
use crate::huffman::Table;

/// Codes of up to so many bits are found at once.
const LOOK: u32 = 10;

/// The entry is a symbol alone: what follows it is read by its rules.
const SYMBOL: u32 = 1 << 15;

/// A table ready to decode by.
#[derive(Clone)]
pub(crate) struct Lookup {
    /// By the next ten bits: the length that is consumed, in the lowest byte; above it either
    /// [`SYMBOL`] and, from bit 16 on, the symbol, or the run of zeros and, from bit 16 on, the
    /// coefficient that follows it. Zero for longer codes.
    entries: Vec<u32>,
    /// The first code of each length above, shifted up to 16 bits, behind the last of that length.
    ends: [u32; 17],
    /// What is added to a code of each length for the place of its symbol.
    offsets: [i32; 17],
    symbols: Vec<u8>,
}

impl Lookup {
    /// `direct` where coefficients shall be found together with their symbols: for AC tables of
    /// sequential scans.
    pub fn new(table: &Table, direct: bool) -> Lookup {
        let mut entries = vec![0u32; 1 << LOOK];
        let (mut ends, mut offsets) = ([0; 17], [0; 17]);
        let (mut code, mut place) = (0u32, 0usize);
        for length in 1..=16u32 {
            offsets[length as usize] = place as i32 - code as i32;
            for _ in 0..table.counts[length as usize - 1] {
                if length <= LOOK {
                    let symbol = table.symbols[place];
                    let shift = LOOK - length;
                    for tail in 0..1 << shift {
                        let bits = (code << shift | tail) as usize;
                        entries[bits] = entry(symbol, length, tail, if direct { shift } else { 0 });
                    }
                }
                code += 1;
                place += 1;
            }
            ends[length as usize] = code << (16 - length);
            code <<= 1;
        }
        Lookup {
            entries,
            ends,
            offsets,
            symbols: table.symbols.clone(),
        }
    }

    /// The entry of the next bits, which must be ready.
    #[inline(always)]
    pub fn entry(&self, bits: &Bits<'_>) -> Entry {
        Entry(self.entries[bits.peek(LOOK)])
    }

    /// The next symbol; `None` where no code fits. 16 bits must be ready.
    #[inline(always)]
    pub fn symbol(&self, bits: &mut Bits<'_>) -> Option<u8> {
        let entry = self.entry(bits);
        match entry.symbol() {
            Some((symbol, length)) => {
                bits.consume(length);
                Some(symbol)
            }
            None if entry.0 != 0 => {
                // A symbol with its bits: they are read anew.
                self.long(bits, 1)
            }
            None => self.long(bits, LOOK + 1),
        }
    }

    #[cold]
    #[inline(never)]
    fn long(&self, bits: &mut Bits<'_>, from: u32) -> Option<u8> {
        let next = bits.peek(16) as u32;
        let length = (from..=16).find(|&length| next < self.ends[length as usize])?;
        bits.consume(length);
        let code = (next >> (16 - length)) as i32;
        let place = code + self.offsets[length as usize];
        self.symbols.get(usize::try_from(place).ok()?).copied()
    }
}

/// What the next ten bits mean.
#[derive(Clone, Copy)]
pub(crate) struct Entry(u32);

impl Entry {
    /// The run of zeros, the coefficient behind it and all bits of both, where the bits hold them.
    #[inline(always)]
    pub fn coefficient(self) -> Option<(usize, i16, u32)> {
        let direct = self.0 != 0 && self.0 & SYMBOL == 0;
        direct.then_some((
            (self.0 >> 8 & 0x7F) as usize,
            (self.0 >> 16) as i16,
            self.0 & 0xFF,
        ))
    }

    #[inline(always)]
    fn symbol(self) -> Option<(u8, u32)> {
        (self.0 & SYMBOL != 0).then_some(((self.0 >> 16) as u8, self.0 & 0xFF))
    }
}

/// The entry of a symbol: with its coefficient, where the bits behind its code, of which there are
/// `left`, hold that.
fn entry(symbol: u8, length: u32, tail: u32, left: u32) -> u32 {
    let (run, size) = (u32::from(symbol >> 4), u32::from(symbol & 15));
    if size == 0 || size > left {
        return u32::from(symbol) << 16 | SYMBOL | length;
    }
    let bits = (tail >> (left - size)) as i32;
    let value = if bits < 1 << (size - 1) {
        bits + 1 - (1 << size)
    } else {
        bits
    };
    u32::from(value as i16 as u16) << 16 | run << 8 | (length + size)
}
