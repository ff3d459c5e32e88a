//! Totals kept: where many pictures share one and would exceed it, they are tried at lower looks
//! and made again, as good as the total allows.

use std::collections::{BTreeMap, BTreeSet, HashMap};

use kiln_core::budget::{Aim, Lot, Member, Point, Sharing, Verdict};
use kiln_core::pipeline::{Account, Attempt, Order, Ordered};
use kiln_core::plan::{self, CodingWish, LookWish, Placement, Plan, SharedTotal, SharingPicture};

use super::rounds::Run;
use super::work::WorkOrder;
use crate::failure::Failure;
use crate::ledger::{Made, Share};
use crate::report::{FiringReport, TotalReport};

/// Makes pieces again until every total is kept, or cannot be.
pub fn keep(run: &mut Run<'_, '_>, interrupted: fn() -> bool) -> Result<(), Failure> {
    let of = fingerprint(run);
    let standing = |name: &str| run.ledger.made(name).map(|(_, made, _)| made);
    let is_settled = |name: &String| match standing(name) {
        Some(made) => made.share.as_ref().is_some_and(|share| share.of == of),
        // It failed, and has no part in this.
        None => true,
    };
    if names(&run.plan.totals).all(is_settled) {
        return Ok(());
    }
    let placements = placements(run.plan);
    let mut sharers = sharers(run, &placements);
    let mut sharing = sharing(&sharers, &run.plan.totals);
    try_looks(run, &mut sharers, &mut sharing, interrupted)?;
    if interrupted() {
        return Ok(());
    }
    let mut orders = HashMap::new();
    let mut weights = HashMap::new();
    for (sharer, choice) in sharers.iter().zip(sharing.choice()) {
        let chosen = choice.map_or(sharer.kept, |choice| sharer.options()[choice]);
        weights.insert(&sharer.name, sharer.trail[chosen].weight);
        stand(run, sharer, chosen, &of, &mut orders);
    }
    for (name, most) in caps(&run.plan.totals, &weights) {
        if let Some(smaller) = Sharer::of(run, &placements, name) {
            stand_within(run, &smaller, most, &of, &mut orders);
        }
    }
    match orders.is_empty() {
        true => Ok(()),
        false => run.round(Some(orders)).map(drop),
    }
}

/// Tries pieces at the looks that are wanted to be known.
fn try_looks(
    run: &mut Run<'_, '_>,
    sharers: &mut [Sharer],
    sharing: &mut Sharing,
    interrupted: fn() -> bool,
) -> Result<(), Failure> {
    loop {
        let wants = sharing.wants();
        if wants.is_empty() || interrupted() {
            return Ok(());
        }
        let order = |(index, look): (usize, f32)| {
            let sharer: &Sharer = &sharers[index];
            let order = Order {
                what: Ordered::Look { look },
                known: sharer.trail.clone(),
            };
            (sharer.name.clone(), WorkOrder { order, share: None })
        };
        let tried = run.round(Some(wants.into_iter().map(order).collect()))?;
        for (index, sharer) in sharers.iter_mut().enumerate() {
            if let Some(trail) = tried.get(&sharer.name) {
                sharer.trail.clone_from(trail);
                sharing.learn(index, sharer.points());
            }
        }
    }
}

/// The names of all pieces that have to do with totals.
fn names(totals: &[SharedTotal]) -> impl Iterator<Item = &String> {
    let pictures = totals.iter().flat_map(|total| &total.pictures);
    pictures.flat_map(SharingPicture::pieces)
}

/// The digest of all that decides how totals are shared.
fn fingerprint(run: &Run<'_, '_>) -> String {
    let facts = |name: &String| {
        let (entry, _, original) = run.ledger.made(name)?;
        Some((name.clone(), entry.recipe.clone(), original.to_owned()))
    };
    let facts: Vec<_> = names(&run.plan.totals).filter_map(facts).collect();
    // Plain data: it always serialises.
    plan::digest(&serde_json::to_vec(&(&run.plan.totals, facts)).unwrap_or_default())
}

