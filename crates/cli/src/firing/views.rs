//! The pictures of a firing's page: originals, crops and pieces, and where pieces differ most.

use std::sync::mpsc;

use kiln_core::encode::Format;
use kiln_core::pipeline::{self, Rasters};
use kiln_core::pixels::{Part, Raster, Size};
use kiln_core::plan::{Job, Placement, PlannedSize};
use kiln_core::proof::{self, Sight};
use kiln_core::{decode, guard};
use rayon::ThreadPoolBuilder;

use super::charges::Charge;
use super::out::Out;
use super::supply::{self, Supply};
use crate::failure::Failure;
use crate::mishap::Mishap;
use crate::report::OriginalReport;
use crate::settings::Settings;
use crate::{gate, interrupt};

/// The pictures of one original. What cannot be shown is not there: what is wrong with it is in the
/// report already.
#[derive(Default)]
pub struct View {
    /// The whole of it, small.
    pub original: Option<Raster>,
    /// What each placement shows, one for each that has pieces.
    pub samples: Vec<Sample>,
    /// The piece that the sights are of, by its index.
    pub worst: usize,
    /// Where that piece differs most.
    pub sights: Vec<Sight>,
}

/// What a placement shows.
pub struct Sample {
    /// The part of the upright original.
    pub frame: Part,
    /// The piece that is shown for it, by its index.
    pub piece: usize,
    /// It, small.
    pub small: Raster,
}

/// A piece that stands, and what it was planned as.
struct Standing<'a> {
    index: usize,
    placement: usize,
    planned: (&'a Placement, &'a PlannedSize),
    name: &'a str,
    format: Format,
    score: f32,
    size: Size,
}

/// The pictures of all originals, in their order.
pub fn all(
    charges: &[Charge<'_>],
    folder: &Out,
    settings: &Settings,
) -> Result<Vec<View>, Failure> {
    let pool = ThreadPoolBuilder::new()
        .num_threads(settings.jobs)
        .build()?;
    let (found, incoming) = mpsc::channel();
    gate::each(
        &pool,
        charges.iter().enumerate(),
        |(_, Charge { job, .. })| pipeline::memory(job, 1) + supply::held(&job.original),
        || !interrupt::came(),
        |(index, charge)| {
            let view = guard::guarded(|| view(charge, folder, settings));
            // The receiver outlives all senders.
            let _ = found.send((index, view.unwrap_or_else(|_| Ok(View::default()))));
        },
        |(index, _), why| {
            let _ = found.send((index, Err(why)));
        },
    );
    drop(found);
    let mut views: Vec<View> = charges.iter().map(|_| View::default()).collect();
    for (index, view) in incoming {
        views[index] = view.unwrap_or_default();
    }
    Ok(views)
}

fn view(charge: &Charge<'_>, folder: &Out, settings: &Settings) -> Result<View, Mishap> {
    let Charge {
        job,
        picture,
        report,
        ..
    } = charge;
    let (supply, _) = Supply::of(picture)?;
    let allowance = settings.allowance;
    let mut view = View {
        original: proof::small(supply.input(), &job.original, allowance)?,
        ..View::default()
    };
    let standing = standing(job, report);
    let opened = |piece: &Standing<'_>| -> Option<Raster> {
        let file = folder.read(piece.name).ok()?;
        decode::finished(piece.format.kind(), &file, piece.size).ok()
    };
    let worst = standing.iter().min_by(|a, b| a.score.total_cmp(&b.score));
    let worst = worst.and_then(|worst| Some((worst, opened(worst)?)));
    let frames = pipeline::frames(supply.input(), job, allowance)?;
    for (placement, frame) in frames.into_iter().enumerate() {
        let own = || standing.iter().filter(|piece| piece.placement == placement);
        // The largest show most; of these the one that looks worst.
        let widest = own().map(|piece| piece.size.width()).max();
        let largest = own().filter(|piece| Some(piece.size.width()) == widest);
        let Some(shown) = largest.min_by(|a, b| a.score.total_cmp(&b.score)) else {
            continue;
        };
        let small = match &worst {
            Some((worst, raster)) if worst.index == shown.index => proof::small_piece(raster),
            _ => match opened(shown) {
                Some(raster) => proof::small_piece(&raster),
                None => continue,
            },
        };
        view.samples.push(Sample {
            frame,
            piece: shown.index,
            small,
        });
    }
    if let Some((worst, raster)) = worst {
        let (placement, size) = worst.planned;
        let alone = job.without(|piece| !size.pieces.contains(piece));
        let rasters = Rasters::new(supply.input(), &alone, allowance)?;
        view.worst = worst.index;
        if let Some(sized) = rasters.sized(placement, size) {
            view.sights = proof::sights(sized, placement.backdrop, worst.format, &raster);
        }
    }
    Ok(view)
}

/// The pieces that stand.
fn standing<'a>(job: &'a Job, report: &'a OriginalReport) -> Vec<Standing<'a>> {
    let placements = job.placements.iter().enumerate();
    let planned = placements.flat_map(|(index, placement)| {
        let sizes = placement.sizes.iter();
        sizes.flat_map(move |size| size.pieces.iter().map(move |_| (index, placement, size)))
    });
    let pieces = planned.zip(&report.pieces).enumerate();
    let standing = pieces.filter_map(|(index, ((at, placement, size), piece))| {
        let written = piece.written()?;
        Some(Standing {
            index,
            placement: at,
            planned: (placement, size),
            name: &written.name,
            format: written.format,
            score: written.account.score,
            size: written.account.shrunk.unwrap_or(size.size),
        })
    });
    standing.collect()
}
