//! Windows bitmaps, in files and in icons: palettes, samples by masks, runs, from the bottom up or from
//! the top down, with headers of all ages. Written here since the packages that exist lose rows or alpha.

use super::whole::{Samples, Whole};
use super::{DecodeError, Form, Ink};
use crate::pixels::Size;
use crate::source::Kind;

/// See [`super::revision`].
pub(super) const REVISION: u32 = 1;

/// Bytes of a file before the header of its picture.
const FILE_HEADER: usize = 14;

/// How rows are coded.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Coding {
    Plain,
    /// Runs of indices of so many bits.
    Runs(u8),
}

/// A picture's header.
#[derive(Clone, Debug)]
struct Header {
    width: usize,
    height: usize,
    from_top: bool,
    bits: usize,
    coding: Coding,
    /// Where red, green, blue and alpha lie in a pixel.
    masks: [u32; 4],
    palette: Vec<[u8; 3]>,
    /// Where what follows the header and its table begins.
    end: usize,
    icc: Option<Vec<u8>>,
}

pub(super) fn open(bytes: &[u8]) -> Result<Whole, DecodeError> {
    let cut_off = || DecodeError::CutOff(Kind::Bmp);
    let body = bytes.get(FILE_HEADER..).ok_or_else(cut_off)?;
    let header = Header::read(body, Kind::Bmp)?;
    let pixels = long(bytes, 10).ok_or_else(cut_off)? as usize;
    let pixels = bytes.get(pixels.max(FILE_HEADER)..).ok_or_else(cut_off)?;
    let alpha = header.masks[3] != 0;
    let mut samples = header.samples(pixels).ok_or_else(cut_off)?;
    if !alpha {
        samples = samples
            .as_chunks::<4>()
            .0
            .iter()
            .flat_map(|&[r, g, b, _]| [r, g, b])
            .collect();
    }
    let ink = if alpha { Ink::Rgba } else { Ink::Rgb };
    header.whole(Kind::Bmp, ink, samples)
}

/// A picture of an icon: without a file's header, and with a mask below its colours which counts in its
/// height.
pub(super) fn icon(body: &[u8]) -> Result<Whole, DecodeError> {
    let cut_off = || DecodeError::CutOff(Kind::Ico);
    let mut header = Header::read(body, Kind::Ico)?;
    header.height /= 2;
    let pixels = body.get(header.end..).ok_or_else(cut_off)?;
    if header.bits == 32 {
        header.masks[3] = 0xFF00_0000;
    }
    let mut samples = header.samples(pixels).ok_or_else(cut_off)?;
    let drawn = samples.as_chunks_mut::<4>().0;
    if header.bits < 32 || drawn.iter().all(|pixel| pixel[3] == 0) {
        let below = header.pitch(header.bits).saturating_mul(header.height);
        let mask = pixels.get(below..).unwrap_or_default();
        let pitch = header.pitch(1);
        for (index, pixel) in drawn.iter_mut().enumerate() {
            let (x, y) = (index % header.width, index / header.width);
            let byte = mask.get((header.height - 1 - y) * pitch + x / 8);
            let hidden = byte.is_some_and(|byte| byte >> (7 - x % 8) & 1 == 1);
            pixel[3] = if hidden { 0 } else { u8::MAX };
        }
    }
    header.whole(Kind::Ico, Ink::Rgba, samples)
}

fn short(bytes: &[u8], at: usize) -> Option<u16> {
    let bytes = bytes.get(at..at.checked_add(2)?)?;
    Some(u16::from_le_bytes(bytes.try_into().ok()?))
}

fn long(bytes: &[u8], at: usize) -> Option<u32> {
    let bytes = bytes.get(at..at.checked_add(4)?)?;
    Some(u32::from_le_bytes(bytes.try_into().ok()?))
}

