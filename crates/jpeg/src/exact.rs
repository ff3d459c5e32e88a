//! Crops and turns of coefficients, which cost nothing of a picture.

use crate::block::Block;
use crate::decode::{Coefficient, Coefficients};
use crate::frame::{Component, Frame};

/// How a picture is turned: mirrored first, then flipped, then transposed.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Turning {
    /// Left and right change places.
    pub mirrored: bool,
    /// Top and bottom change places.
    pub flipped: bool,
    /// Rows become columns.
    pub transposed: bool,
}

impl Coefficients {
    /// A part of the picture by its first column and row and its width and height in pixels; `None`
    /// where it does not begin on a minimum coded unit, or lies outside.
    pub fn part(&self, at: (u32, u32), size: (u32, u32)) -> Option<Coefficients> {
        let own = &self.frame;
        let unit = own.unit();
        let inside = |at: u32, side: u32, all: u32| {
            side > 0 && at.checked_add(side).is_some_and(|end| end <= all)
        };
        let fits = inside(at.0, size.0, own.width) && inside(at.1, size.1, own.height);
        if !fits || !at.0.is_multiple_of(unit.0) || !at.1.is_multiple_of(unit.1) {
            return None;
        }
        let frame = own.like(size, |sampling| sampling);
        let (left, top) = ((at.0 / unit.0) as usize, (at.1 / unit.1) as usize);
        Some(self.moved(frame, |own| {
            let (across, down) = (own.sampling.0 as usize, own.sampling.1 as usize);
            let stride = own.padded.0;
            move |x, y| {
                ((top * down + y) * stride + left * across + x, |block| {
                    *block
                })
            }
        }))
    }

    /// The picture turned; `None` where a side that is mirrored does not end with a minimum coded
    /// unit: what fills that up would come to lie at the beginning.
    pub fn turned(&self, turning: Turning) -> Option<Coefficients> {
        let own = &self.frame;
        let unit = own.unit();
        if (turning.mirrored && !own.width.is_multiple_of(unit.0))
            || (turning.flipped && !own.height.is_multiple_of(unit.1))
        {
            return None;
        }
        let swap = |(a, b): (u32, u32)| if turning.transposed { (b, a) } else { (a, b) };
        let frame = own.like(swap((own.width, own.height)), swap);
        let mut turned = self.moved(frame, |own| {
            let (across, down) = own.padded;
            move |x, y| {
                let (x, y) = if turning.transposed { (y, x) } else { (x, y) };
                let x = if turning.mirrored { across - 1 - x } else { x };
                let y = if turning.flipped { down - 1 - y } else { y };
                (y * across + x, move |block: &Block| turn(block, turning))
            }
        });
        if turning.transposed {
            for plane in &mut turned.planes {
                plane.table = transposed(&plane.table);
            }
        }
        Some(turned)
    }

    /// Blocks brought to the places of another frame: for each component a function tells of a column
    /// and a row which block comes there, and what becomes of it.
    fn moved<F, B>(&self, frame: Frame, of: impl Fn(&Component) -> F) -> Coefficients
    where
        F: Fn(usize, usize) -> (usize, B),
        B: Fn(&Block) -> Block,
    {
        let pairs = self.frame.components.iter().zip(&frame.components);
        let planes = pairs.zip(&self.planes).map(|((own, new), plane)| {
            let from = of(own);
            let places = (0..new.padded.1).flat_map(|y| (0..new.padded.0).map(move |x| (x, y)));
            let blocks = places.map(|(x, y)| {
                let (index, change) = from(x, y);
                change(&plane.blocks[index])
            });
            Coefficient {
                table: plane.table,
                blocks: blocks.collect(),
            }
        });
        let planes = planes.collect();
        Coefficients { frame, planes }
    }
}

/// A block turned: mirrored, what is odd across changes its sign.
fn turn(block: &Block, turning: Turning) -> Block {
    std::array::from_fn(|place| {
        // Blocks lie column by column.
        let (x, y) = (place / 8, place % 8);
        let (x, y) = if turning.transposed { (y, x) } else { (x, y) };
        let odd = (turning.mirrored && x % 2 == 1) != (turning.flipped && y % 2 == 1);
        let value = block[x * 8 + y];
        if odd { -value } else { value }
    })
}

/// A table by the zigzag sequence, its rows made columns.
fn transposed(table: &[u16; 64]) -> [u16; 64] {
    use crate::block::{PLACE, ZIGZAG};
    let mut natural = [0; 64];
    for (place, step) in ZIGZAG.iter().zip(table) {
        natural[usize::from(*place)] = *step;
    }
    // The places of blocks are natural ones with rows and columns changed.
    PLACE.map(|place| natural[usize::from(place)])
}
