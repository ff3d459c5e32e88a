//! The rasters of a job: decode → colour → knock out → size → sharpen, all from as few passes
//! over the original's rows as can be.

mod tree;

use std::collections::BTreeSet;

use super::own::{self, Shown};
use super::pour::{cut_out, pour};
use super::{FireError, Remarks};
use crate::colour::{self, ColourNote, Working};
use crate::decode::{self, Allowance, Input, Open, Pixels, Rows, Wanted};
use crate::pixels::{
    Area, Backdrop, Fit, Focus, Framing, Gamut, Orientation, Part, Raster, Region, Rendering,
    Sharpen, Size,
};
use crate::plan::{Job, Original, Placement, PlannedSize};
use crate::size::trim::Trim;
use crate::size::{Sizer, focus, sharpen};
use tree::Tree;

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

    /// Whether nothing but a crop and a turn becomes of samples, where the size is the original's own.
    fn keeps_samples(&self) -> bool {
        let Rendering {
            sharpen, knock_out, ..
        } = self.rendering;
        self.backdrop.is_none()
            && self.through.is_empty()
            && sharpen == Sharpen::None
            && knock_out.is_none()
    }

    /// Whether it may turn out to show its original as it is.
    pub(super) fn may_keep_samples(&self, original: &Original) -> bool {
        let view = View::stored(original);
        // Where it lies is not known yet; how large it is does not depend on that.
        let (_, region) = view.framed(self, (0.5, 0.5));
        let orientation = view.orientation(self);
        let at_origin = Region {
            x: 0.0,
            y: 0.0,
            ..region
        };
        let drawn = original.probe.is_drawn();
        let same = |area: Area| drawn || orientation.apply_to_size(area.size) == self.size;
        self.keeps_samples() && own::whole(at_origin).is_some_and(same)
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
    from: &dyn Open,
    original: &Original,
    cuts: &[Cut],
) -> Result<Sized, FireError> {
    let drawn = original.probe.is_drawn();
    let mut pixels = to_be_looked_at(from, original, cuts);
    let foci = foci(&mut pixels, original, cuts)?;
    let mut oddities = BTreeSet::new();
    let mut rasters = vec![None; cuts.len()];
    let mut notes = vec![None; cuts.len()];
    for (index, cut) in cuts.iter().enumerate() {
        if rasters[index].is_some() {
            continue;
        }
        // Each size of a drawing is drawn for itself, all others are made from the same rows.
        let group = if drawn {
            index..index + 1
        } else {
            0..cuts.len()
        };
        let group = (&cuts[group.clone()], group);
        let mut own = drawn.then(|| {
            let wanted = View::stored(original).wanted(group.0, cut);
            Pixels::new(from, original.probe.kind, vec![wanted])
        });
        let rows = own.as_mut().unwrap_or(&mut pixels).rows()?;
        let (cuts_of_it, group) = group;
        let view = View {
            original,
            foci: &foci[group.clone()],
            size: rows.form().size,
        };
        let note = view.together(rows, (cuts_of_it, cut), &mut rasters[group])?;
        oddities.extend(own.into_iter().flat_map(Pixels::oddities));
        for (slot, other) in notes.iter_mut().zip(cuts) {
            if cut.shares_rows(other) {
                *slot = note;
            }
        }
    }
    let all: Option<Vec<Raster>> = rasters.into_iter().collect();
    let view = View {
        foci: &foci,
        ..View::stored(original)
    };
    oddities.extend(pixels.oddities());
    let shown = (0..).zip(cuts.iter().zip(&notes));
    Ok(Sized {
        rasters: all.ok_or(FireError::RowsMissing)?,
        shown: shown
            .map(|(index, (cut, note))| view.as_it_is(cut, index, *note))
            .collect(),
        remarks: Remarks {
            colours: notes.into_iter().max().flatten(),
            oddities: oddities.into_iter().collect(),
        },
    })
}

/// The rasters of a job.
pub(super) struct Sized {
    /// In the order of its cuts.
    pub rasters: Vec<Raster>,
    /// What each shows of the original as it is, where nothing was computed for it.
    pub shown: Vec<Option<Shown>>,
    /// What its owner should hear.
    pub remarks: Remarks,
}

