//! The deblocking filter (section 7.14): edges of transform blocks made smooth, where they are no edges of the picture.

use super::Outline;
use crate::picture::Plane;

/// Filters a plane, by its number, by levels for vertical and horizontal edges of luma, blue and red, in those rows of
/// units that count.
pub(super) fn deblock(
    (index, plane): (usize, &mut Plane),
    outline: &Outline,
    levels: [u8; 4],
    counts: impl Fn(usize) -> bool,
) {
    if levels[..2] == [0, 0] {
        return;
    }
    for is_vertical in [true, false] {
        let level = match index {
            0 => levels[usize::from(!is_vertical)],
            _ => levels[index + 1],
        };
        if level > 0 {
            edges(plane, outline, (index, is_vertical), level, &counts);
        }
    }
}

/// What a level comes to.
#[derive(Clone, Copy)]
struct Limits {
    inner: i32,
    outer: i32,
    high: i32,
    flat: i32,
    /// The largest sample, and half of all.
    most: i32,
    half: i32,
}

fn edges(
    plane: &mut Plane,
    outline: &Outline,
    (index, is_vertical): (usize, bool),
    level: u8,
    counts: &impl Fn(usize) -> bool,
) {
    let (across, down) = outline.units(index);
    let (shift_x, shift_y) = outline.chroma.shift(index);
    let bits = outline.depth.bits();
    let level = i32::from(level);
    let limits = Limits {
        inner: level.max(1) << (bits - 8),
        outer: (2 * (level + 2) + level.max(1)) << (bits - 8),
        high: (level >> 4) << (bits - 8),
        flat: 1 << (bits - 8),
        most: (1 << bits) - 1,
        half: 1 << (bits - 1),
    };
    let units = &outline.transforms[index];
    let pitch = plane.width();
    let (along, over) = if is_vertical { (pitch, 1) } else { (1, pitch) };
    for y in (0..down).filter(|&y| counts(y)) {
        for x in 0..across {
            // What lies beyond the picture is not filtered.
            if (x << shift_x) * 4 >= outline.size.0 || (y << shift_y) * 4 >= outline.size.1 {
                continue;
            }
            let unit = units[y * across + x];
            let (is_edge, own, before) = match is_vertical {
                true if x > 0 => (unit.is_left, unit.w, units[y * across + x - 1].w),
                false if y > 0 => (unit.is_top, unit.h, units[(y - 1) * across + x].h),
                _ => continue,
            };
            if !is_edge {
                continue;
            }
            let longest = if index == 0 { 4 } else { 3 };
            let length = own.min(before).min(longest);
            let start = y * 4 * pitch + x * 4;
            for line in 0..4 {
                smooth(
                    plane.samples_mut(),
                    start + line * along,
                    over,
                    (length, index > 0),
                    limits,
                );
            }
        }
    }
}

/// One line across an edge.
fn smooth(
    samples: &mut [u16],
    at: usize,
    over: usize,
    (length, is_chroma): (u8, bool),
    limits: Limits,
) {
    // So many samples on each side are looked at.
    let reach = match (length, is_chroma) {
        (2, _) => 2,
        (_, true) => 3,
        (3, _) => 4,
        _ => 7,
    };
    // Those before the edge, the nearest first, and those behind it.
    let mut before = [0; 7];
    let mut behind = [0; 7];
    for place in 0..reach {
        before[place] = i32::from(samples[at - (place + 1) * over]);
        behind[place] = i32::from(samples[at + place * over]);
    }
    let off = |a: i32, b: i32| (a - b).abs();
    let [p, q] = [&before, &behind];
    let near = reach.min(4);
    let is_calm =
        |side: &[i32; 7]| (1..near).all(|place| off(side[place], side[place - 1]) <= limits.inner);
    if !is_calm(p) || !is_calm(q) || off(p[0], q[0]) * 2 + off(p[1], q[1]) / 2 > limits.outer {
        return;
    }
    let is_flat = |side: &[i32; 7], places: std::ops::Range<usize>| {
        places
            .into_iter()
            .all(|place| off(side[place], side[0]) <= limits.flat)
    };
    let both = |places: std::ops::Range<usize>| is_flat(p, places.clone()) && is_flat(q, places);
    if length > 2 && both(1..near) {
        let (taps, wide) = match reach {
            7 if both(4..7) => (6, 1),
            3 => (2, 1),
            _ => (3, 0),
        };
        return flatly(samples, at, over, (p, q), (taps, wide));
    }
    let is_high = off(p[1], p[0]) > limits.high || off(q[1], q[0]) > limits.high;
    narrowly(samples, at, over, (p, q), is_high, limits);
}

/// Means over so many samples each way, of which so many count twice.
fn flatly(
    samples: &mut [u16],
    at: usize,
    over: usize,
    (p, q): (&[i32; 7], &[i32; 7]),
    (taps, twice): (i32, i32),
) {
    let shift = if taps == 6 { 4 } else { 3 };
    let sample = |place: i32| match place.clamp(-taps - 1, taps) {
        place @ ..0 => p[(-place - 1) as usize],
        place => q[place as usize],
    };
    // Sums around a place, which go along with it.
    let around = |far: i32| (-far..=far).map(|tap| sample(tap - taps)).sum::<i32>();
    let (mut all, mut near) = (around(taps), around(twice));
    let mut target = at - taps as usize * over;
    for place in -taps..taps {
        samples[target] = ((all + near + (1 << (shift - 1))) >> shift) as u16;
        target += over;
        all += sample(place + 1 + taps) - sample(place - taps);
        near += sample(place + 1 + twice) - sample(place - twice);
    }
}

/// The nearest samples moved towards each other.
fn narrowly(
    samples: &mut [u16],
    at: usize,
    over: usize,
    (p, q): (&[i32; 7], &[i32; 7]),
    is_high: bool,
    limits: Limits,
) {
    let Limits { most, half, .. } = limits;
    let cut = |value: i32| value.clamp(-half, half - 1);
    let base = if is_high { cut(p[1] - q[1]) } else { 0 };
    let filter = cut(base + 3 * (q[0] - p[0]));
    let behind = cut(filter + 4) >> 3;
    let before = cut(filter + 3) >> 3;
    let mut set = |place: usize, value: i32| samples[place] = value.clamp(0, most) as u16;
    set(at, q[0] - behind);
    set(at - over, p[0] + before);
    if !is_high {
        let further = (behind + 1) >> 1;
        set(at + over, q[1] - further);
        set(at - 2 * over, p[1] + further);
    }
}
