//! Coefficients of a transform block as symbols (sections 5.11.39 and 8.3.2).

mod choose;

pub(crate) use choose::{Block, choose};

use std::cmp::Ordering;
use std::sync::OnceLock;

use crate::odds::{CoefOdds, Odds};
use crate::range::Sink;
use crate::shape::Shape;
use crate::transform::{Axis, Kind};

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

/// The order in which coefficients are coded, and in which way neighbours count.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Class {
    /// In both directions, along diagonals.
    Both,
    /// Across only: column by column.
    Across,
    /// Down only: row by row.
    Down,
}

impl Class {
    fn of(kind: Kind) -> Class {
        match kind.axes() {
            (Axis::Identity, Axis::Cosine) => Class::Across,
            (Axis::Cosine, Axis::Identity) => Class::Down,
            _ => Class::Both,
        }
    }
}

/// The places of coefficients in the order in which they are coded, for a transform without what is never coded;
/// places count column by column.
pub(crate) fn scan(coded: Shape, kind: Kind) -> &'static [u16] {
    static SCANS: [[[OnceLock<Vec<u16>>; 3]; 4]; 4] =
        [const { [const { [const { OnceLock::new() }; 3] }; 4] }; 4];
    let class = Class::of(kind);
    let scans = &SCANS[usize::from(coded.w) - 2][usize::from(coded.h) - 2];
    scans[class as usize].get_or_init(|| {
        let (width, height) = (coded.width(), coded.height());
        let place = |x: usize, y: usize| (x * height + y) as u16;
        match class {
            Class::Across => (0..width)
                .flat_map(|x| (0..height).map(move |y| place(x, y)))
                .collect(),
            Class::Down => (0..height)
                .flat_map(|y| (0..width).map(move |x| place(x, y)))
                .collect(),
            Class::Both => {
                let mut places = Vec::with_capacity(coded.area());
                for diagonal in 0..width + height - 1 {
                    let inside = |x: usize| x < width && diagonal >= x && diagonal - x < height;
                    let mut columns: Vec<usize> = (0..width).filter(|&x| inside(x)).collect();
                    // Squares turn round at every border, others always go towards their shorter side.
                    let descending = match width.cmp(&height) {
                        Ordering::Equal => diagonal % 2 == 1,
                        Ordering::Less => true,
                        Ordering::Greater => false,
                    };
                    if descending {
                        columns.reverse();
                    }
                    places.extend(columns.into_iter().map(|x| place(x, diagonal - x)));
                }
                places
            }
        }
    })
}

/// Contexts of what is beside the first coefficients, by row and column (section 8.3.2).
const OFFSETS: [[[u8; 5]; 5]; 3] = [
    [
        [0, 1, 6, 6, 21],
        [1, 6, 6, 21, 21],
        [6, 6, 21, 21, 21],
        [6, 21, 21, 21, 21],
        [21, 21, 21, 21, 21],
    ],
    [
        [0, 16, 6, 6, 21],
        [16, 16, 6, 21, 21],
        [16, 16, 21, 21, 21],
        [16, 16, 21, 21, 21],
        [16, 16, 21, 21, 21],
    ],
    [
        [0, 11, 11, 11, 11],
        [11, 11, 11, 11, 11],
        [6, 6, 21, 21, 21],
        [6, 21, 21, 21, 21],
        [21, 21, 21, 21, 21],
    ],
];

/// Levels with room around them, so that neighbours can be looked at without asking whether there are any.
struct Levels {
    levels: Vec<u8>,
    pitch: usize,
}

impl Levels {
    fn new(coded: Shape) -> Levels {
        Levels {
            levels: vec![0; (coded.width() + 5) * (coded.height() + 4)],
            pitch: coded.height() + 4,
        }
    }

    fn place(&self, x: usize, y: usize) -> usize {
        x * self.pitch + y
    }

