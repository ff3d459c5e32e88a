//! Headers bit by bit, and the units that they lie in (sections 4.10 and 5.3).

/// Bits, the highest of each byte first.
#[derive(Default)]
pub(crate) struct Bits {
    bytes: Vec<u8>,
    /// How many bits of the last byte are taken.
    taken: u32,
}

impl Bits {
    /// So many bits of a number.
    pub fn put(&mut self, value: u32, count: u32) {
        for bit in (0..count).rev() {
            if self.taken.is_multiple_of(8) {
                self.bytes.push(0);
            }
            let last = self.bytes.len() - 1;
            self.bytes[last] |= ((value >> bit & 1) as u8) << (7 - self.taken % 8);
            self.taken += 1;
        }
    }

    pub fn flag(&mut self, is: bool) {
        self.put(is.into(), 1);
    }

    /// A number with a sign, in seven bits where it is not zero.
    pub fn delta(&mut self, value: i32) {
        self.flag(value != 0);
        if value != 0 {
            self.put(value as u32 & 0x7f, 7);
        }
    }

    /// The end of a header: a one, then zeros.
    pub fn trailing(mut self) -> Vec<u8> {
        self.put(1, 1);
        self.bytes
    }

    /// Zeros up to the next byte.
    pub fn aligned(self) -> Vec<u8> {
        self.bytes
    }
}

/// The kinds of units that a still picture needs.
#[derive(Clone, Copy)]
pub(crate) enum Unit {
    Sequence = 1,
    Frame = 6,
}

/// Appends a unit with its length.
pub(crate) fn unit(out: &mut Vec<u8>, kind: Unit, payload: &[u8]) {
    out.push((kind as u8) << 3 | 2);
    let mut length = payload.len();
    loop {
        let more = length > 0x7f;
        out.push((length & 0x7f) as u8 | u8::from(more) << 7);
        length >>= 7;
        if !more {
            break;
        }
    }
    out.extend_from_slice(payload);
}
