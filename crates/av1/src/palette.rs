//! Palettes: blocks whose samples are each one of a few colours (sections 5.11.46 to 5.11.50).

use std::iter;

use crate::odds::Odds;
use crate::picture::Plane;
use crate::range::Sink;
use crate::shape::Shape;

/// The most colours of a palette.
pub(crate) const MOST: usize = 8;

/// Up to eight samples of a plane, in ascending order for luma and the first plane of chroma; none where there is no
/// palette.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct Palette {
    count: u8,
    colours: [u16; MOST],
}

impl Palette {
    pub fn new(colours: &[u16]) -> Palette {
        let mut palette = Palette {
            count: colours.len().min(MOST) as u8,
            colours: [0; MOST],
        };
        let own = palette.colours.iter_mut().zip(colours);
        own.for_each(|(own, &colour)| *own = colour);
        palette
    }

    pub fn colours(&self) -> &[u16] {
        &self.colours[..usize::from(self.count)]
    }

    pub fn len(&self) -> usize {
        self.count.into()
    }

    pub fn is_empty(&self) -> bool {
        self.count == 0
    }
}

/// Whether blocks of a size may have palettes.
pub(crate) fn has_palettes(shape: Shape) -> bool {
    shape.w + shape.h >= 6
}

/// The number of a block's size in the distributions of palettes.
pub(crate) fn size(shape: Shape) -> usize {
    usize::from(shape.w + shape.h - 6)
}

/// Which colours are nearest to samples of some planes, row by row; on a tie the first.
pub(crate) fn nearest<const N: usize>(
    source: [&Plane; N],
    (x, y): (usize, usize),
    shape: Shape,
    palettes: [&Palette; N],
    out: &mut [u8],
) {
    let count = palettes[0].len();
    for (row, out) in out.chunks_exact_mut(shape.width()).enumerate() {
        let samples = source.map(|plane| plane.row(x, y + row, shape.width()));
        for (column, out) in out.iter_mut().enumerate() {
            let off = |colour: usize| -> u32 {
                (0..N)
                    .map(|plane| {
                        let colour = palettes[plane].colours[colour];
                        let off = u32::from(samples[plane][column].abs_diff(colour));
                        off * off
                    })
                    .sum()
            };
            *out = (0..count).min_by_key(|&colour| off(colour)).unwrap_or(0) as u8;
        }
    }
}

/// The colours that those above and to the left of a block have, without those that are there twice (7.11.4 calls it
/// the cache).
pub(crate) fn beside(above: &Palette, left: &Palette) -> Vec<u16> {
    let mut colours = [above.colours(), left.colours()].concat();
    colours.sort_unstable();
    colours.dedup();
    colours
}

/// Codes colours in ascending order: first which of those beside there are, then all others. Two of them differ at
/// least by `apart`.
pub(crate) fn code_colours<S: Sink>(
    sink: &mut S,
    palette: &Palette,
    beside: &[u16],
    (bits, apart): (u32, u16),
) {
    let mut rest = palette.colours().to_vec();
    let mut left = rest.len();
    for colour in beside {
        if left == 0 {
            break;
        }
        let found = rest.iter().position(|own| own == colour);
        sink.bits(u32::from(found.is_some()), 1);
        if let Some(at) = found {
            rest.remove(at);
            left -= 1;
        }
    }
    let Some(&first) = rest.first() else {
        return;
    };
    sink.bits(first.into(), bits);
    if rest.len() == 1 {
        return;
    }
    let steps = rest.windows(2).map(|pair| pair[1] - pair[0] - apart);
    let widest = steps.clone().max().map_or(0, length);
    let least = bits - 3;
    sink.bits(widest.saturating_sub(least), 2);
    let mut wide = widest.max(least);
    for (step, &colour) in steps.zip(&rest[1..]) {
        sink.bits(step.into(), wide);
        // What is left above the colour.
        let above = (1 << bits) - u32::from(colour) - u32::from(apart);
        wide = wide.min(above.next_power_of_two().ilog2());
    }
}

/// Codes colours in any order: those of the second plane of chroma.
pub(crate) fn code_unsorted<S: Sink>(sink: &mut S, palette: &Palette, bits: u32) {
    let colours = palette.colours();
    // The shorter way around from each to the next.
    let whole = 1 << bits;
    let steps = colours.windows(2).map(|pair| {
        let step = i32::from(pair[1]) - i32::from(pair[0]);
        match step {
            _ if step > whole / 2 => step - whole,
            _ if step < -whole / 2 => step + whole,
            _ => step,
        }
    });
    let widest = steps.clone().map(|step| length(step.unsigned_abs() as u16));
    let least = bits - 4;
    let wide = widest.max().unwrap_or(0).max(least);
    let signs = steps.clone().filter(|&step| step != 0).count() as u32;
    let stepwise = 2 + bits + (colours.len() as u32 - 1) * wide + signs;
    let is_stepwise = stepwise < colours.len() as u32 * bits && wide <= least + 3;
    sink.bits(u32::from(is_stepwise), 1);
    if !is_stepwise {
        for &colour in colours {
            sink.bits(colour.into(), bits);
        }
        return;
    }
    sink.bits(wide - least, 2);
    sink.bits(colours[0].into(), bits);
    for step in steps {
        sink.bits(step.unsigned_abs(), wide);
        if step != 0 {
            sink.bits(u32::from(step < 0), 1);
        }
    }
}

