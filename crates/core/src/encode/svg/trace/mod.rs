//! Marks of a few flat colours traced: what each pixel holds of each colour tells where the borders lie
//! between pixels; those become lines and cubic curves, the same on both sides of a border.
//!
//! Colours are painted one over the other. Each reaches a little under those that come after it, so that
//! no seam of the ground shows between two, and shines through nowhere.

mod colours;
mod contour;
mod corners;
mod fit;
mod points;

pub(super) use colours::{Mark, NotFlat};

use super::numbers::{number, of_colour};
use super::path::{self, Step};
use super::tree::{Child, Element};
use colours::Colour;
use contour::contours;
use fit::fitted;

impl Mark {
    /// The drawing, as near as a dial from 1 to 10 says.
    pub fn drawn(&self, dial: u8) -> String {
        let dial = f64::from(dial.clamp(1, 10));
        // From seven tenths of a pixel to a tenth of that.
        let tolerance = 0.7 * libm::pow(0.1, (dial - 1.0) / 9.0);
        let decimals = if tolerance > 0.3 { 1 } else { 2 };
        let (width, height) = (self.width.to_string(), self.height.to_string());
        let mut root = Element {
            name: "svg".to_owned(),
            ..Element::default()
        };
        root.set("xmlns", "http://www.w3.org/2000/svg".to_owned());
        root.set("width", width.clone());
        root.set("height", height.clone());
        root.set("viewBox", format!("0 0 {width} {height}"));
        for layer in self.layers() {
            let steps: Vec<Step> = match layer.covers_all() {
                true => {
                    let (right, bottom) = (self.width as f64, self.height as f64);
                    let corners = [(right, 0.0), (right, bottom), (0.0, bottom)];
                    let lines = corners.map(Step::Line);
                    [&[Step::Move((0.0, 0.0))][..], &lines, &[Step::Close]].concat()
                }
                false => {
                    let contours = contours(&layer);
                    contours
                        .iter()
                        .flat_map(|contour| fitted(contour, tolerance))
                        .collect()
                }
            };
            if !steps.is_empty() {
                root.children.push(Child::Element(painted(
                    layer.colour,
                    path::write(&steps, decimals),
                )));
            }
        }
        root.written()
    }
}

fn painted(colour: Colour, data: String) -> Element {
    let [r, g, b, alpha] = colour.0;
    let mut path = Element {
        name: "path".to_owned(),
        ..Element::default()
    };
    let fill = of_colour([r, g, b]);
    // Black is what is painted where nothing is said.
    if fill != "#000" {
        path.set("fill", fill);
    }
    if alpha < u8::MAX {
        path.set("fill-opacity", number(f64::from(alpha) / 255.0, 3));
    }
    path.set("d", data);
    path
}

#[cfg(test)]
mod tests;
