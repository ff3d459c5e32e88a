//! One total of bytes for many pictures, shared so that the worst of them looks as good as can be:
//! on the weights and scores of files that were made, not on guesses. Where a picture is to lie
//! between two of its files is told by a line through them; then it is made, and the total is
//! shared again.

use std::cmp::Ordering;

use super::CLOSE;

/// Files are found this much above the look that they are made for, in the mean.
const USUALLY_ABOVE: f64 = 0.2;

/// Where nothing that was made is light enough, pictures are tried so much lower, and twice as
/// much the next time.
const STEP: f32 = 12.0;

/// A picture that was tried this near to a look is not tried again.
const NEAR: f32 = 0.1;

/// Who lacks a file just below its level is tried down to so much below.
const DEEPEST: f32 = 6.0;

/// How much heavier, as a logarithm, a file is for one point of score more, usually and at most. On
/// photos between the looks 50 and 75: 0.02 to 0.05.
const USUAL_SLOPE: f64 = 0.035;
const STEEPEST: f64 = 0.05;

/// A total is given up where what is foretold is so many times what it allows.
const SURELY_ABOVE: f64 = 1.25;

/// Files are made for a total at most so often.
const ROUNDS: usize = 8;

/// A file that was made of a picture.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Point {
    /// Bytes.
    pub weight: u64,
    /// Its visual score.
    pub score: f32,
}

/// One of those who share.
#[derive(Clone, Debug, PartialEq)]
pub struct Member {
    /// The visual score beyond which it needs no more bytes.
    pub look: f32,
    /// The lowest that is acceptable.
    pub least: f32,
    /// The most that it may weigh of its own, in bytes.
    pub max_weight: Option<u64>,
    /// Whether files of other scores can be made of it.
    pub flexible: bool,
    /// The files that were made of it.
    pub points: Vec<Point>,
}

/// A total, and who shares it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Lot {
    /// Bytes for all of them together.
    pub max_total: u64,
    /// Indices of members.
    pub members: Vec<usize>,
}

/// Members who share one total or several, some of them more than one.
#[derive(Clone, Debug)]
pub struct Sharing {
    members: Vec<Member>,
    lots: Vec<Lot>,
    /// The looks that each member was tried at.
    tried: Vec<Vec<f32>>,
    rounds: usize,
    /// How far to go down where nothing is light enough.
    step: f32,
    /// How far below their level those are tried who fell far below it.
    below: f32,
}

/// The files that a member may be represented by, each heavier and better than the one before.
type Ladder = Vec<Rung>;

#[derive(Clone, Copy)]
struct Rung {
    /// Its index among the member's points.
    index: usize,
    weight: u64,
    score: f32,
}

impl Sharing {
    /// Nothing is tried yet.
    pub fn new(members: Vec<Member>, lots: Vec<Lot>) -> Sharing {
        Sharing {
            tried: vec![Vec::new(); members.len()],
            members,
            lots,
            rounds: 0,
            step: STEP,
            below: 0.0,
        }
    }

    /// The looks that files are to be made for, by their members; none once the totals can be
    /// shared as well as they will be.
    pub fn wants(&mut self) -> Vec<(usize, f32)> {
        let ladders = self.ladders();
        let (order, levels) = self.levels(&ladders);
        let chosen = self.chosen(&ladders, order);
        while self.rounds < ROUNDS && self.below <= DEEPEST {
            let wants = self.lacking(&ladders, &levels, &chosen);
            if levels.contains(&f64::NEG_INFINITY) {
                self.step *= 2.0;
            }
            if !wants.is_empty() {
                self.rounds += 1;
                return wants;
            }
            self.below += CLOSE;
        }
        Vec::new()
    }

    /// The looks that lack a file: at the members' levels, or so much below for those who fell
    /// there for want of one.
    fn lacking(
        &mut self,
        ladders: &[Ladder],
        levels: &[f64],
        chosen: &[Rung],
    ) -> Vec<(usize, f32)> {
        let mut wants = Vec::new();
        for (index, (member, &level)) in self.members.iter().zip(levels).enumerate() {
            if !member.flexible || level == f64::INFINITY {
                continue;
            }
            let (first, top) = (ladders[index][0].score, last(&ladders[index]).score);
            let look = match level {
                // It will not be enough: what the least look weighs is all that can be found out.
                f64::NEG_INFINITY if self.is_hopeless(index, ladders) => member.least,
                f64::NEG_INFINITY => first - self.step,
                level => (level - USUALLY_ABOVE) as f32 - self.below,
            };
            let top = top.min(member.look);
            let look = look.clamp(member.least.min(top), top);
            let fell = chosen[index].score < look;
            let near = |tried: &f32| (tried - look).abs() < NEAR;
            let made = |point: &Point| (look..look + CLOSE).contains(&point.score);
            let known = self.tried[index].iter().any(near) || member.points.iter().any(made);
            if !known && (fell || self.below == 0.0) {
                self.tried[index].push(look);
                wants.push((index, look));
            }
        }
        wants
    }

