//! The order of a palette: indices that are near each other where their colours are make rows that
//! filters foretell. Colours that are not opaque stand first, so that the list of their alphas ends
//! with them (W3C PNG, third edition, 11.3.1.1).

use std::cmp::Reverse;
use std::collections::VecDeque;

use crate::encode::palette::Indexed;

/// Some orders in which a palette may stand, without those that come to the same: the old index of
/// each new one. Colours that no pixel has are left out.
pub(super) fn orders(picture: &Indexed) -> Vec<Vec<u8>> {
    let mut counts = vec![0u64; picture.palette.len()];
    picture
        .indices
        .iter()
        .for_each(|index| counts[usize::from(*index)] += 1);
    let used = (0..counts.len()).filter(|&index| counts[index] > 0);
    let used: Vec<usize> = used.collect();
    let opaque = |index: usize| picture.palette[index][3] == 255;
    let sorted = |key: &dyn Fn(usize) -> u64| {
        let mut sorted = used.clone();
        sorted.sort_by_key(|&index| (opaque(index), key(index)));
        sorted
    };
    let by_light = sorted(&|index| {
        let [r, g, b, alpha] = picture.palette[index].map(u64::from);
        alpha << 32 | (r * 299 + g * 587 + b * 114)
    });
    let by_count = sorted(&|index| u64::MAX - counts[index]);
    let mut orders = vec![by_light.clone()];
    if used.len() > 2 {
        let clear = by_light.iter().take_while(|&&index| !opaque(index)).count();
        let (clear, solid) = by_light.split_at(clear);
        let beside = Neighbours::of(picture);
        orders.push([beside.line(clear), beside.line(solid)].concat());
    }
    orders.push(by_count);
    orders.dedup();
    let narrow = |order: Vec<usize>| order.into_iter().map(|index| index as u8).collect();
    orders.into_iter().map(narrow).collect()
}

/// How often colours lie beside each other.
struct Neighbours {
    colours: usize,
    counts: Vec<u64>,
}

impl Neighbours {
    fn of(picture: &Indexed) -> Neighbours {
        let colours = picture.palette.len();
        let mut counts = vec![0u64; colours * colours];
        let mut count = |a: u8, b: u8| {
            if a != b {
                counts[usize::from(a) * colours + usize::from(b)] += 1;
                counts[usize::from(b) * colours + usize::from(a)] += 1;
            }
        };
        for row in picture.indices.chunks_exact(picture.width) {
            row.windows(2).for_each(|both| count(both[0], both[1]));
        }
        let below = picture.indices.iter().skip(picture.width);
        picture
            .indices
            .iter()
            .zip(below)
            .for_each(|(a, b)| count(*a, *b));
        Neighbours { colours, counts }
    }

    fn between(&self, a: usize, b: usize) -> u64 {
        self.counts[a * self.colours + b]
    }

    /// Colours in a line so that those which often lie beside each other in the picture do so here:
    /// it is begun with the one that has the most to do with others, and grows at whichever end the
    /// next one has more to do with.
    fn line(&self, colours: &[usize]) -> Vec<usize> {
        let ties = |a: usize| colours.iter().map(|&b| self.between(a, b)).sum::<u64>();
        let Some(&first) = colours.iter().max_by_key(|&&a| (ties(a), Reverse(a))) else {
            return Vec::new();
        };
        let mut line = VecDeque::from([first]);
        let others = colours.iter().copied().filter(|&colour| colour != first);
        // What pulls each to the front and to the back: the end itself the most.
        let pulled = |colour| {
            (
                colour,
                self.between(colour, first),
                self.between(colour, first),
            )
        };
        let mut left: Vec<(usize, u64, u64)> = others.map(pulled).collect();
        while !left.is_empty() {
            let strongest = |i: &usize| (left[*i].1.max(left[*i].2), Reverse(left[*i].0));
            let place = (0..left.len()).max_by_key(strongest).unwrap_or(0);
            let (next, front, back) = left.swap_remove(place);
            let at_back = back >= front;
            if at_back {
                line.push_back(next);
            } else {
                line.push_front(next);
            }
            for (colour, front, back) in &mut left {
                let end = if at_back { back } else { front };
                *end = *end / 2 + self.between(*colour, next);
            }
        }
        line.into()
    }
}
