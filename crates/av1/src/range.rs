//! The range coder (sections 8.2 and 9.3): symbols with adaptive distributions, written or only counted.
//!
//! A distribution of `N` symbols is an array of `N` numbers: for each symbol but the last what is left of 32768 above
//! it, then how often it was adapted.

/// How far the logarithms of probabilities are divided: a cost of so much is one bit.
pub(crate) const BIT: u32 = 512;

/// Something that takes the symbols of a tile.
pub(crate) trait Sink {
    /// A symbol of an adaptive distribution.
    fn symbol<const N: usize>(&mut self, odds: &mut [u16; N], symbol: usize);

    /// Whether something is so, where what is left for that is known: nothing is adapted.
    fn decision(&mut self, left: u16, is: bool);

    /// So many bits of a number, the highest first.
    fn bits(&mut self, value: u32, count: u32) {
        for bit in (0..count).rev() {
            self.decision(1 << 14, value >> bit & 1 == 1);
        }
    }
}

/// Writes symbols.
pub(crate) struct Writer {
    /// Bytes, each with what it has to carry into the one before.
    bytes: Vec<u16>,
    low: u32,
    range: u32,
    /// How many bits of `low` are ready, less than a byte's worth; negative while there are fewer.
    ready: i32,
}

impl Writer {
    pub fn new() -> Writer {
        Writer {
            bytes: Vec::new(),
            low: 0,
            range: 1 << 15,
            ready: -9,
        }
    }

    /// Narrows the range to that between two marks: what is left of 32768 below and above a symbol, of which there are
    /// so many from this one on.
    fn narrow(&mut self, below: u32, above: u32, from: u32) {
        let part = |left: u32, from: u32| (((self.range >> 8) * (left >> 6)) >> 1) + 4 * from;
        let end = part(above, from - 1);
        if below < 1 << 15 {
            let start = part(below, from);
            self.low += self.range - start;
            self.range = start - end;
        } else {
            self.range -= end;
        }
        self.shift();
    }

    /// Brings the range back to 16 bits.
    fn shift(&mut self) {
        let by = self.range.leading_zeros() as i32 - 16;
        let mut after = self.ready + by;
        if after >= 0 {
            let mut held = self.ready + 16;
            let mut mask = (1u32 << held) - 1;
            if after >= 8 {
                self.bytes.push((self.low >> held) as u16);
                self.low &= mask;
                held -= 8;
                mask >>= 8;
            }
            self.bytes.push((self.low >> held) as u16);
            after = held + by - 24;
            self.low &= mask;
        }
        self.low <<= by;
        self.range <<= by;
        self.ready = after;
    }

    /// The bytes of a tile: as few as tell all symbols.
    pub fn finish(mut self) -> Vec<u8> {
        let mask = 0x3fff;
        let mut end = u64::from((self.low + mask) & !mask | (mask + 1));
        let mut held = self.ready;
        let mut left = 10 + held;
        let mut rest = (1u64 << (held + 16)) - 1;
        while left > 0 {
            self.bytes.push((end >> (held + 16)) as u16);
            end &= rest;
            left -= 8;
            held -= 8;
            rest >>= 8;
        }
        let mut carried = 0;
        let mut bytes: Vec<u8> = self
            .bytes
            .iter()
            .rev()
            .map(|&byte| {
                let sum = byte + carried;
                carried = sum >> 8;
                sum as u8
            })
            .collect();
        bytes.reverse();
        bytes
    }
}

impl Sink for Writer {
    fn symbol<const N: usize>(&mut self, odds: &mut [u16; N], symbol: usize) {
        let below = match symbol {
            0 => 1 << 15,
            _ => u32::from(odds[symbol - 1]),
        };
        let above = if symbol == N - 1 {
            0
        } else {
            u32::from(odds[symbol])
        };
        self.narrow(below, above, (N - symbol) as u32);
        adapt(odds, symbol);
    }

    fn decision(&mut self, left: u16, is: bool) {
        match is {
            false => self.narrow(1 << 15, left.into(), 2),
            true => self.narrow(left.into(), 0, 1),
        }
    }
}

/// Moves a distribution towards a symbol that was seen (section 8.2.6).
fn adapt<const N: usize>(odds: &mut [u16; N], symbol: usize) {
    let seen = odds[N - 1];
    let rate = 3 + u16::from(seen > 15) + u16::from(seen > 31) + N.ilog2().min(2) as u16;
    for (index, left) in odds[..N - 1].iter_mut().enumerate() {
        if index < symbol {
            *left += ((1 << 15) - *left) >> rate;
        } else {
            *left -= *left >> rate;
        }
    }
    odds[N - 1] = seen + u16::from(seen < 32);
}

/// Learns how likely symbols are, and keeps none.
pub(crate) struct Learner;

impl Sink for Learner {
    fn symbol<const N: usize>(&mut self, odds: &mut [u16; N], symbol: usize) {
        adapt(odds, symbol);
    }

    fn decision(&mut self, _: u16, _: bool) {}

    fn bits(&mut self, _: u32, _: u32) {}
}

/// Counts what symbols would cost, in parts of a bit; adapts nothing.
#[derive(Default)]
pub(crate) struct Counter {
    pub cost: u32,
}

impl Sink for Counter {
    #[inline]
    fn symbol<const N: usize>(&mut self, odds: &mut [u16; N], symbol: usize) {
        self.cost += cost(odds, symbol);
    }

    #[inline]
    fn decision(&mut self, left: u16, is: bool) {
        let odds = if is { left } else { (1 << 15) - left };
        self.cost += u32::from(COSTS[usize::from(odds >> 7)]);
    }

    #[inline]
    fn bits(&mut self, _: u32, count: u32) {
        self.cost += count * BIT;
    }
}

/// What a symbol costs, in parts of a bit.
#[inline]
pub(crate) fn cost<const N: usize>(odds: &[u16; N], symbol: usize) -> u32 {
    let below = if symbol == 0 {
        1 << 15
    } else {
        odds[symbol - 1]
    };
    let above = if symbol == N - 1 { 0 } else { odds[symbol] };
    u32::from(COSTS[usize::from((below - above) >> 7)])
}

/// The costs of probabilities in 256 steps, each that of its middle.
static COSTS: [u16; 257] = costs();

const fn costs() -> [u16; 257] {
    let mut costs = [0; 257];
    let mut step = 0;
    while step < 256 {
        // The logarithm of (2 step + 1) / 512, digit by digit.
        let odd = 2 * step as u64 + 1;
        let whole = odd.ilog2();
        let mut part = (odd << 32) >> whole;
        let mut digits = 0;
        let mut digit = 0;
        while digit < 9 {
            part = ((part as u128 * part as u128) >> 32) as u64;
            digits <<= 1;
            if part >= 2 << 32 {
                part >>= 1;
                digits |= 1;
            }
            digit += 1;
        }
        costs[step] = ((9 - whole) * BIT - digits) as u16;
        step += 1;
    }
    costs
}
