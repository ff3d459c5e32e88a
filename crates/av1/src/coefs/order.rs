//! In which order coefficients are coded, and which distributions serve them (sections 5.11.41 and 8.3.2).

use std::cmp::Ordering;
use std::sync::OnceLock;

use crate::shape::Shape;
use crate::transform::{Axis, Kind};

/// In which way neighbours count.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum Class {
    /// In both directions, along diagonals.
    Both,
    /// Across only: column by column.
    Across,
    /// Down only: row by row.
    Down,
}

impl Class {
    pub fn of(kind: Kind) -> Class {
        match kind.axes() {
            (Axis::Identity, Axis::Cosine) => Class::Across,
            (Axis::Cosine, Axis::Identity) => Class::Down,
            _ => Class::Both,
        }
    }
}

/// The coefficients of a transform without what is never coded, one after the other.
pub(super) struct Order {
    /// Their places, column by column.
    pub places: Vec<u16>,
    /// For each place its number, counted from one.
    ranks: Vec<u16>,
    pub spots: Vec<Spot>,
}

/// Where a coefficient is.
#[derive(Clone, Copy)]
pub(super) struct Spot {
    /// Among those that are [`Seen`].
    at: u16,
    /// The first contexts there: for levels up to 3, and for what is beyond.
    base: u8,
    beyond: u8,
    /// The most that neighbours count for the first.
    most: u8,
}

/// Contexts of what is beside the first coefficients, by row and column.
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

impl Order {
    /// That of a transform.
    pub fn of(shape: Shape, kind: Kind) -> &'static Order {
        static ORDERS: [[[OnceLock<Order>; 3]; 5]; 5] =
            [const { [const { [const { OnceLock::new() }; 3] }; 5] }; 5];
        let class = Class::of(kind);
        let orders = &ORDERS[usize::from(shape.w) - 2][usize::from(shape.h) - 2];
        orders[class as usize].get_or_init(|| Order::new(shape, class))
    }

    fn new(shape: Shape, class: Class) -> Order {
        let coded = shape.within(5);
        let (width, height) = (coded.width(), coded.height());
        let cells: Vec<(usize, usize)> = match class {
            Class::Across => (0..width)
                .flat_map(|x| (0..height).map(move |y| (x, y)))
                .collect(),
            Class::Down => (0..height)
                .flat_map(|y| (0..width).map(move |x| (x, y)))
                .collect(),
            Class::Both => diagonals(coded),
        };
        let place = |&(x, y): &(usize, usize)| x * height + y;
        let mut ranks = vec![0; coded.area()];
        for (index, cell) in cells.iter().enumerate() {
            ranks[place(cell)] = index as u16 + 1;
        }
        Order {
            places: cells.iter().map(|cell| place(cell) as u16).collect(),
            ranks,
            spots: cells
                .iter()
                .map(|&cell| Spot::new((shape, coded), class, cell))
                .collect(),
        }
    }

    /// The number of the last level that is not zero, counted from one; 0 where all are.
    #[inline(always)]
    pub fn last(&self, levels: &[i32]) -> u16 {
        let mut lanes = [0; 8];
        let each = levels.chunks_exact(8).zip(self.ranks.chunks_exact(8));
        for (levels, ranks) in each {
            for ((lane, &level), &rank) in lanes.iter_mut().zip(levels).zip(ranks) {
                let rank = if level == 0 { 0 } else { rank };
                *lane = (*lane).max(rank);
            }
        }
        lanes.into_iter().max().unwrap_or(0)
    }
}

