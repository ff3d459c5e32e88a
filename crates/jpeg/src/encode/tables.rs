//! Huffman tables that fit what is coded: of all codes of at most 16 bits those that take the fewest,
//! by the package-merge algorithm (Larmore and Hirschberg, A fast algorithm for optimal length-limited
//! Huffman codes, 1990).

use crate::huffman::Table;

/// How often each symbol is coded.
pub(crate) type Counts = [u32; 256];

/// The longest code that T.81 allows.
const LONGEST: usize = 16;

/// The table that codes symbols of such counts in the fewest bits. The code of ones stays unused, as
/// T.81 wants it.
pub(crate) fn best(counts: &Counts) -> Table {
    let lengths = lengths(counts);
    let mut table = Table {
        counts: [0; 16],
        symbols: Vec::new(),
    };
    for length in 1..=LONGEST {
        let own = (0..256).filter(|&symbol| usize::from(lengths[symbol]) == length);
        for symbol in own {
            table.counts[length - 1] += 1;
            table.symbols.push(symbol as u8);
        }
    }
    table
}

/// What each symbol costs, in bits, with those behind it, which the lower half of the symbol counts.
pub(crate) fn costs(counts: &Counts) -> [f32; 256] {
    let lengths = lengths(counts);
    std::array::from_fn(|symbol| {
        // What did not occur is rare.
        let length = if lengths[symbol] == 0 {
            14
        } else {
            lengths[symbol]
        };
        f32::from(length) + (symbol & 15) as f32
    })
}

/// The length of each symbol's code; 0 for what does not occur.
pub(crate) fn lengths(counts: &Counts) -> [u8; 256] {
    let mut lengths = [0u8; 256];
    // Last, the symbol that takes the code of ones: it is rarer than any.
    let mut leaves: Vec<(u64, usize)> = (0..256)
        .filter(|&symbol| counts[symbol] > 0)
        .map(|symbol| (u64::from(counts[symbol]) << 8, symbol))
        .collect();
    if leaves.is_empty() {
        // A table has at least one code.
        lengths[0] = 1;
        return lengths;
    }
    leaves.push((1, 256));
    leaves.sort_unstable();
    // The weights of a level, lightest first: packages of two of the level before, and the leaves. Of
    // each level it is only kept which of them are leaves: those that are taken are the lightest.
    let mut weights: Vec<u64> = Vec::new();
    let mut levels: Vec<Vec<bool>> = Vec::with_capacity(LONGEST);
    for _ in 0..LONGEST {
        let packages = weights.chunks_exact(2).map(|pair| pair[0] + pair[1]);
        let mut packages = packages.peekable();
        let mut single = leaves.iter().map(|(weight, _)| *weight).peekable();
        let (mut level, mut are_leaves) = (Vec::new(), Vec::new());
        loop {
            let is_leaf = match (packages.peek(), single.peek()) {
                (Some(package), Some(leaf)) => leaf < package,
                (None, Some(_)) => true,
                (Some(_), None) => false,
                (None, None) => break,
            };
            level.extend(if is_leaf {
                single.next()
            } else {
                packages.next()
            });
            are_leaves.push(is_leaf);
        }
        weights = level;
        levels.push(are_leaves);
    }
    let mut depth = vec![0u8; leaves.len()];
    let mut taken = 2 * (leaves.len() - 1);
    for level in levels.iter().rev() {
        let single = level.iter().take(taken).filter(|is_leaf| **is_leaf).count();
        for depth in &mut depth[..single] {
            *depth += 1;
        }
        taken = 2 * (taken - single);
    }
    // The longest code is that of ones, whichever symbol has it: it goes to the one that is none.
    if let (Some(longest), Some(own)) = (
        (0..leaves.len()).max_by_key(|&rank| depth[rank]),
        leaves.iter().position(|(_, symbol)| *symbol == 256),
    ) {
        depth.swap(longest, own);
    }
    for ((_, symbol), depth) in leaves.iter().zip(depth) {
        if *symbol < 256 {
            lengths[*symbol] = depth;
        }
    }
    lengths
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn codes_are_short_for_what_is_frequent_and_never_too_long() {
        // The counts of Fibonacci make a plain Huffman code as deep as it can be.
        let mut counts = [0u32; 256];
        let (mut a, mut b) = (1u32, 1u32);
        for count in counts.iter_mut().take(30) {
            *count = a;
            (a, b) = (b, a + b);
        }
        let table = best(&counts);
        assert!(Table::new(table.counts, table.symbols.clone()).is_some());
        let kraft: u32 = (1..)
            .zip(&table.counts)
            .map(|(l, &n)| u32::from(n) << (16 - l))
            .sum();
        assert!(kraft < 1 << 16, "the code of ones is used");
        assert_eq!(table.symbols.len(), 30);
        let lengths = lengths(&counts);
        assert!((0..29).all(|symbol| lengths[symbol] >= lengths[symbol + 1]));
    }

    #[test]
    fn no_other_lengths_take_fewer_bits() {
        // Four symbols and the reserved code: every way to give them lengths is tried.
        let mut seed = 5u32;
        for _ in 0..200 {
            let mut counts = [0u32; 256];
            for count in counts.iter_mut().take(4) {
                seed = seed.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
                *count = (seed >> 20) + 1;
            }
            let own = lengths(&counts);
            let bits = |lengths: [u8; 4]| -> u64 {
                let pairs = lengths.iter().zip(&counts);
                pairs
                    .map(|(&l, &count)| u64::from(l) * u64::from(count))
                    .sum()
            };
            let mut best = u64::MAX;
            for all in 0..6u32.pow(4) {
                let digits = [all % 6, all / 6 % 6, all / 36 % 6, all / 216].map(|d| d as u8 + 1);
                let kraft: u32 = digits.iter().map(|&l| 1 << (16 - l)).sum();
                if kraft < 1 << 16 {
                    best = best.min(bits(digits));
                }
            }
            assert_eq!(bits([own[0], own[1], own[2], own[3]]), best);
        }
    }
}
