//! Colours with alpha as points: how far two lie apart is how different they look, on black and on
//! white alike.

use crate::colour;

/// A colour as a point: lightness and alpha so that distances are means of those on black and on
/// white, then red against green and yellow against blue, both as far as they show.
pub(super) type Point = [f32; 4];

/// What a colour is to its surroundings: no colour of one class ever becomes one of another, so
/// that nothing solid lets its background shine through, and nothing is left where nothing was.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub(super) enum Class {
    /// It does not show.
    Clear,
    /// What is behind shows as well.
    Faint,
    /// It hides what is behind.
    Solid,
}

impl Class {
    pub fn of(alpha: u8) -> Class {
        match alpha {
            0 => Class::Clear,
            255 => Class::Solid,
            _ => Class::Faint,
        }
    }
}

/// Where a colour lies: Oklab (Ottosson, 2020), premultiplied. With P for premultiplied
/// lightness and a for alpha, two colours lie ΔP apart on black and ΔP - Δa on white; the mean
/// of both squares is (ΔP - Δa/2)² + (Δa/2)².
pub(super) fn point([r, g, b, alpha]: [u8; 4]) -> Point {
    let [r, g, b] = [r, g, b].map(|sample| colour::LINEAR_OF_8[usize::from(sample)]);
    let cone = |[x, y, z]: [f32; 3]| libm::cbrtf(x * r + y * g + z * b);
    let l = cone([0.412_221_46, 0.536_332_55, 0.051_445_995]);
    let m = cone([0.211_903_5, 0.680_699_5, 0.107_396_96]);
    let s = cone([0.088_302_46, 0.281_718_85, 0.629_978_7]);
    let lightness = 0.210_454_26 * l + 0.793_617_8 * m - 0.004_072_047 * s;
    let red = 1.977_998_5 * l - 2.428_592_2 * m + 0.450_593_7 * s;
    let yellow = 0.025_904_037 * l + 0.782_771_77 * m - 0.808_675_77 * s;
    let alpha = f32::from(alpha) / 255.0;
    [
        alpha * (lightness - 0.5),
        alpha * 0.5,
        alpha * red,
        alpha * yellow,
    ]
}

/// The nearest colour of a class to a point.
pub(super) fn nearest_colour([light, half, red, yellow]: Point, class: Class) -> [u8; 4] {
    let level = (half * 2.0 * 255.0).round();
    let level = match class {
        Class::Clear => return [0; 4],
        Class::Faint => level.clamp(1.0, 254.0),
        Class::Solid => 255.0,
    };
    let alpha = (half * 2.0).max(1e-3);
    let lightness = light / alpha + 0.5;
    let (red, yellow) = (red / alpha, yellow / alpha);
    let cube = |value: f32| value * value * value;
    let l = cube(lightness + 0.396_337_78 * red + 0.215_803_76 * yellow);
    let m = cube(lightness - 0.105_561_346 * red - 0.063_854_17 * yellow);
    let s = cube(lightness - 0.089_484_18 * red - 1.291_485_5 * yellow);
    [
        colour::to_srgb(4.076_741_7 * l - 3.307_711_6 * m + 0.230_969_93 * s),
        colour::to_srgb(-1.268_438 * l + 2.609_757_4 * m - 0.341_319_4 * s),
        colour::to_srgb(-0.004_196_086_3 * l - 0.703_418_6 * m + 1.707_614_7 * s),
        level as u8,
    ]
}

/// The square of how far two points lie apart.
pub(super) fn distance(a: Point, b: Point) -> f32 {
    let [p, q, r, s] = std::array::from_fn(|i| {
        let apart = a[i] - b[i];
        apart * apart
    });
    (p + q) + (r + s)
}

/// Colours to choose from, those of each class together.
pub(super) struct Entries {
    points: Vec<Point>,
    /// How many are clear, and how many clear or faint.
    ends: [usize; 2],
}

impl Entries {
    /// Those of points with their classes, which are sorted.
    pub fn new(points: impl IntoIterator<Item = (Point, Class)>) -> Entries {
        let (points, classes): (Vec<Point>, Vec<Class>) = points.into_iter().unzip();
        let end = |last: Class| classes.partition_point(|class| *class <= last);
        Entries {
            points,
            ends: [end(Class::Clear), end(Class::Faint)],
        }
    }

    pub fn point(&self, index: usize) -> Point {
        self.points[index]
    }

    /// Whether an entry is of a class.
    pub fn is_of(&self, index: usize, class: Class) -> bool {
        self.range(class).contains(&index)
    }

    fn range(&self, class: Class) -> std::ops::Range<usize> {
        match class {
            Class::Clear => 0..self.ends[0],
            Class::Faint => self.ends[0]..self.ends[1],
            Class::Solid => self.ends[1]..self.points.len(),
        }
    }

    /// The nearest of a class, and the square of how far away it lies.
    pub fn nearest(&self, target: Point, class: Class) -> (usize, f32) {
        let mut best = (0, f32::INFINITY);
        for index in self.range(class) {
            let apart = distance(target, self.points[index]);
            if apart < best.1 {
                best = (index, apart);
            }
        }
        best
    }
}
