//! A real browser, asked over W3C WebDriver how it shows a page.

mod driver;
mod serve;

use kiln_core::pixels::Raster;
use kiln_site::Viewport;
use serde::Deserialize;
use serde_json::{Value, json};
use url::Url;

use crate::failure::Failure;
use crate::mishap::Mishap;
pub use driver::Browser;
use driver::Session;
pub use serve::Served;

/// Told how a page shows its pictures.
const MEASURE: &str = include_str!("measure.js");

/// Screens of a page that are pictured, from its top on.
const SCREENS: u32 = 4;

/// CSS pixels of a page that become one of its picture, at most, across.
const LOOK: f64 = 800.0;

/// Pictures and files of a page that are taken from a browser.
const MOST: usize = 20_000;

/// How a browser shows a page on a screen.
#[derive(Clone, Debug, Default, Deserialize)]
pub struct Measured {
    /// Width of the window, in CSS pixels.
    pub width: f64,
    /// Height of the window, in CSS pixels.
    pub height: f64,
    /// How long the page is, in CSS pixels.
    pub length: f64,
    /// How much it shifted as it came (Layout Instability: the sum of all shifts).
    pub shift: f64,
    /// The pictures that it shows.
    pub shown: Vec<Box>,
    /// The files that it asked for.
    pub loaded: Vec<Loaded>,
    /// What its upper part looks like.
    #[serde(skip)]
    pub look: Option<Raster>,
}

/// A picture where it stands in a page; lengths in CSS pixels.
#[derive(Clone, Debug, Default, Deserialize)]
pub struct Box {
    /// Its address.
    pub address: String,
    /// How it is shown.
    pub role: String,
    pub x: f64,
    pub y: f64,
    pub width: f64,
    pub height: f64,
    /// The property `object-fit`.
    #[serde(default)]
    pub fit: String,
    /// The property `background-size`.
    #[serde(default)]
    pub size: String,
    /// Pixels of the picture, as the browser tells.
    #[serde(default)]
    pub own_width: f64,
    #[serde(default)]
    pub own_height: f64,
    /// Whether the page shifts when it comes.
    #[serde(default, rename = "unsized")]
    pub is_unsized: bool,
    /// Whether it waits until it is scrolled near.
    #[serde(default)]
    pub lazy: bool,
}

/// A file that a browser asked for.
#[derive(Clone, Debug, Deserialize)]
pub struct Loaded {
    /// Its address.
    pub address: String,
    /// What asked for it: `img`, `css`, `script`, `link` and others.
    pub by: String,
    /// Bytes on the way; 0 where a foreign host does not tell.
    pub weight: u64,
}

impl Box {
    /// How wide all of a picture is shown, cropped parts included, in CSS pixels; `ratio` is its width
    /// over its height.
    pub fn whole_width(&self, ratio: Option<f64>) -> f64 {
        let own = (self.own_height > 0.0).then(|| self.own_width / self.own_height);
        let Some(ratio) = own
            .or(ratio)
            .filter(|ratio| ratio.is_finite() && *ratio > 0.0)
        else {
            return self.width;
        };
        let by_height = self.height * ratio;
        let mut words = self.size.split_ascii_whitespace();
        match (self.fit.as_str(), words.next(), words.next()) {
            ("cover", ..) | (_, Some("cover"), _) => self.width.max(by_height),
            ("contain" | "scale-down", ..) | (_, Some("contain"), _) => self.width.min(by_height),
            (_, Some("auto"), Some(height)) => {
                length(height, self.height).map_or(self.width, |height| height * ratio)
            }
            (_, Some(width), _) => length(width, self.width).unwrap_or(self.width),
            _ => self.width,
        }
    }
}

/// A computed length: pixels, or per cent of a side.
fn length(text: &str, side: f64) -> Option<f64> {
    let found = match text.strip_suffix('%') {
        Some(part) => part.parse::<f64>().ok().map(|part| part / 100.0 * side),
        None => text
            .strip_suffix("px")
            .and_then(|pixels| pixels.parse().ok()),
    };
    found.filter(|length: &f64| length.is_finite() && *length >= 0.0)
}

