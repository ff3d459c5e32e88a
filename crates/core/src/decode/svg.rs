//! Drawings: rows at exactly the size that is wanted.

use super::whole::{Samples, Whole};
use super::{DecodeError, Form, Ink, Oddity, Row, Rows, Wanted};
use crate::draw::{Drawing, NoDrawing};
use crate::pixels::Size;
use crate::source::Kind;

/// See [`super::revision`].
pub(super) const REVISION: u32 = 1;

struct Svg {
    rows: Whole,
    remarks: Vec<Oddity>,
}

pub(super) fn open(bytes: &[u8], wanted: Wanted) -> Result<Box<dyn Rows>, DecodeError> {
    let (drawing, samples) = drawn(bytes, wanted.least)?;
    let form = Form {
        size: wanted.least,
        ink: Ink::Rgba,
        icc: None,
    };
    Ok(Box::new(Svg {
        rows: Whole::new(Kind::Svg, form, Samples::Eight(samples)),
        remarks: drawing
            .remarks()
            .iter()
            .cloned()
            .map(Oddity::Drawing)
            .collect(),
    }))
}

/// A drawing, and its pixels at a size: red, green, blue and straight alpha.
pub(super) fn drawn(bytes: &[u8], size: Size) -> Result<(Drawing, Vec<u8>), DecodeError> {
    let told = |error: NoDrawing| DecodeError::Undrawn(error);
    let text = str::from_utf8(bytes);
    let text = text.map_err(|_| DecodeError::damaged(Kind::Svg, "its text is not UTF-8"))?;
    let drawing = Drawing::read(text).map_err(told)?;
    let samples = drawing.pixels(size).map_err(told)?;
    Ok((drawing, samples))
}

impl Rows for Svg {
    fn form(&self) -> &Form {
        self.rows.form()
    }

    fn next_row(&mut self) -> Result<Row<'_>, DecodeError> {
        self.rows.next_row()
    }

    fn rewind(&mut self) -> bool {
        self.rows.rewind()
    }

    fn oddities(&self) -> Vec<Oddity> {
        self.remarks.clone()
    }
}
