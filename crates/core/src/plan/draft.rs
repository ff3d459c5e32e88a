//! What is settled of all originals together: which of them are shown, their numbers, names that cannot be. Each
//! one's job follows from that when it is wanted, so that a plan for a million need not be held.

use std::collections::hash_map;
use std::collections::{BTreeSet, HashMap};
use std::ops::Range;

use rayon::prelude::*;
use xxhash_rust::xxh3::xxh3_64;

use super::parts::{self, Encodes};
use super::trouble::{self, Trouble, concerns};
use super::{Job, Original, Placement, Plan, SharedTotal, Site, Wish, placement, total};

/// Jobs that are held at a time where each is only looked at.
const TOGETHER: usize = 512;

/// A plan of which no job was made yet.
#[derive(Clone, Debug)]
pub struct Draft {
    site: Site,
    numbers: Numbers,
    /// Originals that are shown and can be planned for, by their indices among those given, in order.
    pub shown: Vec<usize>,
    /// Originals that no place shows, in the same way.
    pub left_out: Vec<usize>,
    /// Places that show no original.
    pub idle: Vec<String>,
}

impl Draft {
    /// Drafts a plan for all originals but those of which a name cannot be: each of them is a [`Trouble`].
    pub fn new(originals: &[impl AsRef<Original> + Sync], site: &Site) -> (Draft, Vec<Trouble>) {
        let mut draft = Draft::with(Numbers::of(originals, site), site);
        draft.idle = draft.numbers.idle(site);
        let mut names = Names::default();
        let (mut shown, mut left_out) = (Vec::new(), Vec::new());
        draft.each(originals, |index, job| {
            if job.placements.is_empty() {
                left_out.push(index);
            } else {
                shown.push(index);
                names.take_in(index, job);
            }
        });
        (draft.shown, draft.left_out) = (shown, left_out);
        // Few are suspect, and of those all is known once more.
        let suspect: Vec<usize> = names.suspect.into_iter().collect();
        let jobs = draft.jobs(&suspect, originals);
        let troubles = trouble::find(&jobs, &suspect);
        draft.shown.retain(|&index| !concerns(&troubles, index));
        (draft, troubles)
    }

    fn with(numbers: Numbers, site: &Site) -> Draft {
        Draft {
            site: site.clone(),
            numbers,
            shown: Vec::new(),
            left_out: Vec::new(),
            idle: Vec::new(),
        }
    }

    /// Which of so many parts makes each original that is shown, by its index; none for the others. It does not hang
    /// on anything that only one part knows.
    pub fn parts(
        originals: &[impl AsRef<Original> + Sync],
        site: &Site,
        parts: u32,
        encodes: &Encodes,
    ) -> Vec<Option<u32>> {
        // No name matters to what a job costs.
        let draft = Draft::with(Numbers::none(site), site);
        let mut of = vec![None; originals.len()];
        let (mut indices, mut costs) = (Vec::new(), Vec::new());
        draft.each(originals, |index, job| {
            if !job.placements.is_empty() {
                indices.push(index);
                costs.push(parts::cost(job, encodes));
            }
        });
        let names = indices
            .iter()
            .map(|&index| originals[index].as_ref().name.as_str());
        let shared_out = parts::shared_out(names.zip(costs), parts);
        for (index, part) in indices.into_iter().zip(shared_out) {
            of[index] = Some(part);
        }
        of
    }

    /// Makes all jobs, some at a time, and shows each.
    fn each(&self, originals: &[impl AsRef<Original> + Sync], mut show: impl FnMut(usize, &Job)) {
        let all: Vec<usize> = (0..originals.len()).collect();
        for indices in all.chunks(TOGETHER) {
            for (&index, job) in indices.iter().zip(&self.jobs(indices, originals)) {
                show(index, job);
            }
        }
    }

    /// What originals become, by their indices.
    fn jobs(&self, indices: &[usize], originals: &[impl AsRef<Original> + Sync]) -> Vec<Job> {
        let indices = indices.par_iter();
        indices
            .map(|&index| self.job(index, originals[index].as_ref()))
            .collect()
    }

