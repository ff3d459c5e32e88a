//! What styles say of the size of pictures, and what adding a width and a height would do to it.

use super::tag::Tag;
use crate::selectors::Selectors;
use crate::showing::{Found, Showing, Side};

/// What the styles of a page say of pictures that matters here.
#[derive(Clone, Debug, Default)]
pub struct Styles {
    rules: Vec<Rule>,
    /// Whether they ask what pictures lie right within.
    pub(super) is_close: bool,
    /// Whether nobody knows in which page the text ends.
    is_partial: bool,
}

/// A declaration that decides how large an `img` is shown.
#[derive(Clone, Debug)]
struct Rule {
    of: Selectors,
    side: Side,
    is_auto: bool,
    is_conditional: bool,
}

impl Styles {
    /// For a text of which nobody knows in which page it ends, and what lies around it there.
    pub fn of_a_part() -> Styles {
        Styles {
            is_partial: true,
            ..Styles::default()
        }
    }

    /// Takes in what a sheet, or a page with styles of its own, says.
    pub fn add(&mut self, found: &Found) {
        self.is_close |= found.is_close;
        self.rules.extend(found.boxes.iter().filter_map(|sizing| {
            Some(Rule {
                of: Selectors::about("img", &sizing.selector)?,
                side: sizing.side,
                is_auto: sizing.is_auto,
                is_conditional: sizing.is_conditional,
            })
        }));
    }

    /// Takes in what other styles say.
    pub fn extend(&mut self, others: &Styles) {
        self.is_close |= others.is_close;
        self.is_partial |= others.is_partial;
        self.rules.extend(others.rules.iter().cloned());
    }

    /// Those that may hold for an `img`.
    fn of<'a>(&'a self, showing: &'a Showing, tag: &Tag) -> impl Iterator<Item = &'a Rule> {
        let element = tag.element();
        let around = (!self.is_partial).then_some(&showing.around[..]);
        let rules = self.rules.iter();
        rules.filter(move |rule| rule.of.may_be(&element, around))
    }
}

/// What adding width and height would do.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Effect {
    /// Nothing to how large the picture is shown.
    None,
    /// It may be shown in another size, since a style gives it a width while its height is its own.
    Harm,
    /// The same; but a style gives it a ratio, so that nothing shifts anyway.
    Needless,
}

/// What it would do to a picture.
pub(super) fn effect(showing: &Showing, tag: &Tag, styles: &Styles) -> Effect {
    let own = |property| tag.styled(property).is_some();
    if own("height") {
        return Effect::None;
    }
    let mut has_ratio = own("aspect-ratio");
    let mut is_sized = has_ratio || own("width") || own("max-width") || own("max-height");
    for rule in styles.of(showing, tag) {
        // What lies around it is taken to be as the selector wants it, but only a plain selector is sure.
        if rule.side == Side::Height && !rule.is_conditional && rule.of.is_plain {
            return Effect::None;
        }
        has_ratio |= rule.side == Side::Ratio;
        is_sized |= rule.side != Side::Height || rule.is_conditional || !rule.is_auto;
    }
    match (is_sized, has_ratio) {
        (false, _) => Effect::None,
        (true, false) => Effect::Harm,
        (true, true) => Effect::Needless,
    }
}

/// Whether a style may give its height.
pub(super) fn height_is_styled(showing: &Showing, tag: &Tag, styles: &Styles) -> bool {
    let own = |property| tag.styled(property).is_some();
    let mut rules = styles.of(showing, tag);
    own("height") || own("object-fit") || rules.any(|rule| rule.side != Side::Width)
}
