//! Portable any-maps, row by row. Their samples are taken as sRGB: that is what they are today,
//! whatever curve their manual pages once named.

use super::{DecodeError, Form, Ink, Input, Row, Rows, Stream};
use crate::container::pnm::{self, Header, Writing};
use crate::container::{Allowance, Fault, Scan};
use crate::pixels::Size;
use crate::source::Kind;

/// See [`super::revision`].
pub(super) const REVISION: u32 = 1;

struct Pnm<'a> {
    scan: Scan<Box<dyn Stream + 'a>>,
    header: Header,
    form: Form,
    bytes: Vec<u8>,
    eight: Vec<u8>,
    sixteen: Vec<u16>,
}

pub(super) fn open(input: Input<'_>) -> Result<Box<dyn Rows + '_>, DecodeError> {
    let mut scan = Scan::within(input.stream()?, Allowance::default()).map_err(told)?;
    let header = pnm::header(&mut scan).map_err(told)?;
    let size = Size::new(header.width, header.height).ok_or(DecodeError::CutOff(Kind::Pnm))?;
    let ink = match header.count {
        1 => Ink::Grey,
        2 => Ink::GreyAlpha,
        3 => Ink::Rgb,
        _ => Ink::Rgba,
    };
    let form = Form {
        size,
        ink,
        icc: None,
    };
    Ok(Box::new(Pnm {
        scan,
        header,
        form,
        bytes: Vec::new(),
        eight: Vec::new(),
        sixteen: Vec::new(),
    }))
}

fn told(fault: Fault) -> DecodeError {
    match fault {
        Fault::CutOff => DecodeError::CutOff(Kind::Pnm),
        Fault::Rule(what) => DecodeError::damaged(Kind::Pnm, what),
        Fault::Read(error) => DecodeError::Read(error),
    }
}

impl Pnm<'_> {
    /// The values of a row, each at most the greatest.
    fn values(&mut self) -> Result<Vec<u16>, Fault> {
        let count = self.form.size.width() as usize * self.header.count;
        let most = self.header.most;
        let mut values = Vec::with_capacity(count);
        match self.header.writing {
            Writing::Plain => {
                for _ in 0..count {
                    let value = pnm::number(&mut self.scan)?;
                    values.push(u16::try_from(value).unwrap_or(u16::MAX).min(most));
                }
            }
            Writing::PlainBits => {
                for _ in 0..count {
                    values.push(u16::from(pnm::first(&mut self.scan)? == b'0'));
                }
            }
            Writing::RawBits => {
                self.fill(count.div_ceil(8))?;
                let bit = |at: usize| self.bytes[at / 8] >> (7 - at % 8) & 1;
                values.extend((0..count).map(|at| u16::from(1 - bit(at))));
            }
            Writing::Raw if most > 255 => {
                self.fill(count * 2)?;
                let pairs = self.bytes.as_chunks::<2>().0.iter();
                values.extend(pairs.map(|&pair| u16::from_be_bytes(pair).min(most)));
            }
            Writing::Raw => {
                self.fill(count)?;
                values.extend(self.bytes.iter().map(|&byte| u16::from(byte).min(most)));
            }
        }
        Ok(values)
    }

    fn fill(&mut self, count: usize) -> Result<(), Fault> {
        self.bytes.resize(count, 0);
        match self.scan.fill(&mut self.bytes)? {
            read if read == count => Ok(()),
            _ => Err(Fault::CutOff),
        }
    }
}

impl Rows for Pnm<'_> {
    fn form(&self) -> &Form {
        &self.form
    }

    fn next_row(&mut self) -> Result<Row<'_>, DecodeError> {
        let values = self.values().map_err(told)?;
        let most = u32::from(self.header.most);
        let scaled = |value: u16, to: u32| (u32::from(value) * to + most / 2) / most;
        if most <= 255 {
            self.eight.clear();
            self.eight
                .extend(values.iter().map(|&value| scaled(value, 255) as u8));
            return Ok(Row::Eight(&self.eight));
        }
        self.sixteen.clear();
        let wide = values.iter().map(|&value| scaled(value, 65_535) as u16);
        self.sixteen.extend(wide);
        Ok(Row::Sixteen(&self.sixteen))
    }
}
