//! Few colours for many: the samples are cut apart where they vary most (after Wu, 1991), and the
//! middles of the groups moved until each sample has the nearest (Lloyd, 1982).

use super::colours::{Class, Entries, Point, distance, nearest_colour};
use super::gather::Sample;

/// A palette holds so many.
const MOST: usize = 256;

/// So often middles are moved at most: more changes weights by less than a thousandth.
const ROUNDS: usize = 8;

/// A middle that moves no further than this, squared, has settled.
const SETTLED: f32 = 1e-8;

/// A colour that lies further than this from the middle of its group would turn into another: what was
/// red would become brown, and the soft edge of a letter green.
const OTHER: f32 = 0.1;

/// How much further apart colours of different hues look than shades of one.
const HUE: f32 = 2.0;

/// So little of a colour is not missed: noise in photos.
const SPECK: f32 = 3.0;

/// A colour of which so much of its group is, in areas of nothing else, stays what it is.
const FILLING: f32 = 0.3;

/// So many colours that stand for all samples, by class, and then in order: fewer where there are no more,
/// and more, up to 256, where a colour would turn into another.
pub(super) fn palette(samples: &[Sample], most: usize) -> Vec<[u8; 4]> {
    let mut samples = samples.to_vec();
    samples.sort_unstable_by_key(|sample| (sample.class, sample.colour));
    let mut middles = middles(&mut samples, most);
    for _ in 0..ROUNDS {
        if !settle(&samples, &mut middles) {
            break;
        }
    }
    finished(&samples, &middles)
}

/// A part of the samples.
struct Group {
    from: usize,
    to: usize,
    /// What it varies by: the sum of squares around its middle.
    spread: f64,
    /// The direction in which it varies most.
    axis: usize,
    /// Whether it holds a colour that would turn into another.
    strays: bool,
}

/// The weighted mean of samples.
fn middle(samples: &[Sample]) -> Point {
    let mut sum = Sum::default();
    samples.iter().for_each(|sample| sum.add(sample));
    sum.mean().unwrap_or_default()
}

/// Weighted samples, added up.
#[derive(Clone, Default)]
struct Sum {
    point: [f64; 4],
    weight: f64,
}

impl Sum {
    fn add(&mut self, sample: &Sample) {
        let weight = f64::from(sample.weight);
        for (sum, part) in self.point.iter_mut().zip(sample.point) {
            *sum += f64::from(part) * weight;
        }
        self.weight += weight;
    }

    fn mean(&self) -> Option<Point> {
        (self.weight > 0.0).then(|| self.point.map(|sum| (sum / self.weight) as f32))
    }
}

impl Group {
    fn of(samples: &[Sample], from: usize, to: usize) -> Group {
        let part = &samples[from..to];
        let middle = middle(part);
        let mut spread = [0.0f64; 4];
        for sample in part {
            for ((spread, value), middle) in spread.iter_mut().zip(sample.point).zip(middle) {
                let off = f64::from(value - middle);
                *spread += off * off * f64::from(sample.weight);
            }
        }
        let axis = (0..4).max_by(|&a, &b| spread[a].total_cmp(&spread[b]));
        let strays = |sample: &Sample| {
            let hued = |[light, alpha, red, yellow]: Point| [light, alpha, red * HUE, yellow * HUE];
            let apart = distance(hued(sample.point), hued(middle));
            sample.weight > SPECK && apart > OTHER * OTHER
        };
        Group {
            strays: part.iter().any(strays),
            from,
            to,
            spread: spread.iter().sum(),
            axis: axis.unwrap_or(0),
        }
    }

