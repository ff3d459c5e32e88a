//! Rows of pixels, a band of units at a time.

use std::borrow::Cow;

use pulp::Arch;

use super::coefficients::{self, Coefficient, Coefficients, Idle};
use super::colours::{self, Upsampling};
use super::entropy::Coding;
use super::header::{Colours, Header, Limits, Next, Oddity, Reader, Scan, odd};
use super::held::Held;
use super::inverse::{Inverse, Quantisation, Sample, Side};
use super::stream::Stream;
use crate::block::Block;
use crate::error::Error;
use crate::frame::{Component, Frame};
use crate::turn;

/// How much of each side is wanted: all of it, or what the low coefficients alone show.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Scale {
    /// Every pixel.
    #[default]
    Full,
    /// A half.
    Half,
    /// A quarter.
    Quarter,
    /// An eighth: the mean of each block.
    Eighth,
}

impl Scale {
    /// What a side is divided by.
    pub fn divisor(self) -> u32 {
        match self {
            Scale::Full => 1,
            Scale::Half => 2,
            Scale::Quarter => 4,
            Scale::Eighth => 8,
        }
    }
}

/// What is wanted of the pixels.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Wanted {
    /// How much of each side.
    pub scale: Scale,
    /// The rows that matter, as stored, by the first and the one behind the last; the others may be of
    /// any colour. `None` for all.
    pub rows: Option<(u32, u32)>,
    /// Whether the passes that only add the last bits of finer coefficients may be left out, which
    /// take half the time of a progressive file.
    pub coarse: bool,
}

/// What the samples of a row stand for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Ink {
    /// Grey.
    Grey,
    /// Red, green, blue.
    Rgb,
    /// Cyan, magenta, yellow, black, as stored: where an Adobe segment stands in the file, full ink
    /// is 0.
    Cmyk,
}

impl Ink {
    /// Samples in a pixel.
    pub fn count(self) -> usize {
        match self {
            Ink::Grey => 1,
            Ink::Rgb => 3,
            Ink::Cmyk => 4,
        }
    }
}

/// A file whose header has been read.
pub struct Decoder<'a> {
    data: Cow<'a, [u8]>,
    reader: Reader,
    header: Header,
    first: Scan,
    limits: Limits,
}

impl<'a> Decoder<'a> {
    /// Reads a file up to its first scan.
    pub fn new(data: impl Into<Cow<'a, [u8]>>, limits: Limits) -> Result<Decoder<'a>, Error> {
        let data = data.into();
        let mut reader = Reader::new(&data)?;
        let first = match reader.next(&data, limits)? {
            Next::Scan(scan) => scan,
            Next::End => {
                // Nothing of the picture is there.
                let position = reader.position;
                reader.header()?;
                return Err(Error::CutOff { position });
            }
        };
        Ok(Decoder {
            header: reader.header()?,
            data,
            reader,
            first,
            limits,
        })
    }

    /// What stands before the first scan.
    pub fn header(&self) -> &Header {
        &self.header
    }

    /// Whether all components come in one sequential scan: then their blocks need not be held for rows
    /// of pixels.
    pub fn streams(&self) -> bool {
        let frame = &self.header.frame;
        !frame.progressive && self.first.parts.len() == frame.components.len()
    }

    /// All coefficients, and what is odd in the file.
    pub fn coefficients(self) -> Result<(Coefficients, Vec<Oddity>), Error> {
        let read = coefficients::read(
            &self.data,
            self.reader,
            &self.header,
            (self.first, None),
            self.limits,
        )?;
        let planes = read.planes.into_iter().zip(read.tables);
        let planes = planes.map(|(held, table)| Coefficient {
            table,
            blocks: held.blocks(),
        });
        let coefficients = Coefficients {
            planes: planes.collect(),
            frame: self.header.frame,
        };
        Ok((coefficients, read.oddities))
    }

    /// The pixels, row by row, with 8 bits a sample.
    pub fn rows(self, wanted: Wanted) -> Result<Rows<'a>, Error> {
        self.rows_of(wanted)
    }

