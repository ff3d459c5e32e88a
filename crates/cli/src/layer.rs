//! Settings as one source gives them, and how layers lie over one another: the command line over
//! a place, a place over `[every]`, that over the defaults.

use kiln_core::encode::{Format, Pace};
use kiln_core::pixels::{
    Backdrop, ColourWish, Fit, Focus, Framing, Kernel, KnockOut, Orientation, Rendering, Shape,
    Sharpen, Size,
};
use kiln_core::plan::{CodingWish, CreditsWish, Extent, Look, LookWish, Pattern, Wish, look_name};

use crate::wording;

/// Where a setting comes from.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Origin {
    /// It was not given.
    Default,
    /// A line of the kiln file, counted from 1.
    Line(usize),
    /// An option, such as `--width`.
    Option,
}

/// A value, and where it was given.
#[derive(Clone, Debug, PartialEq)]
pub struct Given<T> {
    /// The value.
    pub value: T,
    /// Where it was given.
    pub origin: Origin,
}

impl<T> Given<T> {
    /// From the command line.
    pub fn option(value: T) -> Option<Self> {
        let origin = Origin::Option;
        Some(Given { value, origin })
    }
}

/// What bounds a piece: either of the two, never both.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Bound {
    /// `max-weight`, in bytes.
    Weight(u64),
    /// `quality`: a codec's own dial, without a search.
    Dial(u8),
}

/// What one source says of a wish.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Layer {
    /// `width`, `height`, `long-side` or `scale`.
    pub extent: Option<Given<Extent>>,
    /// `enlarge`.
    pub enlarge: Option<Given<bool>>,
    /// `trim`.
    pub trim: Option<Given<bool>>,
    /// `knock-out`: the background's colour, or that of the border.
    pub knock_out: Option<Given<Option<[u8; 3]>>>,
    /// `knock-out-holes`.
    pub knock_out_holes: Option<Given<bool>>,
    /// `sizing`.
    pub sizing: Option<Given<Kernel>>,
    /// `sharpen`.
    pub sharpen: Option<Given<Sharpen>>,
    /// `colour`.
    pub colour: Option<Given<ColourWish>>,
    /// `shape`.
    pub shape: Option<Given<Shape>>,
    /// `focus`.
    pub focus: Option<Given<Focus>>,
    /// `fit`.
    pub fit: Option<Given<Fit>>,
    /// `turn`.
    pub turn: Option<Given<Orientation>>,
    /// `mirror`.
    pub mirror: Option<Given<Orientation>>,
    /// `densities`.
    pub densities: Option<Given<Vec<f64>>>,
    /// `formats`.
    pub formats: Option<Given<Vec<Format>>>,
    /// `max-weight` or `quality`.
    pub bound: Option<Given<Bound>>,
    /// `look`.
    pub look: Option<Given<Look>>,
    /// `least-look`.
    pub least_look: Option<Given<f32>>,
    /// `aim`: whether it is the sharpest.
    pub sharpest: Option<Given<bool>>,
    /// `shrink-to-fit`.
    pub shrink_to_fit: Option<Given<bool>>,
    /// `pace`.
    pub pace: Option<Given<Pace>>,
    /// `min-size`.
    pub min_size: Option<Given<Size>>,
    /// `backdrop`.
    pub backdrop: Option<Given<Backdrop>>,
    /// `name`.
    pub name: Option<Given<Pattern>>,
}

/// A setting as people read it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Told {
    /// Its key in the kiln file.
    pub key: &'static str,
    /// Its value.
    pub value: String,
    /// Where it comes from.
    pub origin: Origin,
}