/// What a job wants of the pixels of its original each time that it goes over them: to find what
/// crops are laid around, and for all cuts that cannot share their rows.
pub(super) fn passes(original: &Original, cuts: &[Cut]) -> Vec<Wanted> {
    // Where crops will lie is not known yet: they may lie anywhere in what is shown.
    let stored = View::stored(original);
    let mut passes = Vec::new();
    let mut looked: Vec<Area> = Vec::new();
    for (index, cut) in cuts.iter().enumerate() {
        if !cuts[..index].iter().any(|one| one.shares_rows(cut)) {
            passes.push(stored.wanted(cuts, cut));
        }
        let area = original.shown(&cut.framing);
        if cut.framing.wants_look() && !looked.contains(&area) {
            passes.push(to_look_at(original, area));
            looked.push(area);
        }
    }
    passes
}

/// The pixels of an original, to find what crops are laid around, and but for a drawing for all cuts.
fn to_be_looked_at<'a>(from: &'a dyn Open, original: &Original, cuts: &[Cut]) -> Pixels<'a> {
    let mut passes = passes(original, cuts);
    if original.probe.is_drawn() {
        let looks = cuts.iter().filter(|cut| cut.framing.wants_look());
        let looks = looks.map(|cut| to_look_at(original, original.shown(&cut.framing)));
        passes = looks.collect();
    }
    Pixels::new(from, original.probe.kind, passes)
}

/// What is wanted to find the point that a crop of an area is laid around.
fn to_look_at(original: &Original, area: Area) -> Wanted {
    let look = Wanted::look(&original.probe);
    let part = f64::from(focus::LOOKED_AT) / f64::from(area.size.long_side());
    let side = |all: u32| ((f64::from(all) * part).ceil() as u32).clamp(1, all);
    let (width, height) = (side(look.least.width()), side(look.least.height()));
    Wanted {
        least: Size::new(width, height).unwrap_or(look.least),
        area,
        ..look
    }
}

/// What uniform borders leave of a picture, as stored.
pub fn content<'a>(
    input: impl Into<Input<'a>>,
    original: &Original,
    allowance: Allowance,
) -> Result<Area, FireError> {
    let probe = &original.probe;
    let mut rows = decode::open(input, probe, Wanted::all(probe), allowance)?;
    let size = rows.form().size;
    let (mut working, _) = Working::new(rows.form(), Gamut::Srgb);
    let mut trim = Trim::new(size, working.channels());
    let mut light = Vec::new();
    for _ in 0..size.height() {
        working.row(rows.next_row()?, &mut light);
        trim.push(&light);
    }
    Ok(Part::of(trim.finish(), size).at(probe.stored))
}

/// The part of an original that each placement of a job shows, of the upright picture.
pub fn frames<'a>(
    input: impl Into<Input<'a>>,
    job: &Job,
    allowance: Allowance,
) -> Result<Vec<Part>, FireError> {
    let original = &job.original;
    let first = |placement: &Placement| Some(Cut::of(placement, placement.sizes.first()?));
    let cuts: Vec<Cut> = job.placements.iter().filter_map(first).collect();
    let file = decode::File::new(input.into(), &original.probe, allowance);
    let foci = foci(
        &mut to_be_looked_at(&file, original, &cuts),
        original,
        &cuts,
    )?;
    let (size, orientation) = (original.probe.stored, original.probe.orientation);
    let view = View {
        original,
        foci: &foci,
        size,
    };
    let frames = cuts.iter().zip(&foci).map(|(cut, &focus)| {
        let (_, region) = view.framed(cut, focus);
        Part::of_region(
            orientation.upright_region(region, size),
            original.probe.upright(),
        )
    });
    Ok(frames.collect())
}

/// An original as its rows come: as stored, or reduced.
#[derive(Clone, Copy)]
struct View<'a> {
    original: &'a Original,
    /// The point that each cut is laid around.
    foci: &'a [(f64, f64)],
    /// The size of the whole picture as it comes.
    size: Size,
}