    /// The same with 16 bits a sample: what the transform knows of fractions is not rounded away.
    pub fn deep_rows(self, wanted: Wanted) -> Result<DeepRows<'a>, Error> {
        Ok(DeepRows {
            scaled: Vec::new(),
            rows: self.rows_of(wanted)?,
        })
    }

    fn rows_of<S: Sample>(mut self, wanted: Wanted) -> Result<Rows<'a, S>, Error> {
        let frame = self.header.frame.clone();
        let (source, tables) = if self.streams() {
            let missing = Error::damaged("a quantisation table is missing", self.reader.position);
            let tables = frame.components.iter().map(|component| {
                let table = self.reader.tables.quantisation[component.table];
                table.ok_or(missing)
            });
            let tables = tables.collect::<Result<Vec<_>, Error>>()?;
            let coding = Coding::new(&mut self.reader, &frame, self.first)?;
            let stream = Stream::new(self.data, coding, &frame);
            let source = Source::Stream(Box::new(stream));
            (source, tables)
        } else {
            let sides = frame.components.iter();
            let sides = sides.map(|component| side(component, &frame, wanted.scale).0);
            let idle = Idle {
                sides: sides.collect(),
                coarse: wanted.coarse,
            };
            let read = coefficients::read(
                &self.data,
                self.reader.clone(),
                &self.header,
                (self.first, Some(&idle)),
                self.limits,
            )?;
            self.reader.oddities = read.oddities;
            let row = vec![[0; 64]; frame.units.0 * frame.most.0 as usize];
            let extents = vec![0; row.len()];
            (Source::Held(read.planes, (row, extents)), read.tables)
        };
        Ok(Rows::new(
            (source, &tables),
            (frame, self.header.colours),
            wanted,
            self.reader.oddities,
        ))
    }
}

impl Coefficients {
    /// The pixels that they show, where their components stand for these colours: those that a file of
    /// them has.
    pub fn rows(&self, colours: Colours) -> Rows<'_> {
        let planes = self.planes.iter().map(|plane| plane.blocks.as_slice());
        let widest = self.frame.components.iter().map(|one| one.padded.0).max();
        let source = Source::Open(planes.collect(), vec![63; widest.unwrap_or(0)]);
        let tables: Vec<[u16; 64]> = self.planes.iter().map(|plane| plane.table).collect();
        let picture = (self.frame.clone(), colours);
        Rows::new((source, &tables), picture, Wanted::default(), Vec::new())
    }
}

/// How many samples a block of a component becomes on each side, and how often the component is sampled
/// then. A plane with fewer samples is not reduced as far: it need not be enlarged again.
fn side(component: &Component, frame: &Frame, scale: Scale) -> (Side, (u32, u32)) {
    let (mut side, (mut h, mut v)) = (8 / scale.divisor() as usize, component.sampling);
    while side < 8 && frame.most.0.is_multiple_of(h * 2) && frame.most.1.is_multiple_of(v * 2) {
        (side, h, v) = (side * 2, h * 2, v * 2);
    }
    (side, (h, v))
}

/// The bands of units that the rows that matter are made of.
fn needed(frame: &Frame, wanted: Wanted) -> (usize, usize) {
    let Some((first, behind)) = wanted.rows else {
        return (0, frame.units.1);
    };
    let unit = 8 * frame.most.1;
    // Enlarged planes look a row beyond.
    let first = (first / unit).saturating_sub(1) as usize;
    let behind = (behind.div_ceil(unit) + 1) as usize;
    (first, behind.min(frame.units.1))
}

