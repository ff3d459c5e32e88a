//! The adapter to the TIFF decoder: a row of strips or tiles at a time.

use std::io::{self, BufRead, ErrorKind, Read, Seek, SeekFrom};

use tiff::decoder::{Decoder, DecodingResult, Limits};
use tiff::tags::Tag;
use tiff::{ColorType, TiffError, TiffUnsupportedError};

use super::{DecodeError, Form, Ink, Input, Row, Rows, Stream};
use crate::pixels::Size;
use crate::source::Kind;

/// See [`super::revision`].
pub(super) const REVISION: u32 = 1;

/// The photometric interpretation that the decoder reads single samples by: black is zero.
const BLACK_IS_ZERO: u8 = 1;

pub(super) fn open(input: Input<'_>, limit: u64) -> Result<TiffRows<'_>, DecodeError> {
    let mut stream = input.stream()?;
    let palette = palette_mark(&mut stream).map_err(unreadable)?;
    let stream: Box<dyn Stream> = match palette {
        // The decoder knows no palettes: it is told that the indices are greys.
        Some(at) => Box::new(Overlaid {
            stream: input.stream()?,
            at,
            byte: [BLACK_IS_ZERO],
            position: 0,
        }),
        None => {
            stream.rewind().map_err(unreadable)?;
            stream
        }
    };
    let mut limits = Limits::default();
    limits.decoding_buffer_size = usize::try_from(limit).unwrap_or(usize::MAX);
    limits.intermediate_buffer_size = limits.decoding_buffer_size;
    limits.ifd_value_size = 64 << 20;
    let decoder = Decoder::new(stream).map_err(damaged)?;
    let mut decoder = decoder.with_limits(limits);
    let (width, height) = decoder.dimensions().map_err(damaged)?;
    let size = Size::new(width, height).ok_or(DecodeError::CutOff(Kind::Tiff))?;
    let meaning = match palette {
        Some(_) => Meaning::palette(&mut decoder)?,
        None => Meaning::of(&mut decoder)?,
    };
    let profile = decoder.find_tag(Tag::IccProfile).map_err(damaged)?;
    let icc = profile.and_then(|profile| profile.into_u8_vec().ok());
    let form = Form {
        size,
        ink: meaning.ink,
        icc,
    };
    Ok(TiffRows {
        grid: Grid::of(&mut decoder, size)?,
        decoder,
        form,
        meaning,
        chunks: Vec::new(),
        next: 0,
        stored: Vec::new(),
        deep: Vec::new(),
        shallow: Vec::new(),
    })
}

/// Where the first directory says that samples are indices into a palette, if it does (TIFF 6.0,
/// section 2 and tag 262).
fn palette_mark(stream: &mut (dyn Stream + '_)) -> io::Result<Option<u64>> {
    const PALETTE: u16 = 3;
    let mut head = [0; 8];
    stream.read_exact(&mut head)?;
    let little = head.starts_with(b"II");
    let short = |bytes: [u8; 2]| {
        if little {
            u16::from_le_bytes(bytes)
        } else {
            u16::from_be_bytes(bytes)
        }
    };
    let halves = [short([head[4], head[5]]), short([head[6], head[7]])].map(u64::from);
    let [low, high] = if little {
        halves
    } else {
        [halves[1], halves[0]]
    };
    let directory = high << 16 | low;
    stream.seek(SeekFrom::Start(directory))?;
    let mut count = [0; 2];
    stream.read_exact(&mut count)?;
    for index in 0..u64::from(short(count)) {
        let mut entry = [0; 12];
        stream.read_exact(&mut entry)?;
        if short([entry[0], entry[1]]) == 262 {
            let at = directory + 2 + index * 12 + if little { 8 } else { 9 };
            let is_palette = short([entry[8], entry[9]]) == PALETTE;
            return Ok(is_palette.then_some(at));
        }
    }
    Ok(None)
}

/// A stream of which one byte reads otherwise.
struct Overlaid<'a> {
    stream: Box<dyn Stream + 'a>,
    at: u64,
    byte: [u8; 1],
    position: u64,
}

impl BufRead for Overlaid<'_> {
    fn fill_buf(&mut self) -> io::Result<&[u8]> {
        let there = self.stream.fill_buf()?;
        if self.position == self.at && !there.is_empty() {
            return Ok(&self.byte);
        }
        // Once it is passed, the distance to it wraps to very far.
        let before = self.at.wrapping_sub(self.position);
        let count = before.min(there.len() as u64) as usize;
        Ok(&there[..count])
    }

    fn consume(&mut self, count: usize) {
        self.stream.consume(count);
        self.position += count as u64;
    }
}

