//! Pure, serialisable decisions, made from headers alone: which pieces each original becomes.

mod clash;

use serde::{Deserialize, Serialize};

pub use clash::Clash;

use crate::encode::Format;
use crate::pixels::{Backdrop, Size};
use crate::source::Probe;

/// What is wanted of every original.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Wish {
    /// Widths as displayed, in CSS pixels; none means each original's own width.
    pub widths: Vec<u32>,
    /// Device pixel ratios that each width is made for.
    pub densities: Vec<f64>,
    /// The formats to make.
    pub formats: Vec<Format>,
    /// The most that a piece may weigh, in bytes.
    pub max_weight: Option<u64>,
    /// How samples are coded.
    pub coding: CodingWish,
    /// What stands behind transparent pixels in a format without transparency.
    pub backdrop: Backdrop,
}

/// How samples shall be coded: a request, from which a [`crate::encode::Coding`] is decided.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum CodingWish {
    /// At each format's usual dial, without loss where that serves better.
    Usual,
    /// At this dial, without a search.
    Dial(u8),
}

/// An original that was found and whose headers were read.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Original {
    /// Its path as found, for people.
    pub path: String,
    /// Its path below the folder that was given, with `/` between the parts.
    pub name: String,
    /// Its size in bytes.
    pub weight: u64,
    /// What its headers say.
    pub probe: Probe,
}

/// All that a firing will do.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Plan {
    /// One job for each original, in the order in which they were given.
    pub jobs: Vec<Job>,
}

/// What one original becomes.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Job {
    /// The original.
    pub original: Original,
    /// The sizes to make, the narrowest first.
    pub sizes: Vec<PlannedSize>,
    /// The most that a piece may weigh, in bytes.
    pub max_weight: Option<u64>,
    /// How samples shall be coded.
    pub coding: CodingWish,
    /// What stands behind transparent pixels in a format without transparency.
    pub backdrop: Backdrop,
}

/// One pixel size of an original.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct PlannedSize {
    /// Width and height, upright.
    pub size: Size,
    /// The width that was asked for and that the original cannot fill without enlarging.
    pub short_of: Option<u32>,
    /// The files to make of this size.
    pub pieces: Vec<PlannedPiece>,
}

/// One file to make.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct PlannedPiece {
    /// Its path below the out folder, with `/` between the parts.
    pub name: String,
    /// Its format.
    pub format: Format,
}

impl Plan {
    /// Plans the pieces of all originals. Two pieces of one name are a [`Clash`].
    pub fn new(originals: Vec<Original>, wish: &Wish) -> Result<Plan, Clash> {
        let jobs = originals
            .into_iter()
            .map(|original| Job::new(original, wish));
        let plan = Plan {
            jobs: jobs.collect(),
        };
        match clash::find(&plan) {
            Some(clash) => Err(clash),
            None => Ok(plan),
        }
    }

    /// How many pieces will be made.
    pub fn pieces(&self) -> usize {
        self.jobs.iter().map(|job| job.pieces().count()).sum()
    }
}

impl Job {
    /// Plans the pieces of one original.
    pub fn new(original: Original, wish: &Wish) -> Job {
        Job {
            sizes: sizes(&original, wish),
            original,
            max_weight: wish.max_weight,
            coding: wish.coding,
            backdrop: wish.backdrop,
        }
    }

    /// Its pieces with their sizes.
    pub fn pieces(&self) -> impl Iterator<Item = (&PlannedSize, &PlannedPiece)> {
        let sizes = self.sizes.iter();
        sizes.flat_map(|size| size.pieces.iter().map(move |piece| (size, piece)))
    }
}

fn sizes(original: &Original, wish: &Wish) -> Vec<PlannedSize> {
    let own = original.probe.upright();
    let mut asked: Vec<u32> = wish
        .widths
        .iter()
        .flat_map(|&width| wish.densities.iter().map(move |d| f64::from(width) * d))
        .map(|pixels| pixels.round().clamp(1.0, f64::from(Size::MAX_SIDE)) as u32)
        .collect();
    if asked.is_empty() {
        asked.push(own.width());
    }
    asked.sort_unstable();
    asked.dedup();
    let filled = asked.partition_point(|&width| width <= own.width());
    let mut planned: Vec<PlannedSize> = asked[..filled]
        .iter()
        .map(|&width| planned_size(original, own.at_width(width), None, wish))
        .collect();
    // Never enlarged: all that is too wide becomes one piece at the original's own width.
    if let Some(&widest) = asked[filled..].last() {
        planned.retain(|size| size.size != own);
        planned.push(planned_size(original, own, Some(widest), wish));
    }
    planned
}

