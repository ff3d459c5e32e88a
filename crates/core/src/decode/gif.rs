//! The adapter to the GIF decoder: the first frame, laid on its screen.

use std::num::NonZeroU64;

use gif::{ColorOutput, DecodeOptions, DecodingError, MemoryLimit};

use super::whole::{Samples, Whole};
use super::{DecodeError, Form, Ink};
use crate::pixels::Size;
use crate::source::Kind;

/// See [`super::revision`].
pub(super) const REVISION: u32 = 1;

pub(super) fn open(bytes: &[u8], limit: u64) -> Result<Whole, DecodeError> {
    let mut options = DecodeOptions::new();
    options.set_color_output(ColorOutput::RGBA);
    options.set_memory_limit(MemoryLimit::Bytes(
        NonZeroU64::new(limit).unwrap_or(NonZeroU64::MIN),
    ));
    let mut decoder = options.read_info(bytes).map_err(damaged)?;
    let (width, height) = (decoder.width().into(), decoder.height().into());
    let size = Size::new(width, height).ok_or(DecodeError::CutOff(Kind::Gif))?;
    let icc = decoder.icc_profile().map(<[u8]>::to_vec);
    let frame = decoder.read_next_frame().map_err(damaged)?;
    let frame = frame.ok_or(DecodeError::CutOff(Kind::Gif))?;
    let mut screen = vec![0; size.pixels() as usize * 4];
    let frame_pitch = usize::from(frame.width) * 4;
    let left = usize::from(frame.left) * 4;
    // What stands out beyond the screen is cut off, what is not covered stays transparent.
    let pitch = width as usize * 4;
    if frame_pitch > 0 && left < pitch {
        let shown = frame_pitch.min(pitch - left);
        let lines = screen.chunks_exact_mut(pitch).skip(frame.top.into());
        for (line, row) in lines.zip(frame.buffer.chunks_exact(frame_pitch)) {
            line[left..left + shown].copy_from_slice(&row[..shown]);
        }
    }
    let form = Form {
        size,
        ink: Ink::Rgba,
        icc,
    };
    Ok(Whole::new(Kind::Gif, form, Samples::Eight(screen)))
}

fn damaged(error: DecodingError) -> DecodeError {
    match error {
        DecodingError::UnexpectedEof => DecodeError::CutOff(Kind::Gif),
        other => DecodeError::damaged(Kind::Gif, other),
    }
}