/// Sees to it that a piece stands as the attempt that was chosen.
fn stand(
    run: &mut Run<'_, '_>,
    sharer: &Sharer,
    chosen: usize,
    of: &str,
    orders: &mut HashMap<String, WorkOrder>,
) {
    let attempt = sharer.trail[chosen];
    let share = sharer.share(of, None);
    if sharer.made.account.is_of(&attempt) {
        return mark(run, &sharer.name, share);
    }
    let reaches = sharer
        .look
        .is_some_and(|look| look.aim == Aim::Lightest && attempt.score >= look.look);
    let verdict = match chosen == sharer.kept {
        true => share.verdict,
        false if reaches => Some(Verdict::Met),
        false => Some(Verdict::Shared),
    };
    let order = Order {
        what: Ordered::Same { attempt, verdict },
        known: sharer.trail.clone(),
    };
    let share = Some(share);
    orders.insert(sharer.name.clone(), WorkOrder { order, share });
}

/// Sees to it that the smaller copy of a picture is no heavier than the largest.
fn stand_within(
    run: &mut Run<'_, '_>,
    smaller: &Sharer,
    most: u64,
    of: &str,
    orders: &mut HashMap<String, WorkOrder>,
) {
    if smaller.trail[smaller.kept].weight <= most {
        return stand(run, smaller, smaller.kept, of, orders);
    }
    let share = smaller.share(of, Some(most));
    let before = smaller.made.share.as_ref();
    if before.is_some_and(|before| before.within == Some(most)) {
        return mark(run, &smaller.name, share);
    }
    let order = Order {
        what: Ordered::Within { max_weight: most },
        known: smaller.trail.clone(),
    };
    let share = Some(share);
    orders.insert(smaller.name.clone(), WorkOrder { order, share });
}

/// Notes that a piece has its part in a total as it stands.
fn mark(run: &mut Run<'_, '_>, name: &str, share: Share) {
    if let Some((_, made, _)) = run.ledger.made(name) {
        let share = Some(share);
        let made = Made {
            share,
            ..made.clone()
        };
        run.ledger.finished(name, made);
    }
}

/// The most that each smaller copy of a picture may weigh: as much as the largest.
fn caps<'a>(
    totals: &'a [SharedTotal],
    weights: &HashMap<&String, u64>,
) -> BTreeMap<&'a String, u64> {
    let mut caps = BTreeMap::new();
    for picture in totals.iter().flat_map(|total| &total.pictures) {
        if let Some(&most) = weights.get(&picture.largest) {
            for name in &picture.smaller {
                let cap = caps.entry(name).or_insert(most);
                *cap = most.min(*cap);
            }
        }
    }
    caps
}

/// A piece that shares.
struct Sharer {
    name: String,
    /// The look that was wanted of it for itself, where it can be had at others.
    look: Option<LookWish>,
    max_weight: Option<u64>,
    /// As it stands.
    made: Made,
    /// What is known of it: at first what was tried for itself.
    trail: Vec<Attempt>,
    own: usize,
    /// The attempt that would be kept for itself.
    kept: usize,
}

impl Sharer {
    /// A piece as it stands, if it does.
    fn of(run: &Run<'_, '_>, placements: &Placements<'_>, name: &str) -> Option<Sharer> {
        let placement = placements.get(name)?;
        let (entry, made, _) = run.ledger.made(name)?;
        let mut trail = made.account.trail.clone();
        let kept = match &made.share {
            Some(share) => {
                trail.truncate(share.own);
                share.kept
            }
            None => made.account.kept()?,
        };
        let shrunk = made.account.shrunk.is_some();
        (kept < trail.len()).then(|| Sharer {
            name: name.to_owned(),
            look: match placement.coding {
                CodingWish::Look(look) if entry.format.dials().is_some() && !shrunk => Some(look),
                _ => None,
            },
            max_weight: placement.max_weight,
            made: made.clone(),
            own: trail.len(),
            trail,
            kept,
        })
    }

    fn share(&self, of: &str, within: Option<u64>) -> Share {
        let before = self.made.share.as_ref();
        Share {
            of: of.to_owned(),
            own: self.own,
            kept: self.kept,
            verdict: before.map_or(self.made.account.verdict, |share| share.verdict),
            within,
        }
    }

