//! The adapter to the PNG decoder: row by row, but for interlaced files.

use std::io::ErrorKind;

use png::{BitDepth, ColorType, Decoder, DecodingError, Limits, Reader, Transformations};

use super::whole::{Samples, Whole};
use super::{DecodeError, Form, Ink, Input, Row, Rows, Stream};
use crate::pixels::Size;
use crate::source::Kind;

/// See [`super::revision`].
pub(super) const REVISION: u32 = 1;

struct PngRows<'a> {
    reader: Reader<Box<dyn Stream + 'a>>,
    form: Form,
    deep: bool,
    wide: Vec<u16>,
}

pub(super) fn open(input: Input<'_>, limit: u64) -> Result<Box<dyn Rows + '_>, DecodeError> {
    let limits = Limits {
        bytes: usize::try_from(limit).unwrap_or(usize::MAX),
    };
    let mut decoder = Decoder::new_with_limits(input.stream()?, limits);
    decoder.set_transformations(Transformations::EXPAND);
    decoder.set_ignore_text_chunk(true);
    let mut reader = decoder.read_info().map_err(damaged)?;
    let info = reader.info();
    let size = Size::new(info.width, info.height).ok_or(DecodeError::CutOff(Kind::Png))?;
    let (interlaced, icc) = (info.interlaced, info.icc_profile.as_ref());
    let icc = icc.map(|profile| profile.to_vec());
    let (colour, depth) = reader.output_color_type();
    let ink = match colour {
        ColorType::Grayscale => Ink::Grey,
        ColorType::GrayscaleAlpha => Ink::GreyAlpha,
        ColorType::Rgb | ColorType::Indexed => Ink::Rgb,
        ColorType::Rgba => Ink::Rgba,
    };
    let form = Form { size, ink, icc };
    let deep = depth == BitDepth::Sixteen;
    if !interlaced {
        return Ok(Box::new(PngRows {
            reader,
            form,
            deep,
            wide: Vec::new(),
        }));
    }
    let length = reader.output_buffer_size();
    let length = length.ok_or_else(|| damaged(DecodingError::LimitsExceeded))?;
    let mut samples = vec![0; length];
    reader.next_frame(&mut samples).map_err(damaged)?;
    let samples = if deep {
        Samples::Sixteen(wide(&samples).collect())
    } else {
        Samples::Eight(samples)
    };
    Ok(Box::new(Whole::new(Kind::Png, form, samples)))
}

impl Rows for PngRows<'_> {
    fn form(&self) -> &Form {
        &self.form
    }

    fn next_row(&mut self) -> Result<Row<'_>, DecodeError> {
        let row = self.reader.next_row().map_err(damaged)?;
        let samples = row.ok_or(DecodeError::CutOff(Kind::Png))?.data();
        if !self.deep {
            return Ok(Row::Eight(samples));
        }
        self.wide.clear();
        self.wide.extend(wide(samples));
        Ok(Row::Sixteen(&self.wide))
    }
}

fn wide(bytes: &[u8]) -> impl Iterator<Item = u16> + '_ {
    let pairs = bytes.chunks_exact(2);
    pairs.map(|pair| u16::from_be_bytes([pair[0], pair[1]]))
}

fn damaged(error: DecodingError) -> DecodeError {
    match error {
        DecodingError::IoError(error) => match error.kind() {
            ErrorKind::UnexpectedEof => DecodeError::CutOff(Kind::Png),
            _ => DecodeError::Read(error),
        },
        other => DecodeError::damaged(Kind::Png, other),
    }
}