    /// What an original becomes, which was given at that index.
    pub fn job(&self, index: usize, original: &Original) -> Job {
        let placed = |(place, name, wish): (usize, Option<&str>, &Wish)| {
            let totals = self.site.totals.iter();
            let held = totals.filter(|total| total.holds(&original.name, name));
            let totals = held.map(|total| (total.page.clone(), total.max_total));
            let number = self.numbers.of_one(place, index);
            placement(original, name, wish, number, totals.collect())
        };
        let wishes = self.site.shown(&original.name).into_iter();
        let placements: Vec<Placement> = wishes.map(placed).collect();
        Job {
            original: original.clone(),
            placements,
        }
    }

    /// What the pictures of its originals share.
    pub fn totals(&self, originals: &[impl AsRef<Original> + Sync]) -> Vec<SharedTotal> {
        if self.site.totals.is_empty() {
            Vec::new()
        } else {
            self.plan(originals).totals
        }
    }

    /// Whether there is any total that pictures may share.
    pub fn has_totals(&self) -> bool {
        !self.site.totals.is_empty()
    }

    /// The plan of some of those that are shown, by their places among them.
    pub fn plan_of(&self, places: Range<usize>, originals: &[impl AsRef<Original> + Sync]) -> Plan {
        let jobs = self.jobs(&self.shown[places], originals);
        Plan {
            totals: total::shared(&jobs, &self.site),
            jobs,
            left_out: Vec::new(),
            idle: Vec::new(),
        }
    }

    /// The plan of all that are shown.
    pub fn plan(&self, originals: &[impl AsRef<Original> + Sync]) -> Plan {
        Plan {
            left_out: self.left_out.clone(),
            idle: self.idle.clone(),
            ..self.plan_of(0..self.shown.len(), originals)
        }
    }
}

/// Names of pieces, by digests: those that meet, and those that cannot be, are looked at again.
#[derive(Default)]
struct Names {
    owners: HashMap<u64, u32>,
    suspect: BTreeSet<usize>,
}

impl Names {
    fn take_in(&mut self, index: usize, job: &Job) {
        for (placement, _, piece) in job.pieces() {
            for name in piece.names() {
                if trouble::unfit(placement, name).is_some() {
                    self.suspect.insert(index);
                }
                match self.owners.entry(xxh3_64(name.to_lowercase().as_bytes())) {
                    hash_map::Entry::Vacant(free) => {
                        free.insert(index as u32);
                    }
                    hash_map::Entry::Occupied(owner) => {
                        self.suspect.extend([*owner.get() as usize, index]);
                    }
                }
            }
        }
    }
}

/// The numbers of originals in their places, in natural order: 2 before 10.
#[derive(Clone, Debug)]
struct Numbers {
    /// For each place, and for what is made without one.
    places: Vec<Series>,
}

/// The originals of a place.
#[derive(Clone, Debug, Default)]
struct Series {
    /// How many there are.
    count: usize,
    /// The number of each, by its index, where names want those.
    numbers: HashMap<usize, usize>,
}

impl Numbers {
    /// Those of no originals.
    fn none(site: &Site) -> Numbers {
        Numbers {
            places: vec![Series::default(); site.places.len() + 1],
        }
    }

    fn of(originals: &[impl AsRef<Original>], site: &Site) -> Numbers {
        let name = |index: usize| originals[index].as_ref().name.as_str();
        let mut order: Vec<usize> = (0..originals.len()).collect();
        let wants_number = site.wishes().any(|wish| wish.name.wants_number());
        if wants_number {
            order.sort_by(|&a, &b| natord::compare_ignore_case(name(a), name(b)));
        }
        let mut places = Numbers::none(site).places;
        for index in order {
            for (place, _, wish) in site.shown(name(index)) {
                let series = &mut places[place];
                series.count += 1;
                if wish.name.wants_number() {
                    series.numbers.insert(index, series.count);
                }
            }
        }
        Numbers { places }
    }

    /// The number of an original in a place, and the digits of the last number there.
    fn of_one(&self, place: usize, original: usize) -> (usize, usize) {
        let Series { count, numbers } = &self.places[place];
        let number = numbers.get(&original).copied().unwrap_or(0);
        (number, count.to_string().len())
    }

    fn idle(&self, site: &Site) -> Vec<String> {
        let places = site.places.iter().zip(&self.places);
        let idle = places.filter(|(_, series)| series.count == 0);
        idle.map(|(place, _)| place.name.clone()).collect()
    }
}
