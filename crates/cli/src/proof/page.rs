//! The proof sheet: versions of a picture, laid out by where a difference shows.

use kiln_core::colour::Tint;
use kiln_core::encode::Format;
use kiln_core::pixels::{Channels, Raster, Size};
use kiln_core::plan::{CodingWish, LOOKS, look_name};
use kiln_core::proof::{Judged, Loss, Spot};
use minijinja::context;
use serde::Serialize;

use super::table::wish_name;
use super::{Report, Row, Subject, dial};
use crate::{pages, wording};
use kiln_site::load::SLOW_PHONE;

/// The size of the curve's drawing area, and what lies left of it and below.
const PLOT: (f64, f64) = (760.0, 260.0);
const MARGIN: (f64, f64) = (96.0, 28.0);

/// A picture as the page shows it.
#[derive(Serialize)]
struct Picture {
    name: String,
    asked: String,
    verdict: String,
    width: u32,
    height: u32,
    clear: bool,
    original: String,
    plot: Plot,
    columns: Vec<Column>,
    spots: Vec<SpotRow>,
    versions: Vec<Version>,
    tries: Vec<Try>,
    formats: Vec<String>,
}

/// The curve of score against weight.
#[derive(Serialize)]
struct Plot {
    width: f64,
    height: f64,
    looks: Vec<Line>,
    weights: Vec<Line>,
    budget: Option<Line>,
    curves: Vec<Curve>,
}

#[derive(Serialize)]
struct Line {
    at: f64,
    label: String,
}

#[derive(Serialize)]
struct Curve {
    format: String,
    class: &'static str,
    /// The mark of its points, as a character.
    mark: char,
    path: String,
    points: Vec<Point>,
}

#[derive(Serialize)]
struct Point {
    x: f64,
    y: f64,
    label: String,
}

/// A version that the spots are shown in: that of the wanted look in each format.
#[derive(Serialize)]
struct Column {
    version: usize,
    format: String,
    class: &'static str,
    look: String,
    weight: String,
    score: String,
    serves: bool,
}

/// A spot, and what it looks like in some versions.
#[derive(Serialize)]
pub(super) struct SpotRow {
    shows: String,
    x: u32,
    y: u32,
    width: u32,
    height: u32,
    zoom: u32,
    cells: Vec<Cell>,
}

impl SpotRow {
    pub fn of(spot: &Spot, cells: Vec<Cell>) -> SpotRow {
        SpotRow {
            shows: spot.shows.to_string(),
            x: spot.area.x,
            y: spot.area.y,
            width: spot.area.size.width(),
            height: spot.area.size.height(),
            zoom: spot.zoom,
            cells,
        }
    }
}

/// What a spot looks like in a version.
#[derive(Serialize)]
pub(super) struct Cell {
    version: usize,
    says: String,
    score: String,
}

impl Cell {
    pub fn of(version: usize, loss: Option<&Loss>) -> Cell {
        let damage = loss.and_then(|loss| loss.damage);
        let score = loss.map(|loss| format!("{:.0}", loss.score.max(0.0)));
        Cell {
            version,
            says: damage.map_or("nothing seen".to_owned(), |kind| kind.to_string()),
            score: score.unwrap_or_default(),
        }
    }
}

/// What became of the colours of a version.
#[derive(Serialize)]
pub(super) struct Tinted {
    mean: String,
    high: String,
    shift: String,
}

impl Tinted {
    pub fn of(tint: Tint) -> Tinted {
        // A zero has no sign.
        let [light, a, b] = tint.shift.map(|part| (part * 10.0).round() / 10.0 + 0.0);
        Tinted {
            mean: format!("{:.1}", tint.mean),
            high: format!("{:.1}", tint.high),
            shift: format!("{light:+.1} {a:+.1} {b:+.1}"),
        }
    }
}

/// A file that was made.
#[derive(Serialize)]
struct Version {
    index: usize,
    format: String,
    class: &'static str,
    address: String,
    weight: String,
    score: String,
    dial: String,
    answers: String,
}

/// A line of the table of all that was asked.
#[derive(Serialize)]
struct Try {
    version: usize,
    format: String,
    class: &'static str,
    look: String,
    weight: String,
    change: String,
    score: String,
    dial: String,
    seconds: String,
    tint: Option<Tinted>,
    serves: bool,
    over: bool,
    enough: bool,
    met: bool,
    map: Option<String>,
    lines: String,
}

/// The whole page; where it is served, versions can be asked for.
pub fn render(report: &Report, served: bool) -> String {
    let pictures: Vec<Picture> = report.subjects.iter().map(picture).collect();
    let names: Vec<&str> = pictures.iter().map(|one| one.name.as_str()).collect();
    let refused = report.refused.iter().map(|aside| {
        let path = aside.path.to_string_lossy();
        wording::safe(&format!("{path}: {}", aside.why))
    });
    pages::render(
        "proof.html",
        context! {
            title => names.join(", "),
            date => wording::today(),
            refused => refused.collect::<Vec<_>>(),
            pictures,
            served,
        },
    )
}