/// Where blocks come from.
enum Source<'a> {
    /// From the file, a band at a time.
    Stream(Box<Stream<'a>>),
    /// All are there, as they are, with extents for a row of any.
    Open(Vec<&'a [Block]>, Vec<u8>),
    /// All are there; a row of them is laid open at a time, with its extents.
    Held(Vec<Held>, (Vec<Block>, Vec<u8>)),
}

/// A component on its way to samples.
struct SampledPlane<S> {
    table: Quantisation,
    side: Side,
    upsampling: Upsampling,
    /// Samples that show anything.
    width: usize,
    height: usize,
    /// Rows of samples in a band.
    band: usize,
    stride: usize,
    /// The last two bands, that of an even number first.
    samples: Vec<S>,
}

impl<S> SampledPlane<S> {
    fn row(&self, row: usize) -> &[S] {
        let at = row % (2 * self.band) * self.stride;
        &self.samples[at..at + self.width]
    }
}

/// Rows of pixels with 16 bits a sample, from the top down.
pub struct DeepRows<'a> {
    rows: Rows<'a, u16>,
    scaled: Vec<u16>,
}

impl DeepRows<'_> {
    /// Width and height of the picture as it comes.
    pub fn size(&self) -> (u32, u32) {
        self.rows.size
    }

    /// What the samples stand for.
    pub fn ink(&self) -> Ink {
        self.rows.ink
    }

    /// What was odd in the file, as far as it was read.
    pub fn oddities(&self) -> &[Oddity] {
        &self.rows.oddities
    }

    /// Goes back to the first row, where the coefficients are held; tells whether it could.
    pub fn rewind(&mut self) -> bool {
        self.rows.rewind()
    }

    /// The next row, whose samples go from 0 to 65,535; there are as many as the picture is high.
    pub fn next_row(&mut self) -> Result<&[u16], Error> {
        let row = self.rows.next_row()?;
        // 255 times 8 becomes 65,535.
        let scaled = row
            .iter()
            .map(|&sample| ((u32::from(sample) * 257 + 4) >> 3) as u16);
        self.scaled.clear();
        self.scaled.extend(scaled);
        Ok(&self.scaled)
    }
}

/// Rows of pixels, from the top down.
pub struct Rows<'a, S = u8> {
    arch: Arch,
    source: Source<'a>,
    frame: Frame,
    size: (u32, u32),
    ink: Ink,
    colours: Colours,
    planes: Vec<SampledPlane<S>>,
    /// The bands that matter.
    needed: (usize, usize),
    /// Bands that have become samples.
    bands: usize,
    /// The next row of pixels.
    next: usize,
    /// A row of each component as wide as the picture.
    wide: Vec<Vec<S>>,
    /// A row between two rows of a component.
    mixed: Vec<u16>,
    row: Vec<S>,
    oddities: Vec<Oddity>,
}

#[allow(private_bounds, reason = "there are no other samples than these two")]
impl<'a, S: Sample> Rows<'a, S> {
    fn new(
        (source, tables): (Source<'a>, &[[u16; 64]]),
        (frame, colours): (Frame, Colours),
        wanted: Wanted,
        oddities: Vec<Oddity>,
    ) -> Rows<'a, S> {
        let tables: Vec<Quantisation> = tables.iter().map(Quantisation::new).collect();
        let planes = frame.components.iter().zip(tables);
        let planes = planes.map(|(component, table)| {
            let (side, (h, v)) = side(component, &frame, wanted.scale);
            let divisor = wanted.scale.divisor();
            let length = |all: u32, own: u32, most: u32| {
                let reduced = all.div_ceil(divisor);
                (u64::from(reduced) * u64::from(own)).div_ceil(u64::from(most)) as usize
            };
            let band = component.sampling.1 as usize * side;
            let stride = component.padded.0 * side;
            SampledPlane {
                table,
                side,
                upsampling: Upsampling::new((h, v), frame.most),
                width: length(frame.width, h, frame.most.0),
                height: length(frame.height, v, frame.most.1),
                band,
                stride,
                samples: vec![S::default(); stride * band * 2],
            }
        });
        let size = (
            frame.width.div_ceil(wanted.scale.divisor()),
            frame.height.div_ceil(wanted.scale.divisor()),
        );
        let ink = match colours {
            Colours::Grey => Ink::Grey,
            Colours::YCbCr | Colours::Rgb => Ink::Rgb,
            Colours::Cmyk | Colours::Ycck => Ink::Cmyk,
        };
        let planes: Vec<SampledPlane<S>> = planes.collect();
        let widest = size.0 as usize;
        Rows {
            arch: Arch::new(),
            source,
            size,
            ink,
            colours,
            needed: needed(&frame, wanted),
            wide: planes.iter().map(|_| vec![S::default(); widest]).collect(),
            mixed: vec![0; planes.iter().map(|plane| plane.width).max().unwrap_or(0)],
            row: vec![S::default(); widest * ink.count()],
            planes,
            frame,
            bands: 0,
            next: 0,
            oddities,
        }
    }

