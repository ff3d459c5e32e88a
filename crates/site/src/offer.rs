//! What there is of a picture for one place: its pieces, and how they are offered to browsers.

use serde::Serialize;

use crate::srcset::Descriptor;

/// Widths within this factor are the same spot.
const NEAR: f64 = 1.04;

/// A finished file.
#[derive(Clone, Debug, PartialEq)]
pub struct Piece {
    /// Its path below the out folder.
    pub name: String,
    /// The address that a page has for it, ready to be written.
    pub address: String,
    /// Its media type.
    pub kind: String,
    /// Pixels.
    pub width: u32,
    /// Pixels.
    pub height: u32,
    /// The width that it is displayed at, in CSS pixels, where that is known.
    pub displayed: Option<f64>,
    /// Bytes.
    pub weight: u64,
}

/// What pictures of a place are on a page.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Part {
    /// Pictures in the text.
    #[default]
    Picture,
    /// Backgrounds, by a style.
    Background,
    /// Icons of the site.
    Icon,
    /// Previews for those who link to the page.
    Preview,
}

/// The pieces of an original for one place.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Offer {
    /// The place; `None` where it was made without one.
    pub place: Option<String>,
    /// What it is on the page.
    pub part: Part,
    /// Whether it is what a visitor sees first.
    pub lead: bool,
    /// The `sizes` that the place says.
    pub sizes: Option<String>,
    /// The media query that it is for, instead of the offer that it stands beside.
    pub media: Option<String>,
    /// The pieces, the narrowest first.
    pub pieces: Vec<Piece>,
}

/// What is known of the spot that a picture is shown in, beside its place.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Spot {
    /// The width that it is shown at, in CSS pixels.
    pub width: Option<f64>,
    /// The `sizes` that hold for it.
    pub sizes: Option<String>,
}

/// Files among which a browser chooses by its screen.
#[derive(Clone, Debug, PartialEq)]
pub struct Form<'a> {
    /// The media type; `None` where they have several, all of which every browser shows.
    pub kind: Option<&'a str>,
    /// The candidates, the narrowest first.
    pub candidates: Vec<(&'a Piece, Descriptor)>,
}

/// How an offer is laid out for a spot.
#[derive(Clone, Debug, PartialEq)]
pub struct Layout<'a> {
    /// A form for each format, what fewest browsers show first. The last is for all.
    pub forms: Vec<Form<'a>>,
    /// The file for browsers that choose nothing.
    pub plain: &'a Piece,
    /// The `sizes` that go with widths.
    pub sizes: Option<String>,
    /// The width that it is displayed at, in CSS pixels.
    pub width: u32,
    /// The height that goes with it.
    pub height: u32,
}

impl Offer {
    /// The pieces, with an address for each name.
    #[must_use]
    pub fn addressed(&self, address: impl Fn(&str) -> String) -> Offer {
        let mut offer = self.clone();
        for piece in &mut offer.pieces {
            piece.address = address(&piece.name);
        }
        offer
    }

    /// The widths that it is displayed at, in CSS pixels, the narrowest first. Near ones are one.
    pub fn displayed(&self) -> Vec<f64> {
        let mut widths: Vec<f64> = self.pieces.iter().filter_map(|p| p.displayed).collect();
        widths.sort_by(f64::total_cmp);
        let mut apart: Vec<f64> = Vec::new();
        for width in widths {
            match apart.last_mut() {
                Some(last) if width <= *last * NEAR => *last = width,
                _ => apart.push(width),
            }
        }
        apart
    }

    /// The widest that it is shown, in CSS pixels; never wider than it has pixels.
    pub fn widest(&self) -> f64 {
        let pixels = self.pieces.iter().filter(|piece| !piece.is_scalable());
        let pixels = pixels.map(|piece| f64::from(piece.width)).reduce(f64::max);
        let displayed = self.displayed().pop();
        match (displayed, pixels) {
            (Some(displayed), Some(pixels)) => displayed.min(pixels),
            (Some(width), None) | (None, Some(width)) => width,
            (None, None) => self
                .pieces
                .last()
                .map_or(0.0, |piece| f64::from(piece.width)),
        }
    }

    /// The narrowest of its widths that fills a spot, in CSS pixels.
    pub fn filling(&self, spot: f64) -> Option<f64> {
        let mut widths = self.displayed().into_iter();
        widths.find(|width| width * NEAR >= spot)
    }

