//! A firing as a page to hand on: what became of each picture, and what a visitor loads.

use kiln_core::budget::Verdict;
use kiln_core::credits::Field;
use kiln_core::proof::Sight;
use minijinja::context;
use serde::Serialize;

use super::views::{Sample, View};
use crate::report::{
    Fired, FiringReport, OriginalReport, PieceReport, TotalReport, Written, budget_problem,
};
use crate::{pages, wording};
use kiln_site::load::LINKS;

/// What a visitor loads in one choice of formats.
#[derive(Serialize)]
struct Load {
    choice: String,
    before: String,
    after: String,
    change: String,
    /// Lengths of the bars, in per cent of the longest.
    bars: [f64; 2],
    links: Vec<Wait>,
}

#[derive(Serialize)]
struct Wait {
    name: &'static str,
    before: String,
    after: String,
}

/// A total that pictures share.
#[derive(Serialize)]
struct Page {
    name: String,
    choice: String,
    weight: String,
    most: String,
    kept: bool,
    gave_way: usize,
    pictures: Vec<Sharing>,
}

#[derive(Serialize)]
struct Sharing {
    name: String,
    weight: String,
    bar: f64,
    score: String,
    look: String,
    gave_way: bool,
}

/// An original and its pieces.
#[derive(Serialize)]
struct Card {
    name: String,
    about: String,
    weight: String,
    small: Option<String>,
    crops: Vec<Crop>,
    pieces: Vec<Piece>,
    worst: String,
    sights: Vec<Side>,
    texts: Vec<(&'static str, String)>,
    notes: Vec<String>,
    /// Why it gave no piece at all.
    refused: Option<String>,
    wrong: bool,
}

/// What a place shows of an original.
#[derive(Serialize)]
struct Crop {
    place: String,
    piece: String,
    small: Option<String>,
    whole: bool,
    /// Left, top, width and height, in per cent.
    frame: [f64; 4],
}

#[derive(Serialize)]
struct Piece {
    name: String,
    place: String,
    pixels: String,
    weight: String,
    change: String,
    score: String,
    look: String,
    says: String,
    wrong: bool,
}

/// A spot of the original beside that of a piece.
#[derive(Serialize)]
struct Side {
    shows: String,
    says: String,
    score: String,
    width: u32,
    height: u32,
    original: String,
    piece: String,
}

/// The whole page.
pub fn render(report: &FiringReport, views: &[View]) -> String {
    let loads = report.loads();
    let longest = loads.iter().map(|load| load.before.max(load.after)).max();
    let percent = |bytes: u64| tenths(bytes as f64 / longest.unwrap_or(1).max(1) as f64);
    let loads = loads.iter().map(|load| Load {
        choice: load.choice.to_string(),
        before: wording::weight(load.before),
        after: wording::weight(load.after),
        change: wording::change(load.before, load.after),
        bars: [percent(load.before), percent(load.after)],
        links: LINKS
            .iter()
            .map(|link| Wait {
                name: link.name,
                before: wording::time(link.seconds(load.originals, load.before)),
                after: wording::time(link.seconds(load.originals, load.after)),
            })
            .collect(),
    });
    let nothing = View::default();
    let originals = report.originals.held().iter().enumerate();
    let mut cards: Vec<Card> = originals
        .map(|(index, original)| card(original, views.get(index).unwrap_or(&nothing)))
        .collect();
    // What is over or short first; the sort is stable.
    cards.sort_by_key(|card| !card.wrong);
    let totals = report.totals();
    let problems = report.problems();
    let problems = problems
        .iter()
        .map(|(path, why)| wording::safe(&format!("{path}: {why}")));
    let left_out = report.left_out.iter();
    let left_out =
        left_out.map(|aside| wording::safe(&format!("{}: {}", aside.path.display(), aside.why)));
    pages::render(
        "firing.html",
        context! {
            date => wording::today(),
            out => wording::safe(&report.out.display().to_string()),
            kiln_file => report.kiln_file.as_ref().map(|file| wording::safe(&file.display().to_string())),
            pieces => wording::count(totals.pieces, "piece", "pieces"),
            originals => wording::count(totals.originals, "original", "originals"),
            unchanged => totals.unchanged,
            all_pieces => wording::weight(totals.after),
            ballast => (totals.ballast > 0).then(|| wording::weight(totals.ballast)),
            positions => totals.positions,
            interrupted => report.interrupted,
            loads => loads.collect::<Vec<_>>(),
            problems => problems.collect::<Vec<_>>(),
            remarks => report.remarks.iter().map(|remark| wording::safe(remark)).collect::<Vec<_>>(),
            left_out => left_out.collect::<Vec<_>>(),
            shared => report.shared.iter().map(|total| page(total, report)).collect::<Vec<_>>(),
            cards,
        },
    )
}

/// A part as per cent, to a tenth.
fn tenths(part: f64) -> f64 {
    (part * 1000.0).round() / 10.0
}

fn page(total: &TotalReport, report: &FiringReport) -> Page {
    let heaviest = total.heaviest.first().map_or(1, |(_, weight)| *weight);
    let pieces = || report.originals.held().iter().flat_map(|one| &one.pieces);
    let pictures: Vec<Sharing> = total
        .heaviest
        .iter()
        .filter_map(|(name, weight)| {
            let found = pieces().find(|piece| piece.written().is_some_and(|w| w.name == *name));
            let piece = found?;
            let written = piece.written()?;
            Some(Sharing {
                name: wording::safe(name),
                weight: wording::weight(*weight),
                bar: tenths(*weight as f64 / heaviest.max(1) as f64),
                score: written.score(),
                look: piece.look().unwrap_or_default(),
                gave_way: written.account.verdict == Some(Verdict::Shared),
            })
        })
        .collect();
    Page {
        name: wording::safe(&total.label()),
        choice: total.choice.to_string(),
        weight: wording::weight(total.weight),
        most: wording::weight(total.max_total),
        kept: total.weight <= total.max_total,
        gave_way: pictures.iter().filter(|one| one.gave_way).count(),
        pictures,
    }
}

fn card(original: &OriginalReport, view: &View) -> Card {
    let pieces: Vec<Piece> = original.pieces.iter().map(|p| piece(p, original)).collect();
    let name = |index: usize| {
        original
            .pieces
            .get(index)
            .map_or(String::new(), |p| wording::safe(&p.name()))
    };
    let worst = if view.sights.is_empty() {
        String::new()
    } else {
        name(view.worst)
    };
    let crop = |sample: &Sample| {
        let area = sample.frame;
        let [left, top, right, bottom] = area.sides().map(tenths);
        let frame = [
            left,
            top,
            tenths((right - left) / 100.0),
            tenths((bottom - top) / 100.0),
        ];
        let place = original
            .pieces
            .get(sample.piece)
            .and_then(|piece| piece.place.clone());
        Crop {
            place: place.map_or(String::new(), |place| wording::safe(&place)),
            piece: name(sample.piece),
            small: pages::small(&sample.small),
            whole: frame == [0.0, 0.0, 100.0, 100.0],
            frame,
        }
    };
    let texts = [
        (Field::Title, "title", &original.label),
        (Field::AlternativeText, "alternative text", &original.label),
        (Field::Caption, "caption", &original.label),
        (Field::Creator, "creator", &original.carried),
        (Field::Copyright, "copyright", &original.carried),
        (Field::Credit, "credit", &original.carried),
        (Field::Licence, "licence", &original.carried),
    ];
    let texts = texts
        .into_iter()
        .filter_map(|(field, name, said)| Some((name, wording::safe(said.get(field)?))));
    Card {
        name: wording::safe(&original.name),
        about: format!("{} {}", original.kind, original.size),
        weight: wording::weight(original.weight),
        small: view.original.as_ref().and_then(pages::small),
        crops: view.samples.iter().map(crop).collect(),
        wrong: pieces.iter().any(|piece| piece.wrong),
        pieces,
        refused: original
            .refusal()
            .map(|why| wording::safe(&why.to_string())),
        worst,
        sights: view.sights.iter().map(side).collect(),
        texts: texts.collect(),
        notes: original
            .notes
            .iter()
            .map(|note| wording::safe(note))
            .collect(),
    }
}

fn side(sight: &Sight) -> Side {
    let size = sight.spot.area.size;
    let damage = sight.loss.damage;
    Side {
        shows: sight.spot.shows.to_string(),
        says: damage.map_or("hardly seen".to_owned(), |damage| damage.to_string()),
        score: format!("{:.0}", sight.loss.score.max(0.0)),
        width: size.width() * sight.spot.zoom,
        height: size.height() * sight.spot.zoom,
        original: pages::exact(&sight.original),
        piece: pages::exact(&sight.piece),
    }
}

fn piece(piece: &PieceReport, original: &OriginalReport) -> Piece {
    let (mut told, mut pixels) = (Vec::new(), piece.size);
    let written = match &piece.fired {
        Fired::Made(written) => Some(written),
        Fired::Failed(why) => {
            told.push(format!("failed: {why}"));
            None
        }
        Fired::Planned => {
            told.push("not made".to_owned());
            None
        }
        Fired::Outdone(_, by) => {
            told.push(wording::left_out(*by));
            None
        }
    };
    let problem = written.and_then(|written| budget_problem(written, piece));
    let left_out = matches!(piece.fired, Fired::Outdone(..));
    let wrong = problem.is_some() || (written.is_none() && !left_out);
    if let Some(Written { account, .. }) = written {
        if let Some(shrunk) = account.shrunk {
            told.push(format!("shrunk from {pixels}"));
            pixels = shrunk;
        }
        told.extend(piece.outcome().map(str::to_owned));
        if account.flattened {
            told.push(format!("on {}", piece.backdrop));
        }
    }
    if piece.short_of.is_some() {
        told.push("own size".to_owned());
    }
    told.extend(problem);
    let account = piece.account();
    Piece {
        name: wording::safe(&piece.name()),
        place: piece.place.as_deref().map_or(String::new(), wording::safe),
        pixels: pixels.to_string(),
        weight: account.map_or(String::new(), |a| wording::weight(a.weight)),
        change: account.map_or(String::new(), |a| {
            wording::change(original.weight, a.weight)
        }),
        score: piece.fired().map_or(String::new(), Written::score),
        look: piece.look().unwrap_or_default(),
        says: wording::safe(&told.join("; ")),
        wrong,
    }
}
