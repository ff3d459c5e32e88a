//! The adapter to the JPEG decoder.

use std::borrow::Cow;

use kiln_jpeg::{Decoder, Error, Ink as Stored, Limits, Scale};

use super::{Care, DecodeError, Form, Ink, Oddity, Row, Rows, Wanted};
use crate::pixels::Size;
use crate::source::Kind;

/// See [`super::revision`].
pub(super) const REVISION: u32 = 3;

/// Pixels on their way from a file.
struct Jpeg<'a> {
    form: Form,
    rows: kiln_jpeg::Rows<'a>,
    /// Whether inks come inverted: full ink as 0.
    inverted: bool,
    row: Vec<u8>,
}

/// The rows of a file that holds a picture of a size, as they are wanted.
pub(super) fn open<'a>(
    bytes: Cow<'a, [u8]>,
    wanted: Wanted,
    stored: Size,
) -> Result<Box<dyn Rows + 'a>, DecodeError> {
    let limits = Limits {
        pixels: stored.pixels(),
        ..Limits::default()
    };
    let decoder = Decoder::new(bytes, limits).map_err(told)?;
    let (header, area) = (decoder.header(), wanted.area);
    let (icc, adobe) = (header.icc.clone(), header.adobe);
    let rows = decoder.rows(kiln_jpeg::Wanted {
        scale: scale(wanted, stored),
        rows: Some((area.y, area.y + area.size.height())),
        coarse: wanted.care == Care::Quick,
    });
    let rows = rows.map_err(told)?;
    let (width, height) = rows.size();
    let form = Form {
        size: Size::new(width, height).ok_or(DecodeError::CutOff(Kind::Jpeg))?,
        ink: match rows.ink() {
            Stored::Grey => Ink::Grey,
            Stored::Rgb => Ink::Rgb,
            Stored::Cmyk => Ink::Cmyk,
        },
        icc,
    };
    Ok(Box::new(Jpeg {
        inverted: form.ink == Ink::Cmyk && adobe,
        form,
        rows,
        row: Vec::new(),
    }))
}

/// The smallest scale that still has what is wanted; for more than a look twice that, as the inverse
/// transform is a coarser filter than the sizing that follows.
fn scale(wanted: Wanted, stored: Size) -> Scale {
    let least = match wanted.care {
        Care::Quick => wanted.least,
        Care::Exact => {
            let twice = |side: u32, stored: u32| side.saturating_mul(2).min(stored.max(side));
            let (width, height) = (
                twice(wanted.least.width(), stored.width()),
                twice(wanted.least.height(), stored.height()),
            );
            Size::new(width, height).unwrap_or(wanted.least)
        }
    };
    let enough = |scale: &Scale| {
        let side = |side: u32| side.div_ceil(scale.divisor());
        side(stored.width()) >= least.width() && side(stored.height()) >= least.height()
    };
    let scales = [Scale::Eighth, Scale::Quarter, Scale::Half];
    scales.into_iter().find(enough).unwrap_or(Scale::Full)
}

fn told(error: Error) -> DecodeError {
    match error {
        Error::CutOff { .. } => DecodeError::CutOff(Kind::Jpeg),
        error => DecodeError::damaged(Kind::Jpeg, error),
    }
}

impl Rows for Jpeg<'_> {
    fn form(&self) -> &Form {
        &self.form
    }

    fn next_row(&mut self) -> Result<Row<'_>, DecodeError> {
        let row = self.rows.next_row().map_err(told)?;
        if !self.inverted {
            return Ok(Row::Eight(row));
        }
        self.row.clear();
        self.row.extend(row.iter().map(|&ink| !ink));
        Ok(Row::Eight(&self.row))
    }

    fn rewind(&mut self) -> bool {
        self.rows.rewind()
    }

    fn oddities(&self) -> Vec<Oddity> {
        let oddities = self.rows.oddities().iter();
        oddities.copied().map(Oddity::Jpeg).collect()
    }
}