impl Layer {
    /// This layer over another: what this one says holds.
    pub fn over(self, below: &Layer) -> Layer {
        let looks = self.look.is_some() || self.sharpest.is_some();
        Layer {
            extent: self.extent.or_else(|| below.extent.clone()),
            enlarge: self.enlarge.or_else(|| below.enlarge.clone()),
            trim: self.trim.or_else(|| below.trim.clone()),
            knock_out: self.knock_out.or_else(|| below.knock_out.clone()),
            knock_out_holes: self
                .knock_out_holes
                .or_else(|| below.knock_out_holes.clone()),
            sizing: self.sizing.or_else(|| below.sizing.clone()),
            sharpen: self.sharpen.or_else(|| below.sharpen.clone()),
            colour: self.colour.or_else(|| below.colour.clone()),
            shape: self.shape.or_else(|| below.shape.clone()),
            focus: self.focus.or_else(|| below.focus.clone()),
            fit: self.fit.or_else(|| below.fit.clone()),
            turn: self.turn.or_else(|| below.turn.clone()),
            mirror: self.mirror.or_else(|| below.mirror.clone()),
            densities: self.densities.or_else(|| below.densities.clone()),
            formats: self.formats.or_else(|| below.formats.clone()),
            // A look asked for here is not answered by a dial from below.
            bound: self.bound.or_else(|| {
                let is_dial = |bound: &Given<Bound>| matches!(bound.value, Bound::Dial(_));
                let below = below.bound.clone();
                below.filter(|bound| !(looks && is_dial(bound)))
            }),
            look: self.look.or_else(|| below.look.clone()),
            least_look: self.least_look.or_else(|| below.least_look.clone()),
            sharpest: self.sharpest.or_else(|| below.sharpest.clone()),
            shrink_to_fit: self.shrink_to_fit.or_else(|| below.shrink_to_fit.clone()),
            pace: self.pace.or_else(|| below.pace.clone()),
            min_size: self.min_size.or_else(|| below.min_size.clone()),
            backdrop: self.backdrop.or_else(|| below.backdrop.clone()),
            name: self.name.or_else(|| below.name.clone()),
        }
    }

    /// The wish that it comes to, over the defaults.
    pub fn wish(&self, credits: &CreditsWish) -> Wish {
        let usual = Wish::default();
        let bound = self.bound.as_ref().map(|given| given.value);
        let max_weight = match bound {
            Some(Bound::Weight(most)) => Some(most),
            Some(Bound::Dial(_)) | None => None,
        };
        Wish {
            extent: given(&self.extent, usual.extent),
            enlarge: given(&self.enlarge, usual.enlarge),
            framing: self.framing(),
            rendering: self.rendering(),
            densities: given(&self.densities, usual.densities),
            formats: given(&self.formats, usual.formats),
            max_weight,
            min_size: self.min_size.as_ref().map(|given| given.value),
            coding: match bound {
                Some(Bound::Dial(dial)) => CodingWish::Dial(dial),
                _ => self.coding(),
            },
            pace: given(&self.pace, usual.pace),
            backdrop: given(&self.backdrop, usual.backdrop),
            name: given(&self.name, usual.name),
            credits: credits.clone(),
        }
    }

    /// How good it shall look, where no dial says so.
    fn coding(&self) -> CodingWish {
        let look = self.look.as_ref().map(|given| given.value);
        match look.map_or(CodingWish::default(), CodingWish::from) {
            CodingWish::Look(usual) => CodingWish::Look(LookWish {
                // Only one that is asked for may lie above the look, and is refused then.
                least: given(&self.least_look, usual.least),
                sharpest: given(&self.sharpest, usual.sharpest),
                shrink_to_fit: given(&self.shrink_to_fit, usual.shrink_to_fit),
                ..usual
            }),
            exact => exact,
        }
    }

    fn framing(&self) -> Framing {
        let usual = Framing::default();
        let turn = given(&self.turn, Orientation::Upright);
        Framing {
            turn: turn.then(given(&self.mirror, Orientation::Upright)),
            shape: self.shape.as_ref().map(|given| given.value),
            focus: given(&self.focus, usual.focus),
            fit: given(&self.fit, usual.fit),
            trim: given(&self.trim, usual.trim),
        }
    }

