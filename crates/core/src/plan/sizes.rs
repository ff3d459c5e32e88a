//! Pixel sizes of an original: displayed measures times densities, not enlarged unless asked,
//! near-equal ones merged.

use serde::{Deserialize, Serialize};

use crate::pixels::{Frame, Size};

/// Of two measures, the smaller is left out where the larger is at most this many times as long:
/// no browser and no eye gains by the difference.
const NEAR: f64 = 1.04;

/// How large a picture is displayed.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Extent {
    /// At its own size.
    Own,
    /// At these widths, in CSS pixels.
    Widths(Vec<u32>),
    /// At these heights, in CSS pixels.
    Heights(Vec<u32>),
    /// With its longer side as long as this, in CSS pixels.
    LongSide(Vec<u32>),
    /// At this part of its own size, above 0; at most 1 unless it may be enlarged.
    Scale(f64),
}

/// A size to make, and for what.
#[derive(Clone, Debug, PartialEq)]
pub(super) struct Target {
    pub size: Size,
    /// The width that it is displayed at, in CSS pixels.
    pub displayed: f64,
    pub density: f64,
    /// The lowest ratio at which a spot shows it.
    pub seen: f64,
    pub short_of: Option<u32>,
    pub stands_for: Vec<u32>,
}

/// A measure that is asked for.
struct Asked {
    pixels: u32,
    density: f64,
    /// As displayed, in CSS pixels.
    side: f64,
}

/// The sizes of a framed picture, the smallest first; beyond its own only where it is to be
/// enlarged.
pub(super) fn targets(
    frame: Frame,
    extent: &Extent,
    densities: &[f64],
    enlarge: bool,
) -> Vec<Target> {
    let own = frame.whole();
    let measure = |size: Size| match extent {
        Extent::LongSide(_) => size.long_side(),
        Extent::Heights(_) => size.height(),
        _ => size.width(),
    };
    let displayed: Vec<f64> = match extent {
        Extent::Own => return vec![whole(own)],
        Extent::Widths(sides) | Extent::Heights(sides) | Extent::LongSide(sides) => {
            sides.iter().map(|&side| f64::from(side)).collect()
        }
        Extent::Scale(part) => vec![f64::from(own.width()) * part],
    };
    let mut asked: Vec<Asked> = displayed
        .iter()
        .flat_map(|side| {
            densities.iter().map(move |density| {
                let pixels = (side * density).round();
                Asked {
                    pixels: pixels.clamp(1.0, f64::from(Size::MAX_SIDE)) as u32,
                    density: *density,
                    side: *side,
                }
            })
        })
        .collect();
    asked.sort_by(|a, b| {
        let by_density = a.density.total_cmp(&b.density);
        a.pixels.cmp(&b.pixels).then(by_density)
    });
    asked.dedup_by_key(|asked| asked.pixels);
    let longest = if enlarge { u32::MAX } else { measure(own) };
    let filled = asked.partition_point(|asked| asked.pixels <= longest);
    let (fill, beyond) = asked.split_at(filled);
    // A side that is displayed, as the width that goes with it.
    let width = |size: Size, side: f64| side * f64::from(size.width()) / f64::from(measure(size));
    let mut targets: Vec<Target> = Vec::new();
    // Never enlarged: all that is too large becomes one size, the original's own.
    if let (Some(first), Some(last)) = (beyond.first(), beyond.last()) {
        let sides = beyond.iter().map(|asked| asked.side);
        targets.push(Target {
            displayed: width(own, sides.fold(0.0, f64::max)),
            density: first.density,
            short_of: Some(last.pixels),
            ..whole(own)
        });
    }
    for &Asked {
        pixels,
        density,
        side,
    } in fill.iter().rev()
    {
        match targets.last_mut() {
            Some(larger) if f64::from(measure(larger.size)) <= f64::from(pixels) * NEAR => {
                if measure(larger.size) != pixels {
                    larger.stands_for.insert(0, pixels);
                }
                larger.density = larger.density.min(density);
            }
            _ => {
                let size = match extent {
                    Extent::LongSide(_) => frame.at_long_side(pixels),
                    Extent::Heights(_) => frame.at_height(pixels),
                    _ => frame.at_width(pixels),
                };
                targets.push(Target {
                    size,
                    displayed: width(size, side),
                    density,
                    ..whole(own)
                });
            }
        }
    }
    targets.reverse();
    for target in &mut targets {
        // On a sparse screen the widest spot that it fills may show it as well.
        let long = f64::from(measure(target.size));
        let spots = displayed.iter().filter(|&&spot| spot <= long);
        let widest = spots.copied().fold(0.0, f64::max);
        target.seen = target.density;
        if widest > 0.0 {
            target.seen = target.density.min(long / widest);
        }
    }
    targets
}

