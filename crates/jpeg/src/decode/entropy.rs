//! Entropy-coded data: a scan, unit by unit, with its restart markers (ITU-T T.81, E.2.4 and F.2.2.5).

use super::bits::{Bits, State};
use super::coder::Coder;
use super::header::{Oddity, Reader, Scan};
use crate::error::Error;
use crate::frame::Frame;

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

/// Which block of a scan it is.
#[derive(Clone, Copy)]
pub(crate) struct Place {
    /// The component's part in the scan, whose tables it is read by.
    pub part: usize,
    pub component: usize,
    /// Its column and row among the component's blocks.
    pub x: usize,
    pub y: usize,
}

/// Where the blocks of a scan go.
pub(crate) trait Blocks {
    /// Reads a block; `None` where no code fits.
    fn read(&mut self, coder: &mut Coder, bits: &mut Bits<'_>, place: Place) -> Option<()>;

    /// Leaves a block empty that is lost; those that are held are so anyway.
    fn lose(&mut self, _: Place) {}
}

impl Coding {
    /// Makes a scan ready whose data begins where the reader stands.
    pub fn new(reader: &mut Reader, frame: &Frame, scan: Scan) -> Result<Coding, Error> {
        let position = reader.position;
        Ok(Coding {
            coder: Coder::new(reader, frame, scan)?,
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
        self.coder.scan.parts.len() > 1
    }

    /// Rows of units in the scan.
    pub fn rows(&self, frame: &Frame) -> usize {
        if self.is_interleaved() {
            frame.units.1
        } else {
            frame.components[self.coder.scan.parts[0].component]
                .blocks
                .1
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
        let component = self.coder.scan.parts[0].component;
        for column in 0..frame.components[component].blocks.0 {
            self.restart_where_due(bits)?;
            let place = Place {
                part: 0,
                component,
                x: column,
                y: row,
            };
            self.block(bits, blocks, place);
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
            for part in 0..self.coder.scan.parts.len() {
                let component = self.coder.scan.parts[part].component;
                let (across, down) = frame.components[component].sampling;
                let (across, down) = (across as usize, down as usize);
                for y in row * down..(row + 1) * down {
                    for x in unit * across..(unit + 1) * across {
                        let place = Place {
                            part,
                            component,
                            x,
                            y,
                        };
                        self.block(bits, blocks, place);
                    }
                }
            }
        }
        Ok(())
    }

    #[inline(always)]
    fn block(&mut self, bits: &mut Bits<'_>, blocks: &mut impl Blocks, place: Place) {
        if self.is_lost {
            blocks.lose(place);
        } else if blocks.read(&mut self.coder, bits, place).is_none() {
            self.damaged(bits.position());
        }
    }

    #[cold]
    #[inline(never)]
    fn damaged(&mut self, position: usize) {
        self.found.damage.get_or_insert(position);
    }

    /// Whether each row of units begins with a restart interval.
    pub fn splits(&self, frame: &Frame) -> bool {
        let restart = self.restart as usize;
        restart > 0 && frame.units.0.is_multiple_of(restart) && self.is_interleaved()
    }

    /// Up to so many of it, each ready to read the row of units behind that of the one before; `None`
    /// where restart markers do not stand as they should.
    pub fn ahead(&self, data: &[u8], frame: &Frame, count: usize) -> Option<Vec<Coding>> {
        let at_interval = self.left == 0 || self.left == self.restart;
        if count < 2 || !self.splits(frame) || !at_interval || self.is_lost || self.lost > 0 {
            return None;
        }
        let first = Bits::new(data, self.state).position();
        let rest = data.get(first..)?;
        let markers = memchr::memchr_iter(0xFF, rest).filter_map(|at| {
            let code = *rest.get(at + 1)?;
            (!matches!(code, 0 | 0xFF)).then_some((at, code))
        });
        let each = frame.units.0 / self.restart as usize;
        let before = usize::from(self.left == 0);
        let mut codings = vec![self.clone()];
        for (passed, (at, code)) in (1..).zip(markers) {
            let number = (usize::from(self.number) + passed - 1) as u8 & 7;
            if code != 0xD0 + number {
                // The end of the scan comes there, or damage has to be seen to.
                return None;
            }
            if passed > before && (passed - before).is_multiple_of(each) {
                let mut coding = self.clone();
                coding.coder.restart();
                coding.state = State::at(first + at + 2);
                coding.left = self.restart;
                coding.number = (number + 1) & 7;
                codings.push(coding);
            }
            if codings.len() == count {
                return Some(codings);
            }
        }
        None
    }

    /// Tells damage where a restart marker should stand and does not.
    pub fn expect_marker(&mut self, data: &[u8]) {
        let bits = Bits::new(data, self.state);
        if bits.overran() || bits.has_more() {
            self.damaged(bits.position());
        }
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
        self.coder.restart();
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
