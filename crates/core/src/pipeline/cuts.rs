//! The rasters of a job: decode → colour → knock out → size → sharpen, all from as few passes
//! over the original's rows as can be.

use std::iter::repeat_n;

use super::FireError;
use crate::colour::{self, ColourNote, Working};
use crate::decode::{self, Allowance, DecodeError, Form, Input, Row, Rows};
use crate::pixels::{
    Area, Backdrop, Fit, Focus, Framing, Gamut, KnockOut, Orientation, Raster, Rendering, Size,
};
use crate::plan::{Job, Original, Placement, PlannedSize};
use crate::size::knock_out::knock_out;
use crate::size::trim::Trim;
use crate::size::{Sizer, focus, sharpen};

/// Rows that are made ready while those before them are sized.
const BAND: usize = 16;

/// One raster that a job needs: several places may want the same.
#[derive(Clone, PartialEq)]
pub(super) struct Cut {
    framing: Framing,
    rendering: Rendering,
    pub size: Size,
    /// The larger sizes that it is made through.
    through: Vec<Size>,
    /// What fills a padded picture up.
    backdrop: Option<Backdrop>,
}

impl Cut {
    pub(super) fn of(placement: &Placement, size: &PlannedSize) -> Cut {
        let framing = placement.framing;
        Cut {
            framing,
            rendering: placement.rendering,
            size: size.size,
            through: size.through.clone(),
            backdrop: (framing.fit == Fit::Pad).then_some(placement.backdrop),
        }
    }

    /// The rasters of a job, each once.
    pub(super) fn all(job: &Job) -> Vec<Cut> {
        let mut cuts: Vec<Cut> = Vec::new();
        for placement in &job.placements {
            for size in &placement.sizes {
                let cut = Cut::of(placement, size);
                if !cuts.contains(&cut) {
                    cuts.push(cut);
                }
            }
        }
        cuts
    }

    /// About how many bytes it takes to make it.
    pub(super) fn memory(&self, stored: Size) -> u64 {
        let row = u64::from(stored.width()) * 16;
        let through: u64 = self.through.iter().map(|size| size.pixels()).sum();
        let knocked_out = match self.rendering.knock_out {
            // Both pictures, the distances and the marks.
            Some(_) => stored.pixels() * 13,
            None => 0,
        };
        (self.size.pixels() + through) * 4 + row * 10 + knocked_out
    }

    /// The size that is made from the picture's own rows on the way to it.
    fn first(&self) -> Size {
        *self.through.first().unwrap_or(&self.size)
    }

    /// Whether two cuts can be made from the same rows.
    fn shares_rows(&self, other: &Cut) -> bool {
        let rows = |cut: &Cut| (cut.rendering.colour, cut.rendering.knock_out);
        rows(self) == rows(other)
    }

    /// Whether two cuts begin with the same sizer, but for its size.
    fn shares_frame(&self, other: &Cut) -> bool {
        self.framing == other.framing
            && self.rendering.kernel == other.rendering.kernel
            && self.backdrop.is_some() == other.backdrop.is_some()
    }
}

/// All rasters of a job, in the order of its cuts, upright and framed.
pub(super) fn rasters(
    input: Input<'_>,
    original: &Original,
    cuts: &[Cut],
    allowance: Allowance,
) -> Result<(Vec<Raster>, Option<ColourNote>), FireError> {
    let source = Source {
        input,
        original,
        allowance,
        foci: foci(input, original, cuts, allowance)?,
    };
    let mut rasters = vec![None; cuts.len()];
    let mut note = None;
    for (index, cut) in cuts.iter().enumerate() {
        if rasters[index].is_some() {
            continue;
        }
        note = note.max(source.together(cuts, cut, &mut rasters)?);
    }
    let all: Option<Vec<Raster>> = rasters.into_iter().collect();
    Ok((all.ok_or(FireError::RowsMissing)?, note))
}

