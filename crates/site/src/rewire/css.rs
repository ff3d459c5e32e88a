//! Style sheets rewritten.

use super::{Aim, File, Guide, Rewired, Says, Work};
use crate::showing::{Role, Showing};
use crate::tags;

/// Properties that take an address, and no `image-set()`.
const ADDRESS_ONLY: [&str; 2] = ["cursor", "src"];

/// A style sheet.
pub fn sheet(file: &File<'_>, guide: &mut dyn Guide) -> Rewired {
    let mut work = Work::of(file);
    for showing in &file.found.showings {
        work.style(showing, guide);
    }
    work.done
}

impl Work<'_> {
    /// A picture of a style, in a sheet or in an attribute.
    pub(super) fn style(&mut self, showing: &Showing, guide: &mut dyn Guide) {
        let property = showing.property.as_deref().unwrap_or_default();
        let aims: Option<Vec<_>> = showing
            .candidates()
            .map(|candidate| guide.aim(showing, candidate))
            .collect();
        let first = showing.candidates().next();
        let (Some(first), Some(aims)) = (first, aims) else {
            return self.plainly(showing, guide);
        };
        if aims.iter().all(|aim| aim.is_piece) {
            self.done.references += 1;
            return;
        }
        if property.starts_with("border-image") || property.starts_with("-webkit-border-image") {
            return self.done.say(first.line, &first.address, Says::CutByPixels);
        }
        let one = aims.iter().all(|aim| aim.is_like(&aims[0]));
        let function = showing.function.clone().filter(|_| {
            one && !self.extent.plain
                && showing.role == Role::Style
                && !ADDRESS_ONLY.contains(&property)
        });
        let (Some(function), Some(aim)) = (function, aims.first()) else {
            return self.plainly(showing, guide);
        };
        if !self.may_change(&function, first) {
            return;
        }
        let displayed = background_width(aim);
        // In an attribute those that it is not in itself.
        let quote = if showing.within == Some('"') {
            '\''
        } else {
            '"'
        };
        if let Some(set) = tags::image_set(&aim.main, displayed, quote) {
            self.done.references += 1;
            self.done.edits.replace(self.source, function, set);
        }
    }
}

/// The width that a background is made for: of the widths of its place the narrowest that fills its spot, else
/// the widest.
fn background_width(aim: &Aim) -> f64 {
    let fitting = aim.spot.width.and_then(|spot| aim.main.filling(spot));
    fitting
        .or_else(|| aim.main.displayed().pop())
        .unwrap_or(aim.main.widest())
}