impl Read for Overlaid<'_> {
    fn read(&mut self, into: &mut [u8]) -> io::Result<usize> {
        let there = self.fill_buf()?;
        let count = there.len().min(into.len());
        into[..count].copy_from_slice(&there[..count]);
        self.consume(count);
        Ok(count)
    }
}

impl Seek for Overlaid<'_> {
    fn seek(&mut self, to: SeekFrom) -> io::Result<u64> {
        self.position = self.stream.seek(to)?;
        Ok(self.position)
    }
}

/// What the samples of a pixel are stored as, and what they become.
struct Meaning {
    /// Bits of a sample.
    bits: u8,
    /// Samples of a pixel, as the decoder gives them.
    stored: usize,
    /// Whether each kind of sample is stored apart from the others.
    planar: bool,
    ink: Ink,
    kind: Samplings,
}

enum Samplings {
    /// The first samples of each pixel are what the ink says.
    Plain,
    /// Colours are stored multiplied by alpha.
    Premultiplied,
    /// Luma and chroma in full range, by the matrix of ITU-R BT.601.
    LumaChroma,
    /// Indices into a table of 16-bit colours.
    Palette(Vec<[u16; 3]>),
}

type Reader<'a> = Decoder<Box<dyn Stream + 'a>>;

impl Meaning {
    fn of(decoder: &mut Reader<'_>) -> Result<Meaning, DecodeError> {
        let colours = decoder.colortype().map_err(damaged)?;
        let extra = decoder.find_tag_unsigned_vec::<u16>(Tag::ExtraSamples);
        let alpha = extra
            .map_err(damaged)?
            .and_then(|extra| extra.first().copied());
        let has_alpha = matches!(alpha, Some(1 | 2));
        let (stored, ink) = match colours {
            ColorType::Gray(_) => (1, Ink::Grey),
            ColorType::GrayA(_) => (2, Ink::GreyAlpha),
            ColorType::Multiband { num_samples, .. } if has_alpha && num_samples == 2 => {
                (2, Ink::GreyAlpha)
            }
            ColorType::Multiband { num_samples, .. } => (num_samples.into(), Ink::Grey),
            ColorType::RGB(_) | ColorType::YCbCr(_) => (3, Ink::Rgb),
            ColorType::RGBA(_) => (4, Ink::Rgba),
            ColorType::CMYK(_) => (4, Ink::Cmyk),
            ColorType::CMYKA(_) => (5, Ink::Cmyk),
            other => return Err(unread(format!("{other:?} samples"))),
        };
        let kind = match (colours, alpha) {
            (ColorType::YCbCr(_), _) => Samplings::LumaChroma,
            (_, Some(1)) if ink.has_alpha() => Samplings::Premultiplied,
            _ => Samplings::Plain,
        };
        let bits = colours.bit_depth();
        if !matches!(bits, 1..=8 | 16 | 32) {
            return Err(unread(format!("{bits} bits a sample")));
        }
        Ok(Meaning {
            bits,
            stored,
            planar: is_planar(decoder)?,
            ink,
            kind,
        })
    }

    fn palette(decoder: &mut Reader<'_>) -> Result<Meaning, DecodeError> {
        let bits = decoder.colortype().map_err(damaged)?.bit_depth();
        if !matches!(bits, 1..=8 | 16) {
            return Err(unread(format!("a palette of {bits} bits")));
        }
        let table = decoder.get_tag_u16_vec(Tag::ColorMap).map_err(damaged)?;
        let count = table.len() / 3;
        // Some programs store 8-bit colours in the upper halves alone.
        let halves = table.iter().all(|sample| sample % 256 == 0);
        let sample = |at: usize| {
            if halves {
                table[at] / 256 * 257
            } else {
                table[at]
            }
        };
        let colour = |index| {
            [
                sample(index),
                sample(count + index),
                sample(2 * count + index),
            ]
        };
        Ok(Meaning {
            bits,
            stored: 1,
            planar: false,
            ink: Ink::Rgb,
            kind: Samplings::Palette((0..count).map(colour).collect()),
        })
    }