impl Header {
    fn read(body: &[u8], kind: Kind) -> Result<Header, DecodeError> {
        let length = long(body, 0).ok_or(DecodeError::CutOff(kind))? as usize;
        let (header, compression) = match length {
            12 => (Header::of_core(body), 0),
            16.. => (
                Header::of_info(body, length),
                long(body, 16).filter(|_| length > 16).unwrap_or(0),
            ),
            _ => {
                return Err(DecodeError::damaged(
                    kind,
                    "its header is of no known length",
                ));
            }
        };
        let mut header = header.ok_or(DecodeError::CutOff(kind))?;
        header.coding = match (compression, header.bits) {
            (0, 1 | 2 | 4 | 8 | 16 | 24 | 32) | (3 | 6, 16 | 32) => Coding::Plain,
            (1, 8) => Coding::Runs(8),
            (2, 4) => Coding::Runs(4),
            _ => {
                let what = format!("{} bits and compression {compression}", header.bits);
                return Err(DecodeError::unsupported(kind, what));
            }
        };
        Ok(header)
    }

    /// Of the oldest kind, whose colours take three bytes.
    fn of_core(body: &[u8]) -> Option<Header> {
        let bits = usize::from(short(body, 10)?);
        let colours = if bits <= 8 { 1 << bits } else { 0 };
        let table = body.get(12..)?;
        let palette: Vec<_> = table
            .as_chunks::<3>()
            .0
            .iter()
            .take(colours)
            .map(|&[b, g, r]| [r, g, b])
            .collect();
        Some(Header {
            width: short(body, 4)?.into(),
            height: short(body, 6)?.into(),
            from_top: false,
            bits,
            coding: Coding::Plain,
            masks: masks_of(bits),
            end: 12 + palette.len() * 3,
            palette,
            icc: None,
        })
    }

    fn of_info(body: &[u8], length: usize) -> Option<Header> {
        let (width, height) = (long(body, 4)? as i32, long(body, 8)? as i32);
        let bits = usize::from(short(body, 14)?);
        let field = |at: usize| {
            if at + 4 <= length {
                long(body, at)
            } else {
                Some(0)
            }
        };
        let compression = field(16)?;
        let mut end = length;
        let mut masks = masks_of(bits);
        if matches!(compression, 3 | 6) {
            // In the header itself, or behind one that is too short for them.
            let count = if compression == 6 || length >= 56 {
                4
            } else {
                3
            };
            masks[3] = 0;
            for (index, mask) in masks.iter_mut().enumerate().take(count) {
                *mask = long(body, 40 + index * 4)?;
            }
            end = end.max(40 + count * 4);
        }
        let colours = match (bits, field(32)? as usize) {
            (1..=8, 0) => 1 << bits,
            (1..=8, colours) => colours.min(256),
            _ => 0,
        };
        let table = body.get(end..)?;
        let palette: Vec<_> = table
            .as_chunks::<4>()
            .0
            .iter()
            .take(colours)
            .map(|&[b, g, r, _]| [r, g, b])
            .collect();
        let embedded = length >= 124 && long(body, 56)? == u32::from_be_bytes(*b"MBED");
        let icc = embedded.then(|| {
            let (at, length) = (long(body, 112)? as usize, long(body, 116)? as usize);
            Some(body.get(at..)?.get(..length)?.to_vec())
        });
        Some(Header {
            width: usize::try_from(width).ok()?,
            height: height.unsigned_abs() as usize,
            from_top: height < 0,
            bits,
            coding: Coding::Plain,
            masks,
            end: end + palette.len() * 4,
            palette,
            icc: icc.flatten(),
        })
    }

    /// Bytes of a row of so many bits a pixel.
    fn pitch(&self, bits: usize) -> usize {
        (self.width * bits).div_ceil(32) * 4
    }

    fn whole(self, kind: Kind, ink: Ink, samples: Vec<u8>) -> Result<Whole, DecodeError> {
        let side = |side: usize| u32::try_from(side).ok();
        let size = side(self.width).zip(side(self.height));
        let size = size.and_then(|(width, height)| Size::new(width, height));
        let size = size.ok_or(DecodeError::CutOff(kind))?;
        let form = Form {
            size,
            ink,
            icc: self.icc,
        };
        Ok(Whole::new(kind, form, Samples::Eight(samples)))
    }