    /// Width and height of the picture as it comes.
    pub fn size(&self) -> (u32, u32) {
        self.size
    }

    /// What the samples stand for.
    pub fn ink(&self) -> Ink {
        self.ink
    }

    /// What was odd in the file, as far as it was read.
    pub fn oddities(&self) -> &[Oddity] {
        &self.oddities
    }

    /// Goes back to the first row, where the coefficients are held; tells whether it could.
    pub fn rewind(&mut self) -> bool {
        let held = !matches!(self.source, Source::Stream(_));
        if held {
            (self.bands, self.next) = (0, 0);
        }
        held
    }

    /// The next row; there are as many as the picture is high.
    pub fn next_row(&mut self) -> Result<&[S], Error> {
        let y = self.next.min(self.size.1 as usize - 1);
        while !self.is_ready(y) {
            self.band()?;
        }
        self.next += 1;
        for (plane, wide) in self.planes.iter().zip(&mut self.wide) {
            let (above, below, weight) = plane.upsampling.rows(y, plane.height);
            let pair = (plane.row(above), plane.row(below));
            plane
                .upsampling
                .enlarge(self.arch, pair, weight, &mut self.mixed, wide);
        }
        colours::convert(self.arch, self.colours, &self.wide, &mut self.row);
        Ok(&self.row)
    }

    /// Whether the samples for a row of pixels are there.
    fn is_ready(&self, y: usize) -> bool {
        let mut planes = self.planes.iter();
        planes.all(|plane| {
            let (_, below, _) = plane.upsampling.rows(y, plane.height);
            below < self.bands * plane.band
        })
    }

    /// Makes the samples of the next band.
    fn band(&mut self) -> Result<(), Error> {
        let band = self.bands;
        self.bands += 1;
        let matters = (self.needed.0..self.needed.1).contains(&band);
        if band >= self.needed.1 {
            return Ok(());
        }
        if let Source::Stream(stream) = &mut self.source {
            stream.band(&self.frame, band)?;
            for oddity in stream.found().oddities() {
                odd(&mut self.oddities, oddity);
            }
        }
        if !matters {
            return Ok(());
        }
        for (index, plane) in self.planes.iter_mut().enumerate() {
            let component = &self.frame.components[index];
            let (across, down) = (component.padded.0, component.sampling.1 as usize);
            let half = band % 2 * plane.band * plane.stride;
            let samples = &mut plane.samples[half..half + plane.band * plane.stride];
            for row in 0..down {
                let (blocks, extents) = match &mut self.source {
                    Source::Stream(stream) => stream.band(&self.frame, band)?[index].row(row),
                    Source::Open(planes, extents) => {
                        let first = (band * down + row) * across;
                        (&planes[index][first..first + across], &extents[..across])
                    }
                    Source::Held(held, (blocks, extents)) => {
                        let (blocks, extents) = (&mut blocks[..across], &mut extents[..across]);
                        held[index].row(band * down + row, blocks, extents);
                        (&*blocks, &*extents)
                    }
                };
                let inverse = Inverse {
                    blocks,
                    extents,
                    table: &plane.table,
                    side: plane.side,
                    samples: &mut samples[row * plane.side * plane.stride..],
                    stride: plane.stride,
                };
                turn::run(self.arch, inverse);
            }
        }
        Ok(())
    }
}
