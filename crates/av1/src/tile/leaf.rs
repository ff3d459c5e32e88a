//! How a block that is not cut is predicted and transformed.

use super::Row;
use super::exact::{self, FOUR};
use super::render::{Quantised, Wanted, kind_of_tint, predict_tint};
use super::search::Care;
use crate::block::{self, Leaf, Luma, TRANSFORMS, Tint};
use crate::ground;
use crate::palette::{self, Palette};
use crate::predict::{self, Edges, Mode};
use crate::range::Counter;
use crate::satd;
use crate::shape::Shape;
use crate::transform::Kind;

impl Row<'_> {
    /// The best way to code a block that is not cut, and what it costs; it is left shown, and its neighbours told.
    /// Where modes are named, only those are thought of. Those that predict best are returned as well.
    pub(super) fn best_leaf(
        &mut self,
        care: &Care,
        at: (usize, usize),
        shape: Shape,
        named: &[Luma],
    ) -> (Leaf, f32, Vec<Luma>) {
        let (leaf, ranked) = self.leaf(care, at, shape, named);
        let cost = self.cost_shown(at, shape, &leaf);
        (leaf, cost, ranked)
    }

    /// What a leaf that is shown costs, in bits and errors; tells its neighbours.
    pub(super) fn cost_shown(&mut self, at: (usize, usize), shape: Shape, leaf: &Leaf) -> f32 {
        let mut counter = Counter::default();
        self.code(&mut counter, at, shape, leaf);
        let errors: f32 = self.places.iter().map(|place| place.errors).sum();
        counter.cost as f32 + errors
    }

    /// A leaf decided anew, whose mode may be as it was; it is left shown.
    pub(super) fn leaf_again(
        &mut self,
        care: &Care,
        at: (usize, usize),
        shape: Shape,
        luma: Luma,
    ) -> Leaf {
        let mut named = vec![luma];
        if shape.w == shape.h {
            let guess = self.ground.guess(self.frame, at, shape.w);
            named.extend(guess.modes.iter().filter(|&&mode| mode != luma));
        }
        self.leaf(care, at, shape, &named).0
    }

    /// The best way to code a block that is not cut, and the modes that predict it best; it is left shown.
    fn leaf(
        &mut self,
        care: &Care,
        at: (usize, usize),
        shape: Shape,
        named: &[Luma],
    ) -> (Leaf, Vec<Luma>) {
        self.price = self.price_in(at, shape);
        self.places.clear();
        self.levels.clear();
        let before = self.may_be_copied(shape).then(|| self.saved(at, shape));
        let (mut leaf, ranked) = self.best_luma(care, at, shape, named);
        let ends = self.luma_ends(at, shape, self.transform(shape, &leaf));
        if self.has_chroma(at, shape) {
            // Chroma may be told from the luma that is shown by now.
            let (tint, palettes) = self.best_tint(care, at, shape, &leaf);
            leaf.tint = tint;
            leaf.set_palettes(1, &palettes);
            self.render_tints(at, shape, &leaf, ends);
        }
        if let Some(before) = before {
            leaf = self.copied_if_less(at, shape, leaf, &before);
        }
        (leaf, ranked)
    }

    /// Luma decided, by what it costs alone, and the modes that predict best; it is left shown.
    fn best_luma(
        &mut self,
        care: &Care,
        at: (usize, usize),
        shape: Shape,
        named: &[Luma],
    ) -> (Leaf, Vec<Luma>) {
        let origin = (at.0 * 4, at.1 * 4);
        let smooth = self.is_beside_smooth(0, origin);
        let mut leaf = Leaf::new(Luma::Mode(Mode::Mean, 0));
        if self.frame.is_lossless() {
            let ranked = self.best_exact_luma(care, at, shape, &mut leaf);
            return (leaf, ranked);
        }
        let edges = self.edges(0, origin, shape.transform());
        let ranked = self.ranked(at, shape, (&edges, smooth), named);
        let mut predicted = std::mem::take(&mut self.predicted);
        let mut best: Option<(f32, Wanted, Quantised)> = None;
        // One way to predict luma, with what it costs to tell it, and one type.
        let mut attempt = |row: &mut Self,
                           leaf: &mut Leaf,
                           (luma, palette, told): (Luma, &Palette, f32),
                           kind: Kind,
                           predicted: &[u16]| {
            let wanted = Wanted {
                plane: 0,
                at: origin,
                block: shape,
                transform: shape.transform(),
                kind,
                told: row.frame.told(shape.transform(), luma),
            };
            let quantised = row.quantise(&wanted, predicted);
            let cost = told + quantised.cost();
            if best.is_none_or(|(least, ..)| cost < least) {
                best = Some((cost, wanted, quantised));
                row.swap(0, 1);
                leaf.luma = luma;
                leaf.set_palettes(0, &[*palette]);
                leaf.kinds = [kind; TRANSFORMS];
            }
        };
        let none = Palette::default();
        for &luma in ranked.iter().take(care.modes.max(1)) {
            let told = self.count_luma(at, shape, (luma, &none));
            luma.predict(&edges, smooth, &mut predicted);
            let kind = self.likely(shape, luma);
            attempt(self, &mut leaf, (luma, &none, told), kind, &predicted);
        }
        for palette in &self.palettes(at, shape) {
            let luma = Luma::Mode(Mode::Mean, 0);
            let told = self.count_luma(at, shape, (luma, palette));
            let (place, edges) = ((origin, shape.transform()), (&edges, smooth));
            self.predict_luma((luma, palette), place, edges, &mut predicted);
            let kind = self.likely(shape, luma);
            attempt(self, &mut leaf, (luma, palette, told), kind, &predicted);
        }
        let (luma, palette, likely) = (leaf.luma, leaf.palette(0), leaf.kinds[0]);
        let told = self.count_luma(at, shape, (luma, &palette));
        let place = (origin, shape.transform());
        self.predict_luma((luma, &palette), place, (&edges, smooth), &mut predicted);
        for kind in self.promising(care, (at, shape), (luma, likely), &predicted) {
            attempt(self, &mut leaf, (luma, &palette, told), kind, &predicted);
        }
        self.predicted = predicted;
        let Some((mut least, wanted, quantised)) = best else {
            return (leaf, ranked);
        };
        self.swap(1, 2);
        let deepest = (shape.longer() - 2).min(care.depth);
        if deepest > 0 {
            let mut counter = Counter::default();
            self.code_depth(&mut counter, (at.0, at.1 & 15), shape, &leaf);
            least += counter.cost as f32;
            leaf = self.deepest(at, shape, leaf, (deepest, least));
        }
        if leaf.depth == 0 {
            self.swap(0, 2);
            let mut predicted = std::mem::take(&mut self.predicted);
            self.predict_luma((luma, &palette), place, (&edges, smooth), &mut predicted);
            self.put(&wanted, &predicted, quantised);
            self.predicted = predicted;
        }
        (leaf, ranked)
    }

    /// Modes of luma, by how well they predict and what it costs to tell them, the best first.
    fn ranked(
        &mut self,
        at: (usize, usize),
        shape: Shape,
        (edges, smooth): (&Edges, bool),
        named: &[Luma],
    ) -> Vec<Luma> {
        let mut predicted = std::mem::take(&mut self.predicted);
        let weight = self.price.difference(0);
        let cost = |luma: Luma| {
            luma.predict(edges, smooth, &mut predicted);
            let off = satd::satd(
                &self.ground.source[0],
                (at.0 * 4, at.1 * 4),
                shape,
                &predicted,
                self.frame.depth.bits(),
            );
            off as f32 * weight + self.count_luma(at, shape, (luma, &Palette::default()))
        };
        let named: Vec<Luma> = named
            .iter()
            .copied()
            .filter(|&luma| block::fits(shape, luma))
            .collect();
        let ranked = ground::ranked(shape, &named, cost);
        self.predicted = predicted;
        ranked
    }

    /// Palettes that may serve a block.
    pub(super) fn palettes(&self, at: (usize, usize), shape: Shape) -> Vec<Palette> {
        match self.may_have_palette(shape) {
            true => palette::of_luma(&self.ground.source[0], (at.0 * 4, at.1 * 4), shape),
            false => Vec::new(),
        }
    }

    /// What it costs to tell how luma is predicted, in parts of a bit.
    pub(super) fn count_luma(
        &mut self,
        at: (usize, usize),
        shape: Shape,
        (luma, palette): (Luma, &Palette),
    ) -> f32 {
        let mut counter = Counter::default();
        self.code_mode(&mut counter, at, shape, luma);
        self.code_palette(&mut counter, at, shape, (luma, palette));
        if palette.is_empty() {
            self.code_filter(&mut counter, shape, luma);
        }
        self.code_map(&mut counter, at, shape, [palette]);
        counter.cost as f32
    }

    /// The transform type that serves a mode most often.
    pub(super) fn likely(&self, transform: Shape, luma: Luma) -> Kind {
        match transform.longer() > 4 || self.frame.is_lossless() {
            true => Kind::Cosine,
            false => Tint::Mode(luma.likeness(), 0).kind(),
        }
    }

    /// The transform types that a transform may have.
    fn kinds(&self, transform: Shape) -> &'static [Kind] {
        let few = self.frame.few_kinds || transform.shorter() == 4;
        match () {
            () if transform.longer() > 4 => &[Kind::Cosine],
            () if few => &Kind::FIVE,
            () => &Kind::ALL,
        }
    }

    /// The transform types of a block that are worth trying beside one, by what each is foretold to cost.
    fn promising(
        &mut self,
        care: &Care,
        (at, shape): ((usize, usize), Shape),
        (luma, beside): (Luma, Kind),
        predicted: &[u16],
    ) -> Vec<Kind> {
        let kinds = self.kinds(shape);
        let others = kinds.iter().copied().filter(|&kind| kind != beside);
        if care.kinds == 0 || kinds.len() <= care.kinds + 1 {
            return others.take(care.kinds).collect();
        }
        self.differ((at.0 * 4, at.1 * 4), shape, predicted);
        let mut ranked: Vec<(f32, Kind)> = Vec::with_capacity(kinds.len());
        for kind in others {
            let mut counter = Counter::default();
            if let Some(told) = self.frame.told(shape, luma) {
                told.code(&mut counter, &mut self.odds, shape, kind);
            }
            ranked.push((self.foretold_as(shape, kind) + counter.cost as f32, kind));
        }
        ranked.sort_by(|a, b| a.0.total_cmp(&b.0));
        let ranked = ranked.into_iter().take(care.kinds);
        ranked.map(|(_, kind)| kind).collect()
    }

    /// A leaf with its transform cut as often as that costs less than before, up to a depth; it is left shown where it
    /// is cut at all.
    fn deepest(
        &mut self,
        at: (usize, usize),
        shape: Shape,
        mut leaf: Leaf,
        (deepest, mut least): (u8, f32),
    ) -> Leaf {
        let before = self.saved(at, shape);
        for depth in 1..=deepest {
            let shown = (depth > 1).then(|| self.saved(at, shape));
            let levels = std::mem::take(&mut self.levels);
            let places = std::mem::take(&mut self.places);
            if shown.is_some() {
                self.restore(at, shape, &before);
            }
            let tried = Leaf {
                depth,
                ..leaf.clone()
            };
            let Some((deeper, cost)) = self.deeper(at, shape, tried, least) else {
                self.restore(at, shape, shown.as_ref().unwrap_or(&before));
                (self.levels, self.places) = (levels, places);
                break;
            };
            (leaf, least) = (deeper, cost);
        }
        leaf
    }

    /// Luma with its transform cut, shown, and what it costs; chooses the types. Ends where that is not below a limit.
    fn deeper(
        &mut self,
        at: (usize, usize),
        shape: Shape,
        mut leaf: Leaf,
        limit: f32,
    ) -> Option<(Leaf, f32)> {
        let (luma, palette, transform) = (leaf.luma, leaf.palette(0), leaf.transform(shape));
        let origin = (at.0 * 4, at.1 * 4);
        let smooth = self.is_beside_smooth(0, origin);
        let mut counter = Counter::default();
        self.code_depth(&mut counter, (at.0, at.1 & 15), shape, &leaf);
        let mut cost = counter.cost as f32 + self.count_luma(at, shape, (luma, &palette));
        let mut predicted = std::mem::take(&mut self.predicted);
        let likely = self.likely(transform, luma);
        let blocks = self.blocks(0, origin, shape, transform);
        for (index, place) in blocks.into_iter().enumerate() {
            let edges = self.edges(0, place, transform);
            let edges = (&edges, smooth);
            self.predict_luma((luma, &palette), (place, transform), edges, &mut predicted);
            let told = self.frame.told(transform, luma);
            let wanted = |kind: Kind| Wanted {
                plane: 0,
                at: place,
                block: shape,
                transform,
                kind,
                told,
            };
            let mut best = (likely, self.quantise(&wanted(likely), &predicted));
            if likely != Kind::Cosine {
                self.swap(0, 1);
                let other = self.quantise(&wanted(Kind::Cosine), &predicted);
                if other.cost() < best.1.cost() {
                    best = (Kind::Cosine, other);
                } else {
                    self.swap(0, 1);
                }
            }
            cost += best.1.cost();
            if cost >= limit {
                self.predicted = predicted;
                return None;
            }
            leaf.kinds[index.min(TRANSFORMS - 1)] = best.0;
            self.put(&wanted(best.0), &predicted, best.1);
        }
        self.predicted = predicted;
        Some((leaf, cost))
    }

    /// How chroma is predicted best, beside luma that is shown.
    fn best_tint(
        &mut self,
        care: &Care,
        at: (usize, usize),
        shape: Shape,
        leaf: &Leaf,
    ) -> (Tint, [Palette; 2]) {
        let shift = self.frame.chroma.shift(1);
        let own = shape.in_plane(shift);
        let transform = own.within(5);
        let (origin, _) = self.area(1, at, shape);
        let smooth = self.is_beside_smooth(1, origin);
        let may_be_luma = self.may_tell_tint(shape);
        let mut candidates = vec![Tint::Mode(Mode::Mean, 0)];
        let mode = leaf.luma.mode();
        if let Luma::Mode(mode, delta) = leaf.luma
            && mode != Mode::Mean
        {
            candidates.push(Tint::Mode(mode, delta));
        }
        for other in [Mode::Vertical, Mode::Horizontal, Mode::Smooth, Mode::Paeth] {
            if other != mode {
                candidates.push(Tint::Mode(other, 0));
            }
        }
        let places = self.blocks(1, origin, own, transform);
        let single = places.len() == 1;
        let edges = [1, 2].map(|plane| self.edges(plane, origin, transform));
        let mut differences = std::mem::take(&mut self.differences);
        let means = [0, 1].map(|plane: usize| edges[plane].mean());
        if may_be_luma && single {
            let ends = self.luma_ends(at, shape, leaf.transform(shape));
            predict::luma_differences(&self.shown[0], origin, own, shift, ends, &mut differences);
            let alphas = [0, 1].map(|plane: usize| {
                let source = &self.ground.source[plane + 1];
                let (mut both, mut square) = (0.0f32, 0.0f32);
                for (row, differences) in differences[..own.area()]
                    .chunks_exact(own.width())
                    .enumerate()
                {
                    let samples = source.row(origin.0, origin.1 + row, own.width());
                    for (&sample, &difference) in samples.iter().zip(differences) {
                        both += (i32::from(sample) - means[plane]) as f32 * difference as f32;
                        square += (difference * difference) as f32;
                    }
                }
                // Of luma's difference in eighths so many eighths.
                if square > 0.0 {
                    (64.0 * both / square).round().clamp(-16.0, 16.0) as i8
                } else {
                    0
                }
            });
            if alphas != [0, 0] {
                candidates.push(Tint::Luma(alphas));
            }
        }
        let mut candidates: Vec<(Tint, [Palette; 2])> = candidates
            .into_iter()
            .map(|tint| (tint, Default::default()))
            .collect();
        if self.may_have_palette(shape) {
            let source = [1, 2].map(|plane| &self.ground.source[plane]);
            let found = palette::of_chroma(source, origin, own);
            candidates.extend(found.map(|palettes| (Tint::Mode(Mode::Mean, 0), palettes)));
        }
        let mut predicted = std::mem::take(&mut self.predicted);
        let depth = self.frame.depth.bits();
        let beside = (&differences[..transform.area()], depth);
        type Tried = (Tint, [Palette; 2]);
        let predict = |row: &Self, plane: usize, (tint, palettes): &Tried, out: &mut [u16]| {
            if palettes[0].is_empty() {
                predict_tint(&edges[plane - 1], (plane, *tint), smooth, beside, out);
            } else {
                row.predict_tint_palette((plane, palettes), (origin, transform), out);
            }
        };
        let luma_has_one = !leaf.palette(0).is_empty();
        let told = |row: &mut Self, (tint, palettes): &Tried| {
            let mut counter = Counter::default();
            row.code_tint(&mut counter, shape, mode, *tint);
            row.code_tint_palettes(&mut counter, at, shape, (*tint, palettes), luma_has_one);
            row.code_map(&mut counter, at, shape, palettes.each_ref());
            counter.cost as f32
        };
        let weight = match self.frame.is_lossless() {
            true => exact::DIFFERENCE,
            false => self.price.difference(1),
        };
        let mut ranked: Vec<(f32, Tried)> = Vec::new();
        for tint in candidates {
            let mut cost = told(self, &tint);
            let is_palette = !tint.1[0].is_empty();
            for plane in 1..3 {
                if self.frame.is_lossless() && own != FOUR && !is_palette {
                    let (mode, delta) = tint.0.mode();
                    let off = self.exact_off(plane, origin, own, |edges, out| {
                        edges.predict(mode, delta.into(), smooth, out);
                    });
                    cost += off as f32 * weight;
                    continue;
                }
                predict(self, plane, &tint, &mut predicted);
                cost += satd::satd(
                    &self.ground.source[plane],
                    origin,
                    transform,
                    &predicted,
                    depth,
                ) as f32
                    * weight;
            }
            ranked.push((cost, tint));
        }
        ranked.sort_by(|a, b| a.0.total_cmp(&b.0));
        ranked.truncate(if self.frame.is_lossless() {
            1
        } else {
            care.tints
        });
        let mut best = (f32::MAX, ranked[0].1);
        for (_, tint) in ranked.iter().filter(|_| ranked.len() > 1) {
            let mut cost = told(self, tint);
            for plane in 1..3 {
                predict(self, plane, tint, &mut predicted);
                let wanted = Wanted {
                    plane,
                    at: origin,
                    block: own,
                    transform,
                    kind: kind_of_tint(tint.0, transform),
                    told: None,
                };
                cost += self.quantise(&wanted, &predicted).cost();
            }
            if cost < best.0 {
                best = (cost, *tint);
            }
        }
        (self.predicted, self.differences) = (predicted, differences);
        best.1
    }
}