    /// Red, green, blue and alpha of all pixels, from the top down; `None` where there are too few bytes.
    fn samples(&self, pixels: &[u8]) -> Option<Vec<u8>> {
        let whole = match self.coding {
            Coding::Plain => None,
            Coding::Runs(bits) => Some(self.unrolled(pixels, bits)?),
        };
        let (bytes, bits) = match &whole {
            Some(indices) => (indices.as_slice(), 8),
            None => (pixels, self.bits),
        };
        let pitch = match whole {
            Some(_) => self.width,
            None => self.pitch(bits),
        };
        if bytes.len() < pitch.checked_mul(self.height)? {
            return None;
        }
        let mut samples = Vec::with_capacity(self.width * self.height * 4);
        for y in 0..self.height {
            let row = if self.from_top {
                y
            } else {
                self.height - 1 - y
            };
            let row = &bytes[row * pitch..][..pitch];
            match bits {
                1..=8 => {
                    let per_byte = 8 / bits;
                    for x in 0..self.width {
                        let shift = 8 - bits * (x % per_byte + 1);
                        let index = row[x / per_byte] >> shift & ((1u16 << bits) - 1) as u8;
                        let colour = self.palette.get(usize::from(index));
                        let [r, g, b] = colour.copied().unwrap_or_default();
                        samples.extend([r, g, b, u8::MAX]);
                    }
                }
                16 => {
                    let pixels = row.as_chunks::<2>().0.iter().take(self.width);
                    samples.extend(pixels.flat_map(|&p| self.masked(u16::from_le_bytes(p).into())));
                }
                24 => {
                    let pixels = row.as_chunks::<3>().0.iter().take(self.width);
                    samples.extend(pixels.flat_map(|&[b, g, r]| [r, g, b, u8::MAX]));
                }
                _ => {
                    let pixels = row.as_chunks::<4>().0.iter();
                    samples.extend(pixels.flat_map(|&p| self.masked(u32::from_le_bytes(p))));
                }
            }
        }
        Some(samples)
    }

    /// The samples of a pixel that masks take apart.
    fn masked(&self, pixel: u32) -> [u8; 4] {
        let mut samples = self.masks.map(|mask| {
            let most = u64::from(mask.checked_shr(mask.trailing_zeros()).unwrap_or(0));
            let value = u64::from(
                (pixel & mask)
                    .checked_shr(mask.trailing_zeros())
                    .unwrap_or(0),
            );
            ((value * 255 + most / 2) / most.max(1)) as u8
        });
        if self.masks[3] == 0 {
            samples[3] = u8::MAX;
        }
        samples
    }

    /// Indices of all pixels, row by row from the bottom up; what is passed over has the first colour.
    /// `None` where the runs end before their end is told.
    fn unrolled(&self, bytes: &[u8], bits: u8) -> Option<Vec<u8>> {
        let mut indices = vec![0; self.width.checked_mul(self.height)?];
        let (mut x, mut y) = (0, 0);
        let mut put = |x: usize, y: usize, index: u8| {
            if x < self.width && y < self.height {
                indices[y * self.width + x] = index;
            }
        };
        let mut bytes = bytes.iter().copied();
        // Two pixels share a byte where indices take four bits.
        let of = |byte: u8, i: usize| match (bits, i % 2) {
            (8, _) => byte,
            (_, 0) => byte >> 4,
            _ => byte & 15,
        };
        while y < self.height {
            match (bytes.next()?, bytes.next()?) {
                (0, 0) => (x, y) = (0, y + 1),
                (0, 1) => break,
                (0, 2) => {
                    x += usize::from(bytes.next()?);
                    y += usize::from(bytes.next()?);
                }
                (0, count) => {
                    let count = usize::from(count);
                    let held = if bits == 8 { count } else { count.div_ceil(2) };
                    let mut byte = 0;
                    for i in 0..count {
                        if bits == 8 || i % 2 == 0 {
                            byte = bytes.next()?;
                        }
                        put(x + i, y, of(byte, i));
                    }
                    if held % 2 == 1 {
                        bytes.next()?;
                    }
                    x += count;
                }
                (count, byte) => {
                    for i in 0..usize::from(count) {
                        put(x + i, y, of(byte, i));
                    }
                    x += usize::from(count);
                }
            }
        }
        Some(indices)
    }
}

/// Where the samples of a pixel lie that says nothing of it.
fn masks_of(bits: usize) -> [u32; 4] {
    match bits {
        16 => [0x7C00, 0x03E0, 0x001F, 0],
        _ => [0x00FF_0000, 0xFF00, 0xFF, 0],
    }
}
