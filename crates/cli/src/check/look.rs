//! The look of every piece, against its original, scored again.

use std::fs;

use kiln_core::guard;
use kiln_core::pipeline::{Eye, Rasters};
use kiln_core::plan::{CodingWish, Job, Look};
use rayon::ThreadPoolBuilder;

use super::{At, Flaws};
use crate::failure::Failure;
use crate::firing;
use crate::report::{Channels, Counting};
use crate::rules::Rule;
use crate::settings::Settings;

/// Scores that are told apart: less is a matter of rounding.
const SLACK: f32 = 0.05;

/// Checks every piece that the kiln file plans and that is there.
pub(super) fn check(flaws: &mut Flaws<'_>, channels: &Channels) -> Result<(), Failure> {
    let Some(look) = flaws
        .settings
        .limits
        .look
        .filter(|_| flaws.wants(Rule::Look))
    else {
        return Ok(());
    };
    let Some(site) = &flaws.settings.site else {
        return Err(Failure::Contradiction {
            place: String::new(),
            says: "a look is held against originals, and no kiln file says where these are; name it with --kiln",
        });
    };
    let wanted = match look {
        Look::Score(score) => score,
        Look::Exact => 100.0,
    };
    let pool = ThreadPoolBuilder::new()
        .num_threads(flaws.settings.judging.jobs)
        .build()?;
    let planned = firing::planned_for(site)?;
    let counting = Counting::start(planned.len(), "originals", channels);
    for (picture, job) in &planned {
        // A decoder that panics costs its picture, not the run.
        let scored = guard::guarded(|| pool.install(|| scores(picture.path(), job, site)));
        counting.one();
        for (file, score) in scored.ok().flatten().unwrap_or_default() {
            let says = match score {
                Some(score) if score >= wanted - SLACK => continue,
                Some(score) => format!("scores {score:.1}"),
                None => "cannot be compared with its original".to_owned(),
            };
            let limit = format!("{wanted}");
            flaws.add(
                Rule::Look,
                At::file(&file),
                says,
                limit,
                "fire it at that look",
            );
        }
    }
    counting.end();
    Ok(())
}

/// The scores of the pieces of an original that are there; `None` for those that cannot be scored.
fn scores(
    path: &std::path::Path,
    job: &Job,
    site: &Settings,
) -> Option<Vec<(String, Option<f32>)>> {
    let bytes = fs::read(path).ok()?;
    let rasters = Rasters::new(&bytes, job, site.allowance).ok()?;
    let mut scores = Vec::new();
    for (placement, size, piece) in job.pieces() {
        for candidate in &piece.candidates {
            let file = site.out.join(&candidate.name);
            let Ok(finished) = fs::read(&file) else {
                continue;
            };
            // One that may be made smaller to keep its weight is no smaller by mistake.
            if let CodingWish::Look(wish) = placement.coding
                && wish.shrink_to_fit
            {
                continue;
            }
            let raster = rasters.sized(placement, size);
            let score = raster.and_then(|raster| {
                let eye = Eye::new(raster, size.seen);
                eye.score(raster, candidate.format, &finished).ok()
            });
            scores.push((file.to_string_lossy().into_owned(), score));
        }
    }
    Some(scores)
}
