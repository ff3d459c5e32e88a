//! Which part of a picture is shown, how it is turned, and at what proportions.

use std::str::FromStr;

use serde::{Deserialize, Serialize};
use thiserror::Error;

use super::{Orientation, Size};

/// Proportions, width over height.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(into = "(f64, f64)", try_from = "(f64, f64)")]
pub struct Shape {
    width: f64,
    height: f64,
}

/// Why something is no shape, focus or the like: what it should be.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Error)]
#[error("{0}")]
pub struct NoFraming(pub(super) &'static str);

impl Shape {
    /// Proportions of at most 100 to 1 either way.
    pub fn new(width: f64, height: f64) -> Option<Shape> {
        let sound = |side: f64| side.is_finite() && side > 0.0;
        let shape = Shape { width, height };
        (sound(width) && sound(height) && (0.01..=100.0).contains(&shape.ratio())).then_some(shape)
    }

    fn ratio(self) -> f64 {
        self.width / self.height
    }
}

impl From<Shape> for (f64, f64) {
    fn from(shape: Shape) -> (f64, f64) {
        (shape.width, shape.height)
    }
}

impl TryFrom<(f64, f64)> for Shape {
    type Error = NoFraming;

    fn try_from((width, height): (f64, f64)) -> Result<Shape, NoFraming> {
        Shape::new(width, height).ok_or(NoFraming("a side is zero or absurd"))
    }
}

impl FromStr for Shape {
    type Err = NoFraming;

    fn from_str(text: &str) -> Result<Shape, NoFraming> {
        let sides = text.split_once(':');
        let side = |text: &str| text.trim().parse().ok();
        let shape = sides.and_then(|(width, height)| Shape::new(side(width)?, side(height)?));
        shape.ok_or(NoFraming(
            "a shape is a ratio of width to height, such as 16:9, up to 100:1",
        ))
    }
}

impl std::fmt::Display for Shape {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{}:{}", self.width, self.height)
    }
}

/// What a crop is laid around.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Focus {
    /// The middle.
    #[default]
    Centre,
    /// A point: parts of width and height from the left and the top, each from 0 to 1.
    Point(f64, f64),
    /// The part that looks most worth keeping.
    Auto,
}

impl FromStr for Focus {
    type Err = NoFraming;

    fn from_str(text: &str) -> Result<Focus, NoFraming> {
        let part = |text: &str| {
            let part = text.trim().parse().ok();
            part.filter(|part| (0.0..=1.0).contains(part))
        };
        match text.trim() {
            "centre" | "center" => Some(Focus::Centre),
            "auto" => Some(Focus::Auto),
            point => point
                .split_once(',')
                .and_then(|(x, y)| Some(Focus::Point(part(x)?, part(y)?))),
        }
        .ok_or(NoFraming(
            "a focus is centre, auto, or a point such as 0.5,0.3, each from 0 to 1",
        ))
    }
}

impl std::fmt::Display for Focus {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Focus::Centre => f.write_str("centre"),
            Focus::Auto => f.write_str("auto"),
            Focus::Point(x, y) => write!(f, "{x},{y}"),
        }
    }
}

/// How a picture is brought to a shape that is not its own.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Fit {
    /// What does not fit is cut off.
    #[default]
    Crop,
    /// All is kept, and the rest filled with the backdrop.
    Pad,
}

/// How a picture is framed.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Framing {
    /// How it is turned and mirrored once it stands upright.
    pub turn: Orientation,
    /// Its proportions; `None` for its own.
    pub shape: Option<Shape>,
    /// What a crop is laid around.
    pub focus: Focus,
    /// How it is brought to its shape.
    pub fit: Fit,
    /// Whether uniform borders are taken off first.
    pub trim: bool,
}

/// A part of a picture in whole pixels.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Area {
    /// Its left border, in pixels from the picture's.
    pub x: u32,
    /// Its upper border.
    pub y: u32,
    /// Its width and height.
    pub size: Size,
}

impl Area {
    /// All of a picture.
    pub fn whole(size: Size) -> Area {
        Area { x: 0, y: 0, size }
    }
}

/// A part of a picture, as fractions of its width and height: the same whatever size its pixels
/// come in.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Part {
    left: f64,
    top: f64,
    right: f64,
    bottom: f64,
}

impl Part {
    /// An area of a picture.
    pub fn of(area: Area, picture: Size) -> Part {
        Part::of_region(area.into(), picture)
    }

