//! Palettes of a block: which serve, and their symbols.

use super::Row;
use crate::block::{Luma, Tint};
use crate::palette::{self, Palette};
use crate::predict::{Edges, Mode};
use crate::range::Sink;
use crate::shape::Shape;

impl Row<'_> {
    /// Whether luma of a block may have a palette.
    pub(super) fn may_have_palette(&self, shape: Shape) -> bool {
        self.frame.has_palettes && palette::has_palettes(shape)
    }

    /// Whether luma has a palette, and its colours.
    pub(super) fn code_palette<S: Sink>(
        &mut self,
        sink: &mut S,
        (x, y): (usize, usize),
        shape: Shape,
        (luma, palette): (Luma, &Palette),
    ) {
        if luma.mode() != Mode::Mean || !self.may_have_palette(shape) {
            return;
        }
        let [above, left] = self.palettes_beside((x, y), 0);
        let context = usize::from(!above.is_empty()) + usize::from(!left.is_empty());
        let size = palette::size(shape);
        sink.symbol(
            &mut self.odds.has_palette[size][context],
            usize::from(!palette.is_empty()),
        );
        if !palette.is_empty() {
            sink.symbol(&mut self.odds.colours[0][size], palette.len() - 2);
            let beside = beside(y, &above, &left);
            palette::code_colours(sink, palette, &beside, (self.frame.depth.bits(), 1));
        }
    }

    /// Whether chroma has palettes, and their colours.
    pub(super) fn code_tint_palettes<S: Sink>(
        &mut self,
        sink: &mut S,
        (x, y): (usize, usize),
        shape: Shape,
        (tint, palettes): (Tint, &[Palette; 2]),
        luma_has_one: bool,
    ) {
        let is_mean = matches!(tint, Tint::Mode(Mode::Mean, _));
        if !is_mean || !self.may_have_palette(shape) {
            return;
        }
        let context = usize::from(luma_has_one);
        let has_any = !palettes[0].is_empty();
        sink.symbol(
            &mut self.odds.has_tint_palette[context],
            usize::from(has_any),
        );
        if has_any {
            let size = palette::size(shape);
            sink.symbol(&mut self.odds.colours[1][size], palettes[0].len() - 2);
            let [above, left] = self.palettes_beside((x, y), 1);
            let (beside, bits) = (beside(y, &above, &left), self.frame.depth.bits());
            palette::code_colours(sink, &palettes[0], &beside, (bits, 0));
            palette::code_unsorted(sink, &palettes[1], bits);
        }
    }

    /// Those above and to the left of a block, in luma or in the first plane of chroma.
    fn palettes_beside(&self, (x, y): (usize, usize), plane: usize) -> [Palette; 2] {
        [
            self.above.palettes[x][plane],
            self.left.palettes[y & 15][plane],
        ]
    }

    /// Which colours samples have: of luma by one palette, of chroma by two at once.
    pub(super) fn code_map<S: Sink, const N: usize>(
        &mut self,
        sink: &mut S,
        at: (usize, usize),
        shape: Shape,
        palettes: [&Palette; N],
    ) {
        let count = palettes[0].len();
        if count == 0 {
            return;
        }
        let plane = N - 1;
        let shift = self.frame.chroma.shift(plane);
        let own = shape.in_plane(shift);
        let (origin, _) = self.area(plane, at, shape);
        let map = self.map(palettes, (origin, own));
        // Of small blocks chroma is that of several.
        let (width, height) = self.within(at, shape, shift);
        let size = (width.max(4), height.max(4));
        palette::code_map(
            sink,
            &mut self.odds,
            (plane, count),
            (&map, own.width()),
            size,
        );
    }

    /// Which colours are nearest to samples of luma, or of both planes of chroma.
    fn map<const N: usize>(
        &self,
        palettes: [&Palette; N],
        (at, shape): ((usize, usize), Shape),
    ) -> [u8; 64 * 64] {
        let mut map = [0; 64 * 64];
        let source = std::array::from_fn(|plane| &self.ground.source[N - 1 + plane]);
        palette::nearest(source, at, shape, palettes, &mut map[..shape.area()]);
        map
    }

    /// How much of a block lies within the picture, in samples of a plane.
    pub(super) fn within(
        &self,
        at: (usize, usize),
        shape: Shape,
        shift: (u8, u8),
    ) -> (usize, usize) {
        let (across, down) = self.frame.units();
        (
            ((across - at.0) * 4).min(shape.width()) >> shift.0,
            ((down - at.1) * 4).min(shape.height()) >> shift.1,
        )
    }

    /// A prediction of luma in a transform block of a leaf.
    pub(super) fn predict_luma(
        &self,
        (luma, palette): (Luma, &Palette),
        (at, transform): ((usize, usize), Shape),
        (edges, smooth): (&Edges, bool),
        out: &mut [u16],
    ) {
        if palette.is_empty() {
            return luma.predict(edges, smooth, out);
        }
        let map = self.map([palette], (at, transform));
        show(palette, &map[..transform.area()], out);
    }

    /// What palettes of chroma show of a plane in a transform block.
    pub(super) fn predict_tint_palette(
        &self,
        (plane, palettes): (usize, &[Palette; 2]),
        (at, transform): ((usize, usize), Shape),
        out: &mut [u16],
    ) {
        let map = self.map(palettes.each_ref(), (at, transform));
        show(&palettes[plane - 1], &map[..transform.area()], out);
    }
}

/// Shows the colours of a map.
fn show(palette: &Palette, map: &[u8], out: &mut [u16]) {
    let colours = palette.colours();
    for (out, &place) in out.iter_mut().zip(map) {
        *out = colours[usize::from(place)];
    }
}

/// The colours that may be told of those beside a block: of those above only within a superblock.
fn beside(y: usize, above: &Palette, left: &Palette) -> Vec<u16> {
    let none = Palette::default();
    let above = if y.is_multiple_of(16) { &none } else { above };
    palette::beside(above, left)
}
