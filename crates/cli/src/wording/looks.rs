//! Looks, aims and paces.

use kiln_core::budget::Aim;
use kiln_core::encode::{Format, Pace, Passes, Repack};
use kiln_core::plan::{LOOKS, Look};

use super::named;

/// `--look`: a name, or a score.
pub fn parse_look(text: &str) -> Result<Look, String> {
    if text.trim() == "exact" {
        return Ok(Look::Exact);
    }
    let says = "a look is plain, fine, crisp, faithful, exact, or a score from 0 to 100";
    parse_least_look(text)
        .map(Look::Score)
        .map_err(|_| says.to_owned())
}

/// `--least-look`: a name but exact, or a score.
pub fn parse_least_look(text: &str) -> Result<f32, String> {
    match named(&LOOKS, text).or_else(|| text.trim().parse().ok()) {
        Some(score) if (0.0..=100.0).contains(&score) => Ok(score),
        _ => Err("it is plain, fine, crisp, faithful, or a score from 0 to 100".to_owned()),
    }
}

/// `--aim`: what is made of a look and a weight.
pub fn parse_aim(text: &str) -> Result<Aim, String> {
    match text.trim() {
        "lightest" => Ok(Aim::Lightest),
        "sharpest" => Ok(Aim::Sharpest),
        _ => Err("an aim is lightest or sharpest".to_owned()),
    }
}

/// The paces by their names.
const PACES: [(&str, Pace); 3] = [
    ("quick", Pace::Quick),
    ("steady", Pace::Steady),
    ("patient", Pace::Patient),
];

/// `--pace`: how much time a piece may cost.
pub fn parse_pace(text: &str) -> Result<Pace, String> {
    named(&PACES, text).ok_or_else(|| "a pace is quick, steady or patient".to_owned())
}

/// `--progressive`: whether a file comes in several passes.
pub fn parse_passes(text: &str) -> Result<Passes, String> {
    match text.trim() {
        "yes" | "true" => Ok(Passes::Several),
        "no" | "false" => Ok(Passes::One),
        _ => Err("it is yes or no".to_owned()),
    }
}

/// Whether a file comes in several passes, as it is typed; `None` where that is left open.
pub fn passes(passes: Passes) -> Option<&'static str> {
    match passes {
        Passes::Lightest => None,
        Passes::Several => Some("yes"),
        Passes::One => Some("no"),
    }
}

/// How samples are coded without loss.
pub fn lossless(repacked: Option<Repack>, format: Format) -> &'static str {
    match repacked {
        None => "lossless",
        Some(Repack::Anew) if format.is_scalable() => "slimmed",
        Some(Repack::Anew) => "repacked",
        Some(Repack::AsItCame) => "as it came",
    }
}

/// A pace's name.
pub fn pace(pace: Pace) -> &'static str {
    PACES
        .iter()
        .find(|(_, known)| *known == pace)
        .map_or("", |(name, _)| name)
}