    /// How it is laid out for a spot; `None` where there are no pieces.
    pub fn layout(&self, spot: &Spot) -> Option<Layout<'_>> {
        let (scalable, drawn): (Vec<&Piece>, Vec<&Piece>) =
            self.pieces.iter().partition(|piece| piece.is_scalable());
        let displayed = self.displayed();
        let said = spot.sizes.clone().filter(|sizes| !sizes.trim().is_empty());
        let said = said.or_else(|| self.sizes.clone());
        // One width, and nothing that speaks against it: densities tell all.
        let alone = match (displayed.as_slice(), spot.width) {
            _ if said.is_some() => None,
            ([one], None) => Some(*one),
            ([one], Some(width)) if is_near(width, *one) => Some(*one),
            (_, width) => width,
        };
        let descriptor = |piece: &Piece| match alone {
            Some(width) => Descriptor::Density(hundredths(f64::from(piece.width) / width)),
            None => Descriptor::Width(piece.width),
        };
        let mut forms = Vec::new();
        for (kind, pieces) in by_format(&drawn) {
            let pieces = match alone {
                Some(width) => serving(pieces, width),
                None => pieces,
            };
            let described = pieces.into_iter().map(|piece| (piece, descriptor(piece)));
            forms.push(Form {
                kind,
                candidates: described.collect(),
            });
        }
        // What is sharp at every size needs no choice.
        let is_chosen = forms.iter().any(|form| form.candidates.len() > 1);
        if !is_chosen {
            for (_, descriptor) in forms.iter_mut().flat_map(|form| &mut form.candidates) {
                *descriptor = Descriptor::None;
            }
        }
        if let Some(piece) = scalable.first() {
            forms.insert(
                0,
                Form {
                    kind: Some(&piece.kind),
                    candidates: vec![(piece, Descriptor::None)],
                },
            );
        }
        let widest = self.widest();
        let width = spot
            .width
            .map_or(widest, |width| width.min(widest.max(1.0)));
        let shown = if scalable.is_empty() {
            width
        } else {
            spot.width.unwrap_or(widest)
        };
        let last = forms.last()?;
        let mut serves = last.candidates.iter().map(|(piece, _)| *piece);
        let plain = serves
            .find(|piece| f64::from(piece.width) * NEAR >= width)
            .or_else(|| last.candidates.last().map(|(piece, _)| *piece))?;
        let largest = self.pieces.iter().max_by_key(|piece| piece.width)?;
        let height = shown * f64::from(largest.height) / f64::from(largest.width.max(1));
        let sizes =
            (is_chosen && alone.is_none()).then(|| said.unwrap_or_else(|| up_to(widest.round())));
        Some(Layout {
            forms,
            plain,
            sizes,
            width: (shown.round() as u32).max(1),
            height: (height.round() as u32).max(1),
        })
    }
}

impl<'a> Layout<'a> {
    /// The file with the most pixels, in the format that most browsers show.
    pub fn largest(&self) -> &'a Piece {
        let last = self.forms.last();
        let largest = last.and_then(|form| form.candidates.last());
        largest.map_or(self.plain, |(piece, _)| *piece)
    }
}

impl Piece {
    /// Whether it is sharp at every size.
    pub fn is_scalable(&self) -> bool {
        self.kind == "image/svg+xml"
    }
}

/// The `sizes` of a picture that is as wide as the window up to its widest.
fn up_to(widest: f64) -> String {
    format!("(min-width: {widest}px) {widest}px, 100vw")
}

/// Of pieces, the narrowest first, those that serve a spot of a fixed width, up to the densest screens.
fn serving(mut pieces: Vec<&Piece>, width: f64) -> Vec<&Piece> {
    /// No screen is denser, and no eye sees more.
    const DENSEST: f64 = 4.0;
    let fills = |piece: &&Piece| f64::from(piece.width) * NEAR >= width;
    let first = pieces.iter().position(fills);
    let mut served = pieces.split_off(first.unwrap_or(pieces.len().saturating_sub(1)));
    let enough = |piece: &&Piece| f64::from(piece.width) * NEAR >= width * DENSEST;
    if let Some(last) = served.iter().position(enough) {
        served.truncate(last + 1);
    }
    served
}

fn is_near(a: f64, b: f64) -> bool {
    a.max(b) <= a.min(b) * NEAR
}

/// A ratio as it is written.
pub(crate) fn hundredths(value: f64) -> f64 {
    (value * 100.0).round() / 100.0
}

/// How few browsers show a media type.
fn rank(kind: &str) -> u8 {
    match kind {
        "image/avif" => 0,
        "image/webp" => 1,
        _ => 2,
    }
}

/// The pieces of each format that has all sizes, what fewest browsers show first. Where none has, since
/// each size came in the format that serves it best, they are one list of all, without a type.
fn by_format<'a>(pieces: &[&'a Piece]) -> Vec<(Option<&'a str>, Vec<&'a Piece>)> {
    let mut kinds: Vec<&str> = Vec::new();
    let mut widths: Vec<u32> = Vec::new();
    for piece in pieces {
        if !kinds.contains(&piece.kind.as_str()) {
            kinds.push(&piece.kind);
        }
        widths.push(piece.width);
    }
    widths.sort_unstable();
    widths.dedup();
    // Of formats that every browser shows the one with the lightest files is enough.
    let weight = |kind: &str| -> u64 {
        let of_kind = pieces.iter().filter(|piece| piece.kind == kind);
        of_kind.map(|piece| piece.weight).sum()
    };
    kinds.sort_by_key(|kind| (rank(kind), weight(kind)));
    let pieces = pieces.iter().copied();
    let of = |kind: &str| {
        let of_kind = pieces.clone().filter(|piece| piece.kind == kind);
        let mut of: Vec<&Piece> = of_kind.collect();
        of.sort_by_key(|piece| piece.width);
        of.dedup_by_key(|piece| piece.width);
        of
    };
    kinds.retain(|kind| of(kind).len() == widths.len());
    if !kinds.is_empty() {
        let last = kinds.iter().position(|kind| rank(kind) == 2);
        kinds.truncate(last.map_or(kinds.len(), |last| last + 1));
        return kinds
            .into_iter()
            .map(|kind| (Some(kind), of(kind)))
            .collect();
    }
    let lightest = |width: &u32| {
        let of_width = pieces.clone().filter(|piece| piece.width == *width);
        of_width.min_by_key(|piece| piece.weight)
    };
    let mixed: Vec<&Piece> = widths.iter().filter_map(lightest).collect();
    let mixed = (!mixed.is_empty()).then_some((None, mixed));
    mixed.into_iter().collect()
}
