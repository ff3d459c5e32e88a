//! Rows of a picture that its decoder only gives as a whole.

use super::{DecodeError, Form, Row, Rows};
use crate::source::Kind;

pub(super) enum Samples {
    Eight(Vec<u8>),
    Sixteen(Vec<u16>),
}

pub(super) struct Whole {
    kind: Kind,
    form: Form,
    samples: Samples,
    next: usize,
}

impl Whole {
    pub(super) fn new(kind: Kind, form: Form, samples: Samples) -> Self {
        Whole {
            kind,
            form,
            samples,
            next: 0,
        }
    }
}

impl Whole {
    /// All rows of a picture, held.
    pub(super) fn held(kind: Kind, rows: &mut dyn Rows) -> Result<Whole, DecodeError> {
        let form = rows.form().clone();
        let (mut eight, mut sixteen) = (Vec::new(), Vec::new());
        for _ in 0..form.size.height() {
            match rows.next_row()? {
                Row::Eight(row) => eight.extend_from_slice(row),
                Row::Sixteen(row) => sixteen.extend_from_slice(row),
            }
        }
        let samples = if eight.is_empty() {
            Samples::Sixteen(sixteen)
        } else {
            Samples::Eight(eight)
        };
        Ok(Whole::new(kind, form, samples))
    }
}

impl Rows for Whole {
    fn form(&self) -> &Form {
        &self.form
    }

    fn next_row(&mut self) -> Result<Row<'_>, DecodeError> {
        let pitch = self.form.size.width() as usize * self.form.ink.count();
        let range = self.next * pitch..(self.next + 1) * pitch;
        self.next += 1;
        let row = match &self.samples {
            Samples::Eight(samples) => samples.get(range).map(Row::Eight),
            Samples::Sixteen(samples) => samples.get(range).map(Row::Sixteen),
        };
        row.ok_or(DecodeError::CutOff(self.kind))
    }

    fn rewind(&mut self) -> bool {
        self.next = 0;
        true
    }
}