    /// The contexts of a coefficient: for levels up to 3, and for what is beyond.
    #[inline]
    fn contexts(
        &self,
        (x, y): (usize, usize),
        class: Class,
        offsets: &[[u8; 5]; 5],
    ) -> (usize, usize) {
        let at = self.place(x, y);
        let level = |dx: usize, dy: usize| usize::from(self.levels[at + dx * self.pitch + dy]);
        let low = |dx: usize, dy: usize| level(dx, dy).min(3);
        let (near, far, beyond) = match class {
            Class::Both => (
                low(1, 0) + low(0, 1) + low(1, 1),
                low(2, 0) + low(0, 2),
                level(1, 0) + level(0, 1) + level(1, 1),
            ),
            Class::Across => (
                low(1, 0) + low(0, 1) + low(2, 0),
                low(3, 0) + low(4, 0),
                level(1, 0) + level(0, 1) + level(2, 0),
            ),
            Class::Down => (
                low(1, 0) + low(0, 1) + low(0, 2),
                low(0, 3) + low(0, 4),
                level(1, 0) + level(0, 1) + level(0, 2),
            ),
        };
        let base = (near + far).div_ceil(2).min(4);
        let beyond = beyond.div_ceil(2).min(6);
        match class {
            Class::Both if (x, y) == (0, 0) => (0, beyond),
            Class::Both => (
                base + usize::from(offsets[y.min(4)][x.min(4)]),
                beyond + if x < 2 && y < 2 { 7 } else { 14 },
            ),
            Class::Across | Class::Down => {
                let along = if class == Class::Across { x } else { y };
                let range = match (x, y) {
                    (0, 0) => 0,
                    _ if along == 0 => 7,
                    _ => 14,
                };
                (base + 26 + 5 * along.min(2), beyond + range)
            }
        }
    }
}

/// Codes a transform block; `kind` is the type that its coefficients are of, and is coded where `told` says by which
/// mode. Coefficients are levels, column by column, of at most 32 each way.
pub(crate) fn code<S: Sink>(
    sink: &mut S,
    odds: &mut Odds,
    (shape, plane): (Shape, usize),
    (kind, told): (Kind, Option<Told>),
    levels: &[i32],
    context: Context,
) {
    let coded = shape.within(5);
    let class = shape.class();
    let chroma = usize::from(plane > 0);
    let order = scan(coded, kind);
    let last = order
        .iter()
        .rposition(|&place| levels[usize::from(place)] != 0);
    sink.symbol(
        &mut odds.coefs.all_zero[class][context.all_zero],
        usize::from(last.is_none()),
    );
    let Some(last) = last else {
        return;
    };
    if let Some(told) = told {
        told.code(sink, odds, shape, kind);
    }
    let odds = &mut odds.coefs;
    let turned = Class::of(kind);
    end(sink, odds, coded, (class, chroma), turned, last);
    let offsets = &OFFSETS[outline(shape)];
    let mut seen = Levels::new(coded);
    for (index, &place) in order[..=last].iter().enumerate().rev() {
        let level = levels[usize::from(place)].unsigned_abs();
        let (x, y) = (
            usize::from(place) >> coded.h,
            usize::from(place) & (coded.height() - 1),
        );
        let (base, beyond) = seen.contexts((x, y), turned, offsets);
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
        let at = seen.place(x, y);
        seen.levels[at] = level.min(15) as u8;
    }
    for (index, &place) in order[..=last].iter().enumerate() {
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

/// Whether a transform is square, wide or tall.
fn outline(shape: Shape) -> usize {
    match shape.w.cmp(&shape.h) {
        Ordering::Equal => 0,
        Ordering::Greater => 1,
        Ordering::Less => 2,
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
    // The class of its number, counted from one.
    let group = match last {
        0 => 0,
        _ => last.ilog2() as usize + 1,
    };
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

/// What a transform type is told by: the mode of its block.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Told {
    /// The mode, by its number; for recursive filters the one that they are most like.
    pub mode: usize,
    /// Whether only five types are told apart.
    pub few: bool,
}

impl Told {
    fn code<S: Sink>(self, sink: &mut S, odds: &mut Odds, shape: Shape, kind: Kind) {
        let size = usize::from(shape.shorter()) - 2;
        if self.few || size == 2 {
            let symbol = Kind::FIVE.iter().position(|&one| one == kind).unwrap_or(1);
            sink.symbol(&mut odds.type_of_five[size][self.mode], symbol);
        } else {
            sink.symbol(&mut odds.type_of_seven[size][self.mode], kind as usize);
        }
    }
}