impl Browser {
    /// How it shows a page on a screen, and what that looks like where that is wanted.
    pub fn measure(
        &self,
        page: &Url,
        screen: &Viewport,
        with_look: bool,
    ) -> Result<Measured, Mishap> {
        let session = self.session(screen)?;
        session.go(page)?;
        let told = session.run(MEASURE)?;
        let mut measured: Measured = serde_json::from_value(told)
            .map_err(|error| Mishap::of(error, "the browser tells nothing that can be read"))?;
        let sound = |value: f64| value.is_finite() && value.abs() < 1e7;
        measured.shown.truncate(MOST);
        measured
            .shown
            .retain(|one| [one.x, one.y, one.width, one.height].into_iter().all(sound));
        measured.loaded.truncate(MOST);
        if with_look {
            measured.look = session.look(&measured)?;
        }
        Ok(measured)
    }
}

impl Session<'_> {
    /// The upper part of a page, screen below screen.
    fn look(&self, measured: &Measured) -> Result<Option<Raster>, Mishap> {
        let step = measured.height.max(1.0);
        let screens = (measured.length / step)
            .ceil()
            .clamp(1.0, f64::from(SCREENS)) as u32;
        let scale = (LOOK / measured.width.max(1.0)).min(1.0);
        let side = (measured.width.max(step) * scale)
            .round()
            .clamp(1.0, 4000.0) as u32;
        let mut whole: Option<Raster> = None;
        for screen in 0..screens {
            let wanted = f64::from(screen) * step;
            let script = "scrollTo(0, arguments[0]); return scrollY;";
            let top = self.call("execute/sync", json!({"script": script, "args": [wanted]}))?;
            let top = top.as_f64().unwrap_or(wanted);
            let shot = self.shot(side)?;
            // The last screen overlaps the one above.
            let over = ((wanted - top).max(0.0) * scale).round() as u32;
            whole = match whole {
                None => Some(shot),
                Some(above) => Some(below(&above, &shot, over)),
            };
        }
        Ok(whole)
    }
}

/// A picture put below another of the same width, without its first rows.
fn below(above: &Raster, shot: &Raster, skip: u32) -> Raster {
    let size = shot.size();
    let skip = skip.min(size.height());
    if above.size().width() != size.width() || above.channels() != shot.channels() {
        return above.clone();
    }
    let row = size.width() as usize * above.channels().count();
    let mut samples = above.samples().to_vec();
    samples.extend_from_slice(&shot.samples()[skip as usize * row..]);
    let height = above.size().height() + size.height() - skip;
    let both = kiln_core::pixels::Size::new(size.width(), height);
    let both = both.and_then(|both| Raster::new(both, above.channels(), samples));
    both.unwrap_or_else(|| above.clone())
}

/// What a driver tells where it tells an error.
fn told_error(answer: &Value) -> Option<String> {
    let value = &answer["value"];
    let error = value["error"].as_str()?;
    let message = value["message"].as_str().unwrap_or("");
    let first = message.lines().next().unwrap_or("");
    Some(format!("{error}: {first}"))
}

/// Why there is no browser to ask.
fn no_browser(says: impl Into<String>) -> Failure {
    Failure::NoBrowser(says.into())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_cropped_picture_is_wider_than_its_box() {
        let shown = |fit: &str, size: &str| {
            let shown = Box {
                width: 100.0,
                height: 100.0,
                fit: fit.to_owned(),
                size: size.to_owned(),
                ..Box::default()
            };
            shown.whole_width(Some(2.0))
        };
        assert_eq!(shown("fill", ""), 100.0);
        assert_eq!(shown("cover", ""), 200.0);
        assert_eq!(shown("contain", ""), 100.0);
        assert_eq!(shown("", "cover"), 200.0);
        assert_eq!(shown("", "auto 50%"), 100.0);
        assert_eq!(shown("", "30px"), 30.0);
        assert_eq!(shown("", "25% auto"), 25.0);
        assert_eq!(Box::default().whole_width(None), 0.0);
    }
}
