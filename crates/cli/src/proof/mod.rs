//! `kiln proof`: what each format and look costs on a picture, and where the eye would see it.

mod answer;
mod json;
mod page;
mod pair;
mod plot;
mod serve;
mod table;

use std::path::PathBuf;
use std::process::ExitCode;

use kiln_core::encode::{Coding, Format};
use kiln_core::guard;
use kiln_core::pipeline::{self, Aims, FireError, Rasters};
use kiln_core::pixels::{Raster, Size};
use kiln_core::plan::{CodingWish, Job, Original, Placement, Wish, look_name};
use kiln_core::proof::{self, Judged, Proof, Proven};
use rayon::ThreadPoolBuilder;

use crate::failure::Failure;
use crate::find::{self, Aside, Picture};
use crate::mishap::Mishap;
use crate::report::{Channels, Counting};
use crate::settings::{Originals, ProofOf, ProofSettings, Wanted};
use crate::{pages, wording, write};

/// From this score on nothing is seen, even side by side.
const NOTHING_SEEN: f32 = proof::UNSEEN;

/// Proves pictures, or compares two files, and reports. Writes nothing but the page, if one is wanted.
pub fn run(settings: &ProofSettings, channels: &Channels) -> Result<ExitCode, Failure> {
    match &settings.of {
        ProofOf::Pair(one, two) => pair::run(one, two, settings, channels),
        ProofOf::Originals { originals, wanted } => prove(originals, wanted, settings, channels),
    }
}

/// One picture at one size, in all its versions.
pub struct Subject {
    /// The file.
    pub file: PathBuf,
    /// What is known of it.
    pub original: Original,
    /// The place that it is shown in.
    pub place: Option<String>,
    /// The size of all versions.
    pub size: Size,
    /// The device pixel ratio that they are scored for.
    pub density: f64,
    /// The look that is wanted there; `None` where it is to be exact, or a dial is set.
    pub look: Option<f32>,
    /// The most that it may weigh there, in bytes.
    pub max_weight: Option<u64>,
    /// What was asked of every format.
    pub wishes: Vec<CodingWish>,
    /// The sized picture.
    pub raster: Raster,
    /// All that was made.
    pub proof: Proof,
}

/// What a proof is told by.
pub struct Report {
    /// The pictures.
    pub subjects: Vec<Subject>,
    /// Files that gave nothing.
    pub refused: Vec<Aside>,
}

fn prove(
    originals: &Originals,
    wanted: &Wanted,
    settings: &ProofSettings,
    channels: &Channels,
) -> Result<ExitCode, Failure> {
    if let Some(page) = &settings.page {
        pages::may_be_written(page)?;
    }
    let finding = find::find(originals, &settings.out)?;
    if finding.pictures.is_empty() && finding.refused.is_empty() {
        return Err(Failure::nothing_found(&originals.paths));
    }
    let mut report = Report {
        subjects: Vec::new(),
        refused: finding.refused,
    };
    let pool = ThreadPoolBuilder::new()
        .num_threads(settings.jobs)
        .build()?;
    let counting = Counting::start(finding.pictures.len(), "pictures", channels);
    for picture in &finding.pictures {
        let shown = wanted.site.places.iter();
        let shown = shown.filter(|place| place.shows(&picture.original.name));
        let mut wishes: Vec<(Option<&str>, &Wish)> = shown
            .map(|place| (Some(place.name.as_str()), &place.wish))
            .collect();
        if wishes.is_empty() {
            wishes.extend(wanted.site.every.iter().map(|wish| (None, wish)));
        }
        if wishes.is_empty() {
            let why = Mishap::new("no place shows it; say a --width, or name a --place");
            report.refused.push(picture.aside(why));
        }
        for (place, wish) in wishes {
            match pool.install(|| subject(picture, place, wish, settings)) {
                Ok(subject) => report.subjects.push(subject),
                Err(why) => {
                    report.refused.push(picture.aside(why));
                    break;
                }
            }
        }
        counting.one();
    }
    counting.end();
    for aside in &report.refused {
        channels.name_problem(&aside.path.to_string_lossy(), &aside.why.to_string());
    }
    let failed = report.subjects.iter().map(|subject| &subject.proof.failed);
    for (format, why) in failed.flatten() {
        channels.name_problem(&format.to_string(), &why.to_string());
    }
    if let Some(path) = &settings.page {
        let page = page::render(&report, false);
        write::whole(path, page.as_bytes()).map_err(Failure::unwritable(path))?;
    }
    channels.print(|out, columns| match settings.json {
        true => json::write(out, &report),
        false => table::write(out, &report, columns),
    })?;
    if let Some(port) = settings.serve.filter(|_| !report.subjects.is_empty()) {
        serve::run(port, &report, wanted, settings, &pool, channels)?;
        // As with any run that Ctrl-C has ended.
        return Ok(ExitCode::from(130));
    }
    let whole = report.refused.is_empty()
        && report
            .subjects
            .iter()
            .all(|one| one.proof.failed.is_empty());
    Ok(if whole {
        ExitCode::SUCCESS
    } else {
        ExitCode::from(1)
    })
}

/// A picture as a place wants it, in its largest size, in all versions.
fn subject(
    picture: &Picture,
    place: Option<&str>,
    wish: &Wish,
    settings: &ProofSettings,
) -> Result<Subject, Mishap> {
    let bytes = picture.bytes().map_err(Mishap::unreadable)?;
    let Sized {
        placement,
        seen,
        raster,
    } = sized(&bytes, picture.original.clone(), wish, settings)?;
    let look = match placement.coding {
        CodingWish::Look(wish) => Some(wish.look),
        CodingWish::Exact | CodingWish::Dial(_) => None,
    };
    let wishes = settings.wishes_for(look);
    let formats = settings.formats.clone().unwrap_or_else(all_formats);
    let aims = aims(&placement);
    let proof = proof::prove(&raster, seen, &formats, &wishes, aims);
    Ok(Subject {
        file: picture.path().to_owned(),
        original: picture.original.clone(),
        place: place.map(str::to_owned),
        size: raster.size(),
        density: seen,
        look,
        max_weight: placement.max_weight,
        wishes,
        raster,
        proof,
    })
}