    /// One row of stored samples as the ink has them; `into` is overwritten.
    fn convert(&self, row: &[u16], into: &mut Vec<u16>) {
        into.clear();
        let full = self.full();
        let pixels = row.chunks_exact(self.stored);
        let count = self.ink.count();
        match &self.kind {
            Samplings::Plain => into.extend(pixels.flat_map(|pixel| &pixel[..count])),
            Samplings::Premultiplied => {
                for pixel in pixels {
                    let alpha = u32::from(pixel[count - 1]).max(1);
                    let whole = |sample: &u16| {
                        let sample = (u32::from(*sample) * full + alpha / 2) / alpha;
                        sample.min(full) as u16
                    };
                    into.extend(pixel[..count - 1].iter().map(whole));
                    into.push(pixel[count - 1]);
                }
            }
            Samplings::LumaChroma => into.extend(pixels.flat_map(|pixel| {
                let middle = (full / 2 + 1) as f32;
                let [y, blue, red] = [pixel[0], pixel[1], pixel[2]].map(f32::from);
                let (blue, red) = (blue - middle, red - middle);
                [
                    y + 1.402 * red,
                    y - 0.344_136 * blue - 0.714_136 * red,
                    y + 1.772 * blue,
                ]
                .map(|sample| (sample + 0.5).clamp(0.0, full as f32) as u16)
            })),
            Samplings::Palette(table) => into.extend(row.iter().flat_map(|index| {
                let colour = table.get(usize::from(*index));
                colour.copied().unwrap_or_default()
            })),
        }
    }

    /// The greatest value of a stored sample.
    fn full(&self) -> u32 {
        if self.bits > 8 { 65_535 } else { 255 }
    }

    /// Whether rows come out in 16 bits.
    fn deep(&self) -> bool {
        self.bits > 8 || matches!(self.kind, Samplings::Palette(_))
    }
}

fn is_planar(decoder: &mut Reader<'_>) -> Result<bool, DecodeError> {
    let planar = decoder.find_tag_unsigned::<u16>(Tag::PlanarConfiguration);
    Ok(planar.map_err(damaged)? == Some(2))
}

/// How strips or tiles lie.
struct Grid {
    /// Width and height of one.
    chunk: (u32, u32),
    across: u32,
    down: u32,
}

impl Grid {
    fn of(decoder: &mut Reader<'_>, size: Size) -> Result<Grid, DecodeError> {
        let (width, height) = decoder.chunk_dimensions();
        if width == 0 || height == 0 {
            return Err(DecodeError::damaged(Kind::Tiff, "its strips are empty"));
        }
        Ok(Grid {
            chunk: (width, height),
            across: size.width().div_ceil(width),
            down: size.height().div_ceil(height),
        })
    }
}

pub(super) struct TiffRows<'a> {
    decoder: Reader<'a>,
    grid: Grid,
    form: Form,
    meaning: Meaning,
    /// The row of strips or tiles that the next row lies in.
    chunks: Vec<Chunk>,
    next: u32,
    /// One row as stored, and as delivered in either depth.
    stored: Vec<u16>,
    deep: Vec<u16>,
    shallow: Vec<u8>,
}

/// A strip or tile.
struct Chunk {
    /// The column that it begins at, and how many it has.
    left: usize,
    columns: usize,
    /// The kind of sample that it holds, where each is stored apart.
    plane: usize,
    samples: DecodingResult,
}

impl TiffRows<'_> {
    /// Decodes the row of strips or tiles that the next row lies in.
    fn fill(&mut self) -> Result<(), DecodeError> {
        self.chunks.clear();
        let first = self.next / self.grid.chunk.1 * self.grid.across;
        let per_plane = self.grid.across * self.grid.down;
        let planes = if self.meaning.planar {
            self.meaning.stored
        } else {
            1
        };
        for index in 0..self.grid.across {
            let (columns, _) = self.decoder.chunk_data_dimensions(first + index);
            for plane in 0..planes {
                let chunk = first + index + plane as u32 * per_plane;
                self.chunks.push(Chunk {
                    left: (index * self.grid.chunk.0) as usize,
                    columns: columns as usize,
                    plane,
                    samples: self.decoder.read_chunk(chunk).map_err(damaged)?,
                });
            }
        }
        Ok(())
    }

    /// Puts one row of the strips or tiles together.
    fn assemble(&mut self, line: usize) -> Result<(), DecodeError> {
        let Meaning {
            bits,
            stored,
            planar,
            ..
        } = self.meaning;
        let step = if planar { 1 } else { stored };
        let spread = !matches!(self.meaning.kind, Samplings::Palette(_));
        self.stored.clear();
        self.stored
            .resize(self.form.size.width() as usize * stored, 0);
        for chunk in &self.chunks {
            let length = chunk.columns * step;
            let row = sample_row(&chunk.samples, (line, length), bits, spread)?;
            let row = row.ok_or(DecodeError::CutOff(Kind::Tiff))?;
            let pixels = self.stored[chunk.left * stored..].chunks_exact_mut(stored);
            for (pixel, found) in pixels.zip(row.chunks_exact(step)) {
                pixel[chunk.plane..chunk.plane + step].copy_from_slice(found);
            }
        }
        Ok(())
    }
}