/// The larger sizes, the largest first, that each size is made through: of those at least twice
/// as wide and high the smallest, and what that is made through. Of the sizes of one picture only
/// the largest is then made from its many rows.
pub(super) fn ways(targets: &[Target]) -> Vec<Vec<Size>> {
    let mut ways: Vec<Vec<Size>> = vec![Vec::new(); targets.len()];
    for (index, target) in targets.iter().enumerate().rev() {
        // Twice as large but for the rounding of a side.
        let doubled = |side: u32, larger: u32| 2 * u64::from(side) <= u64::from(larger) + 1;
        let half = |larger: Size| {
            doubled(target.size.width(), larger.width())
                && doubled(target.size.height(), larger.height())
        };
        let larger = (index + 1..targets.len()).find(|&larger| half(targets[larger].size));
        if let Some(larger) = larger {
            ways[index] = [&ways[larger][..], &[targets[larger].size]].concat();
        }
    }
    ways
}

fn whole(own: Size) -> Target {
    Target {
        size: own,
        displayed: f64::from(own.width()),
        density: 1.0,
        seen: 1.0,
        short_of: None,
        stands_for: Vec::new(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::pixels::Framing;

    fn lines(own: (u32, u32), extent: Extent, densities: &[f64]) -> Vec<String> {
        let own = Size::new(own.0, own.1).expect("a size");
        let line = |target: &Target| {
            let mut line = format!("{} at {}×", target.size, target.density);
            if let Some(short) = target.short_of {
                line += &format!(", short of {short}");
            }
            if !target.stands_for.is_empty() {
                line += &format!(", for {:?} too", target.stands_for);
            }
            line
        };
        let frame = Framing::default().frame(own);
        targets(frame, &extent, densities, false)
            .iter()
            .map(line)
            .collect()
    }

    /// A dense picture for a narrow spot is not too poor for a wider one, which may show it.
    #[test]
    fn sizes_are_seen_at_the_ratio_of_the_widest_spot_that_they_fill() {
        let own = Size::new(6000, 4000).expect("a size");
        let frame = Framing::default().frame(own);
        let extent = Extent::Widths(vec![400, 600]);
        let targets = targets(frame, &extent, &[1.0, 2.0], false);
        let seen: Vec<(u32, f64, f64)> = targets
            .iter()
            .map(|target| (target.size.width(), target.density, target.seen))
            .collect();
        let wanted = [
            (400, 1.0, 1.0),
            (600, 1.0, 1.0),
            (800, 2.0, 800.0 / 600.0),
            (1200, 2.0, 2.0),
        ];
        assert_eq!(seen, wanted);
    }

    #[test]
    fn a_size_knows_how_wide_it_is_displayed() {
        let displayed = |own: (u32, u32), extent: Extent| {
            let own = Size::new(own.0, own.1).expect("a size");
            let frame = Framing::default().frame(own);
            let targets = targets(frame, &extent, &[1.0, 2.0], false).into_iter();
            targets
                .map(|target| (target.size.width(), target.displayed))
                .collect::<Vec<_>>()
        };
        let widths = |widths: &[u32]| Extent::Widths(widths.to_vec());
        // One that cannot fill its spot is displayed in it all the same.
        assert_eq!(
            displayed((1000, 500), widths(&[800])),
            [(800, 800.0), (1000, 800.0)]
        );
        assert_eq!(
            displayed((700, 350), widths(&[400, 800])),
            [(400, 400.0), (700, 800.0)]
        );
        let high = displayed((1000, 2000), Extent::LongSide(vec![640]));
        assert_eq!(high, [(320, 320.0), (640, 320.0)]);
        assert_eq!(displayed((50, 9), Extent::Own), [(50, 50.0)]);
    }

    #[test]
    fn measures_are_multiplied_merged_and_never_enlarged() {
        let widths = |widths: &[u32]| Extent::Widths(widths.to_vec());
        assert_eq!(
            lines((6000, 4000), widths(&[600, 300]), &[1.0, 2.0]),
            ["300×200 at 1×", "600×400 at 1×", "1200×800 at 2×"]
        );
        assert_eq!(
            lines((6000, 4000), widths(&[400, 800, 810, 830, 835]), &[1.0]),
            [
                "400×267 at 1×",
                "800×533 at 1×",
                "835×557 at 1×, for [810, 830] too"
            ]
        );
        assert_eq!(
            lines((1230, 820), widths(&[600, 1200]), &[1.0, 2.0]),
            [
                "600×400 at 1×",
                "1230×820 at 1×, short of 2400, for [1200] too"
            ]
        );
        assert_eq!(
            lines((50, 9), widths(&[60]), &[1.0]),
            ["50×9 at 1×, short of 60"]
        );
        assert_eq!(lines((50, 9), Extent::Own, &[1.0, 2.0]), ["50×9 at 1×"]);
    }

    #[test]
    fn long_sides_and_parts_are_measured_their_own_way() {
        assert_eq!(
            lines((3000, 4000), Extent::LongSide(vec![500]), &[1.0, 1.5]),
            ["375×500 at 1×", "563×750 at 1.5×"]
        );
        assert_eq!(
            lines((3000, 30), Extent::Scale(0.333), &[1.0]),
            ["999×10 at 1×"]
        );
        assert_eq!(
            lines((300, 200), Extent::Scale(0.6), &[1.0, 2.0]),
            ["180×120 at 1×", "300×200 at 2×, short of 360"]
        );
    }

    #[test]
    fn heights_are_measured_upwards_and_enlarging_must_be_asked_for() {
        assert_eq!(
            lines((300, 200), Extent::Heights(vec![60, 150]), &[1.0, 2.0]),
            [
                "90×60 at 1×",
                "180×120 at 2×",
                "225×150 at 1×",
                "300×200 at 2×, short of 300"
            ]
        );
        let own = Size::new(300, 200).expect("a size");
        let frame = Framing::default().frame(own);
        let sizes = |extent: Extent| {
            let targets = targets(frame, &extent, &[1.0, 2.0], true);
            let sizes = targets.iter().map(|target| target.size.to_string());
            sizes.collect::<Vec<_>>()
        };
        assert_eq!(sizes(Extent::Widths(vec![250])), ["250×167", "500×333"]);
        assert_eq!(sizes(Extent::Heights(vec![200])), ["300×200", "600×400"]);
        assert_eq!(sizes(Extent::LongSide(vec![450])), ["450×300", "900×600"]);
        assert_eq!(sizes(Extent::Scale(1.5)), ["450×300", "900×600"]);
        assert_eq!(sizes(Extent::Own), ["300×200"]);
    }

    #[test]
    fn sizes_are_made_through_the_smallest_that_is_twice_as_large() {
        let ways = |widths: &[u32]| {
            let own = Size::new(6000, 4000).expect("a size");
            let frame = Framing::default().frame(own);
            let targets = targets(frame, &Extent::Widths(widths.to_vec()), &[1.0], false);
            let widths = |way: &Vec<Size>| way.iter().map(|size| size.width()).collect();
            ways(&targets).iter().map(widths).collect::<Vec<Vec<u32>>>()
        };
        let none: Vec<u32> = Vec::new();
        assert_eq!(
            ways(&[2560, 1200, 600]),
            [vec![2560, 1200], vec![2560], none.clone()]
        );
        assert_eq!(
            ways(&[400, 700, 799, 800]),
            [vec![800], none.clone(), none.clone()]
        );
        assert_eq!(
            ways(&[100, 300, 500, 900]),
            [vec![900, 300], vec![900], none.clone(), none]
        );
    }
}
