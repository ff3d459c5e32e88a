//! Settings as one source gives them, and how layers lie over one another: the command line over
//! a place, a place over `[every]`, that over the defaults.
//!
//! A setting is declared once: its slot here, and its line in the table, which has its key, its
//! option and help, how it is read, what it means for a wish and how it is told.

mod options;
#[macro_use]
mod setting;
mod table;

use kiln_core::budget::Aim;
use kiln_core::encode::{Pace, Passes};
use kiln_core::pixels::{
    Backdrop, ColourWish, Fit, Focus, Kernel, Orientation, Shape, Sharpen, Size,
};
use kiln_core::plan::{Choice, CreditsWish, Extent, Look, Pattern, Wish};

pub use options::{TypedLayer, TypedShape};
pub use setting::{Refusal, Setting, Typed, one};
pub use table::{find, names};

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

/// What bounds a piece: either of the two, never both.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Bound {
    /// `max-weight`, in bytes.
    Weight(u64),
    /// `quality`: a codec's own dial, without a search.
    Dial(u8),
}

/// Declares the slots of a layer, and lays them over those of another.
macro_rules! slots {
    ($($(#[$doc:meta])* $slot:ident: $type:ty,)*) => {
        /// What one source says of a wish.
        #[derive(Clone, Debug, Default, PartialEq)]
        pub struct Layer {
            $($(#[$doc])* pub $slot: Option<Given<$type>>,)*
        }

        impl Layer {
            /// What this layer says, else what the one below says, setting by setting.
            fn laid(self, below: &Layer) -> Layer {
                Layer {
                    $($slot: self.$slot.or_else(|| below.$slot.clone()),)*
                }
            }
        }
    };
}

slots! {
    /// `width`, `height`, `long-side` or `scale`.
    extent: Extent,
    densities: Vec<f64>,
    formats: Vec<Choice>,
    keep_all: bool,
    name: Pattern,
    /// `max-weight` or `quality`.
    bound: Bound,
    look: Look,
    aim: Aim,
    least_look: f32,
    shrink_to_fit: bool,
    pace: Pace,
    progressive: Passes,
    min_size: Size,
    enlarge: bool,
    trim: bool,
    shape: Shape,
    focus: Focus,
    fit: Fit,
    turn: Orientation,
    mirror: Orientation,
    /// The background's colour, or that of the border.
    knock_out: Option<[u8; 3]>,
    knock_out_holes: bool,
    sizing: Kernel,
    sharpen: Sharpen,
    colour: ColourWish,
    backdrop: Backdrop,
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
        let own = self.bound.is_some();
        let looks = self.look.is_some() || self.aim.is_some();
        let mut laid = self.laid(below);
        // A look asked for here is not answered by a dial from below.
        if looks && !own {
            let is_dial = |bound: &Given<Bound>| matches!(bound.value, Bound::Dial(_));
            laid.bound = laid.bound.filter(|bound| !is_dial(bound));
        }
        laid
    }

    /// The wish that it comes to, over the defaults.
    pub fn wish(&self, credits: &CreditsWish) -> Wish {
        let mut wish = Wish {
            credits: credits.clone(),
            ..Wish::default()
        };
        for setting in &table::SETTINGS {
            (setting.apply)(self, &mut wish);
        }
        wish
    }

    /// Every setting that holds, with where it comes from.
    pub fn told(&self, wish: &Wish) -> Vec<Told> {
        let told = table::SETTINGS.iter().filter_map(|setting| {
            let (value, origin) = (setting.tell)(self, wish)?;
            Some(Told {
                key: setting.key,
                value,
                origin: origin.unwrap_or(Origin::Default),
            })
        });
        told.collect()
    }
}

#[cfg(test)]
mod tests {
    use kiln_core::encode::Format;
    use kiln_core::plan::CodingWish;

    use super::*;

    fn option<T>(value: T) -> Option<Given<T>> {
        let origin = Origin::Option;
        Some(Given { value, origin })
    }

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
            bound: option(Bound::Dial(50)),
            formats: option(vec![Format::Jpeg.into()]),
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

    #[test]
    fn a_single_value_is_no_list_and_a_list_may_be_single() {
        let take = |key: &str, typed: &Typed| {
            let setting = find(key).expect("a setting");
            setting
                .take(&mut Layer::default(), typed, Origin::Line(1))
                .is_ok()
        };
        for (key, value) in [("pace", "quick"), ("max-weight", "9 KB"), ("trim", "true")] {
            assert!(take(key, &Typed::One(value.to_owned())), "{key}");
            assert!(!take(key, &Typed::List(vec![value.to_owned()])), "{key}");
        }
        assert!(take("width", &Typed::One("400".to_owned())));
        assert!(take("width", &Typed::List(vec!["400".to_owned()])));
        assert!(!take("width", &Typed::List(Vec::new())) && !take("width", &Typed::Other));
    }
}
