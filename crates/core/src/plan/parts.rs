//! A plan shared out to many machines: each makes a part of the originals, and which one that is follows from
//! the plan alone.

use std::cmp::Reverse;
use std::collections::{BTreeMap, BinaryHeap};
use std::fmt;
use std::str::FromStr;

use thiserror::Error;
use xxhash_rust::xxh3::xxh3_64;

use super::{Job, Placement};
use crate::encode::Format;
use crate::plan::CodingWish;

/// The most parts that a plan is shared out to.
const MOST: u32 = 100_000;

/// What costs more than one in so many of a part is given out first.
const HEAVY: u128 = 16;

/// One of several parts of a plan.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct PartOf {
    part: u32,
    of: u32,
}

/// A text that names no part.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Error)]
#[error("a part is told as K/N, such as 3/8: K from 1 to N, N up to {MOST}")]
pub struct NoPart;

impl PartOf {
    /// A part by its number, from 1, and how many there are; `None` where there is no such part.
    pub fn new(part: u32, of: u32) -> Option<PartOf> {
        (part >= 1 && part <= of && of <= MOST).then_some(PartOf { part, of })
    }

    /// Its number, from 1.
    pub fn number(self) -> u32 {
        self.part
    }

    /// How many there are.
    pub fn of(self) -> u32 {
        self.of
    }

    /// Whether something that costs nothing falls to it, by its name.
    pub fn names(self, name: &str) -> bool {
        place(name) % u64::from(self.of) == u64::from(self.part - 1)
    }
}

impl fmt::Display for PartOf {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}/{}", self.part, self.of)
    }
}

impl FromStr for PartOf {
    type Err = NoPart;

    fn from_str(text: &str) -> Result<Self, NoPart> {
        let (part, of) = text.trim().split_once('/').ok_or(NoPart)?;
        let number = |text: &str| text.trim().parse().map_err(|_| NoPart);
        PartOf::new(number(part)?, number(of)?).ok_or(NoPart)
    }
}

/// Where in the order of sharing out an original stands: by its name, so that it stays there whatever else comes
/// and goes.
fn place(name: &str) -> u64 {
    xxh3_64(name.as_bytes())
}

/// How many encodes pieces took, by their places and formats, in earlier firings.
#[derive(Clone, Debug, Default)]
pub struct Encodes(BTreeMap<(Option<String>, Format), (u64, u64)>);

impl Encodes {
    /// Pieces of which it is believed, at least.
    const ENOUGH: u64 = 16;

    /// What is taken for one where nothing is known, in halves: that of most looks.
    const USUAL: u64 = 4;

    /// Notes a piece and how many encodes were made for it.
    pub fn note(&mut self, place: Option<&str>, format: Format, encodes: usize) {
        let key = (place.map(str::to_owned), format);
        let (pieces, all) = self.0.entry(key).or_default();
        *pieces += 1;
        *all += encodes as u64;
    }

    /// The mean of a place and a format, in halves: so coarse that a few pieces more move nothing.
    fn halves(&self, placement: &Placement, format: Format) -> u64 {
        let known = self.0.get(&(placement.place.clone(), format));
        let known = known.filter(|(pieces, _)| *pieces >= Encodes::ENOUGH);
        match (known, placement.coding) {
            (Some((pieces, all)), _) => (2 * all + pieces / 2) / pieces,
            (None, CodingWish::Look(_)) => Encodes::USUAL,
            (None, _) => 2,
        }
        .clamp(1, 40)
    }
}

/// About what a job takes one core, in nanoseconds: photos of 7 megapixels made 1200 pixels wide, and graphics.
pub fn cost(job: &Job, encodes: &Encodes) -> u64 {
    /// Decoding a pixel and sizing it.
    const READ: u64 = 30;
    let pieces = job.pieces().map(|(placement, size, piece)| {
        // Of several formats most are tried, if only once.
        let formats = piece.formats().map(|format| {
            format.nanoseconds() * encodes.halves(placement, format) / Encodes::USUAL
        });
        size.size.pixels() * formats.sum::<u64>()
    });
    job.original.probe.stored.pixels() * READ + pieces.sum::<u64>()
}

