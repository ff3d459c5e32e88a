//! Totals kept: where many pictures share one and would exceed it, they are tried at lower looks
//! and made again, as good as the total allows.

use std::collections::HashMap;

use kiln_core::pipeline::{Settled, Shares, Standing};
use kiln_core::plan::{self, Digest, Plan, PlannedPiece, SharedTotal, SharingPicture};

use super::rounds::Run;
use super::work::WorkOrder;
use crate::failure::Failure;
use crate::interrupt;
use crate::ledger::{Finished, Ledger, Made, Share};
use crate::report::{FiringReport, TotalReport, Written};

/// Makes pieces again until every total is kept, or cannot be.
pub fn keep(run: &mut Run<'_, '_>) -> Result<(), Failure> {
    let plan = run.plan;
    if plan.totals.is_empty() {
        return Ok(());
    }
    let pieces = plan.jobs.iter().flat_map(|job| job.pieces());
    let pieces: Pieces<'_> = pieces.map(|(_, _, piece)| (piece.key(), piece)).collect();
    let of = fingerprint(plan, &pieces, &run.ledger);
    let is_settled = |key: &String| match run.ledger.made(pieces[key.as_str()]) {
        Some(Finished { made, .. }) => made.share.as_ref().is_some_and(|share| share.of == of),
        // It failed, and has no part in this.
        None => true,
    };
    if keys(&plan.totals).all(is_settled) {
        return Ok(());
    }
    let mut shares = Shares::new(plan, |piece| {
        let Finished { entry, made, .. } = run.ledger.made(piece)?;
        Some(Standing {
            format: entry.format,
            account: made.account.clone(),
            part: made.share.as_ref().map(|share| share.part),
        })
    });
    loop {
        let wants = shares.wants();
        if interrupt::came() {
            return Ok(());
        }
        if wants.is_empty() {
            break;
        }
        let orders = wants.into_iter();
        let orders = orders.map(|(key, order)| (key, WorkOrder { order, share: None }));
        for (key, trail) in run.round(Some(orders.collect()))? {
            shares.learn(&key, trail);
        }
    }
    let mut orders = HashMap::new();
    for Settled { key, part, order } in shares.settled() {
        let share = Share { of, part };
        match order {
            None => mark(&mut run.ledger, pieces[key.as_str()], share),
            Some(order) => {
                let share = Some(share);
                orders.insert(key, WorkOrder { order, share });
            }
        }
    }
    if orders.is_empty() {
        return Ok(());
    }
    run.round(Some(orders)).map(drop)
}

/// The pieces of a plan by their keys.
type Pieces<'a> = HashMap<&'a str, &'a PlannedPiece>;

/// The keys of all pieces that have to do with totals.
fn keys(totals: &[SharedTotal]) -> impl Iterator<Item = &String> {
    let pictures = totals.iter().flat_map(|total| &total.pictures);
    pictures.flat_map(SharingPicture::pieces)
}

/// The digest of all that decides how totals are shared.
fn fingerprint(plan: &Plan, pieces: &Pieces<'_>, ledger: &Ledger) -> Digest {
    let facts = |key: &String| {
        let finished = ledger.made(pieces[key.as_str()])?;
        Some((key.clone(), finished.entry.recipe, finished.original))
    };
    let facts: Vec<_> = keys(&plan.totals).filter_map(facts).collect();
    // Plain data: it always serialises.
    plan::digest(&serde_json::to_vec(&(&plan.totals, facts)).unwrap_or_default())
}

/// Notes that a piece has its part in a total as it stands.
fn mark(ledger: &mut Ledger, piece: &PlannedPiece, share: Share) {
    if let Some(Finished { name, made, .. }) = ledger.made(piece) {
        let (name, share) = (name.to_owned(), Some(Box::new(share)));
        let made = Made {
            share,
            ..made.clone()
        };
        ledger.finished(piece, &name, made);
    }
}

/// What became of each total.
pub fn outcomes(totals: &[SharedTotal], report: &FiringReport) -> Vec<TotalReport> {
    let pieces = report
        .originals
        .held()
        .iter()
        .flat_map(|original| &original.pieces);
    let written: HashMap<&str, &Written> = pieces
        .filter_map(|piece| Some((piece.planned.key(), piece.written()?)))
        .collect();
    let totals = totals.iter().map(|total| {
        let heaviest = |picture: &SharingPicture| {
            let made = picture.pieces();
            let made = made.filter_map(|key| written.get(key.as_str()));
            let heaviest = made.max_by_key(|written| written.account.weight);
            heaviest.map(|written| (written.name.clone(), written.account.weight))
        };
        let mut heaviest: Vec<(String, u64)> = total.pictures.iter().filter_map(heaviest).collect();
        heaviest.sort_by(|a, b| b.1.cmp(&a.1).then(a.0.cmp(&b.0)));
        let largest = total
            .pictures
            .iter()
            .map(|picture| picture.largest.as_str());
        let largest = largest.filter_map(|key| written.get(key));
        let scores = largest.map(|written| (&written.name, written.account.score));
        let worst = scores.min_by(|a, b| a.1.total_cmp(&b.1));
        TotalReport {
            page: total.page.clone(),
            choice: total.choice.clone(),
            max_total: total.max_total,
            weight: heaviest.iter().map(|(_, weight)| weight).sum(),
            pictures: if report.dry_run {
                total.pictures.len()
            } else {
                heaviest.len()
            },
            worst: worst.map(|(name, score)| (name.clone(), score)),
            heaviest,
        }
    });
    totals.collect()
}
