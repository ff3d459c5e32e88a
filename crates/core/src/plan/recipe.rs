//! The recipe of a piece: when it changes, the piece is made again.

use serde::Serialize;

use super::{Choice, CodingWish, Digest, Placement, digest};
use crate::encode::Format;
use crate::pixels::{Fit, Size};
use crate::source::Kind;
use crate::{budget, colour, decode, size};

/// The revisions of all that pixels go through on their way into a piece. Each counts up when the
/// same input comes to other bytes, so that exactly the pieces that it touches are made again.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub(super) struct Revisions {
    decoder: u32,
    colour: u32,
    size: u32,
    /// One for each format that the piece may have.
    coders: Vec<u32>,
    score: u32,
    search: u32,
}

impl Revisions {
    /// Those of this program, for originals of a kind and pieces of a choice of formats.
    pub(super) fn now(kind: Kind, choice: &Choice) -> Revisions {
        let coders = choice.formats().map(|format| format.coder().abilities());
        Revisions {
            decoder: decode::revision(kind),
            colour: colour::REVISION,
            size: size::REVISION,
            coders: coders.map(|abilities| abilities.revision).collect(),
            score: kiln_sight::REVISION,
            search: budget::REVISION,
        }
    }
}

/// The digest of all that decides a piece's bytes, but for the original's.
pub(super) fn recipe(
    placement: &Placement,
    size: (Size, &[Size], f64),
    choice: &Choice,
    revisions: &Revisions,
) -> Digest {
    let Revisions {
        decoder,
        colour,
        size: sizing,
        coders,
        score,
        search,
    } = revisions;
    let searched = matches!(placement.coding, CodingWish::Look(_));
    let passes = choice.formats().any(Format::knows_passes);
    let flattens = choice.formats().any(|format| !format.holds_alpha());
    let decisive = (
        (size, choice),
        (decoder, colour, sizing, coders),
        searched.then_some((score, search)),
        (placement.framing, placement.rendering),
        placement.max_weight,
        placement.coding,
        placement.pace,
        passes.then_some(placement.passes),
        // It matters where there is no transparency, and around a padded picture.
        (flattens || placement.framing.fit == Fit::Pad).then_some(placement.backdrop),
        &placement.inscription,
        &placement.totals,
    );
    // Plain data without maps keyed by anything but names: it always serialises.
    digest(&serde_json::to_vec(&decisive).unwrap_or_default())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::encode::{Pace, Passes};
    use crate::pixels::{Backdrop, Framing, Rendering};

    fn placement(coding: CodingWish) -> Placement {
        Placement {
            place: None,
            too_small: None,
            framing: Framing::default(),
            rendering: Rendering::default(),
            max_weight: None,
            coding,
            pace: Pace::default(),
            passes: Passes::default(),
            keep_all: false,
            backdrop: Backdrop::WHITE,
            inscription: Default::default(),
            totals: Vec::new(),
            sizes: Vec::new(),
        }
    }

    /// A changed codec, score or sizing changes the recipes of what it touches, and no others.
    #[test]
    fn revisions_change_the_recipes_that_they_touch() {
        let size = Size::new(8, 6).expect("a size");
        let (look, dial) = (CodingWish::default(), CodingWish::Dial(70));
        let now = |choice: &Choice| Revisions::now(Kind::Jpeg, choice);
        let recipe = |coding, choice: &Choice, revisions: &Revisions| {
            recipe(&placement(coding), (size, &[], 1.0), choice, revisions)
        };
        type Case = (&'static str, fn(&mut Revisions), [bool; 3]);
        let cases: [Case; 6] = [
            ("the decoder", |r| r.decoder += 1, [true; 3]),
            ("colour", |r| r.colour += 1, [true; 3]),
            ("sizing", |r| r.size += 1, [true; 3]),
            ("the coder", |r| r.coders[0] += 1, [true; 3]),
            ("the score", |r| r.score += 1, [true, false, false]),
            ("the search", |r| r.search += 1, [true, false, false]),
        ];
        for (what, change, wanted) in cases {
            // With a look, with a dial, and without loss.
            let kinds = [
                (look, Format::WebP),
                (dial, Format::WebP),
                (CodingWish::Exact, Format::Png),
            ];
            let changed = kinds.map(|(coding, format)| {
                let choice = format.into();
                let mut other = now(&choice);
                change(&mut other);
                recipe(coding, &choice, &other) != recipe(coding, &choice, &now(&choice))
            });
            assert_eq!(changed, wanted, "{what}");
        }
    }
}
