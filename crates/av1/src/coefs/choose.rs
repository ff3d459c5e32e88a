//! Which levels serve best: of each coefficient the nearest level or the one below, and where the last one is, by what
//! they cost in bits and in errors.

use super::{Class, Order, Seen, TOLD, Told, end, group};
use crate::odds::Odds;
use crate::quant::Scale;
use crate::range::{self, BIT, Counter, Sink};
use crate::shape::Shape;
use crate::transform::Kind;
use crate::wide::{body, widely};

/// What is known of a transform block before its levels are chosen.
pub(crate) struct Block<'a> {
    pub shape: Shape,
    pub plane: usize,
    pub kind: Kind,
    pub told: Option<Told>,
    /// The context for whether it has any coefficients.
    pub all_zero: usize,
    pub coefs: &'a [i32],
    /// Their steps, and what errors count.
    pub scale: &'a Scale,
    /// How far values are shifted.
    pub shift: u32,
    /// What a squared error of a coefficient costs that counts once, in parts of a bit.
    pub price: f32,
}

/// What chosen levels come to.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Chosen {
    /// In parts of a bit.
    pub cost: f32,
    /// By how much the squared errors of coefficients are less than without any, as a price.
    pub saved: f32,
}

/// Lowers levels where that serves; `values` are what they stand for.
pub(crate) fn choose(
    (odds, seen): (&mut Odds, &mut Seen),
    block: &Block<'_>,
    levels: &mut [i32],
    values: &mut [i32],
) -> Chosen {
    let coded = block.shape.within(5);
    let (class, chroma) = (block.shape.class(), usize::from(block.plane > 0));
    let order = Order::of(block.shape, block.kind);
    let none = Chosen {
        cost: range::cost(&odds.coefs.all_zero[class][block.all_zero], 1) as f32,
        saved: 0.0,
    };
    let count = usize::from(widely(Last, (order, &*levels)));
    let Some(mut last) = count.checked_sub(1) else {
        return none;
    };
    let turned = Class::of(block.kind);
    seen.begin(coded, turned);
    // What it costs to tell where the last is, by the class of its number and the bit after the first.
    let mut ends = [[0.0; 2]; 11];
    for (group, halves) in ends.iter_mut().enumerate().take(group(last) + 1) {
        let least = (1 << group) >> 1;
        for (half, cost) in halves.iter_mut().enumerate() {
            let mut counter = Counter::default();
            let last = least + half * (least / 2);
            end(
                &mut counter,
                &mut odds.coefs,
                coded,
                (class, chroma),
                turned,
                last,
            );
            *cost = counter.cost as f32;
        }
    }
    let end_cost = |last: usize| {
        let group = group(last);
        ends[group][usize::from(group > 1 && last >> (group - 2) & 1 == 1)]
    };
    let mut end_of_last = end_cost(last);
    // What all from here to the last cost, and what they save.
    let mut tail = Chosen::default();
    for index in (0..=last).rev() {
        let (place, spot) = (usize::from(order.places[index]), order.spots[index]);
        let nearest = levels[place].abs();
        let (base, beyond) = seen.contexts(spot);
        let base_odds = &odds.coefs.base[class][chroma][base];
        if nearest == 0 {
            tail.cost += range::cost(base_odds, 0) as f32;
            continue;
        }
        let coef = block.coefs[place].abs();
        let step = block.scale.steps[place];
        let price = block.price * block.scale.worth[place];
        let range_odds = &odds.coefs.range[class.min(3)][chroma][beyond];
        let saved = |level: i32| {
            let value = (level * step) >> block.shift;
            price * value as f32 * (2 * coef - value) as f32
        };
        let further = |level: i32| {
            let mut cost = BIT;
            if level > 2 {
                let mut left = level - 3;
                for _ in 0..4 {
                    cost += range::cost(range_odds, left.min(3) as usize);
                    if left < 3 {
                        break;
                    }
                    left -= 3;
                }
                if level > TOLD {
                    cost += (2 * (level - TOLD).ilog2() + 1) * BIT;
                }
            }
            cost
        };
        let as_last = |level: i32| {
            let context = super::last_context(index, coded);
            let odds = &odds.coefs.base_eob[class][chroma][context];
            Chosen {
                cost: (range::cost(odds, level.min(3) as usize - 1) + further(level)) as f32,
                saved: saved(level),
            }
        };
        let among = |level: i32| match level {
            0 => Chosen {
                cost: range::cost(base_odds, 0) as f32,
                saved: 0.0,
            },
            _ => Chosen {
                cost: (range::cost(base_odds, level.min(3) as usize) + further(level)) as f32,
                saved: saved(level),
            },
        };
        let lower = |least: i32, of: &dyn Fn(i32) -> Chosen| {
            let (high, below) = (of(nearest), (nearest - 1).max(least));
            let low = of(below);
            if low.total() < high.total() {
                (below, low)
            } else {
                (nearest, high)
            }
        };
        let (alone, alone_chosen) = lower(1, &as_last);
        let mut level = alone;
        if index == last {
            tail = alone_chosen;
        } else {
            let (mixed, chosen) = lower(0, &among);
            let end_here = end_cost(index);
            if alone_chosen.total() + end_here < tail.total() + chosen.total() + end_of_last {
                // All behind it is not worth its bits.
                let behind = order.places[index + 1..=last].iter();
                for (&place, &spot) in behind.zip(&order.spots[index + 1..=last]) {
                    let level = &mut levels[usize::from(place)];
                    seen.remove(spot, level.unsigned_abs());
                    *level = 0;
                }
                last = index;
                end_of_last = end_here;
                tail = alone_chosen;
            } else {
                level = mixed;
                tail.cost += chosen.cost;
                tail.saved += chosen.saved;
            }
        }
        seen.add(spot, level.unsigned_abs());
        levels[place] = if levels[place] < 0 { -level } else { level };
    }
    let mut counter = Counter::default();
    counter.symbol(&mut odds.coefs.all_zero[class][block.all_zero], 0);
    if let Some(told) = block.told {
        told.code(&mut counter, odds, block.shape, block.kind);
    }
    tail.cost += counter.cost as f32 + end_of_last;
    if none.total() < tail.total() {
        levels.fill(0);
        values.fill(0);
        return none;
    }
    widely(
        Values,
        (&*levels, &block.scale.steps[..], block.shift, values),
    );
    tail
}

impl Chosen {
    fn total(self) -> f32 {
        self.cost - self.saved
    }
}

struct Last;

body!(['a] Last = Order::last, (order: &'a Order, levels: &'a [i32]) -> u16);

/// What levels stand for.
struct Values;

body!(['a] Values = stand_for, (levels: &'a [i32], steps: &'a [i32], shift: u32, values: &'a mut [i32]) -> ());

#[inline(always)]
fn stand_for(levels: &[i32], steps: &[i32], shift: u32, values: &mut [i32]) {
    for ((&level, &step), value) in levels.iter().zip(steps).zip(values) {
        let size = (level.abs() * step) >> shift;
        *value = if level < 0 { -size } else { size };
    }
}