/// The parts of originals, from 0, given their names and what each costs. What is heavy goes first, each to the part
/// that has least; the others fill the parts up to one level, in an order that hangs on their names alone. So
/// parts differ by less than a sixteenth where there are enough originals, and when some are added or go, few of the
/// others move.
pub fn shared_out<'a>(originals: impl Iterator<Item = (&'a str, u64)>, parts: u32) -> Vec<u32> {
    let all: Vec<(u64, u64)> = originals
        // Nothing costs nothing.
        .map(|(name, cost)| (place(name), cost.max(1)))
        .collect();
    let total: u128 = all.iter().map(|(_, cost)| u128::from(*cost)).sum();
    let is_heavy = |cost: u64| u128::from(cost) * HEAVY * u128::from(parts) > total;
    let mut of = vec![0; all.len()];
    let mut heavy: Vec<usize> = (0..all.len()).filter(|&i| is_heavy(all[i].1)).collect();
    heavy.sort_unstable_by_key(|&i| (Reverse(all[i].1), all[i].0, i));
    let mut loads: BinaryHeap<Reverse<(u128, u32)>> = (0..parts).map(|k| Reverse((0, k))).collect();
    for index in heavy {
        if let Some(Reverse((load, part))) = loads.pop() {
            of[index] = part;
            loads.push(Reverse((load + u128::from(all[index].1), part)));
        }
    }
    let mut loads: Vec<(u128, u32)> = loads.into_iter().map(|Reverse(one)| one).collect();
    loads.sort_unstable();
    let mut light: Vec<usize> = (0..all.len()).filter(|&i| !is_heavy(all[i].1)).collect();
    light.sort_unstable_by_key(|&i| (all[i].0, i));
    let rest: u128 = light.iter().map(|&i| u128::from(all[i].1)).sum();
    let level = level(&loads, rest);
    loads.sort_unstable_by_key(|(_, part)| *part);
    let room = |(load, _): &(u128, u32)| level.saturating_sub(*load);
    let mut bins = loads.iter();
    let (mut part, mut end) = bins.next().map_or((0, 0), |bin| (bin.1, room(bin)));
    let mut filled = 0;
    for index in light {
        let cost = u128::from(all[index].1);
        // Where its middle lies.
        while filled + cost / 2 >= end
            && let Some(bin) = bins.next()
        {
            (part, end) = (bin.1, end + room(bin));
        }
        of[index] = part;
        filled += cost;
    }
    of
}

/// The level to which loads, the least first, are filled by what is left.
fn level(loads: &[(u128, u32)], rest: u128) -> u128 {
    let mut below = 0;
    for (index, (load, _)) in loads.iter().enumerate() {
        let count = index as u128;
        // All before are filled up to this one.
        if load * count >= below + rest {
            return (below + rest).div_ceil(count.max(1));
        }
        below += load;
    }
    (below + rest).div_ceil((loads.len() as u128).max(1))
}

#[cfg(test)]
mod tests {
    use super::super::tests::{original, wish};
    use super::*;

    /// Originals whose costs differ by up to 400 times, as a cube of something random does.
    fn archive(count: usize, seed: u64) -> Vec<(String, u64)> {
        let cost = |name: &str| {
            let random = xxhash_rust::xxh3::xxh3_64_with_seed(name.as_bytes(), seed);
            let share = 14 + random % 86;
            share * share * share
        };
        let names = (0..count).map(|index| format!("shelf-{}/{index}.jpg", index / 100));
        names.map(|name| (name.clone(), cost(&name))).collect()
    }

    fn parts(all: &[(String, u64)], count: u32) -> Vec<u32> {
        shared_out(all.iter().map(|(name, cost)| (name.as_str(), *cost)), count)
    }

