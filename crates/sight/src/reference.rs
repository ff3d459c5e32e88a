//! A reference, prepared once and compared with many candidates.

use pulp::Arch;

use crate::compare::Prepared;
use crate::map::{Cells, Map};
use crate::picture::{Ground, Picture, View};
use crate::scales::sizes;
use crate::score::score;

/// A picture that others are compared with.
pub struct Reference {
    width: usize,
    height: usize,
    arch: Arch,
    /// On black; then on white, where it has transparent pixels.
    grounds: Vec<Prepared>,
}

impl Reference {
    /// Prepares a picture. This takes about as long as a comparison.
    pub fn new(picture: Picture<'_>) -> Reference {
        Reference::on(Arch::new(), picture)
    }

    fn on(arch: Arch, picture: Picture<'_>) -> Reference {
        let grounds = if picture.is_transparent() {
            &[Ground::Black, Ground::White][..]
        } else {
            &[Ground::Black]
        };
        let prepare = |&ground| Prepared::new(arch, &View::new(picture, ground));
        Reference {
            width: picture.width,
            height: picture.height,
            arch,
            grounds: grounds.iter().map(prepare).collect(),
        }
    }

    /// About how many bytes a reference of so many pixels holds, for each of its one or two
    /// grounds, a comparison under way included.
    pub fn memory(pixels: u64) -> u64 {
        pixels * 27
    }

    /// How near a candidate comes, 100 for no difference; `None` where its size is another. Where
    /// either picture is transparent, both are laid on black and on white, and the worse counts.
    pub fn score(&self, candidate: Picture<'_>) -> Option<f32> {
        let pairs = self.pairs(candidate)?;
        let scores = pairs.map(|(prepared, view)| score(&prepared.compare(self.arch, &view, None)));
        Some(scores.fold(f64::INFINITY, f64::min) as f32)
    }

    /// Where a candidate differs: the score of each cell of a grid, on the ground on which it is
    /// worse; `None` where its size is another.
    pub fn map(&self, candidate: Picture<'_>) -> Option<Map> {
        let pairs = self.pairs(candidate)?;
        let maps = pairs.map(|(prepared, view)| {
            let mut cells = Cells::new(&sizes(view.width(), view.height()));
            let whole = score(&prepared.compare(self.arch, &view, Some(&mut cells)));
            let repeats = view.width() / self.width;
            cells.finish(self.width, self.height, repeats, whole as f32)
        });
        maps.reduce(Map::worse)
    }

    /// The prepared reference and the candidate on each ground that counts.
    fn pairs<'a>(
        &'a self,
        candidate: Picture<'a>,
    ) -> Option<impl Iterator<Item = (&'a Prepared, View<'a>)>> {
        let same = (candidate.width, candidate.height) == (self.width, self.height);
        let two = self.grounds.len() == 2 || candidate.is_transparent();
        let grounds = if two {
            &[Ground::Black, Ground::White][..]
        } else {
            &[Ground::Black]
        };
        same.then(|| {
            // An opaque reference is the same on any ground.
            let prepared = self.grounds.iter().cycle();
            let views = grounds
                .iter()
                .map(move |&ground| View::new(candidate, ground));
            prepared.zip(views)
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_vector_unit_comes_to_the_same_score() {
        let (width, height) = (131, 77);
        let mut state = 7u32;
        let mut noise = |around: u8| {
            state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            around.wrapping_add((state >> 27) as u8)
        };
        let first: Vec<u8> = (0..width * height * 3)
            .map(|i| noise((i / 50) as u8))
            .collect();
        let other: Vec<u8> = first.iter().map(|&sample| noise(sample)).collect();
        let first = Picture::rgb(width, height, &first).expect("a picture");
        let other = Picture::rgb(width, height, &other).expect("a picture");
        let scalar = Reference::on(Arch::Scalar, first).score(other);
        assert_eq!(Reference::new(first).score(other), scalar);
        assert!(scalar.is_some_and(|score| score < 90.0), "{scalar:?}");
    }
}