/// What uniform borders leave of a picture, as stored.
pub fn content<'a>(
    input: impl Into<Input<'a>>,
    original: &Original,
    allowance: Allowance,
) -> Result<Area, FireError> {
    let mut rows = decode::open(input, &original.probe, allowance)?;
    let (mut working, _) = Working::new(rows.form(), Gamut::Srgb);
    let mut trim = Trim::new(rows.form().size, working.channels());
    let mut light = Vec::new();
    for _ in 0..rows.form().size.height() {
        working.row(rows.next_row()?, &mut light);
        trim.push(&light);
    }
    Ok(trim.finish())
}

/// An original under work.
struct Source<'a> {
    input: Input<'a>,
    original: &'a Original,
    allowance: Allowance,
    /// The point that each cut is laid around.
    foci: Vec<(f64, f64)>,
}

impl Source<'_> {
    /// Makes the rasters of all cuts that share their rows with one.
    fn together(
        &self,
        cuts: &[Cut],
        one: &Cut,
        rasters: &mut [Option<Raster>],
    ) -> Result<Option<ColourNote>, FireError> {
        let rows = decode::open(self.input, &self.original.probe, self.allowance)?;
        let gamut = colour::gamut(one.rendering.colour, rows.form().icc.as_deref());
        let (working, note) = Working::new(rows.form(), gamut);
        let gamut = working.gamut();
        let (rows, working) = match one.rendering.knock_out {
            None => (rows, working),
            Some(wish) => cut_out(rows, working, wish)?,
        };
        let mut trees: Vec<Tree> = Vec::new();
        let sharing = |(_, cut): &(usize, &Cut)| one.shares_rows(cut);
        for (index, cut) in cuts.iter().enumerate().filter(sharing) {
            match trees.iter_mut().find(|tree| tree.leads_to(cut)) {
                Some(tree) => tree.want(index, cut),
                None => trees.push(Tree::new(index, cut)),
            }
        }
        let sizer = |tree: &Tree| tree.sizer(self, working.channels());
        let mut sizers: Vec<Sizer> = trees.iter().map(sizer).collect();
        pour(rows, working, &mut sizers)?;
        let mut sized = Vec::new();
        for (tree, sizer) in trees.iter().zip(sizers) {
            tree.collect(sizer, &mut sized)?;
        }
        for (index, raster) in sized {
            let raster = sharpen::apply(raster, cuts[index].rendering.sharpen);
            rasters[index] = Some(self.finished(&cuts[index], raster.in_gamut(gamut)));
        }
        Ok(note)
    }

    /// How the stored picture must be turned for a cut.
    fn orientation(&self, cut: &Cut) -> Orientation {
        self.original.probe.orientation.then(cut.framing.turn)
    }

    /// Set upright, turned, and padded.
    fn finished(&self, cut: &Cut, raster: Raster) -> Raster {
        let gamut = raster.gamut();
        let raster = self.orientation(cut).apply(raster);
        match cut.backdrop {
            None => raster,
            Some(Backdrop::Transparent) => raster.padded(cut.size, None),
            Some(Backdrop::Colour(colour)) => {
                raster.padded(cut.size, Some(colour::in_gamut(colour, gamut)))
            }
        }
    }

    /// A sizer that makes a cut's frame at a size, as stored.
    fn sizer(&self, cut: &Cut, index: usize, size: Size, channels: usize) -> Sizer {
        let area = self.original.shown(&cut.framing);
        let orientation = self.orientation(cut);
        let region = match cut.backdrop {
            Some(_) => area.into(),
            None => {
                let turned = orientation.apply_to_size(area.size);
                let region = cut.framing.region(turned, self.foci[index]);
                orientation.stored_region(region, area.size).within(area)
            }
        };
        let target = self.target(cut, size);
        Sizer::of_region(area, region, target, channels, cut.rendering.kernel)
    }

    /// The size of a cut's picture as stored, without padding.
    fn target(&self, cut: &Cut, size: Size) -> Size {
        let shown = self.original.shown(&cut.framing).size;
        let upright = self.original.probe.orientation.apply_to_size(shown);
        let inner = match cut.backdrop {
            Some(_) => cut.framing.within(upright, size),
            None => size,
        };
        self.orientation(cut).apply_to_size(inner)
    }
}

