//! All coefficients of a picture.

use rayon::prelude::*;

use super::entropy::{Blocks, Coding, Found};
use super::header::{Header, Limits, Next, Oddity, Reader, Scan};
use super::held::{First, Held, Whole};
use crate::block::{Block, ZIGZAG, band};
use crate::error::Error;
use crate::frame::Frame;

/// The quantised coefficients of a picture, as its file has them.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Coefficients {
    /// How its blocks lie.
    pub frame: Frame,
    /// The planes, in the order of the components.
    pub planes: Vec<Coefficient>,
}

/// The coefficients of a component.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Coefficient {
    /// Its quantisation table, by the zigzag sequence.
    pub table: [u16; 64],
    /// Its blocks, row by row, those that fill up the last units included.
    pub(crate) blocks: Vec<Block>,
}

impl Coefficients {
    /// Whether other coefficients show the same picture: blocks that only fill up units do not count.
    pub fn shows_the_same(&self, other: &Coefficients) -> bool {
        let size = |frame: &Frame| (frame.width, frame.height, frame.components.len());
        let mut pairs = self.planes.iter().zip(&other.planes);
        let mut components = self.frame.components.iter().zip(&other.frame.components);
        size(&self.frame) == size(&other.frame)
            && components.all(|(one, two)| one.sampling == two.sampling)
            && self.frame.components.iter().all(|component| {
                pairs.next().is_some_and(|(one, two)| {
                    let mut rows = 0..component.blocks.1;
                    let same = |row: usize| {
                        let start = row * component.padded.0;
                        let own = start..start + component.blocks.0;
                        one.blocks[own.clone()] == two.blocks[own]
                    };
                    one.table == two.table && rows.all(same)
                })
            })
    }
}

impl Coefficient {
    /// A component from its blocks, each row by row in natural order, and its quantisation table.
    pub fn new(table: [u16; 64], blocks: &[[i16; 64]]) -> Coefficient {
        Coefficient {
            table,
            blocks: blocks.iter().map(turned).collect(),
        }
    }

    /// The coefficients of a block, row by row in natural order.
    pub fn block(&self, index: usize) -> [i16; 64] {
        turned(&self.blocks[index])
    }
}

/// From rows to columns, or back.
fn turned(block: &Block) -> Block {
    std::array::from_fn(|place| block[place % 8 * 8 + place / 8])
}

/// What pixels at a smaller size do without.
pub(crate) struct Idle {
    /// How many samples a block of each component becomes on each side.
    pub sides: Vec<usize>,
    /// Whether passes that add the last bits of finer coefficients are left out.
    pub coarse: bool,
}

impl Idle {
    /// Leaves out the scans that add nothing to what is wanted. What refines a coefficient can only be
    /// read beside all that was told of its band before.
    fn leave_out(&self, codings: &mut Vec<Coding>) {
        // The coefficients of each component that are needed, by the zigzag sequence.
        let mut needed: Vec<u64> = self.sides.iter().map(|side| low(*side)).collect();
        let mut kept: Vec<Coding> = Vec::new();
        while let Some(coding) = codings.pop() {
            let scan = &coding.coder.scan;
            let (band, refines) = (band(scan.band), scan.bits.0 > 0 && scan.band.0 > 0);
            let mut parts = scan.parts.iter();
            if (self.coarse && refines) || !parts.any(|part| needed[part.component] & band != 0) {
                continue;
            }
            if refines {
                scan.parts
                    .iter()
                    .for_each(|part| needed[part.component] |= band);
            }
            kept.push(coding);
        }
        codings.extend(kept.into_iter().rev());
    }
}

/// The coefficients that a block of so many samples a side is made of.
fn low(side: usize) -> u64 {
    let places = (0..).zip(ZIGZAG).filter(|(_, natural)| {
        let (x, y) = (usize::from(natural % 8), usize::from(natural / 8));
        x < side && y < side
    });
    places.map(|(index, _)| 1 << index).sum()
}

/// What was read, and what was odd in it.
pub(crate) struct Read {
    pub planes: Vec<Held>,
    /// The quantisation table of each.
    pub tables: Vec<[u16; 64]>,
    pub oddities: Vec<Oddity>,
}

