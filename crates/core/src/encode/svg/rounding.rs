//! Numbers of a drawing with as many decimals as are seen.

use super::numbers::{length, list, matrix, number, scale, transform};
use super::path;
use super::slim::Facts;
use super::tree::{Child, Element};
use super::words::{is_animation, is_definition, is_leaf, is_length, is_part};

/// How many decimals numbers have, where one unit of the drawing is one.
#[derive(Clone, Copy, Debug)]
pub(super) struct Decimals {
    /// Of coordinates of shapes.
    pub shapes: i32,
    /// Of all other measures.
    pub rest: i32,
}

/// The same with numbers of so many decimals.
pub(super) fn rounded(root: &Element, decimals: Decimals) -> Element {
    let mut root = root.clone();
    let facts = Facts::of(&root);
    let view = view(&root);
    if view.len() == 4 {
        let values: Vec<String> = view.iter().map(|&value| number(value, 6)).collect();
        root.set("viewBox", values.join(" "));
    }
    for side in ["width", "height"] {
        if let Some(shorter) = root.get(side).and_then(|value| length(value, 4)) {
            root.set(side, shorter);
        }
    }
    let span = extent(&root);
    for child in &mut root.children {
        if let Child::Element(child) = child {
            round(child, decimals, 1.0, (span, &facts));
        }
    }
    root
}

/// The numbers of a drawing's viewBox.
fn view(root: &Element) -> Vec<f64> {
    let view = root.get("viewBox").unwrap_or_default();
    let values = view.split([' ', ',']).filter(|value| !value.is_empty());
    values.filter_map(|value| value.parse().ok()).collect()
}

/// The longer side of a drawing in its own units.
fn extent(root: &Element) -> f64 {
    let sides = view(root).into_iter().skip(2);
    let width = root
        .get("width")
        .and_then(|width| width.trim_end_matches("px").parse().ok());
    sides.chain(width).fold(1.0, f64::max)
}

/// Rounds an element and what it holds, `larger` times as large as the units of the drawing.
fn round(element: &mut Element, decimals: Decimals, larger: f64, (span, facts): (f64, &Facts)) {
    let moves = facts.moves && element.elements().any(|one| is_animation(&one.name));
    if is_animation(&element.name) || moves {
        return;
    }
    let mut larger = larger;
    // Boxes of what they are used for are their units, or may be.
    let unitless = is_definition(&element.name) || element.name.starts_with("fe");
    let least = if unitless { 4 } else { 0 };
    let finer = |decimals: i32, by: f64| {
        (decimals + libm::ceil(libm::log10(by.max(1e-6))) as i32).max(least)
    };
    for attribute in ["transform", "gradientTransform", "patternTransform"] {
        let Some(whole) = element.get(attribute).and_then(matrix) else {
            continue;
        };
        let coordinates = finer(decimals.rest, larger);
        // What it is multiplied with is as long as the drawing, seen from within.
        let reach = span / scale(whole).max(1e-6);
        let fine = (coordinates + libm::ceil(libm::log10(reach.max(1.0))) as i32).max(3);
        let shorter = transform(whole, fine, coordinates);
        if shorter.is_empty() {
            element.remove(attribute);
        } else if element
            .get(attribute)
            .is_some_and(|known| shorter.len() < known.len())
        {
            element.set(attribute, shorter);
        }
        if attribute == "transform" {
            larger *= scale(whole);
        }
    }
    let is_shape = is_leaf(&element.name) && element.name != "image";
    let own = finer(
        if is_shape {
            decimals.shapes
        } else {
            decimals.rest
        },
        larger,
    );
    for (name, value) in &mut element.attributes {
        let shorter = match name.as_str() {
            "d" => Some(path::write(&path::read(value), own)),
            "points" => numbers_of(value).map(|values| list(values, own)),
            "stroke-dasharray" if !value.contains(['%', 'm', 'p', 'x']) => {
                numbers_of(value).map(|values| list(values, own))
            }
            name if is_part(name) => length(value, 3),
            // Widths are seen sooner than places, and those of letters may be lists.
            "stroke-width" => length(value, own + 1),
            name if is_length(name) => length(value, own.max(if facts.letters { 2 } else { 0 })),
            _ => None,
        };
        if let Some(shorter) = shorter.filter(|shorter| shorter.len() <= value.len()) {
            *value = shorter;
        }
    }
    for child in &mut element.children {
        if let Child::Element(child) = child {
            round(child, decimals, larger, (span, facts));
        }
    }
}

fn numbers_of(value: &str) -> Option<Vec<f64>> {
    let values = value.split([' ', ',']).filter(|value| !value.is_empty());
    values.map(|value| value.parse().ok()).collect()
}

/// The fewest decimals that move nothing by more than this at four times the drawing's own size, whose
/// longer side is so long: a twentieth of a pixel.
pub(super) fn coarsest(root: &Element, long: f32) -> i32 {
    let larger = 4.0 * f64::from(long) / extent(root);
    (libm::ceil(libm::log10(larger * 0.5 / 0.05)) as i32).clamp(0, 6)
}