    /// A region of a picture.
    pub fn of_region(region: Region, picture: Size) -> Part {
        let (width, height) = (f64::from(picture.width()), f64::from(picture.height()));
        Part {
            left: region.x / width,
            top: region.y / height,
            right: (region.x + region.width) / width,
            bottom: (region.y + region.height) / height,
        }
    }

    /// Its borders, left, top, right and bottom.
    pub fn sides(self) -> [f64; 4] {
        [self.left, self.top, self.right, self.bottom]
    }

    /// The same of the picture at another size, in whole pixels: at least one, and never beyond.
    pub fn at(self, picture: Size) -> Area {
        let span = |near: f64, far: f64, side: u32| {
            let place = |at: f64| (at * f64::from(side)).round().clamp(0.0, f64::from(side)) as u32;
            let start = place(near).min(side - 1);
            (start, place(far).max(start + 1) - start)
        };
        let (x, width) = span(self.left, self.right, picture.width());
        let (y, height) = span(self.top, self.bottom, picture.height());
        // Neither is zero, nor longer than the picture's own.
        let size = Size::new(width, height).unwrap_or(picture);
        Area { x, y, size }
    }
}

impl Area {
    /// Whether it lies within a picture.
    pub fn lies_in(&self, picture: Size) -> bool {
        let within = |start: u32, length: u32, side: u32| {
            start.checked_add(length).is_some_and(|end| end <= side)
        };
        within(self.x, self.size.width(), picture.width())
            && within(self.y, self.size.height(), picture.height())
    }

    /// The smallest area that holds this and another.
    pub fn with(self, other: Area) -> Area {
        let (x, y) = (self.x.min(other.x), self.y.min(other.y));
        let right = (self.x + self.size.width()).max(other.x + other.size.width());
        let bottom = (self.y + self.size.height()).max(other.y + other.size.height());
        let size = Size::new(right - x, bottom - y).unwrap_or(self.size);
        Area { x, y, size }
    }
}

impl Region {
    /// A part of an area, seen from the picture that the area lies in.
    pub fn within(self, area: Area) -> Region {
        Region {
            x: self.x + f64::from(area.x),
            y: self.y + f64::from(area.y),
            ..self
        }
    }
}

impl From<Area> for Region {
    fn from(area: Area) -> Region {
        Region {
            x: f64::from(area.x),
            y: f64::from(area.y),
            width: f64::from(area.size.width()),
            height: f64::from(area.size.height()),
        }
    }
}

/// A part of a picture, in pixels from its left upper corner.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Region {
    /// Its left border.
    pub x: f64,
    /// Its upper border.
    pub y: f64,
    /// Its width, above 0.
    pub width: f64,
    /// Its height, above 0.
    pub height: f64,
}

/// Width and height of what is shown, before it is made smaller.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Frame {
    width: f64,
    height: f64,
}

impl Framing {
    /// The frame of an upright picture.
    pub fn frame(&self, upright: Size) -> Frame {
        let own = self.turn.apply_to_size(upright);
        let (width, height) = (f64::from(own.width()), f64::from(own.height()));
        let Some(shape) = self.shape else {
            return Frame { width, height };
        };
        let wider = width / height > shape.ratio();
        // A crop keeps the shorter side, padding the longer one.
        match (self.fit == Fit::Crop) == wider {
            true => Frame {
                width: height * shape.ratio(),
                height,
            },
            false => Frame {
                width,
                height: width / shape.ratio(),
            },
        }
    }

    /// Whether pixels must be looked at to find what a crop is laid around.
    pub fn wants_look(&self) -> bool {
        self.shape.is_some() && self.fit == Fit::Crop && self.focus == Focus::Auto
    }

    /// The part of an upright, turned picture that a crop shows, around a point given as parts
    /// of its width and height, and within its borders.
    pub fn region(&self, turned: Size, focus: (f64, f64)) -> Region {
        let frame = Framing {
            turn: Orientation::Upright,
            ..*self
        };
        let frame = frame.frame(turned);
        let place = |all: u32, part: f64, focus: f64| {
            let all = f64::from(all);
            (focus * all - part / 2.0).clamp(0.0, (all - part).max(0.0))
        };
        Region {
            x: place(turned.width(), frame.width, focus.0),
            y: place(turned.height(), frame.height, focus.1),
            width: frame.width,
            height: frame.height,
        }
    }