/// Reads all scans of a file from the first, whose header has been read.
pub(crate) fn read(
    data: &[u8],
    mut reader: Reader,
    header: &Header,
    (first, idle): (Scan, Option<&Idle>),
    limits: Limits,
) -> Result<Read, Error> {
    let frame = &header.frame;
    // The table that holds when a component's first scan begins is its own.
    let mut tables: Vec<Option<[u16; 64]>> = vec![None; frame.components.len()];
    // Down to which bit each coefficient is told.
    let mut bits = vec![[u32::MAX; 64]; frame.components.len()];
    let mut codings = Vec::new();
    let (mut scan, mut scans) = (first, 0);
    loop {
        scans += 1;
        if scans > limits.scans {
            return Err(Error::TooManyScans(limits.scans));
        }
        for part in &scan.parts {
            let destination = frame.components[part.component].table;
            let table = reader.tables.quantisation[destination];
            let slot = &mut tables[part.component];
            *slot = slot.or(table);
            bits[part.component][scan.band.0..=scan.band.1].fill(scan.bits.1);
        }
        codings.push(Coding::new(&mut reader, frame, scan)?);
        reader.pass_data(data);
        scan = match reader.next(data, limits) {
            Ok(Next::Scan(scan)) => scan,
            Ok(Next::End) => break,
            // What went before makes a picture.
            Err(Error::Damaged { position, .. }) if tables.iter().all(Option::is_some) => {
                reader.odd(Oddity::Damaged { position });
                break;
            }
            Err(error) => return Err(error),
        };
    }
    let position = reader.position;
    if reader.oddities.contains(&Oddity::NoEnd) && bits.iter().flatten().any(|&bit| bit > 0) {
        return Err(Error::CutOff { position });
    }
    let missing = Error::damaged(
        "a component has no scan, or no quantisation table",
        position,
    );
    let tables = tables.into_iter().map(|table| table.ok_or(missing));
    let tables = tables.collect::<Result<_, Error>>()?;
    if let Some(idle) = idle {
        idle.leave_out(&mut codings);
    }
    let mut planes: Vec<Held> = frame.components.iter().map(Held::new).collect();
    let found = if frame.progressive {
        passes(data, frame, codings, &mut planes)?
    } else {
        let mut whole = Whole(&mut planes);
        through(data, frame, codings, &mut whole)?
    };
    for oddity in found.oddities() {
        reader.odd(oddity);
    }
    Ok(Read {
        planes,
        tables,
        oddities: reader.oddities,
    })
}

/// Reads scans one after the other.
fn through(
    data: &[u8],
    frame: &Frame,
    codings: Vec<Coding>,
    blocks: &mut impl Blocks,
) -> Result<Found, Error> {
    let mut found = Found::default();
    for mut coding in codings {
        for row in 0..coding.rows(frame) {
            coding.row(data, frame, row, blocks)?;
        }
        found = found.and(coding.found);
    }
    Ok(found)
}

/// Reads the scans of a progressive file: side by side those that do not add to the same coefficients.
fn passes(
    data: &[u8],
    frame: &Frame,
    codings: Vec<Coding>,
    planes: &mut [Held],
) -> Result<Found, Error> {
    let (dc, ac): (Vec<Coding>, Vec<Coding>) = codings
        .into_iter()
        .partition(|coding| coding.coder.scan.band.0 == 0);
    let (first, details): (Vec<_>, Vec<_>) = planes.iter_mut().map(Held::split).unzip();
    let mut of_components: Vec<Vec<Coding>> = details.iter().map(|_| Vec::new()).collect();
    for coding in ac {
        of_components[coding.coder.scan.parts[0].component].push(coding);
    }
    let first = &mut First {
        frame,
        planes: first,
    };
    let (dc, ac) = rayon::join(
        || through(data, frame, dc, first),
        || {
            let chains = details.into_par_iter().zip(of_components);
            let chains = chains.map(|(mut details, own)| through(data, frame, own, &mut details));
            chains.collect::<Vec<_>>()
        },
    );
    ac.into_iter()
        .try_fold(dc?, |found, other| Ok(found.and(other?)))
}