/// So many bits a number has.
fn length(number: u16) -> u32 {
    16 - number.leading_zeros()
}

/// Codes which colours samples have, along falling diagonals of the part of a block that is within the picture.
pub(crate) fn code_map<S: Sink>(
    sink: &mut S,
    odds: &mut Odds,
    (plane, count): (usize, usize),
    (map, pitch): (&[u8], usize),
    (width, height): (usize, usize),
) {
    first(sink, map[0].into(), count as u32);
    for diagonal in 1..width + height - 1 {
        let start = diagonal.min(width - 1);
        let end = (diagonal + 1).saturating_sub(height);
        for x in (end..=start).rev() {
            let at = (diagonal - x) * pitch + x;
            let left = (x > 0).then(|| map[at - 1]);
            let above = (x < diagonal).then(|| map[at - pitch]);
            let (front, context) = match (left, above) {
                (Some(left), Some(above)) => around(left, above, map[at - pitch - 1]),
                (Some(one), None) | (None, Some(one)) => (Front::of(&[one]), 0),
                (None, None) => (Front::of(&[]), 0),
            };
            let symbol = front.place(map[at]);
            match count {
                2 => sink.symbol(&mut odds.of_2[plane][context], symbol),
                3 => sink.symbol(&mut odds.of_3[plane][context], symbol),
                4 => sink.symbol(&mut odds.of_4[plane][context], symbol),
                5 => sink.symbol(&mut odds.of_5[plane][context], symbol),
                6 => sink.symbol(&mut odds.of_6[plane][context], symbol),
                7 => sink.symbol(&mut odds.of_7[plane][context], symbol),
                _ => sink.symbol(&mut odds.of_8[plane][context], symbol),
            }
        }
    }
}

/// One of so many numbers that are alike likely (4.10.10).
fn first<S: Sink>(sink: &mut S, number: u32, count: u32) {
    let wide = count.ilog2() + 1;
    let short = (1 << wide) - count;
    if number < short {
        sink.bits(number, wide - 1);
    } else {
        let beyond = number + short;
        sink.bits(beyond >> 1, wide - 1);
        sink.bits(beyond & 1, 1);
    }
}

/// The colours that a sample most likely has, before all others in their order.
struct Front {
    colours: [u8; 3],
    count: usize,
}

impl Front {
    fn of(colours: &[u8]) -> Front {
        let mut front = Front {
            colours: [0; 3],
            count: colours.len(),
        };
        front.colours[..colours.len()].copy_from_slice(colours);
        front
    }

    /// The place of a colour.
    fn place(&self, colour: u8) -> usize {
        let front = &self.colours[..self.count];
        let found = front.iter().position(|&one| one == colour);
        found.unwrap_or_else(|| {
            let after = front.iter().filter(|&&one| one > colour).count();
            usize::from(colour) + after
        })
    }
}

/// What the neighbours of a sample say of it, and the context that they make (7.11.4 and 8.3.2).
fn around(left: u8, above: u8, corner: u8) -> (Front, usize) {
    match (left == above, left == corner, above == corner) {
        (true, true, _) => (Front::of(&[left]), 4),
        (true, false, _) => (Front::of(&[left, corner]), 3),
        (false, true, _) => (Front::of(&[corner, above]), 2),
        (false, _, true) => (Front::of(&[corner, left]), 2),
        (false, false, false) => (Front::of(&[left.min(above), left.max(above), corner]), 1),
    }
}

/// Palettes that may serve a block of luma: its own colours where they are few, and fewer that stand for them best.
pub(crate) fn of_luma(source: &Plane, at: (usize, usize), shape: Shape) -> Vec<Palette> {
    let mut samples: Vec<u16> = (0..shape.height())
        .flat_map(|row| source.row(at.0, at.1 + row, shape.width()))
        .copied()
        .collect();
    samples.sort_unstable();
    let counted: Vec<(u16, u32)> = samples
        .chunk_by(|a, b| a == b)
        .map(|same| (same[0], same.len() as u32))
        .collect();
    match counted.len() {
        2..=FEW => parted(&counted),
        _ => Vec::new(),
    }
}

/// Blocks with more colours than so many are no drawings.
const FEW: usize = 64;

