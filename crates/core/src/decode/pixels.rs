//! The pixels of a picture that is gone over more than once.

use std::collections::BTreeSet;

use super::whole::Whole;
use super::{Allowance, DecodeError, Input, Oddity, Rows, Wanted};
use crate::source::{Delivery, Kind, Probe};

/// Up to so many bytes of samples are held where a picture that comes row by row is gone over more
/// than once.
const HELD: u64 = 64 << 20;

/// Opens a picture: for each pass anew, or once for all.
pub trait Open {
    /// Its rows, from the first on.
    fn open(&self, wanted: Wanted) -> Result<Box<dyn Rows + '_>, DecodeError>;
}

/// A picture in its file.
#[derive(Clone, Copy)]
pub struct File<'a> {
    input: Input<'a>,
    probe: &'a Probe,
    allowance: Allowance,
}

impl<'a> File<'a> {
    /// `probe` must be what [`crate::source::probe`] said of the same bytes.
    pub fn new(input: Input<'a>, probe: &'a Probe, allowance: Allowance) -> Self {
        File {
            input,
            probe,
            allowance,
        }
    }
}

impl Open for File<'_> {
    fn open(&self, wanted: Wanted) -> Result<Box<dyn Rows + '_>, DecodeError> {
        super::open(self.input, self.probe, wanted, self.allowance)
    }
}

/// The pixels of a picture. They are decoded once, where their samples are held anyway or there is
/// room to hold them; else once a pass.
pub struct Pixels<'a> {
    from: &'a dyn Open,
    kind: Kind,
    /// What all passes want together, and how many there will be.
    wanted: Option<Wanted>,
    passes: usize,
    opened: Option<Box<dyn Rows + 'a>>,
    oddities: BTreeSet<Oddity>,
}

impl<'a> Pixels<'a> {
    /// Those of a picture of a format, for passes that want this of it.
    pub fn new(from: &'a dyn Open, kind: Kind, passes: Vec<Wanted>) -> Self {
        Pixels {
            from,
            kind,
            passes: passes.len(),
            wanted: passes.into_iter().reduce(Wanted::with),
            opened: None,
            oddities: BTreeSet::new(),
        }
    }

    /// About how many bytes of a picture are held from one of so many passes to the next, beside what
    /// its decoder holds.
    pub fn memory(probe: &Probe, passes: usize) -> u64 {
        let samples = probe.stored.pixels() * 4;
        let comes_in_rows = probe.delivery == Delivery::Rows;
        if passes < 2 || !comes_in_rows || samples > HELD {
            return 0;
        }
        samples
    }

    /// The rows, from the first on.
    pub fn rows(&mut self) -> Result<&mut (dyn Rows + 'a), DecodeError> {
        let again = self.opened.as_mut().is_some_and(|rows| rows.rewind());
        if let (false, Some(wanted)) = (again, self.wanted) {
            self.close();
            let rows = self.from.open(wanted)?;
            self.opened = Some(self.kept(rows)?);
        }
        // There always is one, unless no pass was to be made.
        let rows = self.opened.as_deref_mut();
        rows.ok_or(DecodeError::CutOff(self.kind))
    }

    /// What was odd in the file, by all passes over it.
    pub fn oddities(mut self) -> Vec<Oddity> {
        self.close();
        self.oddities.into_iter().collect()
    }

    fn close(&mut self) {
        if let Some(rows) = self.opened.take() {
            self.oddities.extend(rows.oddities());
        }
    }

    /// The rows held in memory, where that spares decoding them again.
    fn kept(&mut self, mut rows: Box<dyn Rows + 'a>) -> Result<Box<dyn Rows + 'a>, DecodeError> {
        let form = rows.form();
        let samples = form.size.pixels() * form.ink.count() as u64;
        if self.passes < 2 || rows.rewind() || samples * 2 > HELD {
            return Ok(rows);
        }
        let held = Whole::held(self.kind, rows.as_mut())?;
        self.oddities.extend(rows.oddities());
        Ok(Box::new(held))
    }
}
