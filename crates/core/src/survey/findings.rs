//! What is wrong with a picture, what that costs, and what to do.

use serde::Serialize;

use super::glance::{Glance, Motif};
use crate::colour::ProfileFacts;
use crate::credits::{Field, Inscription};
use crate::source::{Headers, Kind, Model};

/// A picture as the survey knows it.
#[derive(Clone, Copy, Debug)]
pub struct Subject<'a> {
    /// Its file's name.
    pub name: &'a str,
    /// Bytes.
    pub weight: u64,
    /// What its headers say.
    pub headers: &'a Headers,
    /// What its profile says of itself.
    pub profile: Option<&'a ProfileFacts>,
    /// What a glance at its pixels has shown.
    pub glance: Option<&'a Glance>,
    /// Another file with the same pixels, found before this one.
    pub twin: Option<&'a str>,
}

/// What counts as too much.
#[derive(Clone, Copy, Debug)]
pub struct Limits {
    /// The widest that any place shows, in pixels of the densest screen that counts.
    pub widest: u32,
    /// The most that a picture may weigh; without it, three steps from 100 KB on.
    pub max_weight: Option<u64>,
}

/// A finding's own short name. Their order is that of their urgency.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Name {
    /// It cannot be decoded.
    Damaged,
    /// A format that is not read, or a picture above the allowance.
    NotRead,
    /// It says where it was taken.
    Position,
    /// Over 500 KB.
    FarTooHeavy,
    /// Over 200 KB.
    Heavy,
    /// Over the weight that was allowed.
    OverLimit,
    /// More pixels than any place shows.
    SurplusPixels,
    /// A photo in a format without loss.
    PhotoWithoutLoss,
    /// A flat graphic in a format for photos.
    GraphicAsPhoto,
    /// Moving pictures in a format for stills.
    Moving,
    /// Text in a lossy format.
    BlurredText,
    /// A simple drawing in pixels.
    BetterDrawn,
    /// Other colours in other browsers.
    ForeignColours,
    /// An extension that belongs to another format.
    Misnamed,
    /// The same pixels as another file.
    Twin,
    /// Bytes that no browser shows.
    Ballast,
    /// 16 bits where 8 serve.
    IdleDepth,
    /// A channel of transparency that nothing uses.
    IdleAlpha,
    /// A JPEG that comes from top to bottom.
    Baseline,
    /// Over 100 KB.
    RatherHeavy,
}

impl Name {
    /// Whether it should be mended before anything else.
    pub fn is_urgent(self) -> bool {
        self <= Name::OverLimit
    }

    /// As it is printed.
    pub fn as_str(self) -> &'static str {
        match self {
            Name::Damaged => "damaged",
            Name::NotRead => "not-read",
            Name::Position => "position",
            Name::FarTooHeavy => "far-too-heavy",
            Name::Heavy => "heavy",
            Name::OverLimit => "over-limit",
            Name::SurplusPixels => "surplus-pixels",
            Name::PhotoWithoutLoss => "photo-without-loss",
            Name::GraphicAsPhoto => "graphic-as-photo",
            Name::Moving => "moving",
            Name::BlurredText => "blurred-text",
            Name::BetterDrawn => "better-drawn",
            Name::ForeignColours => "foreign-colours",
            Name::Misnamed => "misnamed",
            Name::Twin => "twin",
            Name::Ballast => "ballast",
            Name::IdleDepth => "idle-depth",
            Name::IdleAlpha => "idle-alpha",
            Name::Baseline => "baseline",
            Name::RatherHeavy => "rather-heavy",
        }
    }
}

/// Something that is wrong with a picture.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Finding {
    /// Its short name.
    pub name: Name,
    /// What it costs and what to do.
    pub says: String,
    /// The bytes that mending it is worth, where that can be told.
    pub worth: Option<u64>,
}

/// Metadata above this, or above a twentieth of the file, is ballast.
const BALLAST_BYTES: u64 = 10_000;

/// Baseline JPEGs below this show at once anyway.
const BASELINE_BYTES: u64 = 10_000;

/// All findings, the most urgent first.
pub fn findings(subject: &Subject<'_>, limits: &Limits) -> Vec<Finding> {
    let mut found = Vec::new();
    let checks = [weight, pixels, form, waste, care];
    for check in checks {
        check(subject, limits, &mut |name, worth, says| {
            // No single finding is worth more than the file.
            let worth = worth.map(|worth: u64| worth.min(subject.weight));
            found.push(Finding { name, says, worth });
        });
    }
    found.sort_by_key(|finding| finding.name);
    found
}

type Add<'a> = &'a mut dyn FnMut(Name, Option<u64>, String);

/// What the picture would lose if it were fired.
fn could_go(subject: &Subject<'_>) -> Option<u64> {
    subject
        .glance
        .map(|glance| subject.weight.saturating_sub(glance.estimate.weight))
}

fn weight(subject: &Subject<'_>, limits: &Limits, add: Add<'_>) {
    let weight = subject.weight;
    let (name, limit) = match limits.max_weight {
        Some(most) if weight > most => (Name::OverLimit, most),
        Some(_) => return,
        None => match weight {
            500_001.. => (Name::FarTooHeavy, 500_000),
            200_001.. => (Name::Heavy, 200_000),
            100_001.. => (Name::RatherHeavy, 100_000),
            _ => return,
        },
    };
    let times = weight as f64 / limit as f64;
    let says = format!(
        "{times:.1} times the {} KB limit; fire it with --max-weight",
        limit / 1000
    );
    add(name, Some(weight - limit), says);
}