    /// Whether a total that a member is in will be exceeded for all that is known.
    fn is_hopeless(&self, member: usize, ladders: &[Ladder]) -> bool {
        let lots = self.lots.iter().filter(|lot| lot.members.contains(&member));
        let foretold = |lot: &Lot| -> f64 {
            let members = lot.members.iter();
            members
                .map(|&member| self.members[member].foretold(&ladders[member]))
                .sum()
        };
        lots.into_iter()
            .any(|lot| foretold(lot) > SURELY_ABOVE * lot.max_total as f64)
    }

    /// Takes in all the files that were made of a member so far.
    pub fn learn(&mut self, member: usize, points: Vec<Point>) {
        self.members[member].points = points;
    }

    /// For each member the index of the point that represents it; `None` for those that no total
    /// presses. A total is exceeded only where the lightest acceptable files do.
    pub fn choice(&self) -> Vec<Option<usize>> {
        let ladders = self.ladders();
        let (order, levels) = self.levels(&ladders);
        let chosen = self.chosen(&ladders, order).into_iter().zip(levels);
        let index = |(rung, level): (Rung, f64)| (level < f64::INFINITY).then_some(rung.index);
        chosen.map(index).collect()
    }

    /// The rungs that represent the members, by the lots that bind, the tightest first.
    fn chosen(&self, ladders: &[Ladder], order: Vec<usize>) -> Vec<Rung> {
        let mut rungs: Vec<usize> = ladders.iter().map(|ladder| ladder.len() - 1).collect();
        // Each lot lowers what those before it left.
        for lot in order {
            settle(&self.lots[lot], ladders, &mut rungs);
        }
        let chosen = ladders.iter().zip(rungs);
        chosen.map(|(ladder, rung)| ladder[rung]).collect()
    }

    fn ladders(&self) -> Vec<Ladder> {
        self.members.iter().map(Member::ladder).collect()
    }

    /// The lots that bind, the tightest first, and for each member the score down to which they
    /// press it.
    fn levels(&self, ladders: &[Ladder]) -> (Vec<usize>, Vec<f64>) {
        let mut levels = vec![f64::INFINITY; self.members.len()];
        let mut open: Vec<usize> = (0..self.lots.len()).collect();
        let mut order = Vec::new();
        loop {
            let pressed = open.iter().filter_map(|&lot| {
                let level = level(&self.lots[lot], ladders, &levels)?;
                Some((lot, level))
            });
            let Some((lot, level)) = pressed.min_by(|a, b| a.1.total_cmp(&b.1)) else {
                return (order, levels);
            };
            for &member in &self.lots[lot].members {
                levels[member] = levels[member].min(level);
            }
            open.retain(|&other| other != lot);
            order.push(lot);
        }
    }
}

impl Member {
    /// About what its least look weighs, as far as the files that were made of it tell.
    fn foretold(&self, ladder: &[Rung]) -> f64 {
        let (first, top) = (ladder[0], last(ladder));
        let below = first.score - self.least;
        if !self.flexible || below <= 0.0 {
            return first.weight as f64;
        }
        let slope = match top.score - first.score {
            apart if apart >= 1.0 => {
                libm::log(top.weight as f64 / first.weight.max(1) as f64) / f64::from(apart)
            }
            _ => USUAL_SLOPE,
        };
        // Weights fall faster near the top than further down.
        let slope = slope.clamp(0.0, STEEPEST);
        first.weight as f64 * libm::exp(-slope * f64::from(below))
    }

    fn ladder(&self) -> Ladder {
        let points = self.points.iter().enumerate();
        let mut all: Ladder = points
            .map(|(index, point)| Rung {
                index,
                weight: point.weight,
                score: point.score,
            })
            .collect();
        let lightest_first = |a: &Rung, b: &Rung| {
            let by_weight = a.weight.cmp(&b.weight);
            by_weight.then(b.score.total_cmp(&a.score))
        };
        all.sort_by(lightest_first);
        let acceptable = |rung: &&Rung| rung.score >= self.least;
        let fits = |rung: &&Rung| self.max_weight.is_none_or(|most| rung.weight <= most);
        let mut ladder: Ladder = Vec::new();
        for &rung in all.iter().filter(acceptable).filter(fits) {
            if ladder.last().is_none_or(|last| {
                rung.score > last.score && last.score < self.look && rung.weight > last.weight
            }) {
                ladder.push(rung);
            }
        }
        if ladder.is_empty() {
            // What a search would keep: the lightest that is good enough, else the best.
            let best = all.iter().max_by(|a, b| a.score.total_cmp(&b.score));
            ladder.extend(all.iter().find(acceptable).or(best));
        }
        if ladder.is_empty() {
            let (index, weight, score) = (0, 0, 0.0);
            ladder.push(Rung {
                index,
                weight,
                score,
            });
        }
        ladder
    }
}

