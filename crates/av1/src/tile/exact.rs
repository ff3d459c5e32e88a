//! Leaves without loss: they are transformed in blocks of 4 × 4, each of which is predicted from what is there exactly.

use super::Row;
use super::search::Care;
use crate::block::{Leaf, Luma};
use crate::ground;
use crate::palette::Palette;
use crate::predict::{Edges, Mode};
use crate::range::BIT;
use crate::satd;
use crate::shape::Shape;

/// The only transform.
pub(super) const FOUR: Shape = Shape::square(2);

/// What a unit of the transformed difference costs about, in parts of a bit.
pub(super) const DIFFERENCE: f32 = 0.35 * BIT as f32;

impl Row<'_> {
    /// Luma decided by its bits, and the modes that predict best; it is left shown.
    pub(super) fn best_exact_luma(
        &mut self,
        care: &Care,
        at: (usize, usize),
        shape: Shape,
        leaf: &mut Leaf,
    ) -> Vec<Luma> {
        let origin = (at.0 * 4, at.1 * 4);
        let smooth = self.is_beside_smooth(0, origin);
        let ranked = ground::ranked(shape, &[], |luma| {
            let predict = |edges: &Edges, out: &mut [u16]| luma.predict(edges, smooth, out);
            let off = self.exact_off(0, origin, shape, predict) as f32;
            off * DIFFERENCE + self.count_luma(at, shape, (luma, &Palette::default()))
        });
        let modes = ranked.iter().take(care.modes + 1);
        let modes = modes.map(|&luma| (luma, Palette::default()));
        let palettes = self.palettes(at, shape).into_iter();
        let palettes = palettes.map(|palette| (Luma::Mode(Mode::Mean, 0), palette));
        let tried: Vec<(Luma, Palette)> = modes.chain(palettes).collect();
        let before = self.saved(at, shape);
        let mut best = (f32::MAX, tried[0]);
        for &one in &tried {
            let cost = self.render_exact_luma(at, shape, one, leaf);
            if cost < best.0 {
                best = (cost, one);
            }
            self.restore(at, shape, &before);
        }
        self.render_exact_luma(at, shape, best.1, leaf);
        ranked
    }

    /// Shows luma predicted in a way, and tells its bits.
    fn render_exact_luma(
        &mut self,
        at: (usize, usize),
        shape: Shape,
        (luma, palette): (Luma, Palette),
        leaf: &mut Leaf,
    ) -> f32 {
        leaf.luma = luma;
        leaf.set_palettes(0, &[palette]);
        self.spent = 0.0;
        self.render_lumas(at, shape, leaf);
        self.spent + self.count_luma(at, shape, (luma, &palette))
    }

    /// What a block of a plane differs from its prediction, after a Hadamard transform.
    pub(super) fn exact_off(
        &self,
        plane: usize,
        origin: (usize, usize),
        shape: Shape,
        predict: impl Fn(&Edges, &mut [u16]),
    ) -> u32 {
        let (mut known, source) = (self.known, &self.ground.source[plane]);
        let mut predicted = [0; 16];
        let mut off = 0;
        for place in self.blocks(plane, origin, shape, FOUR) {
            let edges = self.frame.edges(&known, (plane, source), place, FOUR);
            predict(&edges, &mut predicted);
            off += satd::satd(source, place, FOUR, &predicted, self.frame.depth.bits());
            known.set(plane, self.unit(plane, place), (1, 1));
        }
        off
    }
}