/// Nothing is given up for a weight: what a look weighs is what is asked.
fn aims(placement: &Placement) -> Aims {
    Aims {
        coding: CodingWish::default(),
        max_weight: None,
        pace: placement.pace,
        passes: placement.passes,
        backdrop: placement.backdrop,
    }
}

/// A picture as a wish has it, in its largest size.
struct Sized {
    placement: Placement,
    /// The ratio of its pixels to those of the spot that it is scored for.
    seen: f64,
    raster: Raster,
}

fn sized(
    bytes: &[u8],
    mut original: Original,
    wish: &Wish,
    settings: &ProofSettings,
) -> Result<Sized, Mishap> {
    let allowance = settings.allowance;
    if !original.probe.is_drawn() && !allowance.covers(original.probe.stored) {
        return Err(Mishap::beyond(original.probe.stored, allowance));
    }
    let made = guard::guarded(|| {
        if wish.framing.trim {
            original.content = Some(pipeline::content(bytes, &original, allowance)?);
        }
        let mut job = Job::new(original, wish);
        // The largest size shows most; the others are made from the same settings.
        for placement in &mut job.placements {
            let largest = placement.sizes.len().saturating_sub(1);
            placement.sizes.drain(..largest);
        }
        let rasters = Rasters::new(bytes, &job, allowance)?;
        Ok::<_, FireError>((job, rasters))
    });
    let (job, rasters) = made.map_err(|_| Mishap::new("the decoder failed on it"))??;
    let found = job.placements.into_iter().next().and_then(|placement| {
        let size = placement.sizes.first()?;
        let (seen, raster) = (size.seen, rasters.sized(&placement, size)?.clone());
        Some(Sized {
            placement,
            seen,
            raster,
        })
    });
    found.ok_or_else(|| Mishap::new("no size was planned for it; say a --width"))
}

fn all_formats() -> Vec<Format> {
    vec![Format::Avif, Format::WebP, Format::Jpeg, Format::Png]
}

/// A version that answers a wish.
pub struct Row<'a> {
    /// What was made in its format.
    pub proven: &'a Proven,
    /// The wish that it answers.
    pub wish: CodingWish,
    /// The version.
    pub judged: &'a Judged,
    /// Whether the wish is met.
    pub met: bool,
    /// Whether it is the lightest of all that reach the wanted look and keep the weight.
    pub serves: bool,
    /// Whether it is the lightest of its format in which nothing is seen.
    pub enough: bool,
}

impl Subject {
    /// What every format came to for every wish, formats and wishes in order.
    pub fn rows(&self) -> Vec<Row<'_>> {
        let mut rows: Vec<Row<'_>> = Vec::new();
        for proven in &self.proof.formats {
            for answer in &proven.answers {
                let Some(judged) = proven.versions.get(answer.version) else {
                    continue;
                };
                let score = judged.version.attempt.score;
                let wish = self.wishes[answer.wish];
                rows.push(Row {
                    proven,
                    wish,
                    judged,
                    met: match wish {
                        CodingWish::Look(wish) => score >= wish.look,
                        CodingWish::Exact | CodingWish::Dial(_) => true,
                    },
                    serves: false,
                    enough: false,
                });
            }
        }
        let weight = |row: &Row<'_>| row.judged.version.attempt.weight;
        let score = |row: &Row<'_>| row.judged.version.attempt.score;
        let suits = |row: &&mut Row<'_>| {
            let reaches = self.look.is_some_and(|look| score(row) >= look);
            reaches && self.max_weight.is_none_or(|most| weight(row) <= most)
        };
        if let Some(best) = rows.iter_mut().filter(suits).min_by_key(|row| weight(row)) {
            best.serves = true;
        }
        for proven in &self.proof.formats {
            let own = rows.iter_mut();
            let own = own.filter(|row| std::ptr::eq(row.proven, proven));
            let seen_no_more = own.filter(|row| score(row) >= NOTHING_SEEN);
            if let Some(first) = seen_no_more.min_by_key(|row| weight(row)) {
                first.enough = true;
            }
        }
        rows
    }

    /// Of all rows those of the wanted look; where none is wanted, those without a look.
    pub fn wanted<'r, 'a>(&self, rows: &'r [Row<'a>]) -> Vec<&'r Row<'a>> {
        let wanted = rows.iter().filter(|row| match row.wish {
            CodingWish::Look(wish) => self.look == Some(wish.look),
            CodingWish::Exact | CodingWish::Dial(_) => self.look.is_none(),
        });
        wanted.collect()
    }

    /// What is wanted of it beside its size.
    pub fn terms(&self) -> Vec<String> {
        let density = (self.density > 1.0).then(|| format!("seen at density {}", self.density));
        let look = self
            .look
            .map(|look| format!("a look of {}", look_name(look)));
        let most = self.max_weight.map(wording::weight);
        let most = most.map(|most| format!("at most {most}"));
        [density, look, most].into_iter().flatten().collect()
    }
}

/// A coding as it is told: a dial, or none.
pub fn dial(coding: Coding) -> String {
    match coding {
        Coding::Dial(dial) => dial.to_string(),
        Coding::Lossless => "none".to_owned(),
    }
}
