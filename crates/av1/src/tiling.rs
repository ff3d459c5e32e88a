//! Tiles: parts of a picture that are coded apart from each other (section 5.9.15). There are as few as the standard
//! allows for a size.

/// How many tiles there are across and down, and how large they are.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Tiling {
    /// Superblocks across and down.
    superblocks: (usize, usize),
    /// The least and the most tiles across that may be, and how many there are, as logarithms.
    pub columns: [u32; 3],
    /// The same down.
    pub rows: [u32; 3],
}

/// The widest tile, in superblocks; the largest, in all of them; and the most each way.
const WIDEST: usize = 64;
const LARGEST: usize = 2304;
const MOST: usize = 64;

impl Tiling {
    /// For a picture of so many units of four samples.
    pub fn new((across, down): (usize, usize)) -> Tiling {
        let (across, down) = (across.div_ceil(16), down.div_ceil(16));
        // How often something has to be doubled to be as many.
        let log = |one: usize, all: usize| (0u32..).find(|log| one << log >= all).unwrap_or(0);
        let least = log(WIDEST, across);
        let all = log(LARGEST, across * down).max(least);
        let least_rows = all.saturating_sub(least);
        Tiling {
            superblocks: (across, down),
            columns: [least, log(1, across.min(MOST)), least],
            rows: [least_rows, log(1, down.min(MOST)), least_rows],
        }
    }

    /// Where tiles begin and how large they are, in superblocks, in the order in which they are coded.
    pub fn tiles(&self) -> Vec<((usize, usize), (usize, usize))> {
        let parts = |all: usize, log: u32| {
            let length = all.div_ceil(1 << log);
            (0..all)
                .step_by(length)
                .map(move |start| (start, length.min(all - start)))
        };
        let (across, down) = self.superblocks;
        let rows = parts(down, self.rows[2]);
        rows.flat_map(|(y, height)| {
            parts(across, self.columns[2]).map(move |(x, width)| ((x, y), (width, height)))
        })
        .collect()
    }

    /// How many bits tell a tile from others.
    pub fn bits(&self) -> u32 {
        self.columns[2] + self.rows[2]
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn large_pictures_have_as_few_tiles_as_may_be() {
        let tiles = |width: usize, height: usize| {
            Tiling::new((width.div_ceil(4), height.div_ceil(4))).tiles()
        };
        assert_eq!(tiles(4096, 2304), [((0, 0), (64, 36))]);
        assert_eq!(tiles(4097, 64), [((0, 0), (33, 1)), ((33, 0), (32, 1))]);
        assert_eq!(tiles(4096, 2400), [((0, 0), (64, 19)), ((0, 19), (64, 19))]);
        assert_eq!(tiles(64, 65_535), [((0, 0), (1, 1024))]);
        assert_eq!(
            tiles(65_535, 65_535)
                .iter()
                .map(|(_, (w, h))| w * h)
                .sum::<usize>(),
            1024 * 1024
        );
    }
}