/// The mark of a format's points, as the page draws it.
fn mark(format: Format) -> char {
    match format {
        Format::Avif => '●',
        Format::WebP => '■',
        Format::Jpeg => '▲',
        Format::Png => '◆',
        Format::Svg => '▼',
    }
}

fn class(format: Format) -> &'static str {
    match format {
        Format::Avif => "a",
        Format::WebP => "w",
        Format::Jpeg => "j",
        Format::Png => "p",
        Format::Svg => "s",
    }
}

fn picture(subject: &Subject) -> Picture {
    let rows = subject.rows();
    let mut judged: Vec<(Format, &Judged)> = Vec::new();
    for proven in &subject.proof.formats {
        judged.extend(proven.versions.iter().map(|one| (proven.format, one)));
    }
    let index = |wanted: &Judged| {
        judged
            .iter()
            .position(|(_, one)| std::ptr::eq(*one, wanted))
    };
    let wanted = subject.wanted(&rows);
    let columns = wanted.iter().map(|row| {
        let attempt = row.judged.version.attempt;
        Column {
            version: index(row.judged).unwrap_or(0),
            format: row.proven.format.to_string(),
            class: class(row.proven.format),
            look: wish_name(row.wish),
            weight: wording::weight(attempt.weight),
            score: format!("{:.1}", attempt.score),
            serves: row.serves,
        }
    });
    let spots = subject.proof.spots.iter().enumerate();
    let spots = spots.map(|(at, spot)| {
        let cell =
            |row: &&Row<'_>| Cell::of(index(row.judged).unwrap_or(0), row.judged.losses.get(at));
        SpotRow::of(spot, wanted.iter().map(cell).collect())
    });
    let versions = judged.iter().enumerate().map(|(at, (format, one))| {
        let answers = rows.iter().filter(|row| std::ptr::eq(row.judged, *one));
        let answers: Vec<String> = answers.map(|row| wish_name(row.wish)).collect();
        let attempt = one.version.attempt;
        Version {
            index: at,
            format: format.to_string(),
            class: class(*format),
            address: own_address(*format, one),
            weight: wording::weight(attempt.weight),
            score: format!("{:.1}", attempt.score),
            dial: dial(attempt.coding),
            answers: answers.join(", "),
        }
    });
    Picture {
        name: wording::safe(&subject.original.name),
        asked: asked(subject),
        verdict: verdict(&rows, subject),
        width: subject.size.width(),
        height: subject.size.height(),
        clear: subject.raster.is_transparent(),
        original: pages::exact(&subject.raster),
        plot: plot(subject),
        columns: columns.collect(),
        spots: spots.collect(),
        tries: rows
            .iter()
            .map(|row| tried(row, subject, index(row.judged).unwrap_or(0)))
            .collect(),
        versions: versions.collect(),
        formats: subject
            .proof
            .formats
            .iter()
            .map(|proven| proven.format.to_string())
            .collect(),
    }
}

/// The address of a file in the page; none for one without loss, which shows what the original does.
fn own_address(format: Format, one: &Judged) -> String {
    let same = one.version.attempt.score >= 100.0 && format.holds_alpha();
    if same {
        String::new()
    } else {
        address(format, &one.version.file)
    }
}

/// The address of a file of a format.
pub(super) fn address(format: Format, file: &[u8]) -> String {
    pages::address(&format.to_string().to_lowercase(), file)
}

fn asked(subject: &Subject) -> String {
    let mut parts = vec![format!("{} pixels", subject.size)];
    parts.extend(subject.place.as_ref().map(|place| format!("for {place}")));
    parts.extend(subject.terms());
    parts.join(", ")
}

