//! The bits of entropy-coded data (ITU-T T.81, F.2.2.5): stuffed zeros taken out, markers waited at.

/// Where reading stands, between two stretches of work on the same bytes.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct State {
    position: usize,
    /// The next bits, from the highest down.
    buffer: u64,
    /// How many of them count.
    count: u32,
    /// How many of those stand for bits that are not there.
    padding: u32,
}

impl State {
    pub fn at(position: usize) -> State {
        State {
            position,
            ..State::default()
        }
    }
}

/// A reader of bits.
pub(crate) struct Bits<'a> {
    data: &'a [u8],
    state: State,
}

/// Whether any byte is 0xFF.
fn holds_ff(word: u64) -> bool {
    let zeros = !word;
    zeros.wrapping_sub(0x0101_0101_0101_0101) & !zeros & 0x8080_8080_8080_8080 != 0
}

impl<'a> Bits<'a> {
    pub fn new(data: &'a [u8], state: State) -> Bits<'a> {
        Bits { data, state }
    }

    pub fn state(&self) -> State {
        self.state
    }

    /// Makes at least 32 bits ready; behind the end of the data they are zeros.
    #[inline(always)]
    pub fn refill(&mut self) {
        let State {
            position, count, ..
        } = self.state;
        if count >= 32 {
            return;
        }
        if let Some(&bytes) = self
            .data
            .get(position..)
            .and_then(|rest| rest.first_chunk::<8>())
        {
            let word = u64::from_be_bytes(bytes);
            if !holds_ff(word) {
                // Bits below the count are the beginning of a byte that is read again next time.
                self.state.buffer |= word >> count;
                self.state.position += ((63 - count) >> 3) as usize;
                self.state.count |= 56;
                return;
            }
        }
        self.refill_slowly();
    }

    #[cold]
    #[inline(never)]
    fn refill_slowly(&mut self) {
        let state = &mut self.state;
        state.buffer &= !(u64::MAX >> state.count);
        while state.count <= 56 {
            let byte = match self.data.get(state.position..) {
                Some([0xFF, 0, ..]) => {
                    state.position += 2;
                    0xFF
                }
                // Fill bytes before a marker.
                Some([0xFF, 0xFF, ..]) => {
                    state.position += 1;
                    continue;
                }
                Some([0xFF, ..]) | Some([]) | None => {
                    state.padding += 64 - state.count;
                    state.count = 64;
                    return;
                }
                Some([byte, ..]) => {
                    state.position += 1;
                    *byte
                }
            };
            state.buffer |= u64::from(byte) << (56 - state.count);
            state.count += 8;
        }
    }

    /// The next bits, of which there must be as many; at least one.
    #[inline(always)]
    pub fn peek(&self, bits: u32) -> usize {
        (self.state.buffer >> (64 - bits)) as usize
    }

    #[inline(always)]
    pub fn consume(&mut self, bits: u32) {
        self.state.buffer <<= bits;
        self.state.count = self.state.count.wrapping_sub(bits);
    }

    /// Takes bits as a number: up to 16, which must be ready.
    #[inline(always)]
    pub fn take(&mut self, bits: u32) -> i32 {
        if bits == 0 {
            return 0;
        }
        let taken = self.peek(bits) as i32;
        self.consume(bits);
        taken
    }

    /// Takes a number of a magnitude category (T.81, F.2.2.1, EXTEND).
    #[inline(always)]
    pub fn signed(&mut self, bits: u32) -> i32 {
        let taken = self.take(bits);
        if bits > 0 && taken < 1 << (bits - 1) {
            taken + 1 - (1 << bits)
        } else {
            taken
        }
    }

    /// Whether more bits were taken than there were.
    #[inline(always)]
    pub fn overran(&self) -> bool {
        self.state.padding > self.state.count
    }

    /// Whether whole bytes stand before the next marker.
    pub fn has_more(&self) -> bool {
        let State {
            position,
            count,
            padding,
            ..
        } = self.state;
        let rest = self.data.get(position..).unwrap_or_default();
        let filled = rest.iter().take_while(|&&byte| byte == 0xFF).count();
        let at_marker = rest.is_empty() || (filled > 0 && rest.get(filled) != Some(&0));
        count >= padding + 8 || !at_marker
    }

    /// How many bytes were read, some of which may not have been taken yet.
    pub fn position(&self) -> usize {
        self.state.position
    }

    /// Goes to the next marker and tells its code: nothing before it is read any more.
    pub fn marker(&mut self) -> Option<u8> {
        let rest = self.data.get(self.state.position..)?;
        let mut pairs = rest.windows(2);
        let found = pairs.position(|pair| pair[0] == 0xFF && !matches!(pair[1], 0 | 0xFF))?;
        self.state = State::at(self.state.position + found);
        Some(rest[found + 1])
    }

    /// Passes over the marker that reading stands at.
    pub fn pass_marker(&mut self) {
        self.state = State::at(self.state.position + 2);
    }
}