    fn rendering(&self) -> Rendering {
        let usual = Rendering::default();
        let knock_out = self.knock_out.as_ref().map(|colour| KnockOut {
            colour: colour.value,
            holes: given(&self.knock_out_holes, false),
        });
        Rendering {
            kernel: given(&self.sizing, usual.kernel),
            sharpen: given(&self.sharpen, usual.sharpen),
            colour: given(&self.colour, usual.colour),
            knock_out,
        }
    }

    /// Every setting that holds, with where it comes from.
    pub fn told(&self, wish: &Wish) -> Vec<Told> {
        let numbers = |numbers: &[u32]| listed(numbers.iter());
        let (key, extent) = match &wish.extent {
            Extent::Own => ("width", "each picture's own".to_owned()),
            Extent::Widths(widths) => ("width", numbers(widths)),
            Extent::Heights(heights) => ("height", numbers(heights)),
            Extent::LongSide(sides) => ("long-side", numbers(sides)),
            Extent::Scale(part) => ("scale", format!("{}%", part * 100.0)),
        };
        let mut told = vec![
            tell(key, extent, &self.extent),
            tell("densities", listed(wish.densities.iter()), &self.densities),
            tell("formats", listed(wish.formats.iter()), &self.formats),
            tell("name", wish.name.to_string(), &self.name),
        ];
        told.extend(self.told_of_aims(wish));
        if let Some(least) = wish.min_size {
            told.push(tell("min-size", least.to_string(), &self.min_size));
        }
        told.extend(self.told_of_framing(wish));
        told.extend(self.told_of_rendering(wish));
        let pads = wish.framing.fit == Fit::Pad;
        if pads || wish.formats.iter().any(|format| !format.holds_alpha()) {
            told.push(tell("backdrop", wish.backdrop.to_string(), &self.backdrop));
        }
        told
    }

    /// How good and how heavy pieces shall be.
    fn told_of_aims(&self, wish: &Wish) -> Vec<Told> {
        let usual = Wish::default();
        let mut told = match wish.coding {
            CodingWish::Dial(dial) => vec![tell("quality", dial.to_string(), &self.bound)],
            CodingWish::Exact => vec![tell("look", "exact".to_owned(), &self.look)],
            CodingWish::Look(wish) => {
                let mut told = vec![tell("look", look_name(wish.look), &self.look)];
                if wish.sharpest {
                    told.push(tell("aim", "sharpest".to_owned(), &self.sharpest));
                }
                told
            }
        };
        if let Some(most) = wish.max_weight {
            told.push(tell("max-weight", wording::weight(most), &self.bound));
            if let CodingWish::Look(wish) = wish.coding {
                told.push(tell("least-look", look_name(wish.least), &self.least_look));
            }
            told.extend(switch("shrink-to-fit", &self.shrink_to_fit));
        }
        if wish.pace != usual.pace {
            told.push(tell(
                "pace",
                wording::pace(wish.pace).to_owned(),
                &self.pace,
            ));
        }
        told
    }

    /// What differs from the defaults in how pixels are computed.
    fn told_of_rendering(&self, wish: &Wish) -> Vec<Told> {
        let (usual, rendering) = (Rendering::default(), wish.rendering);
        let mut told = Vec::new();
        if let Some(knock_out) = rendering.knock_out {
            told.push(tell("knock-out", knock_out.to_string(), &self.knock_out));
            told.extend(switch("knock-out-holes", &self.knock_out_holes));
        }
        if rendering.kernel != usual.kernel {
            told.push(tell("sizing", rendering.kernel.to_string(), &self.sizing));
        }
        if rendering.sharpen != usual.sharpen {
            told.push(tell(
                "sharpen",
                rendering.sharpen.to_string(),
                &self.sharpen,
            ));
        }
        if rendering.colour != usual.colour {
            told.push(tell("colour", rendering.colour.to_string(), &self.colour));
        }
        told
    }

