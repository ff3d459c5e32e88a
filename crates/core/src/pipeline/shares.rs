//! Totals that pictures share: which attempt stands for each piece, and which are to be made to
//! know that.

use std::collections::{BTreeMap, BTreeSet, HashMap};

use serde::{Deserialize, Serialize};

use super::account::{Account, Attempt, Order, Ordered};
use crate::budget::{Aim, Lot, Member, Point, Sharing, Verdict};
use crate::encode::Format;
use crate::plan::{
    CodingWish, LookWish, Placement, Plan, PlannedPiece, SharedTotal, SharingPicture,
};

/// A piece as it stands.
#[derive(Clone, Debug, PartialEq)]
pub struct Standing {
    /// Its format.
    pub format: Format,
    /// How it came about.
    pub account: Account,
    /// The part that it had in totals when it was made, if it had one.
    pub part: Option<Part>,
}

/// How a piece came to its part in the totals that it shares.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Part {
    /// How many of its attempts were made for itself, before there was anything to share.
    pub own: usize,
    /// The index of the attempt that would have been kept then.
    pub kept: usize,
    /// What that would have counted as.
    pub verdict: Option<Verdict>,
    /// The most that it may weigh, where it is the smaller copy of a picture that was pressed.
    pub within: Option<u64>,
}

/// What comes of a piece that shares.
#[derive(Clone, Debug, PartialEq)]
pub struct Settled {
    /// Its key.
    pub key: String,
    /// Its part.
    pub part: Part,
    /// What is to be made of it; `None` where it stands as it shall.
    pub order: Option<Order>,
}

/// All pieces that share totals.
pub struct Shares<'a> {
    totals: &'a [SharedTotal],
    /// The largest piece of each picture, by their keys.
    largest: Vec<Sharer<'a>>,
    smaller: BTreeMap<&'a str, Sharer<'a>>,
    sharing: Sharing,
}

impl<'a> Shares<'a> {
    /// Those of a plan that stand; one that could not be made has no part in it.
    pub fn new(plan: &'a Plan, standing: impl Fn(&PlannedPiece) -> Option<Standing>) -> Shares<'a> {
        let pieces = plan.jobs.iter().flat_map(|job| job.pieces());
        let pieces: HashMap<&str, _> = pieces
            .map(|(placement, _, piece)| (piece.key(), (placement, piece)))
            .collect();
        let sharer = |key: &'a str| {
            let (placement, piece) = pieces.get(key)?;
            Sharer::new(piece, placement, standing(piece)?)
        };
        let pictures = || plan.totals.iter().flat_map(|total| &total.pictures);
        let keys: BTreeSet<&str> = pictures().map(|one| one.largest.as_str()).collect();
        let largest: Vec<Sharer<'_>> = keys.into_iter().filter_map(sharer).collect();
        let keys = pictures().flat_map(|picture| &picture.smaller);
        let smaller = keys.filter_map(|key| Some((key.as_str(), sharer(key)?)));
        Shares {
            totals: &plan.totals,
            sharing: sharing(&largest, &plan.totals),
            smaller: smaller.collect(),
            largest,
        }
    }

    /// What is to be tried, by the keys of pieces; nothing once the totals can be shared as well as
    /// they will be.
    pub fn wants(&mut self) -> Vec<(String, Order)> {
        let order = |(index, look): (usize, f32)| {
            let Sharer { piece, trail, .. } = &self.largest[index];
            let order = Order {
                what: Ordered::Look { look },
                known: trail.clone(),
            };
            (piece.key().to_owned(), order)
        };
        self.sharing.wants().into_iter().map(order).collect()
    }

    /// Takes in all the attempts that were made at a piece so far.
    pub fn learn(&mut self, key: &str, trail: Vec<Attempt>) {
        let place = self
            .largest
            .binary_search_by(|sharer| sharer.piece.key().cmp(key));
        if let Ok(index) = place {
            self.largest[index].trail = trail;
            self.sharing.learn(index, self.largest[index].points());
        }
    }

    /// What comes of every piece.
    pub fn settled(&self) -> Vec<Settled> {
        let mut settled = Vec::new();
        let mut weights = HashMap::new();
        for (sharer, choice) in self.largest.iter().zip(self.sharing.choice()) {
            let chosen = choice.map_or(sharer.kept, |choice| sharer.options()[choice]);
            weights.insert(sharer.piece.key(), sharer.trail[chosen].weight);
            settled.push(sharer.as_chosen(chosen));
        }
        for (key, most) in caps(self.totals, &weights) {
            let smaller = self.smaller.get(key);
            settled.extend(smaller.map(|smaller| smaller.within(most)));
        }
        settled
    }
}