    /// The size of the whole picture within a padded piece.
    pub fn within(&self, upright: Size, piece: Size) -> Size {
        let own = self.turn.apply_to_size(upright);
        let frame = self.frame(upright);
        let scale = f64::from(piece.width()) / frame.width;
        let side = |own: u32, most: u32| ((f64::from(own) * scale).round() as u32).clamp(1, most);
        let width = side(own.width(), piece.width());
        let height = side(own.height(), piece.height());
        Size::new(width, height).unwrap_or(piece)
    }
}

impl Frame {
    /// The same told so many times less finely; 0 and 1 change nothing.
    pub fn coarser(self, by: u32) -> Frame {
        let by = f64::from(by.max(1));
        Frame {
            width: self.width / by,
            height: self.height / by,
        }
    }

    /// The size at a width: the height is rounded to the nearest pixel, halves up, and never
    /// becomes 0.
    pub fn at_width(self, width: u32) -> Size {
        self.sized(width, f64::from(width) * self.height / self.width, false)
    }

    /// The size at a height.
    pub fn at_height(self, height: u32) -> Size {
        self.sized(height, f64::from(height) * self.width / self.height, true)
    }

    /// The size with a longer side of a length.
    pub fn at_long_side(self, side: u32) -> Size {
        if self.width >= self.height {
            self.at_width(side)
        } else {
            self.at_height(side)
        }
    }

    /// The largest whole size that needs no enlarging.
    pub fn whole(self) -> Size {
        self.at_width((self.width + 1e-9).floor().max(1.0) as u32)
    }

    fn sized(self, side: u32, other: f64, tall: bool) -> Size {
        let side = side.clamp(1, Size::MAX_SIDE);
        let other = other.round().clamp(1.0, f64::from(Size::MAX_SIDE)) as u32;
        let (width, height) = if tall { (other, side) } else { (side, other) };
        Size { width, height }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn framing(shape: &str, fit: Fit) -> Framing {
        Framing {
            shape: Some(shape.parse().expect("a shape")),
            fit,
            ..Framing::default()
        }
    }

    fn size(width: u32, height: u32) -> Size {
        Size::new(width, height).expect("a size")
    }

    #[test]
    fn frames_of_every_shape_stay_within_the_picture_or_around_it() {
        let own = size(4000, 3000);
        for (shape, crop, pad) in [
            ("16:9", (4000, 2250), (5333, 3000)),
            ("4:3", (4000, 3000), (4000, 3000)),
            ("1:1", (3000, 3000), (4000, 4000)),
            ("2:3", (2000, 3000), (4000, 6000)),
            ("1.91:1", (4000, 2094), (5730, 3000)),
        ] {
            assert_eq!(
                framing(shape, Fit::Crop).frame(own).whole(),
                size(crop.0, crop.1),
                "{shape}"
            );
            assert_eq!(
                framing(shape, Fit::Pad).frame(own).whole(),
                size(pad.0, pad.1),
                "{shape}"
            );
        }
        assert_eq!(
            framing("16:9", Fit::Crop).frame(size(1, 30_000)).whole(),
            size(1, 1)
        );
        assert_eq!(
            framing("16:9", Fit::Crop).frame(size(30_000, 1)).whole(),
            size(1, 1)
        );
        assert_eq!(
            framing("1:1", Fit::Pad).within(own, size(400, 400)),
            size(400, 300)
        );
        assert_eq!(
            framing("1:1", Fit::Pad).within(size(30_000, 1), size(100, 100)),
            size(100, 1)
        );
    }

    #[test]
    fn crops_follow_the_focus_and_never_leave_the_picture() {
        let square = framing("1:1", Fit::Crop);
        let own = size(4000, 3000);
        for (focus, x) in [
            ((0.5, 0.5), 500.0),
            ((0.0, 0.0), 0.0),
            ((1.0, 1.0), 1000.0),
            ((0.4, 0.9), 100.0),
        ] {
            let region = square.region(own, focus);
            assert_eq!((region.x, region.y), (x, 0.0), "{focus:?}");
            assert_eq!((region.width, region.height), (3000.0, 3000.0));
        }
    }

    #[test]
    fn wrong_shapes_and_focuses_are_refused() {
        for text in ["", "16x9", "0:3", "3:0", "-1:2", "inf:1", "101:1", "16:9:1"] {
            assert!(text.parse::<Shape>().is_err(), "{text}");
        }
        for text in ["", "middle", "0.5", "2,0", "0.5,-1", "a,b"] {
            assert!(text.parse::<Focus>().is_err(), "{text}");
        }
        assert_eq!("0.25, 1".parse(), Ok(Focus::Point(0.25, 1.0)));
    }
}