/// What it comes to, in a sentence.
fn verdict(rows: &[Row<'_>], subject: &Subject) -> String {
    let look = subject.look.map_or("its look".to_owned(), look_name);
    match rows.iter().find(|row| row.serves) {
        None => format!("Nothing that was tried reaches {look} within the weight."),
        Some(best) => {
            let attempt = best.judged.version.attempt;
            format!(
                "{} is the lightest at {look}: {} instead of {} ({}), {} on a slow phone.",
                best.proven.format,
                wording::weight(attempt.weight),
                wording::weight(subject.original.weight),
                wording::change(subject.original.weight, attempt.weight),
                wording::time(SLOW_PHONE.seconds(1, attempt.weight)),
            )
        }
    }
}

fn tried(row: &Row<'_>, subject: &Subject, version: usize) -> Try {
    let attempt = row.judged.version.attempt;
    let format = row.proven.format;
    let wish = wish_name(row.wish);
    Try {
        version,
        format: format.to_string(),
        class: class(format),
        look: wish.clone(),
        weight: wording::weight(attempt.weight),
        change: wording::change(subject.original.weight, attempt.weight),
        score: format!("{:.1}", attempt.score),
        dial: dial(attempt.coding),
        seconds: wording::time(SLOW_PHONE.seconds(1, attempt.weight)),
        tint: row.judged.tint.map(Tinted::of),
        serves: row.serves,
        over: subject.max_weight.is_some_and(|most| attempt.weight > most),
        enough: row.enough,
        met: row.met,
        map: map(&row.judged.cells, subject.size),
        lines: lines(format, row.wish),
    }
}

/// What is written into the kiln file, or typed, to have a wish met in a format.
pub(super) fn lines(format: Format, wish: CodingWish) -> String {
    let name = wish_name(wish);
    let (key, option) = match wish {
        CodingWish::Dial(dial) => (format!("quality = {dial}"), format!("--quality {dial}")),
        _ => (format!("look = \"{name}\""), format!("--look {name}")),
    };
    let format = format.extension().replace("jpg", "jpeg");
    format!("formats = [\"{format}\"]\n{key}\n\nkiln fire --format {format} {option}")
}

/// The map of what is seen, as a small picture: the darker, the more; clear where nothing is.
pub(super) fn map(cells: &[f32], size: Size) -> Option<String> {
    const CELL: u32 = 16;
    let (columns, rows) = (size.width().div_ceil(CELL), size.height().div_ceil(CELL));
    let shade = |score: &f32| {
        let seen = ((90.0 - score) / 60.0).clamp(0.0, 1.0);
        [40, 0, 70, (seen * 215.0) as u8]
    };
    let samples: Vec<u8> = cells.iter().flat_map(shade).collect();
    let raster = Raster::new(Size::new(columns, rows)?, Channels::Rgba, samples)?;
    raster.is_transparent().then(|| pages::exact(&raster))
}

fn plot(subject: &Subject) -> Plot {
    let made = subject.proof.formats.iter();
    let made = made.flat_map(|proven| proven.versions.iter());
    let attempts: Vec<_> = made.map(|one| one.version.attempt).collect();
    let logs = || attempts.iter().map(|one| (one.weight.max(1) as f64).ln());
    let (left, right) = (
        logs().fold(f64::MAX, f64::min),
        logs().fold(f64::MIN, f64::max),
    );
    let (left, right) = (left - 0.05, right + 0.05);
    let scores = attempts.iter().map(|one| f64::from(one.score));
    let least = scores.fold(60.0, f64::min).max(30.0) - 2.0;
    let x = |weight: u64| {
        let part = ((weight.max(1) as f64).ln() - left) / (right - left);
        ((MARGIN.0 + part * PLOT.0) * 10.0).round() / 10.0
    };
    let y = |score: f64| {
        let part = (100.0 - score.max(least)) / (100.0 - least);
        ((8.0 + part * PLOT.1) * 10.0).round() / 10.0
    };
    let looks = LOOKS.iter().filter(|(_, look)| f64::from(*look) > least);
    let steps = [1u64, 2, 5].map(|digit| (3..9).map(move |power| digit * 10u64.pow(power)));
    let inside = |weight: &u64| (left..right).contains(&(*weight as f64).ln());
    let mut weights: Vec<u64> = steps.into_iter().flatten().filter(inside).collect();
    weights.sort_unstable();
    let line = |weight: u64| Line {
        at: x(weight),
        label: wording::weight_typed(weight),
    };
    let curves = subject.proof.formats.iter().map(|proven| {
        let points = proven.versions.iter().map(|one| {
            let attempt = one.version.attempt;
            let (weight, dial) = (wording::weight(attempt.weight), dial(attempt.coding));
            Point {
                x: x(attempt.weight),
                y: y(f64::from(attempt.score)),
                label: format!(
                    "{}, dial {dial}: {weight}, score {:.1}",
                    proven.format, attempt.score
                ),
            }
        });
        let points: Vec<Point> = points.collect();
        let path: Vec<String> = points.iter().map(|p| format!("{},{}", p.x, p.y)).collect();
        Curve {
            format: proven.format.to_string(),
            class: class(proven.format),
            mark: mark(proven.format),
            path: path.join(" "),
            points,
        }
    });
    Plot {
        width: MARGIN.0 + PLOT.0 + 16.0,
        height: PLOT.1 + 8.0 + MARGIN.1,
        looks: looks
            .map(|(name, look)| Line {
                at: y(f64::from(*look)),
                label: format!("{name} {look}"),
            })
            .collect(),
        weights: weights.into_iter().map(line).collect(),
        budget: subject.max_weight.filter(inside).map(line),
        curves: curves.collect(),
    }
}