/// Along diagonals from the first: squares turn round at every border, others always go towards their shorter side.
fn diagonals(coded: Shape) -> Vec<(usize, usize)> {
    let (width, height) = (coded.width(), coded.height());
    let mut cells = Vec::with_capacity(coded.area());
    for diagonal in 0..width + height - 1 {
        let inside = |x: usize| x < width && diagonal >= x && diagonal - x < height;
        let mut columns: Vec<usize> = (0..width).filter(|&x| inside(x)).collect();
        let descending = match width.cmp(&height) {
            Ordering::Equal => diagonal % 2 == 1,
            Ordering::Less => true,
            Ordering::Greater => false,
        };
        if descending {
            columns.reverse();
        }
        cells.extend(columns.into_iter().map(|x| (x, diagonal - x)));
    }
    cells
}

impl Spot {
    fn new((shape, coded): (Shape, Shape), class: Class, (x, y): (usize, usize)) -> Spot {
        let outline = match shape.w.cmp(&shape.h) {
            Ordering::Equal => 0,
            Ordering::Greater => 1,
            Ordering::Less => 2,
        };
        let along = if class == Class::Across { x } else { y };
        let base = match class {
            Class::Both => OFFSETS[outline][y.min(4)][x.min(4)],
            Class::Across | Class::Down => 26 + 5 * along.min(2) as u8,
        };
        let beyond = match class {
            _ if (x, y) == (0, 0) => 0,
            Class::Both if x < 2 && y < 2 => 7,
            Class::Across | Class::Down if along == 0 => 7,
            _ => 14,
        };
        Spot {
            at: (Seen::ROOM + x) as u16 * Seen::pitch(coded) as u16 + (Seen::ROOM + y) as u16,
            base,
            beyond,
            most: if class == Class::Both && (x, y) == (0, 0) {
                0
            } else {
                4
            },
        }
    }
}

/// What the coefficients that come later in the order say to those before them.
#[derive(Default)]
pub(crate) struct Seen {
    /// How much neighbours count, for levels up to 3 and for what is beyond; column by column, with room before each.
    sums: Vec<[u8; 2]>,
    /// How far before a coefficient those are that it says something to: the first three of both kinds, the last two of
    /// the first.
    back: [usize; 5],
}

impl Seen {
    /// So many places are left before each column and row.
    const ROOM: usize = 4;

    fn pitch(coded: Shape) -> usize {
        coded.height() + Seen::ROOM
    }

    /// Begins a transform block.
    pub(super) fn begin(&mut self, coded: Shape, class: Class) {
        let pitch = Seen::pitch(coded);
        self.sums.clear();
        self.sums
            .resize((coded.width() + Seen::ROOM) * pitch, [0; 2]);
        self.back = match class {
            Class::Both => [pitch, 1, pitch + 1, 2 * pitch, 2],
            Class::Across => [pitch, 1, 2 * pitch, 3 * pitch, 4 * pitch],
            Class::Down => [pitch, 1, 2, 3, 4],
        };
    }

    /// The contexts of a coefficient: for levels up to 3, and for what is beyond.
    #[inline(always)]
    pub(super) fn contexts(&self, spot: Spot) -> (usize, usize) {
        let [base, beyond] = self.sums[usize::from(spot.at)];
        (
            usize::from(base.div_ceil(2).min(spot.most) + spot.base),
            usize::from(beyond.div_ceil(2).min(6) + spot.beyond),
        )
    }

    /// Notes the level of a coefficient.
    #[inline(always)]
    pub(super) fn add(&mut self, spot: Spot, level: u32) {
        self.change(spot, |sum, more| sum + more, level);
    }

    /// Takes a level back.
    #[inline(always)]
    pub(super) fn remove(&mut self, spot: Spot, level: u32) {
        self.change(spot, |sum, less| sum - less, level);
    }

    #[inline(always)]
    fn change(&mut self, spot: Spot, change: impl Fn(u8, u8) -> u8, level: u32) {
        let (low, high) = (level.min(3) as u8, level.min(15) as u8);
        for (index, back) in self.back.into_iter().enumerate() {
            let [base, beyond] = &mut self.sums[usize::from(spot.at) - back];
            *base = change(*base, low);
            if index < 3 {
                *beyond = change(*beyond, high);
            }
        }
    }
}
