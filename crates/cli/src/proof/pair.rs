//! Two finished files, the second against the first.

use std::borrow::Cow;
use std::fs;
use std::io::{self, Write};
use std::path::Path;
use std::process::ExitCode;

use anstyle::Style;
use kiln_core::colour::{self, Tint};
use kiln_core::pixels::{Raster, Size};
use kiln_core::plan::{Extent, Original, Wish};
use kiln_core::proof::{self, Judge, Judgement, Loss, Spot};
use kiln_core::source::{Headers, Model};
use serde::Serialize;

use super::json::SCHEMA;
use super::sized;
use crate::failure::Failure;
use crate::find::{self, Candidate, HeaderTrouble};
use crate::grid::{self, BAD, FAINT, GOOD, STRONG};
use crate::mishap::Mishap;
use crate::report::Channels;
use crate::settings::ProofSettings;
use crate::wording;

/// Spots that are told.
const SPOTS: usize = 6;

/// A finished file.
struct Finished {
    name: String,
    weight: u64,
    headers: Headers,
    raster: Raster,
}

/// The second file against the first.
struct Comparison {
    /// The size that both were compared at.
    size: Size,
    score: f32,
    /// The look that it has to reach.
    least: Option<f32>,
    tint: Tint,
    spots: Vec<(Spot, Loss)>,
}

impl Comparison {
    /// The look that is wanted and not reached.
    fn missed(&self) -> Option<f32> {
        self.least.filter(|least| self.score < *least)
    }
}

/// Compares and reports; ends with 1 where a look is wanted that the second does not reach.
pub fn run(
    one: &Path,
    two: &Path,
    settings: &ProofSettings,
    channels: &Channels,
) -> Result<ExitCode, Failure> {
    let mut opened = Vec::new();
    for path in [one, two] {
        match open(path, settings) {
            Ok(finished) => opened.push(finished),
            Err(why) => channels.name_problem(&path.to_string_lossy(), &why.to_string()),
        }
    }
    let [one, two] = &opened[..] else {
        return Ok(ExitCode::from(1));
    };
    let compared = compare(one, two, settings.least_look());
    let compared = match compared {
        Ok(compared) => compared,
        Err(why) => {
            channels.name_problem(&two.name, &why.to_string());
            return Ok(ExitCode::from(1));
        }
    };
    channels.print(|out, columns| match settings.json {
        true => json(out, one, two, &compared),
        false => table(out, one, two, &compared, columns),
    })?;
    match compared.missed() {
        None => Ok(ExitCode::SUCCESS),
        Some(least) => {
            let says = format!("scores {:.1}, below the look of {least}", compared.score);
            channels.name_problem(&two.name, &says);
            Ok(ExitCode::from(1))
        }
    }
}

/// A file of any format that is read, upright and in sRGB.
fn open(path: &Path, settings: &ProofSettings) -> Result<Finished, Mishap> {
    let name = path.to_string_lossy().into_owned();
    let candidate = Candidate::named(path.to_owned(), name.clone());
    let (weight, headers) = match find::headers(&candidate) {
        Some(Ok(read)) => read,
        Some(Err(
            HeaderTrouble::NotRead(_, why)
            | HeaderTrouble::Unfit(why)
            | HeaderTrouble::Unreadable(why),
        )) => return Err(why),
        None => return Err(Mishap::new("not a picture; name one")),
    };
    let bytes = fs::read(path).map_err(Mishap::unreadable)?;
    let original = Original::new(name.clone(), name.clone(), weight, headers.probe()?);
    let wish = Wish {
        extent: Extent::Own,
        ..Wish::default()
    };
    let raster = sized(&bytes, original, &wish, settings)?.raster;
    Ok(Finished {
        name,
        weight,
        headers,
        raster: raster.without_idle_alpha(),
    })
}

fn compare(one: &Finished, two: &Finished, least: Option<f32>) -> Result<Comparison, Mishap> {
    let alike = proof::alike(one.raster.clone(), two.raster.clone());
    let (reference, version) = alike.map_err(|why| Mishap::of(why, ""))?;
    let judge = Judge::new(Cow::Borrowed(&reference));
    let score = judge.score(&version);
    let score = score.ok_or_else(|| Mishap::new("it cannot be compared; its size is another"))?;
    let Judgement { map, tint } = judge.judge(&version);
    let spots = map.map_or(Vec::new(), |map| {
        let spots = proof::spots(&reference, &[&map], SPOTS).into_iter();
        spots
            .map(|spot| (spot, judge.loss(&version, &map, spot.area)))
            .collect()
    });
    Ok(Comparison {
        size: reference.size(),
        score,
        least,
        tint,
        spots,
    })
}

/// How a file is coded, in words.
fn coded(headers: &Headers) -> String {
    let mut parts = vec![headers.kind.to_string()];
    if let Some(jpeg) = &headers.jpeg {
        parts.push(
            if jpeg.progressive {
                "progressive"
            } else {
                "baseline"
            }
            .to_owned(),
        );
        parts.extend((!jpeg.subsampling.is_empty()).then(|| jpeg.subsampling.clone()));
        parts.extend(jpeg.quality.map(|quality| format!("dial {quality}")));
    }
    if headers.lossless {
        parts.push("lossless".to_owned());
    }
    if headers.interlaced {
        parts.push("interlaced".to_owned());
    }
    if headers.bits > 8 {
        parts.push(format!("{} bits", headers.bits));
    }
    parts.extend(match headers.model {
        Model::Grey => Some("grey".to_owned()),
        Model::Palette => Some("palette".to_owned()),
        Model::Inks => Some("CMYK".to_owned()),
        Model::Colour | Model::Drawing => None,
    });
    if headers.alpha {
        parts.push("alpha".to_owned());
    }
    parts.join(", ")
}