    /// The attempts that could stand for it: of its size, and at its pace.
    fn options(&self) -> Vec<usize> {
        let kept = &self.trail[self.kept];
        let like = |attempt: &Attempt| (attempt.width, attempt.pace) == (kept.width, kept.pace);
        match self.look {
            None => vec![self.kept],
            Some(_) => (0..self.trail.len())
                .filter(|&index| like(&self.trail[index]))
                .collect(),
        }
    }

    fn points(&self) -> Vec<Point> {
        let options = self.options().into_iter();
        let point = |index: usize| Point {
            weight: self.trail[index].weight,
            score: self.trail[index].score,
        };
        options.map(point).collect()
    }

    fn member(&self) -> Member {
        let look = self.look.filter(|look| look.aim == Aim::Lightest);
        Member {
            look: look.map_or(f32::INFINITY, |look| look.look),
            least: self.look.map_or(f32::NEG_INFINITY, |look| look.least),
            max_weight: self.max_weight,
            flexible: self.look.is_some(),
            points: self.points(),
        }
    }
}

/// The placements of pieces by their names.
type Placements<'a> = HashMap<&'a str, &'a Placement>;

fn placements(plan: &Plan) -> Placements<'_> {
    let pieces = plan.jobs.iter().flat_map(|job| job.pieces());
    pieces
        .map(|(placement, _, piece)| (piece.name.as_str(), placement))
        .collect()
}

/// The largest pieces of all pictures that share, each once; without those that failed.
fn sharers(run: &Run<'_, '_>, placements: &Placements<'_>) -> Vec<Sharer> {
    let pictures = run.plan.totals.iter().flat_map(|total| &total.pictures);
    let names: BTreeSet<&str> = pictures.map(|picture| picture.largest.as_str()).collect();
    let sharers = names.into_iter();
    sharers
        .filter_map(|name| Sharer::of(run, placements, name))
        .collect()
}

fn sharing(sharers: &[Sharer], totals: &[SharedTotal]) -> Sharing {
    let index = |name: &String| {
        sharers
            .binary_search_by(|sharer| sharer.name.cmp(name))
            .ok()
    };
    let lots = totals.iter().map(|total| Lot {
        max_total: total.max_total,
        members: total
            .pictures
            .iter()
            .filter_map(|picture| index(&picture.largest))
            .collect(),
    });
    Sharing::new(sharers.iter().map(Sharer::member).collect(), lots.collect())
}

/// What became of each total.
pub fn told(plan: &Plan, report: &FiringReport) -> Vec<TotalReport> {
    let pieces = report
        .originals
        .iter()
        .flat_map(|original| &original.pieces);
    let accounts: HashMap<&str, &Account> = pieces
        .filter_map(|piece| Some((piece.name.as_str(), &piece.written()?.account)))
        .collect();
    let totals = plan.totals.iter().map(|total| {
        let heaviest = |picture: &SharingPicture| {
            let made = picture.pieces();
            let made = made.filter_map(|name| Some((name, *accounts.get(name.as_str())?)));
            let heaviest = made.max_by_key(|(_, account)| account.weight);
            heaviest.map(|(name, account)| (name.clone(), account.weight))
        };
        let mut heaviest: Vec<(String, u64)> = total.pictures.iter().filter_map(heaviest).collect();
        heaviest.sort_by(|a, b| b.1.cmp(&a.1).then(a.0.cmp(&b.0)));
        let largest = total.pictures.iter().map(|picture| &picture.largest);
        let scores = largest.filter_map(|name| Some((name, accounts.get(name.as_str())?.score)));
        let worst = scores.min_by(|a, b| a.1.total_cmp(&b.1));
        TotalReport {
            page: total.page.clone(),
            format: total.format,
            max_total: total.max_total,
            weight: heaviest.iter().map(|(_, weight)| weight).sum(),
            pictures: match report.dry_run {
                true => total.pictures.len(),
                false => heaviest.len(),
            },
            worst: worst.map(|(name, score)| (name.clone(), score)),
            heaviest,
        }
    });
    totals.collect()
}