/// The most that each smaller copy of a picture may weigh: as much as the largest.
fn caps<'a>(totals: &'a [SharedTotal], weights: &HashMap<&str, u64>) -> BTreeMap<&'a str, u64> {
    let mut caps = BTreeMap::new();
    for picture in totals.iter().flat_map(|total| &total.pictures) {
        if let Some(&most) = weights.get(picture.largest.as_str()) {
            for key in &picture.smaller {
                let cap = caps.entry(key.as_str()).or_insert(most);
                *cap = most.min(*cap);
            }
        }
    }
    caps
}

fn sharing(sharers: &[Sharer<'_>], totals: &[SharedTotal]) -> Sharing {
    let index = |picture: &SharingPicture| {
        let key = picture.largest.as_str();
        let found = sharers.binary_search_by(|sharer| sharer.piece.key().cmp(key));
        found.ok()
    };
    let lots = totals.iter().map(|total| Lot {
        max_total: total.max_total,
        members: total.pictures.iter().filter_map(index).collect(),
    });
    Sharing::new(sharers.iter().map(Sharer::member).collect(), lots.collect())
}

/// A piece that shares.
struct Sharer<'a> {
    piece: &'a PlannedPiece,
    /// The look that was wanted of it for itself, where it can be had at others.
    look: Option<LookWish>,
    max_weight: Option<u64>,
    standing: Standing,
    /// What is known of it: at first what was tried for itself.
    trail: Vec<Attempt>,
    own: usize,
    /// The attempt that would be kept for itself.
    kept: usize,
}

impl<'a> Sharer<'a> {
    /// `None` where what is said of it does not hold together.
    fn new(
        piece: &'a PlannedPiece,
        placement: &Placement,
        standing: Standing,
    ) -> Option<Sharer<'a>> {
        let mut trail = standing.account.trail.clone();
        let kept = match &standing.part {
            Some(part) => {
                trail.truncate(part.own);
                part.kept
            }
            None => standing.account.kept(standing.format)?,
        };
        let shrunk = standing.account.shrunk.is_some();
        (kept < trail.len()).then_some(Sharer {
            piece,
            look: match placement.coding {
                CodingWish::Look(look) if !shrunk => Some(look),
                _ => None,
            },
            max_weight: placement.max_weight,
            standing,
            own: trail.len(),
            trail,
            kept,
        })
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

    /// It stands as the attempt that was chosen.
    fn as_chosen(&self, chosen: usize) -> Settled {
        let attempt = self.trail[chosen];
        let part = self.part(None);
        let stands = self.standing.account.is_of(self.standing.format, &attempt);
        let reaches = self
            .look
            .is_some_and(|look| look.aim == Aim::Lightest && attempt.score >= look.look);
        let verdict = if chosen == self.kept {
            part.verdict
        } else if reaches {
            Some(Verdict::Met)
        } else {
            Some(Verdict::Shared)
        };
        let order = || self.order(Ordered::Same { attempt, verdict });
        self.settled(part, (!stands).then(order))
    }

    /// The smaller copy of a picture is no heavier than the largest.
    fn within(&self, most: u64) -> Settled {
        if self.trail[self.kept].weight <= most {
            return self.as_chosen(self.kept);
        }
        let part = self.part(Some(most));
        let before = self.standing.part;
        let stands = before.is_some_and(|before| before.within == Some(most));
        let order = || self.order(Ordered::Within { max_weight: most });
        self.settled(part, (!stands).then(order))
    }

    fn part(&self, within: Option<u64>) -> Part {
        let before = self.standing.part;
        let verdict = before.map_or(self.standing.account.verdict, |part| part.verdict);
        Part {
            own: self.own,
            kept: self.kept,
            verdict,
            within,
        }
    }

    fn order(&self, what: Ordered) -> Order {
        let known = self.trail.clone();
        Order { what, known }
    }

    fn settled(&self, part: Part, order: Option<Order>) -> Settled {
        let key = self.piece.key().to_owned();
        Settled { key, part, order }
    }
}