/// The name of a file's profile.
fn profile(headers: &Headers) -> String {
    let facts = headers.icc.as_ref().and_then(|icc| colour::describe(icc));
    facts.map_or("none".to_owned(), |facts| facts.description)
}

fn table(
    out: &mut dyn Write,
    one: &Finished,
    two: &Finished,
    compared: &Comparison,
    columns: Option<usize>,
) -> io::Result<()> {
    let head = [
        "file", "pixels", "weight", "change", "metadata", "profile", "coded as",
    ];
    let mut rows = vec![head.map(|text| (text.to_owned(), FAINT)).to_vec()];
    for finished in [one, two] {
        let headers = &finished.headers;
        let change = if std::ptr::eq(finished, two) {
            wording::change(one.weight, two.weight)
        } else {
            String::new()
        };
        let size = headers
            .own_size()
            .map_or(String::new(), |size| size.to_string());
        let cells = [
            wording::safe(&finished.name),
            size,
            wording::weight(finished.weight),
            change,
            wording::weight(headers.ballast.bytes()),
            wording::safe(&profile(headers)),
            coded(headers),
        ];
        rows.push(cells.map(|text| (text, Style::new())).to_vec());
    }
    writeln!(out, "{}\n", grid::set(rows, columns, &[1, 2, 3, 4]))?;
    let style = if compared.missed().is_none() {
        GOOD
    } else {
        BAD
    };
    let wanted = compared
        .least
        .map_or(String::new(), |least| format!(", {least} is wanted"));
    writeln!(
        out,
        "score   {style}{:.1}{style:#} of the second against the first, {}{wanted}",
        compared.score,
        seen(compared.score)
    )?;
    if one.raster.size() != two.raster.size() {
        writeln!(
            out,
            "        both seen at {}, the size of the smaller",
            compared.size
        )?;
    }
    let Tint { mean, high, shift } = compared.tint;
    let [light, a, b] = shift;
    writeln!(
        out,
        "colour  ΔE2000 {mean:.2} on average, 95% below {high:.2}; all shifted by L* {light:+.2}, a* {a:+.2}, b* {b:+.2}"
    )?;
    if !compared.spots.is_empty() {
        writeln!(out, "\n{STRONG}Where the eye sees it first{STRONG:#}")?;
    }
    for (spot, loss) in &compared.spots {
        let damage = loss
            .damage
            .map_or("nothing is seen".to_owned(), |kind| kind.to_string());
        let (x, y, score) = (spot.area.x, spot.area.y, loss.score.max(0.0));
        let line = format!("{} at {x},{y}: {damage} ({score:.0})", spot.shows);
        writeln!(out, "{}", grid::item(&line, columns))?;
    }
    Ok(())
}

/// What a score means, in the words of its scale.
fn seen(score: f32) -> &'static str {
    match score {
        s if s >= 100.0 => "which shows the same",
        s if s >= 90.0 => "a difference that is not seen side by side",
        s if s >= 70.0 => "a difference that is not seen without the first",
        s if s >= 50.0 => "a fair picture",
        _ => "a poor picture",
    }
}

#[derive(Serialize)]
struct Document<'a> {
    schema: u32,
    kind: &'static str,
    kiln: &'static str,
    files: [File<'a>; 2],
    width: u32,
    height: u32,
    score: f32,
    least: Option<f32>,
    tint: Tint,
    spots: Vec<Seen>,
}

#[derive(Serialize)]
struct File<'a> {
    path: &'a str,
    weight: u64,
    width: u32,
    height: u32,
    coded: String,
    profile: String,
    ballast: &'a kiln_core::source::Ballast,
}

#[derive(Serialize)]
struct Seen {
    #[serde(flatten)]
    spot: Spot,
    #[serde(flatten)]
    loss: Loss,
}

fn json(
    out: &mut dyn Write,
    one: &Finished,
    two: &Finished,
    compared: &Comparison,
) -> io::Result<()> {
    let files = [one, two].map(|finished| {
        let (size, headers) = (finished.raster.size(), &finished.headers);
        File {
            path: &finished.name,
            weight: finished.weight,
            width: size.width(),
            height: size.height(),
            coded: coded(headers),
            profile: profile(headers),
            ballast: &headers.ballast,
        }
    });
    let spots = compared.spots.iter();
    let document = Document {
        schema: SCHEMA,
        kind: "comparison",
        kiln: env!("CARGO_PKG_VERSION"),
        files,
        width: compared.size.width(),
        height: compared.size.height(),
        score: compared.score,
        least: compared.least,
        tint: compared.tint,
        spots: spots.map(|&(spot, loss)| Seen { spot, loss }).collect(),
    };
    serde_json::to_writer_pretty(&mut *out, &document)?;
    writeln!(out)
}
