//! Coefficients of a transform block as symbols (sections 5.11.39 and 8.3.2).

mod choose;
mod order;

pub(crate) use choose::{Block, choose};
pub(crate) use order::Seen;
use order::{Class, Order};

use crate::odds::{CoefOdds, Odds};
use crate::range::Sink;
use crate::shape::Shape;
use crate::transform::Kind;

/// The most levels that are told by symbols of their own; what is beyond follows in bits.
const TOLD: i32 = 14;

/// What neighbours say of a transform block.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct Context {
    /// For whether it has any coefficients.
    pub all_zero: usize,
    /// For the sign of the first.
    pub sign: usize,
}

/// What a transform block says to its neighbours.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct Trace {
    /// The sum of its levels, at most 63.
    pub levels: u8,
    /// The sign of its first: 0 where that is zero, 1 below, 2 above.
    pub sign: u8,
}

/// Codes a transform block; `kind` is the type that its coefficients are of, and is coded where `told` says by which
/// mode. Coefficients are levels, column by column, of at most 32 each way.
pub(crate) fn code<S: Sink>(
    sink: &mut S,
    (odds, seen): (&mut Odds, &mut Seen),
    (shape, plane): (Shape, usize),
    (kind, told): (Kind, Option<Told>),
    levels: &[i32],
    context: Context,
) {
    let coded = shape.within(5);
    let class = shape.class();
    let chroma = usize::from(plane > 0);
    let order = Order::of(shape, kind);
    let count = usize::from(order.last(levels));
    sink.symbol(
        &mut odds.coefs.all_zero[class][context.all_zero],
        usize::from(count == 0),
    );
    let Some(last) = count.checked_sub(1) else {
        return;
    };
    if let Some(told) = told {
        told.code(sink, odds, shape, kind);
    }
    let odds = &mut odds.coefs;
    let turned = Class::of(kind);
    end(sink, odds, coded, (class, chroma), turned, last);
    seen.begin(coded, turned);
    let each = order.places[..=last].iter().zip(&order.spots);
    for (index, (&place, &spot)) in each.enumerate().rev() {
        let level = levels[usize::from(place)].unsigned_abs();
        let (base, beyond) = seen.contexts(spot);
        if index == last {
            let base = last_context(index, coded);
            sink.symbol(
                &mut odds.base_eob[class][chroma][base],
                level.min(3) as usize - 1,
            );
        } else {
            sink.symbol(&mut odds.base[class][chroma][base], level.min(3) as usize);
        }
        if level >= 3 {
            let odds = &mut odds.range[class.min(3)][chroma][beyond];
            let mut left = level - 3;
            for _ in 0..4 {
                sink.symbol(odds, left.min(3) as usize);
                if left < 3 {
                    break;
                }
                left -= 3;
            }
        }
        if level > 0 {
            seen.add(spot, level);
        }
    }
    for (index, &place) in order.places[..=last].iter().enumerate() {
        let level = levels[usize::from(place)];
        if level == 0 {
            continue;
        }
        match index {
            0 => sink.symbol(
                &mut odds.dc_sign[chroma][context.sign],
                usize::from(level < 0),
            ),
            _ => sink.bits(u32::from(level < 0), 1),
        }
        if level.abs() > TOLD {
            let beyond = (level.abs() - TOLD) as u32;
            sink.bits(0, beyond.ilog2());
            sink.bits(beyond, beyond.ilog2() + 1);
        }
    }
}

/// The context of the last coefficient.
fn last_context(index: usize, coded: Shape) -> usize {
    match index {
        0 => 0,
        _ if index <= coded.area() / 8 => 1,
        _ if index <= coded.area() / 4 => 2,
        _ => 3,
    }
}

/// What levels say to other blocks.
pub(crate) fn trace(levels: &[i32]) -> Trace {
    let sum: u32 = levels.iter().map(|level| level.unsigned_abs()).sum();
    Trace {
        levels: sum.min(63) as u8,
        sign: match levels[0] {
            0 => 0,
            ..0 => 1,
            1.. => 2,
        },
    }
}

/// The class of the number of the last coefficient, counted from one.
fn group(last: usize) -> usize {
    last.checked_ilog2().map_or(0, |bits| bits as usize + 1)
}

/// Where the last coefficient is.
fn end<S: Sink>(
    sink: &mut S,
    odds: &mut CoefOdds,
    coded: Shape,
    (class, chroma): (usize, usize),
    turned: Class,
    last: usize,
) {
    let turned = usize::from(turned != Class::Both);
    let group = group(last);
    match coded.w + coded.h {
        4 => sink.symbol(&mut odds.eob_16[chroma][turned], group),
        5 => sink.symbol(&mut odds.eob_32[chroma][turned], group),
        6 => sink.symbol(&mut odds.eob_64[chroma][turned], group),
        7 => sink.symbol(&mut odds.eob_128[chroma][turned], group),
        8 => sink.symbol(&mut odds.eob_256[chroma][turned], group),
        9 => sink.symbol(&mut odds.eob_512[chroma], group),
        _ => sink.symbol(&mut odds.eob_1024[chroma], group),
    }
    if group > 1 {
        let bits = group as u32 - 2;
        let rest = last as u32 - (1 << (group - 1));
        sink.symbol(
            &mut odds.eob_extra[class][chroma][group],
            (rest >> bits & 1) as usize,
        );
        sink.bits(rest & ((1 << bits) - 1), bits);
    }
}

/// What a transform type is told by.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Told {
    /// The mode of its block, by its number, for recursive filters the one that they are most like; none where it is
    /// copied.
    pub mode: Option<usize>,
    /// Whether only few types are told apart.
    pub few: bool,
}

impl Told {
    pub fn code<S: Sink>(self, sink: &mut S, odds: &mut Odds, shape: Shape, kind: Kind) {
        let size = usize::from(shape.shorter()) - 2;
        let Some(mode) = self.mode else {
            return match size {
                _ if self.few || shape.longer() == 5 => {
                    sink.symbol(
                        &mut odds.type_of_two[size],
                        usize::from(kind == Kind::Cosine),
                    );
                }
                2 => sink.symbol(&mut odds.type_of_twelve, kind.of_twelve()),
                _ => sink.symbol(&mut odds.type_of_all[size], kind.of_all()),
            };
        };
        if self.few || size == 2 {
            let symbol = Kind::FIVE.iter().position(|&one| one == kind).unwrap_or(1);
            sink.symbol(&mut odds.type_of_five[size][mode], symbol);
        } else {
            sink.symbol(&mut odds.type_of_seven[size][mode], kind as usize);
        }
    }
}