fn last(ladder: &[Rung]) -> Rung {
    // No ladder is empty.
    ladder[ladder.len() - 1]
}

/// The score that all members of a lot can reach together, but for those that are pressed lower
/// or end lower themselves; `None` where the lot does not bind, and without end below where
/// nothing that was made is light enough.
fn level(lot: &Lot, ladders: &[Ladder], pressed: &[f64]) -> Option<f64> {
    let total = |level: f64| -> f64 {
        let members = lot.members.iter();
        members
            .map(|&member| weight_at(&ladders[member], level.min(pressed[member])))
            .sum()
    };
    let most = lot.max_total as f64;
    if total(f64::INFINITY) <= most {
        return None;
    }
    if total(f64::NEG_INFINITY) > most {
        return Some(f64::NEG_INFINITY);
    }
    let ends = |end: fn(&Ladder) -> f32| lot.members.iter().map(move |&m| end(&ladders[m]));
    let mut low = f64::from(ends(|ladder| ladder[0].score).fold(f32::MAX, f32::min));
    let mut high = f64::from(ends(|ladder| last(ladder).score).fold(f32::MIN, f32::max));
    for _ in 0..40 {
        let middle = (low + high) / 2.0;
        if total(middle) <= most {
            low = middle
        } else {
            high = middle
        }
    }
    Some(low)
}

/// The weight of a file with that score: logarithms of weights lie on lines between rungs.
fn weight_at(ladder: &[Rung], score: f64) -> f64 {
    let after = ladder.partition_point(|rung| f64::from(rung.score) <= score);
    if after == 0 || after == ladder.len() {
        return ladder[after.saturating_sub(1)].weight as f64;
    }
    let (a, b) = (ladder[after - 1], ladder[after]);
    let part = (score - f64::from(a.score)) / f64::from(b.score - a.score);
    let (from, to) = (
        libm::log(a.weight.max(1) as f64),
        libm::log(b.weight as f64),
    );
    libm::exp(from + (to - from) * part)
}

/// Lowers the rungs of a lot's members so that they keep its total: none below the highest floor
/// that they can all keep, and what is left where it brings most score for a byte.
fn settle(lot: &Lot, ladders: &[Ladder], rungs: &mut [usize]) {
    let ladder = |member: usize, rungs: &[usize]| &ladders[member][..=rungs[member]];
    let at = |floor: f32, ladder: &[Rung]| {
        let above = ladder.partition_point(|rung| rung.score < floor);
        above.min(ladder.len() - 1)
    };
    let total = |floor: f32| -> u64 {
        let members = lot.members.iter();
        let weight = |&member: &usize| {
            let ladder = ladder(member, rungs);
            ladder[at(floor, ladder)].weight
        };
        members.map(weight).sum()
    };
    let members = lot.members.iter();
    let mut floors: Vec<f32> = members
        .flat_map(|&member| ladder(member, rungs).iter().map(|rung| rung.score))
        .collect();
    floors.sort_by(f32::total_cmp);
    let kept = floors.partition_point(|&floor| total(floor) <= lot.max_total);
    let floor = kept.checked_sub(1).map_or(f32::MIN, |kept| floors[kept]);
    let mut left = lot.max_total.saturating_sub(total(floor));
    // What each member could have above the floor, on the convex hull of its curve.
    let mut gains: Vec<(usize, Gain)> = Vec::new();
    for &member in &lot.members {
        let ladder = ladder(member, rungs);
        let from = at(floor, ladder);
        gains.extend(hull(ladder, from).into_iter().map(|gain| (member, gain)));
        rungs[member] = from;
    }
    // The steepest of all first: those of one member come in their order.
    gains.sort_by(|a, b| b.1.slope.total_cmp(&a.1.slope));
    for (member, gain) in gains {
        if rungs[member] == gain.from && gain.bytes <= left {
            rungs[member] = gain.to;
            left -= gain.bytes;
        }
    }
}

/// A step from one rung to a better one.
struct Gain {
    from: usize,
    to: usize,
    bytes: u64,
    /// Score for a byte.
    slope: f64,
}

/// The steps of a ladder's upper convex hull from a rung on, the steepest first.
fn hull(ladder: &[Rung], mut from: usize) -> Vec<Gain> {
    let gain = |from: usize, to: usize| {
        let bytes = ladder[to].weight - ladder[from].weight;
        let score = f64::from(ladder[to].score - ladder[from].score);
        Gain {
            from,
            to,
            bytes,
            slope: score / bytes.max(1) as f64,
        }
    };
    let mut gains = Vec::new();
    let steeper = |a: &Gain, b: &Gain| match a.slope.total_cmp(&b.slope) {
        Ordering::Equal => a.to.cmp(&b.to),
        order => order,
    };
    while let Some(next) = (from + 1..ladder.len())
        .map(|to| gain(from, to))
        .max_by(steeper)
    {
        from = next.to;
        gains.push(next);
    }
    gains
}