impl<'a> View<'a> {
    /// One as it is stored, where nobody knows yet what crops are laid around.
    fn stored(original: &'a Original) -> View<'a> {
        View {
            original,
            foci: &[],
            size: original.probe.stored,
        }
    }
}

impl View<'_> {
    /// What is wanted of an original's pixels for all cuts that share their rows with one, in a view
    /// of the picture as it is stored.
    fn wanted(&self, cuts: &[Cut], one: &Cut) -> Wanted {
        let all = Wanted::all(&self.original.probe);
        if one.rendering.knock_out.is_some() {
            // What the background is, its own pixels tell best.
            return all;
        }
        let stored = self.size;
        let mut wanted: Option<Wanted> = None;
        for cut in cuts.iter().filter(|cut| one.shares_rows(cut)) {
            // Where a crop will lie is not known yet; how large it is does not depend on that.
            let (shown, frame) = self.framed(cut, (0.5, 0.5));
            let target = self.target(cut, cut.first());
            let drawn = self.original.probe.is_drawn();
            let side = |all: u32, part: f64, target: u32| {
                let least = f64::from(all) / part * f64::from(target);
                let most = if drawn { Size::MAX_SIDE } else { all };
                (least.ceil() as u32).clamp(1, most)
            };
            let width = side(stored.width(), frame.width, target.width());
            let height = side(stored.height(), frame.height, target.height());
            let own = Wanted {
                least: Size::new(width, height).unwrap_or(all.least),
                area: shown,
                ..all
            };
            wanted = Some(wanted.map_or(own, |wanted| wanted.with(own)));
        }
        wanted.unwrap_or(all)
    }

    /// Makes the rasters of all cuts that share their rows with one.
    fn together(
        &self,
        rows: &mut (dyn Rows + '_),
        (cuts, one): (&[Cut], &Cut),
        rasters: &mut [Option<Raster>],
    ) -> Result<Option<ColourNote>, FireError> {
        let gamut = colour::gamut(one.rendering.colour, rows.form().icc.as_deref());
        let (working, note) = Working::new(rows.form(), gamut);
        let gamut = working.gamut();
        let rows: Box<dyn Rows> = Box::new(rows);
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

    /// The area that a cut may draw on, and the part of it that it shows, in pixels as they come.
    fn framed(&self, cut: &Cut, focus: (f64, f64)) -> (Area, Region) {
        let area = shown(self.original, &cut.framing, self.size);
        let orientation = self.orientation(cut);
        let region = match cut.backdrop {
            Some(_) => area.into(),
            None => {
                let turned = orientation.apply_to_size(area.size);
                let region = cut.framing.region(turned, focus);
                orientation.stored_region(region, area.size).within(area)
            }
        };
        (area, region)
    }

    /// What a cut shows of the original, where it shows that as it is.
    fn as_it_is(&self, cut: &Cut, index: usize, note: Option<ColourNote>) -> Option<Shown> {
        let (_, region) = self.framed(cut, self.foci[index]);
        let area = own::whole(region)?;
        let orientation = self.orientation(cut);
        // A drawing is the same at every size.
        let as_large =
            self.original.probe.is_drawn() || orientation.apply_to_size(area.size) == cut.size;
        let is_it = cut.keeps_samples() && note != Some(ColourNote::Converted) && as_large;
        is_it.then_some(Shown {
            area,
            orientation,
            profile: note == Some(ColourNote::Kept),
        })
    }

    /// A sizer that makes a cut's frame at a size, as stored.
    fn sizer(&self, cut: &Cut, index: usize, size: Size, channels: usize) -> Sizer {
        let (area, region) = self.framed(cut, self.foci[index]);
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

/// The part of an original that a framing shows, in pixels of the size that they come in.
fn shown(original: &Original, framing: &Framing, size: Size) -> Area {
    Part::of(original.shown(framing), original.probe.stored).at(size)
}

/// The point that each cut is laid around, as parts of width and height.
fn foci(
    pixels: &mut Pixels<'_>,
    original: &Original,
    cuts: &[Cut],
) -> Result<Vec<(f64, f64)>, FireError> {
    let mut looked: Vec<(Area, Raster)> = Vec::new();
    let mut foci = Vec::new();
    for Cut { framing, .. } in cuts {
        foci.push(match framing.focus {
            Focus::Point(x, y) => (x, y),
            Focus::Auto if framing.wants_look() => {
                let area = original.shown(framing);
                if !looked.iter().any(|(known, _)| *known == area) {
                    looked.push((area, small(pixels, original, framing)?));
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

/// A small copy of what a framing shows, upright, to be looked at.
fn small(
    pixels: &mut Pixels<'_>,
    original: &Original,
    framing: &Framing,
) -> Result<Raster, FireError> {
    let rows = pixels.rows()?;
    let area = shown(original, framing, rows.form().size);
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
    pour(Box::new(rows), working, &mut sizers)?;
    let [sizer] = sizers;
    let raster = sizer.finish().ok_or(FireError::RowsMissing)?;
    Ok(original.probe.orientation.apply(raster))
}

#[cfg(test)]
mod tests;
