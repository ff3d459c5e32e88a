//! What a picture is made of: its colours, how much each counts, and where steps between them would
//! be seen.

use std::collections::HashMap;

use super::colours::{Class, Point, distance, point};
use super::pixels::Pixels;

/// Neighbours no further apart than this belong to one gradient.
const SMOOTH: f32 = 0.03;

/// Neighbours further apart than this are an edge.
const EDGE: f32 = 0.08;

/// How much pixels in texture and at edges count beside those where errors are seen first.
const BUSY_WEIGHT: f32 = 0.8;
const EDGE_WEIGHT: f32 = 0.6;

/// More distinct colours than this are counted in groups.
const MOST: usize = 1 << 15;

/// A colour of the picture, or a few that hardly differ.
#[derive(Clone, Copy, Debug)]
pub(super) struct Sample {
    pub point: Point,
    pub class: Class,
    /// How much it counts: the more of it there is, and the smoother its surroundings.
    pub weight: f32,
    /// One of the colours itself.
    pub colour: [u8; 4],
    /// How much of it lies in areas of nothing else.
    pub flat: f32,
}

/// What lies around a pixel.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Ground {
    /// Nothing but its own colour.
    Flat,
    /// Colours near its own.
    Smooth,
    /// Texture.
    Busy,
    /// An edge.
    Edge,
}

/// A picture as it is looked at for its colours.
pub(super) struct Gathered {
    /// All its colours, or groups of them.
    pub samples: Vec<Sample>,
    /// Each of its colours once.
    pub colours: Vec<(Point, [u8; 4])>,
    /// Which of them each pixel has.
    pub places: Vec<u32>,
    /// What lies around each pixel.
    pub grounds: Vec<Ground>,
}

impl Gathered {
    /// Looks at a picture.
    pub fn of(pixels: &Pixels<'_>) -> Gathered {
        // There are fewer pixels than such numbers.
        let (colours, places) = pixels.numbered::<u32>().unwrap_or_default();
        let placed = colours.into_iter().map(|colour| (point(colour), colour));
        let colours: Vec<(Point, [u8; 4])> = placed.collect();
        let grounds = grounds(pixels, &places, &colours);
        Gathered {
            samples: samples(&places, &colours, &grounds),
            colours,
            places,
            grounds,
        }
    }
}

/// What lies around each pixel.
fn grounds(pixels: &Pixels<'_>, places: &[u32], colours: &[(Point, [u8; 4])]) -> Vec<Ground> {
    let (width, height) = (pixels.width, pixels.height);
    let mut grounds = Vec::with_capacity(places.len());
    for y in 0..height {
        let rows = y.saturating_sub(1)..(y + 2).min(height);
        for x in 0..width {
            let columns = x.saturating_sub(1)..(x + 2).min(width);
            let own = places[y * width + x];
            let mut ground = Ground::Flat;
            let mut most = 0.0f32;
            for row in rows.clone() {
                for &other in &places[row * width..][columns.clone()] {
                    if other != own {
                        let [one, other] = [own, other].map(|place| colours[place as usize].0);
                        most = most.max(distance(one, other));
                        ground = Ground::Smooth;
                    }
                }
            }
            grounds.push(match most {
                _ if most > EDGE * EDGE => Ground::Edge,
                _ if most > SMOOTH * SMOOTH => Ground::Busy,
                _ => ground,
            });
        }
    }
    grounds
}

/// The colours as they count, in groups where there are very many.
fn samples(places: &[u32], colours: &[(Point, [u8; 4])], grounds: &[Ground]) -> Vec<Sample> {
    let single = |&(point, colour): &(Point, [u8; 4])| Sample {
        point,
        class: Class::of(colour[3]),
        weight: 0.0,
        colour,
        flat: 0.0,
    };
    let mut singles: Vec<Sample> = colours.iter().map(single).collect();
    for (place, ground) in places.iter().zip(grounds) {
        let sample = &mut singles[*place as usize];
        sample.weight += match ground {
            Ground::Flat | Ground::Smooth => 1.0,
            Ground::Busy => BUSY_WEIGHT,
            Ground::Edge => EDGE_WEIGHT,
        };
        if *ground == Ground::Flat {
            sample.flat += 1.0;
        }
    }
    if singles.len() > MOST {
        grouped(&singles)
    } else {
        singles
    }
}

/// Samples that agree in the first bits of their colours are one: its point is their mean.
fn grouped(singles: &[Sample]) -> Vec<Sample> {
    let mut index = HashMap::new();
    let mut groups: Vec<Sample> = Vec::new();
    let mut heaviest: Vec<f32> = Vec::new();
    for single in singles {
        let [r, g, b, alpha] = single.colour;
        let key = (
            single.class,
            [r, g, b].map(|sample| sample >> 2),
            alpha >> 3,
        );
        let place = *index.entry(key).or_insert_with(|| {
            groups.push(Sample {
                point: [0.0; 4],
                weight: 0.0,
                flat: 0.0,
                ..*single
            });
            heaviest.push(0.0);
            groups.len() - 1
        });
        let group = &mut groups[place];
        for (sum, part) in group.point.iter_mut().zip(single.point) {
            *sum += part * single.weight;
        }
        group.weight += single.weight;
        group.flat += single.flat;
        if single.weight > heaviest[place] {
            heaviest[place] = single.weight;
            group.colour = single.colour;
        }
    }
    for group in &mut groups {
        group.point = group.point.map(|sum| sum / group.weight);
    }
    groups
}