    #[test]
    fn parts_are_balanced() {
        for (originals, count, most) in [
            (1, 1, 1.0),
            (41, 1, 1.0),
            (41, 8, 1.1),
            (1000, 8, 1.07),
            (20_000, 100, 1.07),
            (100_000, 1000, 1.1),
        ] {
            let all = archive(originals, 7);
            let mut loads = vec![0; count as usize];
            for (part, (_, cost)) in parts(&all, count).iter().zip(&all) {
                loads[*part as usize] += cost;
            }
            let mean = loads.iter().sum::<u64>() as f64 / f64::from(count);
            let (least, largest) = (loads.iter().min(), loads.iter().max());
            let largest = largest.copied().unwrap_or(0) as f64 / mean;
            assert!(largest <= most, "{originals} in {count}: {largest}");
            let least = least.copied().unwrap_or(0) as f64 / mean;
            assert!(
                least >= 2.0 - most - 0.05,
                "{originals} in {count}: {least}"
            );
        }
        // One that is larger than all others together, and more parts than originals.
        let mut all = archive(10, 7);
        all[3].1 = 1 << 40;
        let alone = parts(&all, 4);
        let with = alone.iter().filter(|part| **part == alone[3]);
        assert_eq!(with.count(), 1, "{alone:?}");
        let mut each = parts(&archive(3, 7), 9);
        each.sort_unstable();
        each.dedup();
        assert_eq!(each.len(), 3);
        assert!(parts(&[], 3).is_empty());
    }

    /// What earlier firings took counts, once there is enough of it; what it is counted in is coarse.
    #[test]
    fn costs_go_by_what_earlier_firings_took() {
        let wish = wish(&[500], &[Format::WebP], "{title}-{width}");
        let job = Job::new(original("a.jpg", 1000, 1000), &wish);
        let mut encodes = Encodes::default();
        let usual = cost(&job, &encodes);
        for _ in 0..15 {
            encodes.note(None, Format::WebP, 4);
            encodes.note(None, Format::Avif, 9);
            encodes.note(Some("card"), Format::WebP, 9);
        }
        assert_eq!(cost(&job, &encodes), usual, "too few");
        encodes.note(None, Format::WebP, 4);
        let taken = cost(&job, &encodes);
        let pixels = job
            .pieces()
            .map(|(_, size, _)| size.size.pixels())
            .sum::<u64>();
        assert_eq!(taken - usual, pixels * Format::WebP.nanoseconds());
        encodes.note(None, Format::WebP, 6);
        assert_eq!(cost(&job, &encodes), taken, "one more");
    }

    #[test]
    fn few_originals_move_when_others_come() {
        let all = archive(20_000, 7);
        let before = parts(&all, 50);
        // Every hundredth was not there yet.
        let fewer: Vec<(String, u64)> = all
            .iter()
            .enumerate()
            .filter(|(index, _)| index % 100 != 0)
            .map(|(_, one)| one.clone())
            .collect();
        let mut then = parts(&fewer, 50).into_iter();
        let kept = before
            .iter()
            .enumerate()
            .filter(|(index, _)| index % 100 != 0);
        let moved = kept.filter(|(_, part)| then.next() != Some(**part)).count();
        assert!(moved * 20 < all.len(), "{moved} moved");
        assert_eq!(parts(&all, 50), before);
    }

    #[test]
    fn parts_are_told_as_texts() {
        let part: PartOf = " 3/8".parse().expect("a part");
        assert_eq!(
            (part.number(), part.of(), part.to_string().as_str()),
            (3, 8, "3/8")
        );
        for text in [
            "", "3", "0/8", "9/8", "3/0", "-1/2", "1/2/3", "a/b", "1/100001",
        ] {
            assert_eq!(text.parse::<PartOf>(), Err(NoPart), "{text}");
        }
        let falls = (1..=8).filter_map(|k| PartOf::new(k, 8));
        assert_eq!(falls.filter(|part| part.names("broken.jpg")).count(), 1);
    }
}