/// Sizes of one frame: the largest is made from the picture's rows, the others from its own.
struct Tree<'a> {
    /// The first cut in it, which its frame is laid by, and its index.
    cut: &'a Cut,
    index: usize,
    size: Size,
    /// Cuts that are this very size.
    wanted: Vec<usize>,
    narrower: Vec<Tree<'a>>,
}

impl<'a> Tree<'a> {
    /// A tree for a cut: all that its way begins with.
    fn new(index: usize, cut: &'a Cut) -> Tree<'a> {
        let mut tree = Tree::of_size(index, cut, cut.first());
        tree.want(index, cut);
        tree
    }

    fn of_size(index: usize, cut: &'a Cut, size: Size) -> Tree<'a> {
        Tree {
            cut,
            index,
            size,
            wanted: Vec::new(),
            narrower: Vec::new(),
        }
    }

    /// Whether the way to a cut begins here.
    fn leads_to(&self, cut: &Cut) -> bool {
        self.cut.shares_frame(cut) && self.size == cut.first()
    }

    /// Adds a cut, whose way begins here.
    fn want(&mut self, index: usize, cut: &'a Cut) {
        let way = [&cut.through[..], &[cut.size]].concat();
        self.want_along(index, cut, &way[1..]);
    }

    fn want_along(&mut self, index: usize, cut: &'a Cut, way: &[Size]) {
        let Some((&next, rest)) = way.split_first() else {
            return self.wanted.push(index);
        };
        let known = self.narrower.iter().position(|tree| tree.size == next);
        let at = known.unwrap_or_else(|| {
            self.narrower.push(Tree::of_size(index, cut, next));
            self.narrower.len() - 1
        });
        self.narrower[at].want_along(index, cut, rest);
    }

    fn sizer(&self, source: &Source<'_>, channels: usize) -> Sizer {
        let mut sizer = source.sizer(self.cut, self.index, self.size, channels);
        self.feed(&mut sizer, source, channels);
        sizer
    }

    fn feed(&self, sizer: &mut Sizer, source: &Source<'_>, channels: usize) {
        let own = source.target(self.cut, self.size);
        for tree in &self.narrower {
            let target = source.target(self.cut, tree.size);
            let mut narrower = Sizer::new(own, target, channels, self.cut.rendering.kernel);
            tree.feed(&mut narrower, source, channels);
            sizer.feed(narrower);
        }
    }

    /// The finished rasters, with the indices of their cuts.
    fn collect(&self, mut sizer: Sizer, into: &mut Vec<(usize, Raster)>) -> Result<(), FireError> {
        for (tree, sizer) in self.narrower.iter().zip(sizer.fed()) {
            tree.collect(sizer, into)?;
        }
        let raster = sizer.finish().ok_or(FireError::RowsMissing)?;
        let copies = repeat_n(raster, self.wanted.len());
        into.extend(self.wanted.iter().copied().zip(copies));
        Ok(())
    }
}

/// Gives every row of a picture to every sizer. Where another core is free, rows are decoded
/// there while those before them are sized.
fn pour(
    mut rows: Box<dyn Rows + '_>,
    mut working: Working,
    sizers: &mut [Sizer],
) -> Result<(), DecodeError> {
    let mut left = rows.form().size.height() as usize;
    let (mut ready, mut coming) = (Vec::new(), Vec::new());
    loop {
        let count = BAND.min(left);
        left -= count;
        let decode = || fill(rows.as_mut(), &mut working, count, &mut coming);
        let (decoded, ()) = rayon::join(decode, || size_band(&ready, sizers));
        decoded?;
        if count == 0 {
            return Ok(());
        }
        std::mem::swap(&mut ready, &mut coming);
    }
}

/// A row of the working space, and whether it says more than 8 bits can.
type Light = (Vec<f32>, bool);

fn fill(
    rows: &mut (dyn Rows + '_),
    working: &mut Working,
    count: usize,
    band: &mut Vec<Light>,
) -> Result<(), DecodeError> {
    band.resize_with(count, Light::default);
    for (light, fine) in band {
        *fine = working.row(rows.next_row()?, light);
    }
    Ok(())
}

fn size_band(band: &[Light], sizers: &mut [Sizer]) {
    let push = |sizer: &mut Sizer| {
        for (light, fine) in band {
            sizer.push(light, *fine);
        }
    };
    match sizers {
        [] => {}
        [one] => push(one),
        [one, rest @ ..] => {
            rayon::join(|| push(one), || size_band(band, rest));
        }
    }
}

/// A picture without its background, as rows again.
fn cut_out<'a>(
    rows: Box<dyn Rows + 'a>,
    working: Working,
    wish: KnockOut,
) -> Result<(Box<dyn Rows + 'a>, Working), FireError> {
    let size = rows.form().size;
    let gamut = working.gamut();
    let mut sizers = [Sizer::new(
        size,
        size,
        working.channels(),
        Default::default(),
    )];
    pour(rows, working, &mut sizers)?;
    let [sizer] = sizers;
    let whole = sizer.finish().ok_or(FireError::RowsMissing)?;
    let colour = wish.colour.map(|colour| colour::in_gamut(colour, gamut));
    let raster = knock_out(whole.in_gamut(gamut), KnockOut { colour, ..wish })?;
    let form = Form::of(&raster);
    let (working, _) = Working::new(&form, gamut);
    Ok((
        Box::new(RasterRows {
            raster,
            form,
            row: 0,
        }),
        working,
    ))
}

/// The rows of a raster.
struct RasterRows {
    raster: Raster,
    form: Form,
    row: usize,
}

impl Rows for RasterRows {
    fn form(&self) -> &Form {
        &self.form
    }

    fn next_row(&mut self) -> Result<Row<'_>, DecodeError> {
        let pitch = self.form.size.width() as usize * self.form.ink.count();
        let start = self.row * pitch;
        self.row += 1;
        Ok(Row::Eight(&self.raster.samples()[start..start + pitch]))
    }
}

/// The point that each cut is laid around, as parts of width and height.
fn foci(
    input: Input<'_>,
    original: &Original,
    cuts: &[Cut],
    allowance: Allowance,
) -> Result<Vec<(f64, f64)>, FireError> {
    let mut looked: Vec<(Area, Raster)> = Vec::new();
    let mut foci = Vec::new();
    for Cut { framing, .. } in cuts {
        foci.push(match framing.focus {
            Focus::Point(x, y) => (x, y),
            Focus::Auto if framing.wants_look() => {
                let area = original.shown(framing);
                if !looked.iter().any(|(known, _)| *known == area) {
                    looked.push((area, small(input, original, area, allowance)?));
                }
                let known = looked.iter().find(|(known, _)| *known == area);
                known.map_or((0.5, 0.5), |(_, small)| {
                    focus::find(&framing.turn.apply(small.clone()), framing)
                })
            }
            _ => (0.5, 0.5),
        });
    }
    Ok(foci)
}

/// A small copy of an area, upright, to be looked at.
fn small(
    input: Input<'_>,
    original: &Original,
    area: Area,
    allowance: Allowance,
) -> Result<Raster, FireError> {
    let rows = decode::open_coarse(input, &original.probe, allowance)?;
    let (working, _) = Working::new(rows.form(), Gamut::Srgb);
    let long_side = focus::LOOKED_AT.min(area.size.long_side());
    let size = Framing::default().frame(area.size).at_long_side(long_side);
    let channels = working.channels();
    let mut sizers = [Sizer::of_region(
        area,
        area.into(),
        size,
        channels,
        Default::default(),
    )];
    pour(rows, working, &mut sizers)?;
    let [sizer] = sizers;
    let raster = sizer.finish().ok_or(FireError::RowsMissing)?;
    Ok(original.probe.orientation.apply(raster))
}
