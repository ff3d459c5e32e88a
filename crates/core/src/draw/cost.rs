//! What drawing a drawing comes to, told before it is begun: shapes that are used again count each time.
//! A few lines that use one another ten times each would else draw a million million shapes.

use std::collections::HashMap;

use roxmltree::{Document, Node, NodeId};

use super::{NoDrawing, is_shape, references};

/// The most shapes that are drawn.
const MOST: u64 = 1_000_000;

/// The deepest that shapes may lie in one another, each use and reference counted.
const DEEPEST: u32 = 96;

/// A step of a filter goes over all pixels: it counts as so many shapes.
const STEP: u64 = 200;

/// The farthest that one pixel of a filter may look, in units of the drawing.
const REACH: f64 = 100.0;

/// What drawing something comes to.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(super) struct Cost {
    pub shapes: u64,
    depth: u32,
    /// Layers that are drawn apart before they are laid on what is below.
    pub layers: u32,
}

pub(super) fn of(document: &Document<'_>) -> Result<Cost, NoDrawing> {
    let root = document.root_element();
    let by_id: HashMap<&str, Node<'_, '_>> = document
        .descendants()
        .filter_map(|node| Some((node.attribute("id")?, node)))
        .collect();
    let styled = document
        .descendants()
        .filter(|node| node.has_tag_name("style") || node.tag_name().name() == "style");
    let styled: Vec<&str> = styled
        .filter_map(|node| node.text())
        .flat_map(references)
        .collect();
    let mut ledger = Ledger {
        by_id,
        styled,
        known: HashMap::new(),
    };
    ledger.of(root, 0)
}

struct Ledger<'a, 'i> {
    by_id: HashMap<&'a str, Node<'a, 'i>>,
    /// What style sheets refer to: any element may.
    styled: Vec<&'a str>,
    /// `None` while it is being told.
    known: HashMap<NodeId, Option<Cost>>,
}

impl<'a, 'i> Ledger<'a, 'i> {
    fn of(&mut self, node: Node<'a, 'i>, depth: u32) -> Result<Cost, NoDrawing> {
        if depth > DEEPEST {
            return Err(NoDrawing::TooDeep(DEEPEST));
        }
        match self.known.get(&node.id()) {
            Some(Some(cost)) if cost.depth + depth > DEEPEST => {
                return Err(NoDrawing::TooDeep(DEEPEST));
            }
            Some(Some(cost)) => return Ok(*cost),
            // What leads back to itself is not drawn.
            Some(None) => return Ok(Cost::default()),
            None => {}
        }
        self.known.insert(node.id(), None);
        let name = node.tag_name().name();
        bounded(node, name)?;
        let own = if name.starts_with("fe") { STEP } else { 1 };
        let mut cost = Cost {
            shapes: own,
            ..Cost::default()
        };
        let children = node.children().filter(is_shape);
        let mut below: Vec<Node<'a, 'i>> = children.collect();
        let addresses = node
            .attributes()
            .filter(|attribute| attribute.name() == "href");
        let used = addresses.filter_map(|attribute| attribute.value().trim().strip_prefix('#'));
        let painted = node
            .attributes()
            .flat_map(|attribute| references(attribute.value()));
        let styled = if node.has_attribute("class") {
            self.styled.clone()
        } else {
            Vec::new()
        };
        let referred = used.chain(painted).chain(styled);
        below.extend(referred.filter_map(|id| self.by_id.get(id).copied()));
        for one in below {
            let part = self.of(one, depth + 1)?;
            cost.shapes = cost.shapes.saturating_add(part.shapes);
            cost.depth = cost.depth.max(part.depth + 1);
            cost.layers = cost.layers.max(part.layers);
        }
        if cost.shapes > MOST {
            return Err(NoDrawing::TooMuch { most: MOST });
        }
        let apart = ["opacity", "mask", "filter", "clip-path", "style", "class"];
        cost.layers += u32::from(apart.iter().any(|name| node.has_attribute(*name)));
        self.known.insert(node.id(), Some(cost));
        Ok(cost)
    }
}

/// Refuses filters that look at so much for every pixel that they never end.
fn bounded(node: Node<'_, '_>, name: &str) -> Result<(), NoDrawing> {
    let most = |attribute: &str| {
        let values = node.attribute(attribute).unwrap_or_default();
        let values = values
            .split([' ', ','])
            .filter_map(|value| value.parse::<f64>().ok());
        values.fold(0.0, f64::max)
    };
    match name {
        "feMorphology" if most("radius") > REACH => Err(NoDrawing::Filter("morphology")),
        "feConvolveMatrix" if most("order") > REACH => Err(NoDrawing::Filter("convolution")),
        "feTurbulence" if most("numOctaves") > 16.0 => Err(NoDrawing::Filter("turbulence")),
        _ => Ok(()),
    }
}