    fn told_of_framing(&self, wish: &Wish) -> Vec<Told> {
        let mut told = Vec::new();
        told.extend(switch("enlarge", &self.enlarge));
        told.extend(switch("trim", &self.trim));
        if let Some(shape) = wish.framing.shape {
            told.push(tell("shape", shape.to_string(), &self.shape));
            told.push(match wish.framing.fit {
                Fit::Crop => tell("focus", wish.framing.focus.to_string(), &self.focus),
                Fit::Pad => tell("fit", "pad".to_owned(), &self.fit),
            });
        }
        for (key, given, names) in [
            ("turn", &self.turn, &wording::TURNS[..]),
            ("mirror", &self.mirror, &wording::MIRRORS),
        ] {
            let named = |(_, named): &&(&str, Orientation)| {
                given.as_ref().is_some_and(|given| given.value == *named)
            };
            if let Some((name, _)) = names.iter().find(named) {
                told.push(tell(key, (*name).to_owned(), given));
            }
        }
        told
    }
}

/// A switch that is on.
fn switch(key: &'static str, given: &Option<Given<bool>>) -> Option<Told> {
    let on = given.as_ref().is_some_and(|given| given.value);
    on.then(|| tell(key, "true".to_owned(), given))
}

fn given<T: Clone>(given: &Option<Given<T>>, usual: T) -> T {
    given.as_ref().map_or(usual, |given| given.value.clone())
}

fn tell<T>(key: &'static str, value: String, given: &Option<Given<T>>) -> Told {
    let origin = given.as_ref().map(|given| given.origin.clone());
    Told {
        key,
        value,
        origin: origin.unwrap_or(Origin::Default),
    }
}

fn listed<T: ToString>(values: impl Iterator<Item = T>) -> String {
    let values: Vec<String> = values.map(|value| value.to_string()).collect();
    values.join(", ")
}

#[cfg(test)]
mod tests {
    use super::*;

    fn line<T>(value: T, line: usize) -> Option<Given<T>> {
        let origin = Origin::Line(line);
        Some(Given { value, origin })
    }

    #[test]
    fn what_lies_above_holds_and_says_where_it_comes_from() {
        let every = Layer {
            extent: line(Extent::Widths(vec![400, 800]), 3),
            bound: line(Bound::Weight(1000), 4),
            backdrop: line(Backdrop::Colour([1, 2, 3]), 5),
            ..Layer::default()
        };
        let place = Layer {
            extent: line(Extent::LongSide(vec![300]), 9),
            shape: line("16:9".parse().expect("a shape"), 10),
            turn: line(Orientation::QuarterClockwise, 11),
            mirror: line(Orientation::Mirrored, 12),
            trim: line(true, 13),
            enlarge: line(false, 14),
            knock_out: line(None, 15),
            sharpen: line(Sharpen::Crisp, 16),
            ..Layer::default()
        };
        let options = Layer {
            bound: Given::option(Bound::Dial(50)),
            formats: Given::option(vec![Format::Jpeg]),
            ..Layer::default()
        };
        let all = options.over(&place).over(&every);
        let wish = all.wish(&CreditsWish::default());
        assert_eq!(wish.extent, Extent::LongSide(vec![300]));
        assert_eq!((wish.max_weight, wish.coding), (None, CodingWish::Dial(50)));
        let turned = Orientation::QuarterClockwise.then(Orientation::Mirrored);
        assert_eq!(wish.framing.turn, turned);
        let told: Vec<String> = all
            .told(&wish)
            .into_iter()
            .map(|told| format!("{} {} {:?}", told.key, told.value, told.origin))
            .collect();
        insta::assert_snapshot!(told.join("\n"), @r"
        long-side 300 Line(9)
        densities 1 Default
        formats JPEG Option
        name {folders}/{title}-{width} Default
        quality 50 Option
        trim true Line(13)
        shape 16:9 Line(10)
        focus centre Default
        turn 90 Line(11)
        mirror horizontal Line(12)
        knock-out auto Line(15)
        sharpen crisp Line(16)
        backdrop #010203 Line(5)
        ");
    }
}