impl Rows for TiffRows<'_> {
    fn form(&self) -> &Form {
        &self.form
    }

    fn next_row(&mut self) -> Result<Row<'_>, DecodeError> {
        let line = self.next % self.grid.chunk.1;
        if line == 0 {
            self.fill()?;
        }
        self.next += 1;
        self.assemble(line as usize)?;
        self.meaning.convert(&self.stored, &mut self.deep);
        if self.meaning.deep() {
            return Ok(Row::Sixteen(&self.deep));
        }
        self.shallow.clear();
        self.shallow
            .extend(self.deep.iter().map(|&sample| sample as u8));
        Ok(Row::Eight(&self.shallow))
    }
}

/// A row of a strip or tile of so many samples, `None` where it ends before; samples of less
/// than 8 bits are spread over 8 where asked.
fn sample_row(
    samples: &DecodingResult,
    (line, length): (usize, usize),
    bits: u8,
    spread: bool,
) -> Result<Option<Vec<u16>>, DecodeError> {
    let range = line * length..(line + 1) * length;
    Ok(match samples {
        DecodingResult::U8(packed) if bits < 8 => {
            let pitch = (length * usize::from(bits)).div_ceil(8);
            let row = packed.get(line * pitch..(line + 1) * pitch);
            row.map(|row| unpacked(row, bits, length, spread))
        }
        DecodingResult::U8(samples) => {
            let row = samples.get(range);
            row.map(|row| row.iter().copied().map(u16::from).collect())
        }
        DecodingResult::U16(samples) => samples.get(range).map(<[u16]>::to_vec),
        DecodingResult::U32(samples) => {
            let row = samples.get(range);
            row.map(|row| row.iter().map(|sample| (sample >> 16) as u16).collect())
        }
        _ => return Err(unread("floating-point or signed samples".to_owned())),
    })
}

/// Samples of less than 8 bits, the highest bit first; one may begin in one byte and end in the
/// next.
fn unpacked(row: &[u8], bits: u8, length: usize, spread: bool) -> Vec<u16> {
    let most = (1u16 << bits) - 1;
    let sample = |index: usize| {
        let at = index * usize::from(bits);
        let pair = [row[at / 8], row.get(at / 8 + 1).copied().unwrap_or(0)];
        let shift = 16 - usize::from(bits) - at % 8;
        let sample = u16::from_be_bytes(pair) >> shift & most;
        if spread {
            (sample * 255 + most / 2) / most
        } else {
            sample
        }
    };
    (0..length).map(sample).collect()
}

fn unread(what: String) -> DecodeError {
    DecodeError::unsupported(Kind::Tiff, what)
}

fn unreadable(error: io::Error) -> DecodeError {
    match error.kind() {
        ErrorKind::UnexpectedEof => DecodeError::CutOff(Kind::Tiff),
        _ => DecodeError::Read(error),
    }
}

/// What the decoder does not know, in words that a person can act on.
fn unsupported(error: &TiffUnsupportedError) -> String {
    use TiffUnsupportedError as Error;
    match error {
        Error::ChromaSubsampling => "subsampled chroma outside JPEG".to_owned(),
        Error::UnknownCompressionMethod => "an unknown compression".to_owned(),
        Error::UnsupportedCompressionMethod(method) => format!("{method:?} compression"),
        Error::InconsistentBitsPerSample(bits) => format!("samples of {bits:?} bits"),
        Error::UnsupportedSampleFormat(_) => "floating-point or signed samples".to_owned(),
        other => format!("an unusual layout ({other})"),
    }
}

fn damaged(error: TiffError) -> DecodeError {
    match error {
        TiffError::IoError(error) => unreadable(error),
        TiffError::UnsupportedError(error) => unread(unsupported(&error)),
        other => DecodeError::damaged(Kind::Tiff, other),
    }
}