/// Colours as they are, or put into groups, so that they are off by the least squares (by dynamic programming over ends
/// of groups, as colours lie on a line).
fn parted(counted: &[(u16, u32)]) -> Vec<Palette> {
    let n = counted.len();
    // Sums up to each colour: of how many there are, of them, and of their squares.
    let mut sums = vec![(0u64, 0u64, 0u64)];
    for &(colour, count) in counted {
        let (colour, count) = (u64::from(colour), u64::from(count));
        let &(a, b, c) = sums.last().unwrap_or(&(0, 0, 0));
        sums.push((a + count, b + count * colour, c + count * colour * colour));
    }
    let group = |from: usize, to: usize| {
        let (a, b) = (sums[from], sums[to]);
        (b.0 - a.0, b.1 - a.1, b.2 - a.2)
    };
    let off = |from: usize, to: usize| {
        let (count, sum, square) = group(from, to);
        (square * count - sum * sum) / count
    };
    // For each number of groups the least that colours up to each end are off, and where the last group begins.
    let mut least: Vec<Vec<(u64, usize)>> = vec![(1..=n).map(|to| (off(0, to), 0)).collect()];
    for groups in 1..MOST.min(n) {
        let before = &least[groups - 1];
        let best = |to: usize| {
            (groups..to)
                .map(|from| (before[from - 1].0 + off(from, to), from))
                .min()
                .unwrap_or((0, to - 1))
        };
        let best = (1..=n).map(best).collect();
        least.push(best);
    }
    let palette = |groups: usize| {
        let (mut to, mut colours) = (n, Vec::new());
        for groups in (0..groups).rev() {
            let from = least[groups][to - 1].1;
            let (count, sum, _) = group(from, to);
            colours.push(((sum + count / 2) / count) as u16);
            to = from;
        }
        colours.reverse();
        Palette::new(&colours)
    };
    let most = n.min(MOST);
    let fewer = [6, 4, 3, 2].into_iter().filter(|&fewer| fewer < most);
    iter::once(most).chain(fewer).map(palette).collect()
}

/// A palette that may serve a block of chroma: the colours that are there most often, where all others are near one.
pub(crate) fn of_chroma(
    source: [&Plane; 2],
    at: (usize, usize),
    shape: Shape,
) -> Option<[Palette; 2]> {
    let mut pairs: Vec<(u16, u16)> = (0..shape.height())
        .flat_map(|row| {
            let [u, v] = source.map(|plane| plane.row(at.0, at.1 + row, shape.width()));
            u.iter().copied().zip(v.iter().copied())
        })
        .collect();
    pairs.sort_unstable();
    let mut counted: Vec<((u16, u16), usize)> = pairs
        .chunk_by(|a, b| a == b)
        .map(|same| (same[0], same.len()))
        .collect();
    if counted.len() < 2 || counted.len() > FEW {
        return None;
    }
    if counted.len() > MOST {
        counted = means(&counted);
    }
    let colours = |of: fn(&(u16, u16)) -> u16| {
        let all: Vec<u16> = counted.iter().map(|(pair, _)| of(pair)).collect();
        Palette::new(&all)
    };
    Some([colours(|pair| pair.0), colours(|pair| pair.1)])
}

/// Eight means that stand for pairs of samples, in ascending order: beginning with those that there are most of, each
/// pair is given to the nearest and means are taken anew (Lloyd's algorithm).
fn means(counted: &[((u16, u16), usize)]) -> Vec<((u16, u16), usize)> {
    let off = |a: (u16, u16), b: (u16, u16)| {
        let square = |a: u16, b: u16| u64::from(a.abs_diff(b)).pow(2);
        square(a.0, b.0) + square(a.1, b.1)
    };
    // Each that is furthest from those that there are, by how often it is there.
    let mut means: Vec<(u16, u16)> = Vec::new();
    for _ in 0..MOST {
        let worth = |&&(pair, count): &&((u16, u16), usize)| {
            let nearest = means.iter().map(|&mean| off(mean, pair)).min();
            count as u64 * nearest.unwrap_or(1)
        };
        means.extend(counted.iter().max_by_key(worth).map(|(pair, _)| *pair));
    }
    for _ in 0..3 {
        let mut sums = [(0u64, 0u64, 0u64); MOST];
        for &(pair, count) in counted {
            let nearest = (0..MOST).min_by_key(|&mean| off(means[mean], pair));
            let sum = &mut sums[nearest.unwrap_or(0)];
            sum.0 += count as u64;
            sum.1 += count as u64 * u64::from(pair.0);
            sum.2 += count as u64 * u64::from(pair.1);
        }
        for (mean, (count, u, v)) in means.iter_mut().zip(sums) {
            let mean_of = |sum: u64| (sum + count / 2).checked_div(count);
            if let (Some(u), Some(v)) = (mean_of(u), mean_of(v)) {
                *mean = (u as u16, v as u16);
            }
        }
    }
    means.sort_unstable();
    means.dedup();
    means.into_iter().map(|mean| (mean, 0)).collect()
}