fn planned_size(
    original: &Original,
    size: Size,
    short_of: Option<u32>,
    wish: &Wish,
) -> PlannedSize {
    let piece = |&format: &Format| PlannedPiece {
        name: piece_name(&original.name, size.width(), format),
        format,
    };
    PlannedSize {
        size,
        short_of,
        pieces: wish.formats.iter().map(piece).collect(),
    }
}

/// `FOLDERS/STEM-WIDTH.EXT`.
fn piece_name(original: &str, width: u32, format: Format) -> String {
    let (folders, file) = match original.rfind('/') {
        Some(slash) => original.split_at(slash + 1),
        None => ("", original),
    };
    let stem = match file.rfind('.') {
        Some(dot) if dot > 0 => &file[..dot],
        _ => file,
    };
    format!("{folders}{stem}-{width}.{}", format.extension())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::pixels::Orientation;
    use crate::source::{Delivery, Kind};

    fn original(name: &str, width: u32, height: u32, orientation: Orientation) -> Original {
        Original {
            path: name.to_owned(),
            name: name.to_owned(),
            weight: 1_000_000,
            probe: Probe {
                kind: Kind::Jpeg,
                stored: Size::new(width, height).expect("a size"),
                orientation,
                alpha: false,
                frames: 1,
                delivery: Delivery::Whole,
            },
        }
    }

    fn wish(widths: &[u32], densities: &[f64], formats: &[Format]) -> Wish {
        Wish {
            widths: widths.to_vec(),
            densities: densities.to_vec(),
            formats: formats.to_vec(),
            max_weight: None,
            coding: CodingWish::Usual,
            backdrop: Backdrop::WHITE,
        }
    }

    fn lines(plan: &Plan) -> Vec<String> {
        let line = |(size, piece): (&PlannedSize, &PlannedPiece)| match size.short_of {
            Some(asked) => format!("{} {} short of {asked}", piece.name, size.size),
            None => format!("{} {}", piece.name, size.size),
        };
        plan.jobs
            .iter()
            .flat_map(|job| job.pieces().map(line))
            .collect()
    }

    #[test]
    fn widths_are_multiplied_by_densities_and_never_enlarged() {
        let originals = vec![
            original("a/lamp.room.JPG", 4000, 3000, Orientation::QuarterClockwise),
            original("mark", 900, 300, Orientation::Upright),
        ];
        let wish = wish(&[600, 300], &[1.0, 2.0], &[Format::WebP, Format::Jpeg]);
        let plan = Plan::new(originals, &wish).expect("no clash");
        insta::assert_snapshot!(lines(&plan).join("\n"), @r"
        a/lamp.room-300.webp 300×400
        a/lamp.room-300.jpg 300×400
        a/lamp.room-600.webp 600×800
        a/lamp.room-600.jpg 600×800
        a/lamp.room-1200.webp 1200×1600
        a/lamp.room-1200.jpg 1200×1600
        mark-300.webp 300×100
        mark-300.jpg 300×100
        mark-600.webp 600×200
        mark-600.jpg 600×200
        mark-900.webp 900×300 short of 1200
        mark-900.jpg 900×300 short of 1200
        ");
    }

    #[test]
    fn without_a_width_every_original_keeps_its_own() {
        let originals = vec![original("x.png", 901, 3, Orientation::Upright)];
        let plan = Plan::new(originals, &wish(&[], &[1.0, 2.0], &[Format::Png])).expect("no clash");
        assert_eq!(lines(&plan), ["x-901.png 901×3"]);
    }

    #[test]
    fn two_originals_for_one_name_are_a_clash_whatever_the_case() {
        let pair = |a: &str, b: &str| {
            let originals = [a, b].map(|name| original(name, 500, 500, Orientation::Upright));
            Plan::new(originals.to_vec(), &wish(&[300], &[1.0], &[Format::WebP]))
        };
        assert!(pair("a/logo.png", "b/logo.png").is_ok());
        let clash = pair("logo.png", "Logo.jpg").expect_err("one name on many file systems");
        assert_eq!(
            clash.to_string(),
            "logo.png and Logo.jpg would both become Logo-300.webp"
        );
    }

    #[test]
    fn a_plan_survives_serialisation() {
        let originals = vec![original("x.png", 901, 33, Orientation::Flipped)];
        let plan = Plan::new(originals, &wish(&[300], &[1.5], &[Format::Avif])).expect("no clash");
        let text = serde_json::to_string(&plan).expect("a plan is plain data");
        assert_eq!(
            serde_json::from_str::<Plan>(&text).expect("its own text"),
            plan
        );
    }
}