fn pixels(subject: &Subject<'_>, limits: &Limits, add: Add<'_>) {
    let Some(size) = subject.headers.upright() else {
        return;
    };
    if subject.headers.model != Model::Drawing && size.width() > limits.widest {
        let wide = f64::from(size.width()) / f64::from(limits.widest);
        // Bytes grow a little slower than pixels.
        let surplus = subject.weight as f64 * (1.0 - libm::pow(wide, -1.7));
        let says = format!(
            "{} pixels wide where {} serve; fire it with --width",
            size.width(),
            limits.widest
        );
        add(Name::SurplusPixels, Some(surplus as u64), says);
    }
    if subject.headers.frames > 1 {
        let says = format!(
            "{} frames in a {}; a short film is lighter",
            subject.headers.frames, subject.headers.kind
        );
        add(Name::Moving, None, says);
    }
}

fn form(subject: &Subject<'_>, _: &Limits, add: Add<'_>) {
    let Some(glance) = subject.glance else {
        return;
    };
    let (headers, estimate) = (subject.headers, glance.estimate);
    let worth = could_go(subject).filter(|worth| *worth > 0);
    match (glance.motif, headers.lossless) {
        (Motif::Photo, true) if headers.frames == 1 => {
            let says = format!(
                "a photo stored without loss as {}; as {} it is lighter and looks the same",
                headers.kind, estimate.format
            );
            add(Name::PhotoWithoutLoss, worth, says);
        }
        (Motif::Flat, false) => {
            let says = "a flat graphic in a format for photos: its edges fray; export it as PNG, fire it as WebP";
            add(Name::GraphicAsPhoto, worth, says.to_owned());
        }
        (Motif::Text, false) => {
            let says =
                "text in a lossy format looks smudged; export it as PNG or make it real text";
            add(Name::BlurredText, worth, says.to_owned());
        }
        _ => {}
    }
    if let Some(traced) = glance.traced.filter(|&traced| traced * 2 < subject.weight) {
        let says = format!(
            "a simple drawing in pixels; traced as SVG it weighs {:.1} KB and is sharp at every size",
            traced as f64 / 1e3
        );
        add(Name::BetterDrawn, Some(subject.weight - traced), says);
    }
}

fn waste(subject: &Subject<'_>, _: &Limits, add: Add<'_>) {
    let (headers, weight) = (subject.headers, subject.weight);
    // What firing keeps of it, the rights, is none.
    let rights = Inscription {
        credits: headers.credits.only(&Field::RIGHTS),
        dots_per_inch: None,
    };
    let kept = rights.blocks();
    let kept = kept.exif.map_or(0, |exif| exif.len()) + kept.xmp.map_or(0, |xmp| xmp.len());
    let ballast = headers.ballast.bytes().saturating_sub(kept as u64);
    if ballast > BALLAST_BYTES || ballast * 20 > weight {
        let says = format!(
            "{:.1} KB of metadata that no browser shows; firing drops it",
            ballast as f64 / 1e3
        );
        add(Name::Ballast, Some(ballast), says);
    }
    if let Some(glance) = subject.glance {
        if headers.alpha && !glance.alpha_used && headers.frames == 1 {
            let says = "it has transparency that no pixel uses; firing drops it";
            add(Name::IdleAlpha, None, says.to_owned());
        }
        if headers.bits == 16 && !glance.depth_used {
            let says = "16 bits a sample where 8 hold the same; firing stores 8";
            add(Name::IdleDepth, Some(weight / 2), says.to_owned());
        }
    }
    if let Some(jpeg) = &headers.jpeg
        && !jpeg.progressive
        && weight > BASELINE_BYTES
    {
        let says =
            "a baseline JPEG appears from top to bottom; a progressive one at once, and lighter";
        // Measured on photos: three to six in a hundred.
        add(Name::Baseline, Some(weight / 25), says.to_owned());
    }
    let extension = subject
        .name
        .rsplit_once('.')
        .map(|(_, extension)| extension);
    if extension.is_some_and(|extension| !headers.kind.has_extension(extension)) {
        let says = format!(
            "it is a {} whatever its name says: servers send it as what it is not",
            headers.kind
        );
        add(Name::Misnamed, None, says);
    }
    if let Some(twin) = subject.twin {
        add(
            Name::Twin,
            Some(weight),
            format!("shows the same pixels as {twin}; keep one of them"),
        );
    }
}

fn care(subject: &Subject<'_>, _: &Limits, add: Add<'_>) {
    let headers = subject.headers;
    if headers.ballast.position {
        let says = "its metadata says where it was taken; firing drops that";
        add(Name::Position, None, says.to_owned());
    }
    let wide = subject.profile.filter(|profile| profile.wide);
    if headers.model == Model::Inks && headers.kind != Kind::Svg {
        let says = "printing inks, which browsers show in other colours or not at all; firing converts them";
        add(Name::ForeignColours, None, says.to_owned());
    } else if let Some(profile) = wide {
        let says = format!(
            "colours of {} may look dull in some browsers; firing converts them to sRGB",
            profile.description
        );
        add(Name::ForeignColours, None, says);
    }
}