    /// Where it is cut: what both sides vary by comes to the least there. Its samples are brought
    /// into order along its axis.
    fn cut(&self, samples: &mut [Sample]) -> Option<usize> {
        let axis = self.axis;
        let part = &mut samples[self.from..self.to];
        part.sort_unstable_by(|a, b| {
            let along = a.point[axis].total_cmp(&b.point[axis]);
            along.then(a.colour.cmp(&b.colour))
        });
        let sums = |sample: &Sample| {
            let (value, weight) = (f64::from(sample.point[axis]), f64::from(sample.weight));
            (weight, weight * value)
        };
        let add = |a: (f64, f64), b: (f64, f64)| (a.0 + b.0, a.1 + b.1);
        let all = part.iter().map(sums).fold((0.0, 0.0), add);
        let (mut left, mut best, mut place) = ((0.0, 0.0), f64::MIN, None);
        for (i, sample) in part.iter().enumerate().take(part.len() - 1) {
            left = add(left, sums(sample));
            let right = (all.0 - left.0, all.1 - left.1);
            // The larger the squares of both middles are, the less is left around them.
            let squares = left.1 * left.1 / left.0 + right.1 * right.1 / right.0;
            if squares > best {
                (best, place) = (squares, Some(self.from + i + 1));
            }
        }
        place
    }
}

/// The middles of so many groups of sorted samples, by class.
fn middles(samples: &mut [Sample], most: usize) -> Vec<(Point, Class)> {
    let mut groups = Vec::new();
    let mut from = 0;
    for part in samples.chunk_by(|a, b| a.class == b.class) {
        groups.push(Group::of(samples, from, from + part.len()));
        from += part.len();
    }
    while groups.len() < most || (groups.len() < MOST && groups.iter().any(|group| group.strays)) {
        let can_be_cut = |&i: &usize| groups[i].to - groups[i].from > 1 && groups[i].spread > 0.0;
        // However little there is of a colour, it comes before finer shades of others.
        let by_spread = |a: &usize, b: &usize| {
            let [a, b] = [a, b].map(|i| &groups[*i]);
            a.strays.cmp(&b.strays).then(a.spread.total_cmp(&b.spread))
        };
        let Some(widest) = (0..groups.len()).filter(can_be_cut).max_by(by_spread) else {
            break;
        };
        let Group { from, to, .. } = groups[widest];
        let Some(at) = groups[widest].cut(samples) else {
            groups[widest].spread = 0.0;
            groups[widest].strays = false;
            continue;
        };
        groups[widest] = Group::of(samples, from, at);
        groups.push(Group::of(samples, at, to));
    }
    let of = |group: &Group| {
        let part = &samples[group.from..group.to];
        (middle(part), part[0].class)
    };
    let mut middles: Vec<(Point, Class)> = groups.iter().map(of).collect();
    middles.sort_by_key(|(_, class)| *class);
    middles
}

/// Moves each middle to the mean of the samples that have it for their nearest; `false` where none
/// moved far.
fn settle(samples: &[Sample], middles: &mut [(Point, Class)]) -> bool {
    let entries = Entries::new(middles.iter().copied());
    let mut sums = vec![Sum::default(); middles.len()];
    for sample in samples {
        sums[entries.nearest(sample.point, sample.class).0].add(sample);
    }
    let mut furthest = 0.0f32;
    for ((middle, _), sum) in middles.iter_mut().zip(sums) {
        if let Some(mean) = sum.mean() {
            furthest = furthest.max(distance(*middle, mean));
            *middle = mean;
        }
    }
    furthest > SETTLED
}

/// The colours of the middles; one that fills areas stays what it is.
fn finished(samples: &[Sample], middles: &[(Point, Class)]) -> Vec<[u8; 4]> {
    let entries = Entries::new(middles.iter().copied());
    // Of each group its weight, and the sample of which most lies in flat areas.
    let mut groups: Vec<(f32, Option<&Sample>)> = vec![(0.0, None); middles.len()];
    for sample in samples {
        let (all, flattest) = &mut groups[entries.nearest(sample.point, sample.class).0];
        *all += sample.weight;
        if flattest.is_none_or(|flattest| sample.flat > flattest.flat) {
            *flattest = Some(sample);
        }
    }
    let colour = |(&(point, class), (all, flattest)): (&(Point, Class), (f32, Option<&Sample>))| {
        match flattest {
            Some(sample) if sample.flat > all * FILLING => sample.colour,
            _ => nearest_colour(point, class),
        }
    };
    let mut colours: Vec<[u8; 4]> = middles.iter().zip(groups).map(colour).collect();
    colours.sort_unstable_by_key(|colour| (Class::of(colour[3]), *colour));
    colours.dedup();
    colours
}
