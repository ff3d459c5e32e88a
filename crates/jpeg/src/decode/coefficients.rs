//! All coefficients of a picture.

use super::entropy::{Coding, Plane};
use super::header::{Header, Limits, Next, Oddity, Part, Reader, Scan};
use crate::block::Block;
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

/// What was read, and what was odd in it.
pub(crate) struct Read {
    pub coefficients: Coefficients,
    pub oddities: Vec<Oddity>,
}

/// The planes of a frame, empty, for its entropy-coded data to go to.
pub(crate) fn planes<'p>(frame: &Frame, blocks: &'p mut [Vec<Block>]) -> Vec<Plane<'p>> {
    let components = frame.components.iter().zip(blocks);
    components
        .map(|(component, blocks)| Plane {
            first: 0,
            stride: component.padded.0,
            blocks,
            extents: None,
        })
        .collect()
}

/// What pixels at a smaller size do without.
pub(crate) struct Idle {
    /// How many samples a block of each component becomes on each side.
    pub sides: Vec<usize>,
    /// Whether passes that add the last bits of finer coefficients are left out.
    pub coarse: bool,
}

impl Idle {
    /// Whether a scan adds nothing to what is wanted.
    fn is(&self, scan: &Scan) -> bool {
        let (first, _) = scan.band;
        let wanted = |part: &Part| {
            // The last index of the zigzag sequence in the low part of a block.
            let last = match self.sides[part.component] {
                1 => 0,
                2 => 4,
                4 => 24,
                _ => 63,
            };
            first <= last
        };
        (self.coarse && first > 0 && scan.bits.0 > 0) || !scan.parts.iter().any(wanted)
    }
}

/// Reads all scans of a file from the first, whose header has been read.
pub(crate) fn read(
    data: &[u8],
    mut reader: Reader,
    header: &Header,
    (first, idle): (Scan, Option<&Idle>),
    limits: Limits,
) -> Result<Read, Error> {
    let frame = header.frame.clone();
    let empty = |one: &crate::frame::Component| vec![[0i16; 64]; one.padded.0 * one.padded.1];
    let mut blocks: Vec<Vec<Block>> = frame.components.iter().map(empty).collect();
    // The table that holds when a component's first scan begins is its own.
    let mut tables: Vec<Option<[u16; 64]>> = vec![None; frame.components.len()];
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
        }
        if idle.is_some_and(|idle| idle.is(&scan)) {
            reader.pass_data(data);
        } else {
            let mut coding = Coding::new(&mut reader, &frame, scan)?;
            let mut planes = planes(&frame, &mut blocks);
            for row in 0..coding.rows(&frame) {
                coding.row(data, &frame, row, &mut planes)?;
            }
            if coding.odd_restart {
                reader.odd(Oddity::Restart);
            }
            reader.position = coding.position(data);
        }
        scan = match reader.next(data, limits)? {
            Next::Scan(scan) => scan,
            Next::End => break,
        };
    }
    let position = reader.position;
    let missing = Error::damaged(
        "a component has no scan, or no quantisation table",
        position,
    );
    let planes = blocks.into_iter().zip(tables).map(|(blocks, table)| {
        let table = table.ok_or(missing)?;
        Ok(Coefficient { table, blocks })
    });
    Ok(Read {
        coefficients: Coefficients {
            planes: planes.collect::<Result<_, Error>>()?,
            frame,
        },
        oddities: reader.oddities,
    })
}
